"""Wiring of the bench: for each pin a source, its resistance and a capacitor at the pin."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from wattigram.core.fields import Farads, Hertz, Ohms, Seconds, Share, Strict, Volts, VoltsOrZero
from wattigram.core.part.names import InputName, PinName


class Level(Strict):
    """A fixed voltage; a knob, when it is turned while the board runs."""

    kind: Literal["level"] = "level"
    voltage_v: Volts
    noise_v: VoltsOrZero = 0.0


class Sine(Strict):
    """offset + amplitude · sin(2π · frequency · t + 2π · phase)."""

    kind: Literal["sine"] = "sine"
    offset_v: Volts
    amplitude_v: VoltsOrZero
    frequency_hz: Hertz
    phase: Share = 0.0
    """Share of a turn at t = 0."""
    noise_v: VoltsOrZero = 0.0


class Ramp(Strict):
    """A straight line from ``from_v`` to ``to_v`` and back, each way taking half a period."""

    kind: Literal["ramp"] = "ramp"
    from_v: Volts
    to_v: Volts
    period_s: Seconds
    noise_v: VoltsOrZero = 0.0


class Steps(Strict):
    """Low for the first part of each period, then high for the share ``duty`` of it."""

    kind: Literal["steps"] = "steps"
    low_v: Volts
    high_v: Volts
    period_s: Seconds
    duty: Share = 0.5
    noise_v: VoltsOrZero = 0.0

    @model_validator(mode="after")
    def _plausible(self) -> Self:
        if not 0 < self.duty < 1:
            raise ValueError("duty must lie between 0 % and 100 %. Write 50 % for equal parts.")
        return self


class Floating(Strict):
    """Nothing is connected: mains pick-up on a slowly wandering level."""

    kind: Literal["floating"] = "floating"
    pickup_v: VoltsOrZero = 0.25
    mains_hz: Hertz = Field(default="50 Hz", validate_default=True)
    noise_v: VoltsOrZero = 0.002


class Follow(Strict):
    """The same source as another pin's, through this pin's own resistance."""

    kind: Literal["follow"] = "follow"
    pin: PinName
    noise_v: VoltsOrZero = 0.0


Source = Annotated[Level | Sine | Ramp | Steps | Floating | Follow, Field(discriminator="kind")]
DrivingSource = Level | Sine | Ramp | Steps | Floating
FLOATING_OHM = 10e6


class Wiring(Strict):
    """What one pin is wired to."""

    pin: InputName
    label: Annotated[str, StringConstraints(max_length=60)] = ""
    resistance_ohm: Ohms
    capacitor_f: Farads = 0.0
    source: Source

    @property
    def source_ohm(self) -> float:
        """Resistance that charges the sampling capacitor; a floating pin has only leakage."""
        return max(self.resistance_ohm, FLOATING_OHM) if isinstance(self.source, Floating) else self.resistance_ohm


def resolve_source(wiring: Wiring, bench: Iterable[Wiring]) -> DrivingSource:
    """The source that drives a pin, with ``Follow`` followed once; noise is the pin's own."""
    source = wiring.source
    if not isinstance(source, Follow):
        return source
    followed = next((other.source for other in bench if other.pin == source.pin), None)
    if followed is None or isinstance(followed, Follow):
        return Floating()
    return followed.model_copy(update={"noise_v": source.noise_v or followed.noise_v})
