"""Two levels in turn."""

from __future__ import annotations

import math
from collections.abc import Mapping
from fractions import Fraction
from typing import ClassVar, Literal, Self

import numpy as np

from wattigram.core.base.fields import Seconds, Share, Volts, VoltsOrZero
from wattigram.core.contract.board_config import PinDrive
from wattigram.core.model.bench.sources.shaped import CorneredModel, ShapeSource, straight_lines
from wattigram.core.model.bench.sources.source import (
    Crossing,
    FloatArray,
    Surroundings,
    placed_crossings,
)


class SquareSource(CorneredModel):
    """Low for the first part of each period, then high for the share ``duty`` of it."""

    title: ClassVar[str] = "square"
    labels: ClassVar[Mapping[str, str]] = {
        "low_v": "low",
        "high_v": "high",
        "period_s": "period",
        "duty": "duty cycle",
        "noise_v": "noise rms",
    }
    kind: Literal["square"] = "square"
    low_v: Volts
    high_v: Volts
    period_s: Seconds
    duty: Share = 0.5
    noise_v: VoltsOrZero = 0.0

    def __post_init__(self) -> None:
        if not 0 < self.duty < 1:
            raise ValueError("duty must lie between 0 % and 100 %. Write 50 % for equal parts.")

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        return cls(low_v=0.02, high_v=around.reference_v - 0.02, period_s="1 s", noise_v=noise_v)

    def at(self, times_s: FloatArray) -> FloatArray:
        """One level or the other, (n,) volts."""
        turns = times_s / float(self.period_s)
        return np.where(turns - np.floor(turns) < 1 - self.duty, self.low_v, self.high_v)

    @property
    def extent_v(self) -> tuple[float, float]:
        """The two levels."""
        return min(self.low_v, self.high_v), max(self.low_v, self.high_v)

    @property
    def slope_v_s(self) -> float:
        """It jumps."""
        return math.inf if self.low_v != self.high_v else 0.0

    def crossings(self, level_v: float) -> tuple[Fraction, tuple[Crossing, ...]] | None:
        """At its jumps."""
        low_v, high_v = self.extent_v
        if not low_v < level_v < high_v:
            return None
        up = self.high_v > self.low_v
        return placed_crossings(self.period_s, [(1 - self.duty, up), (0.0, not up)])

    @property
    def shaped(self) -> ShapeSource:
        """As pieces of straight lines."""
        since = 1 - self.duty
        corners = [self.low_v, self.low_v, self.high_v, self.high_v]
        return straight_lines([0.0, since, since, 1.0], corners, self.period_s, self.noise_v)

    def drive(self) -> PinDrive:
        """A square between its two levels."""
        return PinDrive(
            shape="square",
            level_v=self.low_v,
            high_v=self.high_v,
            frequency_hz=float(1 / self.period_s),
            high_share=self.duty,
            noise_v=self.noise_v,
        )
