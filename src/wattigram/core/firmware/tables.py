"""Tables of a design's firmware: chains, taps, watches, waves, ramps and reports as C has them."""

from __future__ import annotations

from fractions import Fraction
from functools import cached_property

import msgspec

from wattigram.core.base.errors import FirmwareError
from wattigram.core.contract.board_config import (
    EffectiveConfig,
    EffectiveConverter,
    EffectiveTap,
    EffectiveWatch,
)
from wattigram.core.firmware.c_names import c_identifiers
from wattigram.core.model.design import (
    Chain,
    Dma,
    Signal,
    Slot,
    ThresholdTrigger,
    Watch,
    Workspace,
    tapped_signals,
    watch_title,
)
from wattigram.core.model.design.outputs import SoftwareRamp
from wattigram.core.predict.accuracy import ComparedPair, kept_values, waiting_values
from wattigram.core.predict.timing import buffer_timing, item_bits, slot_order
from wattigram.core.predict.waveform import codes_in_memory
from wattigram.core.silicon.deploy import effective_config

RESULT_BITS = 16
"""A result that is aligned to the left has its uppermost bit there."""


class ChainTable(msgspec.Struct, frozen=True):
    """One chain as its firmware has it; ticks are of the board's clock."""

    number: int
    chain: Chain
    name: str
    store_bits: int
    item_bits: int
    loop_items: int
    """Of the buffer that is sent from."""
    fresh_items: int
    """Of the buffer that DMA keeps fresh for the program to read; 0 where it sends from there."""
    by_dma: bool
    halts: bool
    """The program turns the converter off when the buffer has been filled once."""
    stamped: bool
    swap: bool
    cycle_ticks: int
    end_ticks: tuple[int, ...]
    held_ticks: tuple[int, ...]
    taps: tuple[int | None, ...]
    lifts: tuple[int, ...]
    """Places by which the program moves each slot's result up; down when below 0."""
    half_s: Fraction

    @property
    def loop_bytes(self) -> int:
        """Memory of its loop; the wider of who writes and who reads decides."""
        return self.loop_items * max(self.store_bits, self.item_bits) // 8


class TapTable(msgspec.Struct, frozen=True):
    """What is done with one signal's items."""

    name: str
    signal: Signal
    tap: EffectiveTap
    kind: str
    per_half: int
    """Items that one half can give."""

    @property
    def room(self) -> int:
        """Reduced values that one half can give."""
        return self.per_half // self.divisor + 1 if self.divisor > 1 else self.per_half

    @property
    def divisor(self) -> int:
        """Items to one reduced value."""
        return self.tap.count if self.tap.stage in {"sum", "block-average"} else 1

    @property
    def mask(self) -> int:
        """Bits of the register."""
        return (1 << self.tap.register_bits) - 1

    @property
    def sign(self) -> int:
        """Sign bit of the register, 0 where it has none."""
        return 1 << (self.tap.register_bits - 1) if self.tap.signed_bits else 0


class WatchTable(msgspec.Struct, frozen=True):
    """A comparison that the program makes, or an action on one that the hardware made."""

    number: int
    watch: EffectiveWatch
    by_hardware: bool
    factor: Fraction
    other_reduced: bool
    chain: int
    starts: int | None
    room: int
    title: str


class RampTable(msgspec.Struct, frozen=True):
    """A DAC that software takes from code to code; times in ticks."""

    dac: str
    name: str
    codes: tuple[int, ...]
    begin_ticks: int
    dwell_ticks: int
    again: bool


