"""Settings as a project: the design that a board really has, whatever was meant.

Signals are named after their converter and pin, outputs after their peripheral: the silicon knows
no other names.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from fractions import Fraction
from typing import cast

import msgspec

from wattigram.core.base.errors import RegisterError
from wattigram.core.base.validation import ModelError
from wattigram.core.model.bench import Wiring
from wattigram.core.model.design import (
    BlockAverage,
    BoardReference,
    Chain,
    CircularBuffer,
    Code,
    Comparator,
    ComparatorTrigger,
    Dma,
    EdgeTrigger,
    Fifo,
    FollowTrigger,
    FreeRunningTrigger,
    Interrupt,
    LowPassFilter,
    Polling,
    Project,
    Retrieval,
    Signal,
    Slot,
    SoftwareTrigger,
    Step,
    Threshold,
    ThresholdTrigger,
    Trigger,
)
from wattigram.core.model.design.outputs import Playback
from wattigram.core.model.design.route import DacDestination
from wattigram.core.model.design.workspace import reference_of_dac, reference_voltage
from wattigram.core.model.part import Converter, Dac, Part
from wattigram.core.silicon.registers.decode import SiliconState
from wattigram.core.silicon.registers.equivalents import channel_of, delivery_of, result_channel
from wattigram.core.silicon.registers.outputs_from_registers import OutputReader, timer_trigger
from wattigram.core.silicon.registers.register_map import sampling_index

DEFAULT_HANDLER_CYCLES = 2000


class Surroundings(msgspec.Struct, frozen=True):
    """What is around the silicon: not set by any register.

    ``levels_v`` are those at which edges on pins are taken.
    """

    part: Part
    name: str = "board"
    reference: str = ""
    bus_clock_hz: Fraction | None = None
    bench: tuple[Wiring, ...] = ()
    references: tuple[BoardReference, ...] = ()
    levels_v: Mapping[str, float] = msgspec.field(default_factory=dict)


class Observed(msgspec.Struct, frozen=True):
    """What software does again and again, as it was seen to do it, by converter.

    ``inputs`` are channels with their sampling cycles, in the order in which software points there.
    """

    handler_cycles: Mapping[str, int] = msgspec.field(default_factory=dict)
    inputs: Mapping[str, tuple[tuple[int, float], ...]] = msgspec.field(default_factory=dict)
    restarts: Mapping[str, bool] = msgspec.field(default_factory=dict)


ReadCodes = Callable[[int, int, int], tuple[int, ...]]
"""Items in memory: address, how many, bits of each."""


def silicon_project(
    state: SiliconState, around: Surroundings, read_codes: ReadCodes, observed: Observed
) -> Project:
    """The project that does what the registers say.

    Raises
    ------
    RegisterError
        When peripherals are set up against each other in a way that no project could say.
    """
    try:
        return _silicon_project(state, around, read_codes, observed)
    except ModelError as fault:
        raise RegisterError(
            f"Registers are set to what no board could do: {fault.first.text}"
        ) from fault


def _silicon_project(
    state: SiliconState, around: Surroundings, read_codes: ReadCodes, observed: Observed
) -> Project:
    reader = _Reader(state, around, observed)
    chains = [
        reader.chain(converter)
        for converter in sorted(
            around.part.converters, key=lambda one: state.touched.get(one.name, 0)
        )
        if converter.name in state.touched
    ]
    comparators = [
        reader.comparator(item.name)
        for item in around.part.comparators
        if state.flag(item.name, "on", False)
    ]
    outgoing = OutputReader(
        state, around.part, reader.full_scale_v, reader.bus_clock_hz, read_codes, chains
    )
    playing, tables = outgoing.generators()
    routes, more_tables = outgoing.routes(playing)
    fed = {
        route.destination.dac for route in routes if isinstance(route.destination, DacDestination)
    }
    generators = [one for one in playing if one.dac not in fed or isinstance(one.output, Playback)]
    return Project(
        name=around.name,
        part=around.part.id,
        reference=reader.reference,
        references=around.references,
        bus_clock_hz=around.bus_clock_hz,
        signals=tuple(reader.signals.values()),
        chains=tuple(chains),
        comparators=tuple(comparators),
        tables=(*tables, *more_tables),
        generators=tuple(generators),
        pwm=outgoing.pwm(),
        uarts=outgoing.uarts(),
        routes=tuple(routes),
        bench=around.bench,
    )


class _Reader:
    def __init__(self, state: SiliconState, around: Surroundings, observed: Observed) -> None:
        self.state, self.around, self.observed = state, around, observed
        self.signals: dict[str, Signal] = {}
        part = around.part
        self.bus_clock_hz = around.bus_clock_hz or part.processor.clock_hz
        default = around.reference or part.references[0].name
        used = [
            state.text(converter.name, "reference", default)
            for converter in part.converters
            if converter.name in state.touched
        ]
        self.reference = used[0] if used else default
        if len(set(used)) > 1:
            state.notes.append(
                "Converters have different references; all are taken to have the first one's."
            )
        self._wired = {wiring.pin: wiring for wiring in around.bench}
        is_known = part.reference(self.reference) is not None
        self.reference_v = self._voltage(self.reference) if is_known else 0.0

    def _voltage(self, reference: str) -> float:
        around = self.around
        return reference_voltage(around.part, reference, self._wired.get, around.references)

    def full_scale_v(self, dac: Dac) -> float:
        """Voltage of a DAC's reference."""
        chosen = self.state.text(dac.name, "reference", "") if dac.references else ""
        name = reference_of_dac(dac, chosen or None, self.reference)
        return self._voltage(name)

    def chain(self, converter: Converter) -> Chain:
        state, name = self.state, converter.name
        bits = state.number(name, "bits", converter.bits[0])
        retrieval, loop = self._retrieval(converter)
        slots = self._slots(converter, bits)
        return Chain(
            converter=name,
            clock="internal" if state.text(name, "clock", "bus") == "internal" else "bus",
            divider=state.number(name, "divider", converter.dividers[0]),
            bits=bits,
            alignment="left" if state.text(name, "alignment", "right") == "left" else "right",
            trigger=self._trigger(converter),
            per_trigger=state.text(name, "per-trigger", "conversion"),
            readout=retrieval,
            buffer=loop,
            startup=self._order(converter, retrieval),
            calibrate=name in state.calibrated,
            slots=slots,
        )

    def _signal(self, converter: Converter, channel: int) -> str:
        """A signal for a channel; one that leads nowhere floats like its number."""
        pin, negative = _input(converter, channel)
        name = f"{converter.name} {pin}" + (f" − {negative}" if negative else "")
        if name not in self.signals:
            self.signals[name] = Signal(name=name, pin=pin, negative=negative)
        return name

    def _slots(self, converter: Converter, bits: int) -> tuple[Slot, ...]:
        state, name = self.state, converter.name
        first = converter.sampling_cycles[0]
        by = state.registers.counted_by(name, "sampling")
        if name in self.observed.inputs:
            pairs = list(self.observed.inputs[name])
        elif state.has(name, "listed"):
            listed = state.value(name, "listed", frozenset())
            channels = sorted(listed) if isinstance(listed, frozenset) else []
            pairs = [
                (
                    channel,
                    state.clocks(
                        name, "sampling", first, sampling_index(converter, by, place, channel)
                    ),
                )
                for place, channel in enumerate(channels)
            ]
        elif state.registers.counted_by(name, "channel"):
            count = state.number(name, "length", 1)
            listed_channels = [
                channel_of(state, converter, place) for place in range(min(count, converter.slots))
            ]
            pairs = [
                (
                    channel,
                    state.clocks(
                        name, "sampling", first, sampling_index(converter, by, place, channel)
                    ),
                )
                for place, channel in enumerate(listed_channels)
            ]
        else:
            channel = channel_of(state, converter)
            index = sampling_index(converter, by, 0, channel)
            pairs = [(channel, state.clocks(name, "sampling", first, index))]
        slots = []
        for place, (channel, cycles) in enumerate(pairs or [(0, first)]):
            signal = self._signal(converter, channel)
            self._stage(converter, signal, channel, place)
            slots.append(Slot(signal=signal, sampling_cycles=cycles))
        self._windows(converter, bits)
        return tuple(slots)

    def _stage(self, converter: Converter, signal: str, channel: int, place: int) -> None:
        state, name = self.state, converter.name

        def index(what: str) -> int:
            by = state.registers.counted_by(name, what)
            return {"channel": channel, "slot": place}.get(by, 0)

        if (
            place
            and converter.sequence != "software"
            and not state.registers.counted_by(name, "repeats")
        ):
            return  # one accumulator alone is the first slot's

        repeats = state.number(name, "repeats", 1, index("repeats"))
        smooth = state.number(name, "low-pass", 0, index("low-pass"))
        bits = converter.hardware.register_bits
        register_bits = next(one for one in (16, 24, 32) if bits <= one)
        if repeats > 1:
            shift = state.number(name, "shift", 0, index("shift"))
            stage: BlockAverage | LowPassFilter = BlockAverage(
                count=repeats, shift=shift, accumulator_bits=register_bits, done_in="hardware"
            )
        elif smooth:
            stage = LowPassFilter(shift=smooth, accumulator_bits=register_bits, done_in="hardware")
        else:
            return
        self.signals[signal] = self.signals[signal].replaced(filter=stage)

    def _windows(self, converter: Converter, bits: int) -> None:
        """Hardware windows that are set for a channel of the sequence."""
        state, name = self.state, converter.name
        if not state.has(name, "window-on"):
            return
        steps = (1 << bits) - (1 if converter.full_scale == "2^N-1" else 0)
        for index in range(converter.hardware.windows):
            on = state.flag(name, "window-on", False, index)
            set_up = any(state.code(name, what, index) for what in ("window-low", "window-high"))
            signal = self.signals.get(
                self._named(converter, state.number(name, "window-channel", 0, index))
            )
            if signal is None or not (on or set_up):
                continue
            gain = signal.slot_filter.assumed_gain if signal.slot_filter is not None else 1.0
            lsb_v = self.reference_v / steps * (2 if signal.negative else 1) / gain
            low = state.number(name, "window-low", 0, index)
            high = state.number(name, "window-high", 0, index)
            target = state.number(name, "window-target", 0, index)
            window = Threshold(
                name=f"{index}",
                low=Code(low),
                high=Code(high),
                condition=state.text(name, "window-condition", "outside", index),
                input="filtered"
                if state.text(name, "window-judges", "raw", index) == "filtered"
                else "raw",
                minus_v=target * lsb_v if target else None,
                hysteresis_v=state.number(name, "window-hysteresis", 0, index) * lsb_v,
                consecutive=max(1, state.number(name, "window-times", 1, index)),
                on="every-result" if state.flag(name, "window-every", False, index) else "crossing",
                action="stop" if state.flag(name, "window-stops", False, index) else "event",
                done_in="hardware",
                interrupt_enabled=on and state.flag(name, "window-tells", True, index),
                rearm=not state.flag(name, "window-once", False, index),
            )
            self.signals[signal.name] = signal.replaced(thresholds=(*signal.thresholds, window))

    @staticmethod
    def _named(converter: Converter, channel: int) -> str:
        pin, negative = _input(converter, channel)
        return f"{converter.name} {pin}" + (f" − {negative}" if negative else "")

    def _trigger(self, converter: Converter) -> Trigger:
        state, name, part = self.state, converter.name, self.around.part
        source = state.text(name, "trigger", "software")
        if part.timer(source) is not None:
            return timer_trigger(state, source, self.bus_clock_hz)
        if part.comparator(source) is not None:
            return ComparatorTrigger(comparator=source, edge=state.text(name, "edge", "rising"))
        if part.converter(source) is not None and source != name:
            return FollowTrigger(follows=source)
        match source:
            case "free-running":
                return FreeRunningTrigger()
            case "edge":
                pin = state.text(name, "edge-pin", part.pins[0])
                edge = state.text(name, "edge", "rising")
                return EdgeTrigger(pin=pin, edge=edge, level_v=self.around.levels_v.get(pin, 1.65))
            case "threshold":
                watched = [
                    signal
                    for signal in self.signals.values()
                    if signal.thresholds and not signal.name.startswith(name)
                ]
                if watched:
                    return ThresholdTrigger(signal=watched[0].name)
        return SoftwareTrigger(repeat=self.observed.restarts.get(name, False))

    def _retrieval(self, converter: Converter) -> tuple[Retrieval, CircularBuffer]:
        state, name, part = self.state, converter.name, self.around.part
        cycles = self.observed.handler_cycles.get(name, DEFAULT_HANDLER_CYCLES)
        loop = CircularBuffer(name=f"memory of {name}", samples=1 << 16, isr_cycles=cycles)
        match delivery_of(state, name):
            case "dma":
                channel = result_channel(state, name)
                if channel is None:
                    free = next(
                        name
                        for group in part.dma
                        for name in group.names
                        if name not in state.touched
                    )
                    return Dma(channel=free), loop
                width = state.number(channel, "to-width", 16)
                if state.number(channel, "from-width", width) < width:
                    state.notes.append(
                        f"{channel} reads {state.number(channel, 'from-width', 16)} bits and "
                        f"writes {width}."
                    )
                count = state.number(channel, "count", 2)
                return (
                    Dma(
                        channel=channel,
                        circular=state.flag(channel, "repeat", False),
                        increment=state.flag(channel, "to-step", True),
                        # One has no half: whoever wants it reads it.
                        read_period_s=Fraction(1) if count < 2 else None,
                    ),
                    CircularBuffer(
                        name=loop.name, samples=max(1, count), element_bits=width, isr_cycles=cycles
                    ),
                )
            case "fifo":
                mark = min(max(1, state.number(name, "mark", 1)), max(1, converter.fifo_items))
                return Fifo(watermark=mark), loop
            case "conversion" | "scan" as per:
                return Interrupt(per=per), loop
            case _:
                return Polling(), loop

    def _order(self, converter: Converter, retrieval: Retrieval) -> tuple[Step, ...]:
        """Steps of the start-up in the order of the writes that made each happen; what never did
        is left out."""
        state, name = self.state, converter.name
        when = {
            "calibrate": state.calibrations.get(name),
            "converter": state.first.get((name, "on")) if state.is_on(name) else None,
            "window": state.first.get((name, "window-on")),
            "memory": self._memory_write(converter, retrieval),
            "interrupt": self._interrupt_write(converter, retrieval),
            "trigger": self._trigger_write(name),
        }
        known = [(number, cast(Step, step)) for step, number in when.items() if number is not None]
        return tuple(step for _number, step in sorted(known))

    def _memory_write(self, converter: Converter, retrieval: Retrieval) -> int | None:
        """Number of the write that set going the DMA channel which this converter asks."""
        state, channel = self.state, result_channel(self.state, converter.name)
        if not isinstance(retrieval, Dma) or channel is None:
            return None
        asks = state.text(channel, "request", converter.name) == converter.name
        return state.first.get((channel, "on")) if asks and state.is_on(channel) else None

    def _interrupt_write(self, converter: Converter, retrieval: Retrieval) -> int | None:
        """Number of the write that enabled the interrupt of who tells that results are there."""
        state = self.state
        teller: str | None = converter.name
        if isinstance(retrieval, Dma):
            teller = result_channel(state, converter.name)
        if teller is None or isinstance(retrieval, Polling):
            return None
        tells = not isinstance(retrieval, Dma) or any(
            state.flag(teller, mark, True) for mark in ("half", "full")
        )
        enabled = state.registers.line(teller) in state.lines
        return state.first.get((teller, "line")) if tells and enabled else None

    def _trigger_write(self, name: str) -> int | None:
        """Number of the write that lets triggers come."""
        state, part = self.state, self.around.part
        source = state.text(name, "trigger", "software")
        if part.timer(source) is not None:
            return state.first.get((source, "run")) if state.is_on(source, "run") else None
        if part.converter(source) is not None:
            lead = state.text(source, "trigger", "software")
            leads_itself = part.timer(lead) is None
            return state.first.get((source, "start") if leads_itself else (lead, "run"))
        if source in {"software", "free-running"}:
            return state.first.get((name, "start"))
        return state.writes  # it comes from outside, whenever it comes

    def comparator(self, name: str) -> Comparator:
        state = self.state
        part = self.around.part.comparator(name)
        assert part is not None
        pin = state.text(name, "input", part.inputs[0])
        label = f"{name} {pin}"
        self.signals[label] = Signal(name=label, pin=pin)
        against = state.text(name, "against", "internal")
        return Comparator(
            name=name,
            signal=label,
            against=against,
            threshold_v=state.number(name, "step", part.fixed_step or 0)
            * self.reference_v
            / part.steps,
            threshold_pin=state.text(name, "threshold-pin", "") or None
            if against == "pin"
            else None,
            hysteresis_v=float(state.text(name, "hysteresis", "0")) / 1000,
            edge=_edge(state, name),
        )


def _edge(state: SiliconState, comparator: str) -> str:
    """Edges that a comparator tells."""
    if not (state.has(comparator, "tells-rising") or state.has(comparator, "tells-falling")):
        return state.text(comparator, "edge", "both")
    rising = state.flag(comparator, "tells-rising", False)
    falling = state.flag(comparator, "tells-falling", False)
    return "both" if rising == falling else "rising" if rising else "falling"


def _input(converter: Converter, channel: int) -> tuple[str, str | None]:
    """Pin, or pair of pins, or internal channel; one that leads nowhere is taken for the first
    pin's neighbour."""
    for pin, number in converter.channels.items():
        if number == channel:
            return pin, None
    for pair in converter.pairs:
        if pair.channel == channel:
            return pair.positive, pair.negative
    for item in converter.internal:
        if item.channel == channel:
            return item.name, None
    return next(iter(converter.channels)), None
