"""A battery with a load."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import ClassVar, Literal, Self

import numpy as np

from wattigram.core.base.fields import Seconds, Share, Volts, VoltsOrZero
from wattigram.core.contract.shapes import PiecewiseWaveform
from wattigram.core.model.bench.sources.shaped import ShapeSource
from wattigram.core.model.bench.sources.source import Driven, SourceModel, Surroundings


class Battery(SourceModel):
    """A battery that a load pulls down by ``sag_v`` for a share of each period, with a time
    constant."""

    title: ClassVar[str] = "battery with a load"
    labels: ClassVar[Mapping[str, str]] = {
        "voltage_v": "voltage",
        "drop_v": "drop under load",
        "period_s": "period",
        "loaded": "loaded for",
        "recovery_s": "recovers in",
        "noise_v": "noise rms",
    }
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

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        full_v = around.reference_v
        return cls(voltage_v=full_v * 0.8, drop_v=full_v * 0.2, noise_v=noise_v)

    def opened(self, around: Surroundings) -> Driven:
        """The load is there for the last share of each period; both ways take the time constant."""
        period_s = float(self.period_s)
        free_s = period_s * (1 - self.loaded)
        levels = np.array([self.voltage_v, self.voltage_v - self.drop_v])
        flat = PiecewiseWaveform(
            np.array([0.0, free_s]), levels, np.zeros(2), np.zeros(2), 0.0, period_s, always=True
        )
        return ShapeSource(
            flat.filtered(float(self.recovery_s)), self.period_s, noise_v=self.noise_v
        )
