"""The project: signals, chains, bench and expectations; ``docs/project-format.md`` describes its
file."""

from __future__ import annotations

from fractions import Fraction
from functools import cached_property
from typing import Annotated, Any, Literal, Self

from msgspec import Meta, field

from wattigram.core.base.fields import Hertz, PositiveVolts, Ratio, ShareOrZero
from wattigram.core.base.models import StrictModel
from wattigram.core.model.bench.wiring import Wiring
from wattigram.core.model.design.accepted import AcceptedFinding
from wattigram.core.model.design.expectation import (
    Expectation,
    ReactionExpectation,
    RouteExpectation,
    TextExpectation,
)
from wattigram.core.model.design.outputs import Generator, Playback, PwmOutput, UartSetup, WaveTable
from wattigram.core.model.design.quantity import Quantity
from wattigram.core.model.design.reaction import ConverterAction, Reaction, pointed_pins
from wattigram.core.model.design.reaction_checks import check_reactions
from wattigram.core.model.design.reference_checks import check_outputs
from wattigram.core.model.design.retrieval import CircularBuffer, Interrupt, Reader, Retrieval
from wattigram.core.model.design.route import Route
from wattigram.core.model.design.rows import RowsSetup, SignalColumn
from wattigram.core.model.design.stage import (
    BlockAverage,
    Comparator,
    RedundantPair,
    Stage,
    SumFilter,
    Threshold,
)
from wattigram.core.model.design.trigger import (
    FollowTrigger,
    OwnTrigger,
    SoftwareTrigger,
    ThresholdTrigger,
    Trigger,
)
from wattigram.core.model.field_types import (
    Alignment,
    Flag,
    InputName,
    Name,
    PerTrigger,
    PinName,
    Positive,
    SamplingClocks,
    check_clocks,
)

FORMAT = "wattigram-project"
NEWEST_VERSION = 6

Step = Literal["calibrate", "memory", "interrupt", "window", "converter", "trigger"]
"""Steps of starting up, see :mod:`wattigram.core.predict.timing.startup`."""


class Signal(StrictModel):
    """One named quantity; ``front_end`` is what multiplies it on its way to the pin.

    With ``negative`` the difference of the two pins is converted.
    """

    name: Name
    pin: InputName
    negative: PinName | None = None
    scaling: Ratio = Fraction(1)
    redundant_pair: RedundantPair | None = None
    filter: Stage | None = None
    thresholds: Annotated[tuple[Threshold, ...], Meta(max_length=8)] = ()
    quantity: Quantity | None = None
    column: SignalColumn | None = None

    @property
    def partner(self) -> str | None:
        """The signal that this one is held against."""
        return self.redundant_pair.paired_with if self.redundant_pair is not None else None

    @property
    def stops_chain(self) -> bool:
        """One of its events, those of a redundant pair too, stops the chain."""
        pair = self.redundant_pair
        return any(threshold.action == "stop" for threshold in self.thresholds) or (
            pair is not None and pair.action == "stop"
        )

    @property
    def repeats(self) -> int:
        """Conversions in each of its slots: more than one where the converter itself sums."""
        return self.filter.count if self.slot_filter is not None and self.filter is not None else 1

    @property
    def slot_filter(self) -> SumFilter | BlockAverage | None:
        """The stage that the converter applies within a slot, before memory."""
        stage = self.filter
        return (
            stage
            if isinstance(stage, (SumFilter, BlockAverage)) and stage.done_in == "hardware"
            else None
        )

    @property
    def later_filter(self) -> Stage | None:
        """The stage that comes after memory."""
        return None if self.slot_filter is not None else self.filter

    def at_pin(self, volts: float) -> float:
        """The pin's voltage for a value of the signal."""
        return volts * float(self.scaling)

    def at_source(self, volts: float) -> float:
        """The signal's value for a voltage at the pin."""
        return volts / float(self.scaling)


class Slot(StrictModel):
    """One place in a converter's sequence."""

    signal: Name
    sampling_cycles: SamplingClocks

    def __post_init__(self) -> None:
        check_clocks([self.sampling_cycles], "a sampling time")

    @property
    def sampling(self) -> Fraction:
        """Clocks of the converter for which it is sampled."""
        return Fraction(self.sampling_cycles)


