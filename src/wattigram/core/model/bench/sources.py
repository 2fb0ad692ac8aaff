"""Wiring of the bench: for each pin a source, its resistance and a capacitor at the pin."""

from __future__ import annotations

import math
from collections.abc import Iterable
from fractions import Fraction
from typing import Annotated, Literal

from msgspec import Meta

from wattigram.core.base.fields import (
    Celsius,
    Every,
    Farads,
    Hertz,
    NoiseDensity,
    Ohms,
    Seconds,
    Share,
    Volts,
    VoltsOrZero,
)
from wattigram.core.base.models import StrictModel
from wattigram.core.contract.shapes import Shape
from wattigram.core.model.field_types import Flag, InputName, PinName


class DcSource(StrictModel):
    """A fixed voltage; a knob, when it is turned while the board runs."""

    kind: Literal["dc"] = "dc"
    voltage_v: Volts
    noise_v: VoltsOrZero = 0.0


class SineSource(StrictModel):
    """offset + amplitude · sin(2π · frequency · t + 2π · phase)."""

    kind: Literal["sine"] = "sine"
    offset_v: Volts
    amplitude_v: VoltsOrZero
    frequency_hz: Hertz
    phase: Share = 0.0
    """Share of a turn at t = 0."""
    noise_v: VoltsOrZero = 0.0


class TriangleSource(StrictModel):
    """A straight line from ``from_v`` to ``to_v`` and back, each way taking half a period."""

    kind: Literal["triangle"] = "triangle"
    from_v: Volts
    to_v: Volts
    period_s: Seconds
    noise_v: VoltsOrZero = 0.0


class SquareSource(StrictModel):
    """Low for the first part of each period, then high for the share ``duty`` of it."""

    kind: Literal["square"] = "square"
    low_v: Volts
    high_v: Volts
    period_s: Seconds
    duty: Share = 0.5
    noise_v: VoltsOrZero = 0.0

    def __post_init__(self) -> None:
        if not 0 < self.duty < 1:
            raise ValueError("duty must lie between 0 % and 100 %. Write 50 % for equal parts.")


class FloatingInput(StrictModel):
    """Nothing is connected: mains pick-up on a slowly wandering level."""

    kind: Literal["floating"] = "floating"
    hum_v: VoltsOrZero = 0.25
    mains_hz: Hertz = Fraction(50)
    noise_v: VoltsOrZero = 0.002


class PairedSource(StrictModel):
    """The same source as another pin's, through this pin's own resistance."""

    kind: Literal["follow"] = "follow"
    pin: PinName
    noise_v: VoltsOrZero = 0.0


class TiedInput(StrictModel):
    """A wire to something whose voltage is known: ground, the reference, the supply, or half of
    it."""

    kind: Literal["tied"] = "tied"
    to: Literal["ground", "reference", "supply", "half"] = "ground"
    noise_v: VoltsOrZero = 0.0


class Switch(StrictModel):
    """A switch to ``closed_v``; a resistor pulls to ``open_v`` while it is open."""

    kind: Literal["switch"] = "switch"
    is_closed: Flag = False
    open_v: Volts = 3.3
    closed_v: Volts = 0.0
    noise_v: VoltsOrZero = 0.0


class Battery(StrictModel):
    """A battery that a load pulls down by ``sag_v`` for a share of each period, with a time
    constant."""

    kind: Literal["battery"] = "battery"
    voltage_v: Volts
    drop_v: VoltsOrZero = 0.0
    period_s: Seconds = Fraction(1)
    loaded: Share = 0.25
    recovery_s: Seconds = Fraction(3, 100)
    noise_v: VoltsOrZero = 0.0

    def __post_init__(self) -> None:
        if not 0 < self.loaded < 1:
            raise ValueError("loaded must lie between 0 % and 100 %.")


class Supply(StrictModel):
    """A bench supply set to a voltage; the reading of a meter, once typed in, counts for more."""

    kind: Literal["supply"] = "supply"
    voltage_v: Volts
    meter_v: Volts | None = None
    noise_v: VoltsOrZero = 0.0


class SignalGenerator(StrictModel):
    """A generator with any shape; a recorded file is one of them."""

    kind: Literal["generator"] = "generator"
    shape: Shape
    amplitude_v: VoltsOrZero = 1.0
    offset_v: Volts = 0.0
    frequency_hz: Hertz
    phase: Share = 0.0
    noise_v: VoltsOrZero = 0.0


