"""A straight line there and back."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import ClassVar, Literal, Self

import numpy as np

from wattigram.core.base.fields import Seconds, Volts, VoltsOrZero
from wattigram.core.contract.board_config import PinDrive
from wattigram.core.model.bench.sources.shaped import CorneredModel, ShapeSource, straight_lines
from wattigram.core.model.bench.sources.source import (
    Crossing,
    FloatArray,
    Surroundings,
    placed_crossings,
)


class TriangleSource(CorneredModel):
    """A straight line from ``from_v`` to ``to_v`` and back, each way taking half a period."""

    title: ClassVar[str] = "triangle"
    labels: ClassVar[Mapping[str, str]] = {
        "from_v": "from",
        "to_v": "to",
        "period_s": "period",
        "noise_v": "noise rms",
    }
    kind: Literal["triangle"] = "triangle"
    from_v: Volts
    to_v: Volts
    period_s: Seconds
    noise_v: VoltsOrZero = 0.0

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        full_v = around.reference_v
        return cls(from_v=full_v / 4, to_v=full_v * 3 / 4, period_s="2 s", noise_v=noise_v)

    def at(self, times_s: FloatArray) -> FloatArray:
        """The line's height, (n,) volts."""
        turns = times_s / float(self.period_s)
        triangle = 1 - np.abs(1 - 2 * (turns - np.floor(turns)))
        return self.from_v + (self.to_v - self.from_v) * triangle

    @property
    def extent_v(self) -> tuple[float, float]:
        """Its two ends."""
        return min(self.from_v, self.to_v), max(self.from_v, self.to_v)

    @property
    def slope_v_s(self) -> float:
        """Twice the way in each period."""
        return 2 * abs(self.to_v - self.from_v) / float(self.period_s)

    def crossings(self, level_v: float) -> tuple[Fraction, tuple[Crossing, ...]] | None:
        """Once on the way there and once on the way back."""
        low_v, high_v = self.extent_v
        if not low_v < level_v < high_v:
            return None
        place = (level_v - self.from_v) / (self.to_v - self.from_v) / 2
        up = self.to_v > self.from_v
        return placed_crossings(self.period_s, [(place, up), (1 - place, not up)])

    @property
    def shaped(self) -> ShapeSource:
        """As pieces of straight lines."""
        corners = [self.from_v, self.to_v, self.from_v]
        return straight_lines([0.0, 0.5, 1.0], corners, self.period_s, self.noise_v)

    def drive(self) -> PinDrive:
        """A triangle between its two ends."""
        return PinDrive(
            shape="triangle",
            level_v=self.from_v,
            high_v=self.to_v,
            frequency_hz=float(1 / self.period_s),
            noise_v=self.noise_v,
        )