class Tables(msgspec.Struct, frozen=True, dict=True):
    """All tables of a design."""

    workspace: Workspace

    @cached_property
    def config(self) -> EffectiveConfig:
        """What the board is to do."""
        return effective_config(self.workspace)

    @cached_property
    def chain_names(self) -> dict[str, str]:
        """C names of chains, by their converter."""
        return c_identifiers(chain.converter for chain in self.workspace.project.chains)

    @cached_property
    def signal_names(self) -> dict[str, str]:
        """C names of signals."""
        return c_identifiers(signal.name for signal in self.workspace.project.signals)

    @cached_property
    def table_names(self) -> dict[str, str]:
        """C names of wave tables."""
        return c_identifiers(table.name for table in self.workspace.project.tables)

    @cached_property
    def chains(self) -> tuple[ChainTable, ...]:
        """In the order of their streams."""
        return tuple(
            self._chain(number, chain, converter)
            for number, (chain, converter) in enumerate(
                zip(self.workspace.project.chains, self.config.converters, strict=True)
            )
        )

    def _chain(self, number: int, chain: Chain, converter: EffectiveConverter) -> ChainTable:
        workspace = self.workspace
        end = tuple(round(slot.end_ticks) for slot in converter.slots)
        held = tuple(
            round(slot.held_ticks + (slot.repeats - 1) * slot.each_ticks)
            for slot in converter.slots
        )
        program_taps = [
            (place, tap) for place, tap in enumerate(self.config.taps) if not tap.by_hardware
        ]
        reads = chain.read_period_s is not None
        taps = tuple(
            next(
                (
                    place
                    for place, tap in program_taps
                    if tap.converter == number and slot in tap.places
                ),
                None,
            )
            for slot in range(len(converter.slots))
        )
        return ChainTable(
            number=number,
            chain=chain,
            name=self.chain_names[chain.converter],
            store_bits=chain.buffer.element_bits,
            item_bits=item_bits(chain),
            loop_items=chain.buffer.samples if not reads else 2 * len(converter.slots),
            fresh_items=chain.buffer.samples if reads else 0,
            by_dma=isinstance(chain.readout, Dma) and not reads,
            halts=converter.loop.halts,
            stamped=converter.stamped,
            swap=converter.loop.swap_bytes,
            cycle_ticks=converter.cycle_ticks,
            end_ticks=end,
            held_ticks=held,
            taps=taps,
            lifts=tuple(
                self._lift(chain, chain.slots[place]) for place in slot_order(workspace, chain)
            ),
            half_s=buffer_timing(workspace, chain).half_s,
        )

    def _lift(self, chain: Chain, slot: Slot) -> int:
        """A result that lies at the top of its register goes to the top of its item; what a stage
        gives stays below."""
        has_stage = self.workspace.project.signal(slot.signal).slot_filter is not None
        if isinstance(chain.readout, Dma) or chain.alignment != "left" or has_stage:
            return 0
        return chain.buffer.element_bits - RESULT_BITS

    @cached_property
    def taps(self) -> tuple[TapTable, ...]:
        """The program's own."""
        signals = tapped_signals(self.workspace.project)
        kinds = {
            "none": "WG_UNFILTERED",
            "sum": "WG_BLOCK_AVERAGE",
            "block-average": "WG_BLOCK_AVERAGE",
            "moving-average": "WG_MOVING_AVERAGE",
        }
        tables = []
        for signal, tap in zip(signals, self.config.taps, strict=False):
            chain = self.chains[tap.converter]
            most = chain.loop_items - chain.loop_items // 2
            per_half = -(-most // len(chain.end_ticks)) * len(tap.places) + len(tap.places)
            kind = kinds.get(tap.stage, "WG_LOW_PASS")
            tables.append(TapTable(self.signal_names[signal.name], signal, tap, kind, per_half))
        return tuple(tables)

    def watch_title(self, watch: Watch) -> str:
        """What a watch is, for people."""
        return watch_title(self.workspace.project, watch)

    @cached_property
    def watches(self) -> tuple[WatchTable, ...]:
        """Those that the program judges, and those of the hardware that it must act upon."""
        tables = []
        project = self.workspace.project
        for number, (watch, effective) in enumerate(
            zip(self.workspace.watches, self.config.watches, strict=True)
        ):
            if effective is None:
                continue
            chain = project.chain_of(watch.signal)
            assert chain is not None
            tap = self.config.taps[effective.tap]
            if tap.by_hardware and not (effective.stops and effective.rearm_ticks is not None):
                continue
            other_reduced = False
            if effective.other is not None:
                other_reduced = (
                    effective.on_reduced and self.config.taps[effective.other].stage != "none"
                )
            tables.append(
                WatchTable(
                    number=number,
                    watch=effective,
                    by_hardware=tap.by_hardware,
                    factor=Fraction(effective.other_factor).limit_denominator(1 << 20),
                    other_reduced=other_reduced,
                    chain=project.chains.index(chain),
                    starts=None if tap.by_hardware else self._started_by(watch),
                    room=self._room(effective, other_reduced) if effective.other is not None else 0,
                    title=self.watch_title(watch),
                )
            )
        return tuple(tables)

    def _started_by(self, watch: Watch) -> int | None:
        """The chain that software starts at a watch's events."""
        if watch.kind != "window":
            return None
        for number, chain in enumerate(self.workspace.project.chains):
            trigger = self.workspace.project.own_trigger(chain)
            if (
                isinstance(trigger, ThresholdTrigger)
                and trigger.signal == watch.signal
                and trigger.threshold - 1 == watch.index
            ):
                return number
        return None

    def _room(self, watch: EffectiveWatch, other_reduced: bool) -> int:
        """Values that wait for their partners, a power of two."""
        assert watch.other is not None
        mine, other = self.taps[watch.tap], self.taps[watch.other]
        halves = (
            mine.room if watch.on_reduced else mine.per_half,
            other.room if other_reduced else other.per_half,
        )
        waiting = waiting_values(
            self.workspace, ComparedPair(mine.signal, other.signal, watch.on_reduced)
        )
        return min(
            kept_values(self.workspace), 1 << (max(2 * max(halves), waiting) - 1).bit_length()
        )

    @cached_property
    def waves(self) -> dict[str, tuple[int, ...]]:
        """Codes of each table that is played or carried, by the table's name."""
        workspace = self.workspace
        made = {
            table.name: tuple(codes_in_memory(workspace, table).tolist())
            for table in workspace.project.tables
        }
        return {name: codes for name, codes in made.items() if codes}

    @cached_property
    def ramps(self) -> tuple[RampTable, ...]:
        """One for each ramp by software."""
        made = {dac.name: dac for dac in self.config.dacs}
        return tuple(
            RampTable(
                generator.dac,
                generator.name,
                made[generator.name].codes,
                round(made[generator.name].begin_ticks),
                round(made[generator.name].update_ticks),
                made[generator.name].repeat,
            )
            for generator in self.workspace.project.generators
            if isinstance(generator.output, SoftwareRamp)
        )


def check_firmware(workspace: Workspace) -> None:
    """Raise :class:`FirmwareError` for a design that firmware cannot be written for."""
    project = workspace.project
    if not project.does_anything:
        raise FirmwareError(
            "Nothing in this project runs, so there is nothing to build.",
            cure="Put a signal into a slot, or add an output or a reaction.",
        )
    memory = workspace.part.memory
    if memory is None or not workspace.part.blocks:
        raise FirmwareError(
            f"{workspace.part.name} has no registers in its part file.",
            cure="Describe its memory and registers there, or take the tables only.",
        )