class SweptSource(StrictModel):
    """A sine whose frequency goes evenly from one to another, again and again."""

    kind: Literal["swept-sine"] = "swept-sine"
    offset_v: Volts
    amplitude_v: VoltsOrZero
    from_hz: Hertz
    to_hz: Hertz
    lasting_s: Seconds
    noise_v: VoltsOrZero = 0.0


class Thermistor(StrictModel):
    """An NTC to ground under a resistor to ``supply_v``; R = R25 · exp(B · (1/T − 1/298.15 K)).

    The temperature goes from one to the other and back within a period.
    """

    kind: Literal["thermistor"] = "thermistor"
    r25_ohm: Ohms = 10e3
    beta_kelvin: Annotated[float, Meta(gt=0, le=20_000)] = 3435.0
    pull_up_ohm: Ohms = 10e3
    supply_v: Volts = 3.3
    from_degc: Celsius = 20.0
    to_degc: Celsius = 80.0
    period_s: Seconds = Fraction(10)
    noise_v: VoltsOrZero = 0.0

    def __post_init__(self) -> None:
        if (
            min(self.from_degc, self.to_degc) <= -273.15
            or self.r25_ohm <= 0
            or self.pull_up_ohm <= 0
        ):
            raise ValueError(
                "a temperature at absolute zero, or a resistance of 0 Ω. Write real ones."
            )

    def voltage_at(self, degc: float) -> float:
        """Of the divider at a temperature."""
        ohm = self.r25_ohm * math.exp(
            min(600.0, self.beta_kelvin * (1 / (degc + 273.15) - 1 / 298.15))
        )
        return self.supply_v * ohm / (ohm + self.pull_up_ohm)


class Bridge(StrictModel):
    """A strain bridge with its amplifier: offset + gain · excitation · sensitivity · load.

    The load goes between two shares of its nominal value and back within a period.
    """

    kind: Literal["bridge"] = "bridge"
    excitation_v: Volts = 3.3
    sensitivity: Share = 0.002
    """Output at nominal load as a share of the excitation; 2 mV/V is 0.2 %."""
    gain: Annotated[float, Meta(gt=0, le=1e6)] = 200.0
    offset_v: Volts = 0.5
    from_load: Share = 0.0
    to_load: Share = 1.0
    period_s: Seconds = Fraction(4)
    noise_v: VoltsOrZero = 0.0

    def voltage_at(self, load: float) -> float:
        """Of the amplifier at a share of the nominal load."""
        return self.offset_v + self.gain * self.excitation_v * self.sensitivity * load


class Jumper(StrictModel):
    """A wire from one of the board's own outputs, by its pin; resistance and capacitor filter
    it."""

    kind: Literal["jumper"] = "jumper"
    pin: PinName
    noise_v: VoltsOrZero = 0.0


class SerialSource(StrictModel):
    """Another board that sends a value over a wire: ``bits`` of it, from 0 to full, every so often.

    The value goes from one share of full scale to another and back within a period.
    """

    kind: Literal["serial"] = "serial"
    baud: Annotated[int, Meta(ge=50, le=20_000_000)] = 115_200
    interval_s: Every
    bits: Annotated[int, Meta(ge=4, le=16)] = 8
    endianness: Literal["little-endian", "big-endian"] = "little-endian"
    from_level: Share = 0.0
    to_level: Share = 1.0
    period_s: Seconds = Fraction(2)
    noise_v: VoltsOrZero = 0.0

    @property
    def bytes_each(self) -> int:
        """Bytes of a value."""
        return 1 if self.bits <= 8 else 2


Source = (
    DcSource
    | SineSource
    | TriangleSource
    | SquareSource
    | FloatingInput
    | PairedSource
    | TiedInput
    | Switch
    | Battery
    | Supply
    | SignalGenerator
    | SweptSource
    | Thermistor
    | Bridge
    | Jumper
    | SerialSource
)
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
        found = (
            [self.source_resistance_ohm * self.capacitor_f]
            if not isinstance(self.source, FloatingInput)
            else []
        )
        if self.bandwidth_hz is not None:
            found.append(1 / (2 * math.pi * float(self.bandwidth_hz)))
        return tuple(pole for pole in found if pole > 0)


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
