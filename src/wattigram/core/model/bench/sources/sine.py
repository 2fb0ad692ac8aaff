"""A sine."""

from __future__ import annotations

import math
from collections.abc import Mapping
from fractions import Fraction
from typing import ClassVar, Literal, Self

import numpy as np

from wattigram.core.base.fields import Hertz, Share, Volts, VoltsOrZero
from wattigram.core.contract.board_config import PinDrive
from wattigram.core.contract.shapes import PiecewiseWaveform
from wattigram.core.model.bench.sources.shaped import ShapeSource
from wattigram.core.model.bench.sources.source import (
    Crossing,
    Driven,
    DrivenModel,
    FloatArray,
    Surroundings,
    placed_crossings,
)


class SineSource(DrivenModel):
    """offset + amplitude · sin(2π · frequency · t + 2π · phase)."""

    title: ClassVar[str] = "sine"
    labels: ClassVar[Mapping[str, str]] = {
        "offset_v": "offset",
        "amplitude_v": "amplitude",
        "frequency_hz": "frequency",
        "phase": "phase",
        "noise_v": "noise rms",
    }
    kind: Literal["sine"] = "sine"
    offset_v: Volts
    amplitude_v: VoltsOrZero
    frequency_hz: Hertz
    phase: Share = 0.0
    """Share of a turn at t = 0."""
    noise_v: VoltsOrZero = 0.0

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        return cls(
            offset_v=around.reference_v / 2,
            amplitude_v=around.reference_v / 4,
            frequency_hz="50 Hz",
            noise_v=noise_v,
        )

    def at(self, times_s: FloatArray) -> FloatArray:
        """offset + amplitude · sin(2π · (frequency · t + phase)), (n,) volts."""
        turns = times_s * float(self.frequency_hz) + self.phase
        return self.offset_v + self.amplitude_v * np.sin(2 * math.pi * (turns - np.floor(turns)))

    @property
    def extent_v(self) -> tuple[float, float]:
        """Offset less and plus amplitude."""
        return self.offset_v - self.amplitude_v, self.offset_v + self.amplitude_v

    @property
    def span_s(self) -> float:
        """Three periods."""
        return 3 / float(self.frequency_hz)

    @property
    def slope_v_s(self) -> float:
        """2π · frequency · amplitude."""
        return 2 * math.pi * float(self.frequency_hz) * self.amplitude_v

    def crossings(self, level_v: float) -> tuple[Fraction, tuple[Crossing, ...]] | None:
        """Where the arc sine of the level lies."""
        if abs(level_v - self.offset_v) >= self.amplitude_v:
            return None
        rise = math.asin((level_v - self.offset_v) / self.amplitude_v) / (2 * math.pi)
        return placed_crossings(
            1 / self.frequency_hz, [(rise - self.phase, True), (0.5 - rise - self.phase, False)]
        )

    def filtered(self, poles_s: tuple[float, ...]) -> Driven:
        """Weaker and later: 1 / (1 + jωτ) for each."""
        gain, turns = 1.0, 0.0
        for pole in poles_s:
            angle = 2 * math.pi * float(self.frequency_hz) * pole
            gain /= math.hypot(1.0, angle)
            turns -= math.atan(angle) / (2 * math.pi)
        return self.unchecked(amplitude_v=self.amplitude_v * gain, phase=self.phase + turns)

    def with_mains(self, amplitude_v: float, mains_hz: Fraction) -> Driven:
        """Two sines on a level."""
        flat = np.zeros(1)
        level = PiecewiseWaveform(np.zeros(1), np.array([self.offset_v]), flat, flat, always=True)
        own = (self.amplitude_v, float(self.frequency_hz), self.phase)
        return ShapeSource(level, None, (own, (amplitude_v, float(mains_hz), 0.0)), self.noise_v)

    def drive(self) -> PinDrive:
        """A level with a sine."""
        sine = (self.amplitude_v, float(self.frequency_hz), self.phase)
        return PinDrive(shape="sines", level_v=self.offset_v, sines=(sine,), noise_v=self.noise_v)
