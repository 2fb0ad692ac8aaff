"""A sine whose frequency goes from one to another."""

from __future__ import annotations

import math
from collections.abc import Mapping
from fractions import Fraction
from typing import ClassVar, Literal, Self

import numpy as np

from wattigram.core.base.fields import Hertz, Seconds, Volts, VoltsOrZero
from wattigram.core.contract.board_config import PinDrive
from wattigram.core.model.bench.sources.source import (
    Crossing,
    DrivenModel,
    FloatArray,
    Surroundings,
)


class SweptSource(DrivenModel):
    """A sine whose frequency goes evenly from one to another, again and again."""

    title: ClassVar[str] = "swept sine"
    labels: ClassVar[Mapping[str, str]] = {
        "offset_v": "offset",
        "amplitude_v": "amplitude",
        "from_hz": "from",
        "to_hz": "to",
        "lasting_s": "sweep time",
        "noise_v": "noise rms",
    }
    kind: Literal["swept-sine"] = "swept-sine"
    offset_v: Volts
    amplitude_v: VoltsOrZero
    from_hz: Hertz
    to_hz: Hertz
    lasting_s: Seconds
    noise_v: VoltsOrZero = 0.0

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        return cls(
            offset_v=around.reference_v / 2,
            amplitude_v=around.reference_v / 4,
            from_hz="10 Hz",
            to_hz="500 Hz",
            lasting_s="2 s",
            noise_v=noise_v,
        )

    def at(self, times_s: FloatArray) -> FloatArray:
        """The phase is the frequency's integral, (n,) volts."""
        lasting_s, first_hz = float(self.lasting_s), float(self.from_hz)
        into = np.mod(times_s, lasting_s)
        swept = first_hz * into + (float(self.to_hz) - first_hz) * into**2 / (2 * lasting_s)
        return np.asarray(
            self.offset_v + self.amplitude_v * np.sin(2 * math.pi * np.mod(swept, 1.0))
        )

    @property
    def extent_v(self) -> tuple[float, float]:
        """Offset less and plus amplitude."""
        return self.offset_v - self.amplitude_v, self.offset_v + self.amplitude_v

    @property
    def span_s(self) -> float:
        """One sweep."""
        return float(self.lasting_s)

    @property
    def slope_v_s(self) -> float:
        """That of the highest frequency."""
        return 2 * math.pi * float(max(self.from_hz, self.to_hz)) * self.amplitude_v

    def crossings(self, level_v: float) -> tuple[Fraction, tuple[Crossing, ...]] | None:
        """None that come evenly."""
        return None

    def drive(self) -> PinDrive:
        """A sweep."""
        return PinDrive(
            shape="sweep",
            level_v=self.offset_v,
            high_v=self.amplitude_v,
            frequency_hz=float(self.from_hz),
            to_hz=float(self.to_hz),
            lasting_s=float(self.lasting_s),
            noise_v=self.noise_v,
        )