class Chain(StrictModel):
    """One converter's slots with what starts them, how results leave, and where they go."""

    converter: Name
    clock: Literal["bus", "internal"] = "bus"
    divider: Positive
    bits: Annotated[int, Meta(ge=4, le=24)] = 12
    alignment: Alignment = "right"
    calibrate: Flag = True
    trigger: Trigger
    per_trigger: PerTrigger = "scan"
    readout: Retrieval
    buffer: CircularBuffer
    read_as: Reader = field(default_factory=Reader)
    startup: tuple[Step, ...] | None = None
    """The engineer's own order; the right one where it is None."""
    slots: Annotated[tuple[Slot, ...], Meta(min_length=1, max_length=256)]

    def __post_init__(self) -> None:
        if (
            isinstance(self.trigger, SoftwareTrigger)
            and self.trigger.asked
            and self.per_trigger == "continuous"
        ):
            raise ValueError(
                "a converter that goes on for ever is not started each time that it is asked. Let a "
                "trigger start a scan, or let it be started once."
            )

    def places_of(self, signal: str) -> tuple[int, ...]:
        """Positions of a signal among the slots, counted from 0."""
        return tuple(index for index, slot in enumerate(self.slots) if slot.signal == signal)

    @property
    def dma(self) -> str | None:
        """The DMA channel, where one moves the results."""
        return self.readout.channel if self.readout.kind == "dma" else None

    @property
    def read_period_s(self) -> Fraction | None:
        """How often the program reads the newest results, where no interrupt tells of them."""
        return self.readout.read_period_s if self.readout.kind == "dma" else None

    @property
    def results_per_isr(self) -> int:
        """Items that its handler takes at once, 0 where marks of the loop decide."""
        match self.readout:
            case Interrupt(per="scan"):
                return len(self.slots)
            case retrieval if retrieval.kind == "fifo":
                return retrieval.watermark
            case retrieval if retrieval.kind == "dma":
                return 0
            case _:
                return 1


class BoardReference(StrictModel):
    """What a reference of the part really is on this board, measured or as it is fed; what is not stated is as
    the part has it."""

    name: Name
    voltage_v: PositiveVolts | None = None
    tolerance: ShareOrZero | None = None
    """By which ``voltage_v`` may be off."""

    def __post_init__(self) -> None:
        if self.voltage_v is None and self.tolerance is None:
            raise ValueError(
                f"The reference “{self.name}” has neither voltage nor tolerance. State one, or remove it."
            )


