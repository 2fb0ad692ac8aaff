"""A strain bridge with its amplifier."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Annotated, ClassVar, Literal, Self

from msgspec import Meta

from wattigram.core.base.fields import Seconds, Share, Volts, VoltsOrZero
from wattigram.core.model.bench.sources.shaped import straight_lines
from wattigram.core.model.bench.sources.source import Driven, SourceModel, Surroundings


class Bridge(SourceModel):
    """A strain bridge with its amplifier: offset + gain · excitation · sensitivity · load.

    The load goes between two shares of its nominal value and back within a period.
    """

    title: ClassVar[str] = "strain bridge"
    labels: ClassVar[Mapping[str, str]] = {
        "excitation_v": "excitation",
        "sensitivity": "at full load, of it",
        "gain": "amplified",
        "offset_v": "offset",
        "from_load": "load from",
        "to_load": "load to",
        "period_s": "period",
        "noise_v": "noise rms",
    }
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

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        return cls(excitation_v=around.supply_v, noise_v=noise_v)

    def opened(self, around: Surroundings) -> Driven:
        low_v, high_v = self.voltage_at(self.from_load), self.voltage_at(self.to_load)
        return straight_lines([0.0, 0.5, 1.0], [low_v, high_v, low_v], self.period_s, self.noise_v)
