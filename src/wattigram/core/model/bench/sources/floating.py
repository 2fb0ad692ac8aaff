"""A pin with nothing at it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from fractions import Fraction
from typing import ClassVar, Literal, Self

import numpy as np

from wattigram.core.base.fields import Hertz, VoltsOrZero
from wattigram.core.contract.board_config import PinDrive
from wattigram.core.model.bench.sources.source import (
    Crossing,
    DrivenModel,
    FloatArray,
    Surroundings,
)

WANDER_HZ = (0.13, 0.31)
"""Two slow sines make the wandering level of a floating pin; the virtual board has the same."""
WANDER_V = 0.3
CENTRE_V = 0.9


class FloatingInput(DrivenModel):
    """Nothing is connected: mains pick-up on a slowly wandering level."""

    title: ClassVar[str] = "floating"
    labels: ClassVar[Mapping[str, str]] = {
        "hum_v": "mains hum",
        "mains_hz": "mains",
        "noise_v": "noise rms",
    }
    kind: Literal["floating"] = "floating"
    hum_v: VoltsOrZero = 0.25
    mains_hz: Hertz = Fraction(50)
    noise_v: VoltsOrZero = 0.002

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        return cls()

    def at(self, times_s: FloatArray) -> FloatArray:
        """Mains on a wandering level, (n,) volts."""
        wander = sum(np.sin(2 * math.pi * rate * times_s) for rate in WANDER_HZ)
        mains = np.sin(2 * math.pi * float(self.mains_hz) * times_s)
        return np.asarray(CENTRE_V + WANDER_V * wander + self.hum_v * mains)

    @property
    def extent_v(self) -> tuple[float, float]:
        """All sines at their ends at once."""
        reach = len(WANDER_HZ) * WANDER_V + self.hum_v
        return CENTRE_V - reach, CENTRE_V + reach

    @property
    def span_s(self) -> float:
        """Some periods of mains."""
        return 0.1

    @property
    def slope_v_s(self) -> float:
        """All sines at their steepest at once."""
        slow = 2 * math.pi * sum(WANDER_HZ) * WANDER_V
        return slow + 2 * math.pi * float(self.mains_hz) * self.hum_v

    def crossings(self, level_v: float) -> tuple[Fraction, tuple[Crossing, ...]] | None:
        """None that could be relied on."""
        return None

    def drive(self) -> PinDrive:
        """A level with three sines."""
        wander = tuple((WANDER_V, rate, 0.0) for rate in WANDER_HZ)
        mains = (self.hum_v, float(self.mains_hz), 0.0)
        return PinDrive(
            shape="sines", level_v=CENTRE_V, sines=(*wander, mains), noise_v=self.noise_v
        )