class Project(StrictModel, dict=True):
    """A whole project. Faults that the part decides are findings, not errors."""

    format: Literal["wattigram-project"] = "wattigram-project"
    version: Literal[6] = 6
    name: Name
    part: Name
    reference: Name
    references: tuple[BoardReference, ...] = ()
    bus_clock_hz: Hertz | None = None
    bus_clock_tolerance: ShareOrZero | None = None
    """With what the board has, such as a crystal; None for the part's own."""
    signals: tuple[Signal, ...] = ()
    chains: tuple[Chain, ...] = ()
    comparators: tuple[Comparator, ...] = ()
    tables: Annotated[tuple[WaveTable, ...], Meta(max_length=64)] = ()
    generators: tuple[Generator, ...] = ()
    pwm: tuple[PwmOutput, ...] = ()
    uarts: tuple[UartSetup, ...] = ()
    routes: Annotated[tuple[Route, ...], Meta(max_length=16)] = ()
    reactions: Annotated[tuple[Reaction, ...], Meta(max_length=64)] = ()
    bench: tuple[Wiring, ...] = ()
    rows: RowsSetup | None = None
    expectations: tuple[Expectation, ...] = ()
    accepted: Annotated[tuple[AcceptedFinding, ...], Meta(max_length=1000)] = ()

    @cached_property
    def origin_text(self) -> str:
        """The text that it, or the project that it was made from by edits, was read from; "" for none."""
        return ""

    def with_origin(self, text: str) -> Self:
        """This very project, which from now on knows the text that it was read from.

        It is no field: projects are equal whatever their texts are.
        """
        self.__dict__["origin_text"] = text
        return self

    def replaced(self, **updates: Any) -> Self:
        """A copy with some fields replaced, validated as if made anew, of the same origin."""
        copy = super().replaced(**updates)
        return copy.with_origin(self.origin_text)

    def __post_init__(self) -> None:
        names = {signal.name for signal in self.signals}
        self._check_distinct()
        for chain in self.chains:
            self._check_chain(chain, names)
        for signal in self.signals:
            self._check_signal(signal, names)
        self._check_expectations(names)
        for comparator in self.comparators:
            if comparator.signal not in names:
                raise ValueError(
                    f"{comparator.name} watches “{comparator.signal}”, which is no signal here."
                )
        check_outputs(self)
        check_reactions(self)

    def _check_distinct(self) -> None:
        for kind, values in (
            ("signals are", [signal.name for signal in self.signals]),
            ("chains use the converter", [chain.converter for chain in self.chains]),
            ("circular buffers are", [chain.buffer.name for chain in self.chains]),
            ("chains, generators or routes use the DMA channel", self.dma_channels),
            ("tables are", [table.name for table in self.tables]),
            ("generators are", [generator.name for generator in self.generators]),
            ("generators use the DAC", [generator.dac for generator in self.generators]),
            ("PWM outputs are", [pwm.name for pwm in self.pwm]),
            ("PWM outputs use the timer", [pwm.timer for pwm in self.pwm]),
            ("UARTs are", [uart.name for uart in self.uarts]),
            ("routes are", [route.name for route in self.routes]),
            ("reactions are", [reaction.name for reaction in self.reactions]),
            ("comparators are", [comparator.name for comparator in self.comparators]),
            ("references are", [one.name for one in self.references]),
            ("bench entries wire pin", [wiring.pin for wiring in self.bench]),
        ):
            for value in values:
                if values.count(value) > 1:
                    raise ValueError(f"Two {kind} “{value}”. Change one of them.")

    def _check_expectations(self, names: set[str]) -> None:
        routes = {route.name for route in self.routes}
        reactions = {reaction.name for reaction in self.reactions}
        for expectation in self.expectations:
            known, what = names, "signal"
            if isinstance(expectation, RouteExpectation):
                known, what = routes, "route"
            elif isinstance(expectation, (ReactionExpectation, TextExpectation)):
                known, what = reactions, "reaction"
            if expectation.signal not in known:
                raise ValueError(
                    f"An expectation speaks of “{expectation.signal}”, which is no {what} here."
                )

    def _check_signal(self, signal: Signal, names: set[str]) -> None:
        if signal.partner is not None and (
            signal.partner not in names or signal.partner == signal.name
        ):
            raise ValueError(
                f"“{signal.name}” is paired with “{signal.partner}”, which is no other signal here."
            )
        for window in signal.thresholds:
            target = window.minus_signal
            if target is not None and (target not in names or target == signal.name):
                raise ValueError(
                    f"A threshold of “{signal.name}” compares with “{target}”, which is no other "
                    "signal here."
                )

    def _check_chain(self, chain: Chain, names: set[str]) -> None:
        for index, slot in enumerate(chain.slots, start=1):
            if slot.signal not in names:
                raise ValueError(
                    f"{chain.converter}, slot {index}: “{slot.signal}” is no signal here. Add it "
                    "or rename it."
                )
        if chain.buffer.samples < 2 and chain.read_period_s is None:
            raise ValueError(
                f"{chain.buffer.name} of {chain.converter} holds one sample, which has no half. Give it "
                "two or more, or let DMA keep it fresh and the program read it (read_period)."
            )
        if isinstance(chain.trigger, FollowTrigger):
            leader = self.chain(chain.trigger.follows)
            if leader is None or isinstance(leader.trigger, FollowTrigger):
                raise ValueError(
                    f"{chain.converter} follows “{chain.trigger.follows}”, which is no chain with "
                    "a trigger of its own."
                )
        if isinstance(chain.trigger, ThresholdTrigger):
            source = next(
                (signal for signal in self.signals if signal.name == chain.trigger.signal), None
            )
            if (
                source is None
                or chain.places_of(source.name)
                or len(source.thresholds) < chain.trigger.threshold
            ):
                raise ValueError(
                    f"{chain.converter} is started by threshold {chain.trigger.threshold} of "
                    f"“{chain.trigger.signal}”: that "
                    "must be a threshold of another chain's signal."
                )

    def signal(self, name: str) -> Signal:
        """The signal of that name; every name in a project is known to exist."""
        return self._signals_by_name[name]

    def chain(self, converter: str) -> Chain | None:
        """The chain on that converter."""
        return next((chain for chain in self.chains if chain.converter == converter), None)

    def chain_of(self, signal: str) -> Chain | None:
        """The first chain that converts the signal."""
        return self._chains_by_signal.get(signal)

    @cached_property
    def _signals_by_name(self) -> dict[str, Signal]:
        return {signal.name: signal for signal in self.signals}

    @cached_property
    def _chains_by_signal(self) -> dict[str, Chain]:
        return {slot.signal: chain for chain in reversed(self.chains) for slot in chain.slots}

    @property
    def dma_channels(self) -> list[str]:
        """DMA channels that are used, each as often as it is."""
        channels = [chain.dma for chain in self.chains if chain.dma]
        channels += [
            generator.output.channel
            for generator in self.generators
            if isinstance(generator.output, Playback)
        ]
        return channels + [route.channel for route in self.routes]

    def table(self, name: str) -> WaveTable | None:
        """The table of that name."""
        return next((table for table in self.tables if table.name == name), None)

    def generator(self, name: str) -> Generator | None:
        """The generator of that name."""
        return next((generator for generator in self.generators if generator.name == name), None)

    def pwm_output(self, name: str) -> PwmOutput | None:
        """The PWM output of that name."""
        return next((pwm for pwm in self.pwm if pwm.name == name), None)

    def uart(self, name: str) -> UartSetup | None:
        """The UART of that name."""
        return next((uart for uart in self.uarts if uart.name == name), None)

    def route(self, name: str) -> Route | None:
        """The route of that name."""
        return next((route for route in self.routes if route.name == name), None)

    def reaction(self, name: str) -> Reaction | None:
        """The reaction of that name."""
        return next((reaction for reaction in self.reactions if reaction.name == name), None)

    def comparator(self, name: str) -> Comparator | None:
        """The comparator of that name."""
        return next(
            (comparator for comparator in self.comparators if comparator.name == name), None
        )

    def wired(self, pin: str) -> Wiring | None:
        """What the bench wires to a pin."""
        return next((wiring for wiring in self.bench if wiring.pin == pin), None)

    def signals_of(self, chain: Chain) -> tuple[Signal, ...]:
        """The signals that a chain converts, each once, in the order of their first slots."""
        names = dict.fromkeys(slot.signal for slot in chain.slots)
        return tuple(self.signal(name) for name in names)

    @property
    def does_anything(self) -> bool:
        """Something is converted, comes out, or is done by the program."""
        return bool(self.chains or self.routes or self.generators or self.pwm or self.reactions)

    def is_stopped_by_events(self, chain: Chain) -> bool:
        """An event of one of its signals, or a reaction, stops the chain."""
        return self.is_controlled(chain) or any(
            signal.stops_chain for signal in self.signals_of(chain)
        )

    def is_controlled(self, chain: Chain) -> bool:
        """A reaction stops the chain, or starts it again."""
        return any(
            isinstance(one.do, ConverterAction) and one.do.converter == chain.converter
            for one in self.reactions
        )

    def is_pointed(self, chain: Chain) -> bool:
        """A reaction points slots of the chain to other inputs."""
        return any(pointed_pins(self.reactions, slot.signal) for slot in chain.slots)

    def is_rearmed(self, chain: Chain) -> bool:
        """A reaction lets the chain fill its buffer once more."""
        return any(
            isinstance(one.do, ConverterAction)
            and one.do.converter == chain.converter
            and one.do.action == "rearm"
            for one in self.reactions
        )

    def starters_of(self, chain: Chain) -> tuple[Reaction, ...]:
        """Reactions that start the chain."""
        return tuple(
            one
            for one in self.reactions
            if isinstance(one.do, ConverterAction)
            and one.do.converter == chain.converter
            and one.do.action == "start"
        )

    def own_trigger(self, chain: Chain) -> OwnTrigger:
        """What starts the chain: its own trigger, or its leader's."""
        if not isinstance(chain.trigger, FollowTrigger):
            return chain.trigger
        leader = self.chain(chain.trigger.follows)
        assert leader is not None
        assert not isinstance(leader.trigger, FollowTrigger)
        return leader.trigger
