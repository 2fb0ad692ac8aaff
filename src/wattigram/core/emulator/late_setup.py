"""What own code changes of converters, their triggers and their DMA while the board runs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Hashable, Iterator, Mapping

import msgspec

from wattigram.core.contract.board_config import EffectiveConverter, EffectiveTap, EffectiveWatch
from wattigram.core.emulator.configure import Silicon
from wattigram.core.emulator.peripherals import FOLLOWED
from wattigram.core.emulator.pointing import Pointing
from wattigram.core.emulator.result_delivery import DmaTransfer, dma_transfers
from wattigram.core.silicon.registers import RegisterAt, SiliconState
from wattigram.core.silicon.registers.equivalents import delivery_of

MOST_KEPT = 64
"""Settings that were read once are known when they come again."""


Decode = Callable[[SiliconState, Mapping[str, tuple[Pointing, ...]]], Silicon]


class Window(msgspec.Struct, frozen=True):
    """One of a converter's own windows, with what it judges."""

    number: int
    watch: EffectiveWatch
    tap: EffectiveTap


class SetUp(msgspec.Struct, frozen=True):
    """How a converter is set up: its triggers, slots and memory, and the DMA that carries its results."""

    converter: EffectiveConverter
    carriers: tuple[DmaTransfer | None, DmaTransfer | None]
    run: int
    """How often the DMA that carries its results was switched on."""
    timer: str
    """The timer that starts it; "" for none."""
    windows: tuple[Window, ...]


class Change(msgspec.Struct, frozen=True):
    """A converter that is set up otherwise than before."""

    before: SetUp
    now: SetUp
    silicon: Silicon
    """All that is set up now."""


class LateSetUp:
    """Compares what stands in registers with what stood there when it was looked at last.

    ``decode`` gives the silicon of a state, with every converter told by its triggers, and with inputs
    that it was not seen to be pointed to before.
    """

    def __init__(self, decode: Decode, state: SiliconState) -> None:
        self._decode = decode
        self._inputs: dict[str, tuple[Pointing, ...]] = {}
        """Of converters that were pointed elsewhere than firmware was seen to point them."""
        self._begun = state.copy()
        self._registers = _followed(state)
        self._known: dict[Hashable, Silicon] = {}
        self._asked: dict[str, SetUp] = {}
        self.runs: Counter[str] = Counter()
        """How often each DMA channel was switched on since then."""

    def begin(self) -> None:
        """See how all was set up when the board began to run."""
        if not self._asked:
            self._asked = self._set_ups(self._begun, {})[1]

    def point_to(self, name: str, inputs: tuple[Pointing, ...]) -> None:
        """A converter is pointed to other inputs than before: these are all."""
        self.begin()
        self._inputs[name] = inputs

    def set_up_of(self, name: str, state: SiliconState) -> tuple[Silicon, SetUp] | None:
        """How a converter that nobody has set up before is set up now, with all that is; None where no part
        of it is.

        Raises
        ------
        BoardError
            When no board could run so.
        """
        self.begin()
        silicon, now = self._set_ups(state, self.runs)
        set_up = now.get(name)
        if set_up is None:
            return None
        self._asked[name] = set_up
        return silicon, set_up

    def silicon(self, state: SiliconState) -> Silicon:
        """All that is set up now.

        Raises
        ------
        BoardError
            When no board could run so.
        """
        self.begin()
        return self._set_ups(state, self.runs)[0]

    def before(self, name: str) -> EffectiveConverter:
        """How a converter was set up when it was looked at last."""
        self.begin()
        return self._asked[name].converter

    def changes(self, state: SiliconState) -> Iterator[Change]:
        """Converters that are on, and set up otherwise than before.

        Raises
        ------
        BoardError
            When no board could run so.
        """
        self.begin()
        silicon, now = self._set_ups(state, self.runs)
        for name, set_up in now.items():
            before = self._asked.get(name)
            if before is None or set_up == before or not state.is_on(name):
                continue
            self._asked[name] = set_up
            yield Change(before, set_up, silicon)

    def _set_ups(
        self, state: SiliconState, runs: Mapping[str, int]
    ) -> tuple[Silicon, dict[str, SetUp]]:
        values = tuple(state.shadow.value(register) & mask for register, mask in self._registers)
        key = values, tuple(sorted(self._inputs.items()))
        silicon = self._known.get(key)
        if silicon is None:
            if len(self._known) >= MOST_KEPT:
                self._known.pop(next(iter(self._known)))
            silicon = self._known[key] = self._decode(_with_timers_running(state), self._inputs)
        return silicon, {
            one.name: _set_up(state, one, _windows(silicon, one.name), runs)
            for one in silicon.config.converters
        }


def timer_of(state: SiliconState, converter: str) -> str:
    """The timer that starts a converter, or the one whose trigger it follows; "" for none."""
    source = converter
    for _ in state.registers.part.converters:
        source = state.text(source, "trigger", "")
        if state.registers.part.converter(source) is None:
            break
    return source if state.has(source, "period") else ""


def _with_timers_running(state: SiliconState) -> SiliconState:
    """As if no timer stood: when each counts is followed by itself."""
    copy = state.copy()
    for register in state.registers.registers:
        for field in register.register.fields:
            if register.block.kind == "timer" and field.sets == "run":
                copy.shadow.write(register, copy.shadow.value(register) | 1 << field.low)
                copy.first.setdefault((register.owner, "run"), copy.writes + 1)
    return copy


def _followed(state: SiliconState) -> list[tuple[RegisterAt, int]]:
    """Registers of what is followed, with the bits that are settings."""
    return [
        (register, mask)
        for register in state.registers.registers
        if register.block.kind in FOLLOWED
        and (
            mask := sum(
                field.mask
                for field in register.register.fields
                if field.access == "read-write" and field.sets not in {"place", "run"}
            )
        )
    ]


def _windows(silicon: Silicon, converter: str) -> tuple[Window, ...]:
    found = []
    for number, (owner, index) in silicon.watches.items():
        watch = silicon.config.watches[number]
        if owner == converter and watch is not None:
            tap = silicon.config.taps[watch.tap]
            found.append(Window(index, watch.unchecked(tap=0), tap))
    return tuple(found)


def _set_up(
    state: SiliconState,
    converter: EffectiveConverter,
    windows: tuple[Window, ...],
    runs: Mapping[str, int],
) -> SetUp:
    carriers = dma_transfers(state, converter.name)
    if delivery_of(state, converter.name) == "dma" and carriers[0] is None:
        # Nobody carries anything anywhere.
        converter = converter.unchecked(loop=converter.loop.unchecked(delivers=False))
    if converter.pace.kind in {"pattern", "events"}:
        # Of a trigger that came before it was on nothing is left.
        converter = converter.unchecked(pace=converter.pace.unchecked(skip_first=False))
    return SetUp(
        # How many laps are worked out together depends on the rate, and changes nothing.
        converter.unchecked(loop=converter.loop.unchecked(laps=0)),
        carriers,
        runs.get(carriers[0].channel, 0) if carriers[0] is not None else 0,
        timer_of(state, converter.name),
        windows,
    )
