"""The project: signals, chains, bench and expectations; ``docs/project-format.md`` describes its file."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from wattigram.core.bench.model import Wiring
from wattigram.core.design.expectation import Expectation
from wattigram.core.fields import Every, Hertz, Ratio, Strict, Volts, VoltsOrZero
from wattigram.core.part.model import Name, PinName, Positive

FORMAT = "wattigram-project"
NEWEST_VERSION = 2

Condition = Literal["outside", "inside", "above", "below"]


class Mean(Strict):
    """Block mean: ``count`` samples summed in a register of ``register_bits``, then shifted right."""

    kind: Literal["mean"] = "mean"
    count: Annotated[int, Field(strict=True, ge=2, le=65536)]
    shift: Annotated[int, Field(strict=True, ge=0, le=31)]
    register_bits: Literal[16, 24, 32] = 32

    @property
    def divisor_ratio(self) -> Fraction:
        """What a true mean is multiplied by: count / 2^shift."""
        return Fraction(self.count, 1 << self.shift)


class Window(Strict):
    """Threshold window in the signal's own volts; ``on`` says which stream is compared."""

    low_v: Volts
    high_v: Volts
    condition: Condition = "outside"
    on: Literal["raw", "reduced"] = "reduced"
    hysteresis_v: VoltsOrZero = 0.0


class Signal(Strict):
    """One named quantity; ``front_end`` is what multiplies it on its way to the pin."""

    name: Name
    pin: PinName
    front_end: Ratio = Field(default=Fraction(1))
    twin_of: Name | None = None
    reduce: Mean | None = None
    window: Window | None = None

    def at_pin(self, volts: float) -> float:
        """The pin's voltage for a value of the signal."""
        return volts * float(self.front_end)

    def at_source(self, volts: float) -> float:
        """The signal's value for a voltage at the pin."""
        return volts / float(self.front_end)


class Slot(Strict):
    """One place in a converter's sequence."""

    signal: Name
    sampling_cycles: Positive


class TimerTrigger(Strict):
    """A timer starts every cycle."""

    timer: Name
    every: Every


class FollowTrigger(Strict):
    """The cycle starts with another converter's, by the same trigger."""

    follows: Name


class Loop(Strict):
    """The buffer that DMA fills, and the processor cycles of the handler at each mark."""

    name: Name
    dma: Name
    items: Annotated[int, Field(strict=True, ge=2, le=1 << 24)]
    width_bits: Literal[8, 16, 32] = 16
    handler_cycles: Annotated[int, Field(strict=True, ge=0, le=10**9)] = 2000


class Chain(Strict):
    """One converter's slots with what starts them and where the results go."""

    converter: Name
    divider: Positive
    bits: Annotated[int, Field(strict=True, ge=4, le=24)] = 12
    alignment: Literal["right", "left"] = "right"
    calibrate: Annotated[bool, Field(strict=True)] = True
    trigger: TimerTrigger | FollowTrigger
    loop: Loop
    slots: Annotated[tuple[Slot, ...], Field(min_length=1, max_length=256)]

    def places_of(self, signal: str) -> tuple[int, ...]:
        """Positions of a signal among the slots, counted from 0."""
        return tuple(index for index, slot in enumerate(self.slots) if slot.signal == signal)


class Project(Strict):
    """A whole project. Faults that the part decides are findings, not errors."""

    format: Literal["wattigram-project"] = "wattigram-project"
    version: Literal[2] = 2
    name: Name
    part: Name
    reference: Name
    bus_clock_hz: Hertz | None = None
    signals: tuple[Signal, ...] = ()
    chains: tuple[Chain, ...] = ()
    bench: tuple[Wiring, ...] = ()
    expectations: tuple[Expectation, ...] = ()

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        names = [signal.name for signal in self.signals]
        for kind, values in (
            ("signals are", names),
            ("chains use the converter", [chain.converter for chain in self.chains]),
            ("loops are", [chain.loop.name for chain in self.chains]),
            ("loops use", [chain.loop.dma for chain in self.chains]),
            ("bench entries wire pin", [wiring.pin for wiring in self.bench]),
        ):
            for value in values:
                if values.count(value) > 1:
                    raise ValueError(f"Two {kind} “{value}”. Change one of them.")
        for chain in self.chains:
            self._check_chain(chain, names)
        for signal in self.signals:
            if signal.twin_of is not None and (signal.twin_of not in names or signal.twin_of == signal.name):
                raise ValueError(f"“{signal.name}” is a twin of “{signal.twin_of}”, which is no other signal here.")
        for expectation in self.expectations:
            if expectation.signal not in names:
                raise ValueError(f"An expectation speaks of “{expectation.signal}”, which is no signal here.")
        return self

    def _check_chain(self, chain: Chain, names: list[str]) -> None:
        for index, slot in enumerate(chain.slots, start=1):
            if slot.signal not in names:
                raise ValueError(
                    f"{chain.converter}, slot {index}: “{slot.signal}” is no signal here. Add it or rename it."
                )
        if isinstance(chain.trigger, FollowTrigger):
            leader = self.chain(chain.trigger.follows)
            if leader is None or isinstance(leader.trigger, FollowTrigger):
                raise ValueError(
                    f"{chain.converter} follows “{chain.trigger.follows}”, which is no chain with a timer of its own."
                )

    def signal(self, name: str) -> Signal:
        """The signal of that name; every name in a project is known to exist."""
        return next(signal for signal in self.signals if signal.name == name)

    def chain(self, converter: str) -> Chain | None:
        """The chain on that converter."""
        return next((chain for chain in self.chains if chain.converter == converter), None)

    def chain_of(self, signal: str) -> Chain | None:
        """The first chain that converts the signal."""
        return next((chain for chain in self.chains if chain.places_of(signal)), None)

    def wiring(self, pin: str) -> Wiring | None:
        """What is wired to the pin."""
        return next((wiring for wiring in self.bench if wiring.pin == pin), None)

    def timer_trigger(self, chain: Chain) -> TimerTrigger:
        """The timer that starts the chain, its own or its leader's."""
        if isinstance(chain.trigger, TimerTrigger):
            return chain.trigger
        leader = self.chain(chain.trigger.follows)
        assert leader is not None
        assert isinstance(leader.trigger, TimerTrigger)
        return leader.trigger
