"""What one pin is wired to, and what stands between."""

from __future__ import annotations

import math
from collections.abc import Iterable
from fractions import Fraction
from typing import Annotated

from msgspec import Meta

from wattigram.core.base.fields import (
    Farads,
    Hertz,
    NoiseDensity,
    Ohms,
    ShareOrZero,
    VoltsOrZero,
)
from wattigram.core.base.models import StrictModel
from wattigram.core.model.bench.sources import FloatingInput, PairedSource, Source, Supply
from wattigram.core.model.field_types import InputName, PinName

FLOATING_OHM = 10e6


class Wiring(StrictModel):
    """What one pin is wired to, and what stands between: resistance, capacitor, an amplifier's
    bandwidth.

    ``swapped_with`` is a fault put in on purpose: the board has the wires of the two pins
    exchanged, and the
    expectation does not know.
    """

    pin: InputName
    label: Annotated[str, Meta(max_length=60)] = ""
    source_resistance_ohm: Ohms
    tolerance: ShareOrZero = 0.0
    """By which its voltage may be off, such as that of a divider's resistors."""
    capacitor_f: Farads = 0.0
    bandwidth_hz: Hertz | None = None
    noise_density: NoiseDensity = 0.0
    """White noise of source and amplifier, up to the bandwidth that is left of it."""
    hum_v: VoltsOrZero = 0.0
    """Amplitude of mains that the wire picks up."""
    mains_hz: Hertz = Fraction(50)
    swapped_with: PinName | None = None
    source: Source

    @property
    def source_ohm(self) -> float:
        """Resistance that charges the sampling capacitor; a floating pin has only leakage."""
        return (
            max(self.source_resistance_ohm, FLOATING_OHM)
            if isinstance(self.source, FloatingInput)
            else self.source_resistance_ohm
        )

    def metered(self, volts: float) -> Wiring:
        """With a meter's reading, which makes of anything else a bench supply."""
        source = self.source
        if not isinstance(source, Supply):
            source = Supply(voltage_v=round(volts, 3), noise_v=source.noise_v)
        return self.replaced(source=source.replaced(meter_v=round(volts, 6)))

    @property
    def poles_s(self) -> tuple[float, ...]:
        """Time constants of the low-passes on the way: resistance and capacitor, and the
        amplifier."""
        time_constants_s = (
            [self.source_resistance_ohm * self.capacitor_f]
            if not isinstance(self.source, FloatingInput)
            else []
        )
        if self.bandwidth_hz is not None:
            time_constants_s.append(1 / (2 * math.pi * float(self.bandwidth_hz)))
        return tuple(pole for pole in time_constants_s if pole > 0)


def swapped_partner(bench: Iterable[Wiring], pin: str) -> str | None:
    """The pin whose wire a pin has instead of its own; an exchange is of two wires, whichever of
    them says so."""
    for wiring in bench:
        if wiring.pin == pin and wiring.swapped_with is not None:
            return wiring.swapped_with
    return next((wiring.pin for wiring in bench if wiring.swapped_with == pin), None)


def resolve_source(wiring: Wiring, bench: Iterable[Wiring]) -> Source:
    """The source behind a wiring, with ``Follow`` followed once; noise is the pin's own."""
    source = wiring.source
    if not isinstance(source, PairedSource):
        return source
    other = next((other.source for other in bench if other.pin == source.pin), None)
    if other is None or isinstance(other, PairedSource):
        return FloatingInput()
    return other.unchecked(noise_v=source.noise_v or other.noise_v)
