"""A voltage given by its course, with sines on top of it: what a source without a closed form becomes."""

from __future__ import annotations

import math
from fractions import Fraction
from functools import cached_property
from typing import TYPE_CHECKING

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from wattigram.core.contract.board_config import PinDrive
from wattigram.core.contract.shapes import PiecewiseWaveform, piecewise_linear
from wattigram.core.model.bench.sources.source import Driven, DrivenModel

FloatArray = NDArray[np.float64]
_LOOKS = 1 << 12
_HALVINGS = 36


class ShapeSource(msgspec.Struct, frozen=True, dict=True):
    """A course; ``sines`` are amplitude in volts, frequency in hertz and phase in turns of each.

    ``period_s`` is exact where it repeats, ``origin`` says where it comes from.
    """

    course: PiecewiseWaveform
    period_s: Fraction | None = None
    sines: tuple[tuple[float, float, float], ...] = ()
    noise_v: float = 0.0
    origin: str = ""

    def at(self, times_s: FloatArray) -> FloatArray:
        """Voltage without noise at given instants, any shape of float64."""
        volts = self.course.at(times_s)
        for amplitude_v, hertz, phase in self.sines:
            volts = volts + amplitude_v * np.sin(2 * math.pi * np.mod(times_s * hertz + phase, 1.0))
        return np.asarray(volts)

    @property
    def extent_v(self) -> tuple[float, float]:
        """Lowest and highest voltage without noise."""
        low, high = self.course.extent_v
        reach = sum(sine[0] for sine in self.sines)
        return low - reach, high + reach

    @property
    def span_s(self) -> float:
        """A stretch of time in which it shows what it does."""
        lap = (
            self.course.period_s
            or float(self.course.starts_s[-1] + self.course.begin_s) * 1.2
            or 0.5
        )
        return max(lap, *(1 / sine[1] for sine in self.sines), 0.0) if self.sines else lap

    @cached_property
    def slope_v_s(self) -> float:
        """Steepest slope over a 4096th of the period: a staircase counts as what it follows, and not as
        its settling."""
        course = self.course
        end = course.begin_s + (course.period_s or float(course.starts_s[-1]) + 1e-3)
        times = np.linspace(course.begin_s, end, _LOOKS)
        slope = float(np.abs(np.diff(course.at(times))).max(initial=0.0)) / float(
            times[1] - times[0]
        )
        return slope + sum(2 * math.pi * sine[0] * sine[1] for sine in self.sines)

    def crossings(
        self, level_v: float
    ) -> tuple[Fraction, tuple[tuple[Fraction, bool], ...]] | None:
        """Period and where it crosses a level, with whether it rises there; None where it does not
        repeat or cross."""
        course = self.course
        if not course.period_s or self.sines or self.period_s is None:
            return None
        begin = course.begin_s + 40 * course.period_s
        corners = course.corners_s(begin, begin + course.period_s)
        looks = np.linspace(begin, begin + course.period_s, _LOOKS)
        times = np.unique(np.concatenate((corners, corners - 1e-12, looks)))
        above = self.at(times) > level_v
        places = np.flatnonzero(np.diff(above.astype(np.int8)))
        low, high = times[places], times[places + 1]
        for _halving in range(_HALVINGS):
            middle = (low + high) / 2
            before = (self.at(middle) > level_v) == above[places]
            low, high = np.where(before, middle, low), np.where(before, high, middle)
        turns = np.mod(high, course.period_s) / course.period_s
        instants = [
            (Fraction(turn).limit_denominator(10**12) % 1 * self.period_s, not was_above)
            for turn, was_above in zip(turns.tolist(), above[places].tolist(), strict=True)
        ]
        return (self.period_s, tuple(sorted(instants))) if instants else None

    def filtered(self, poles_s: tuple[float, ...]) -> ShapeSource:
        """Through first-order low-passes."""
        return replace(self, course=self.course.filtered(*poles_s))

    def with_mains(self, amplitude_v: float, mains_hz: Fraction) -> ShapeSource:
        """With mains on top of it."""
        return replace(self, sines=(*self.sines, (amplitude_v, float(mains_hz), 0.0)))

    def with_noise(self, noise_v: float) -> ShapeSource:
        """With other noise."""
        return replace(self, noise_v=noise_v)

    def drive(self) -> PinDrive:
        """Its pieces."""
        course = self.course
        rows = zip(
            course.starts_s.tolist(),
            course.level_v.tolist(),
            course.slope_v_s.tolist(),
            strict=True,
        )
        return PinDrive(
            shape="course",
            pieces=tuple(rows),
            period_s=course.period_s,
            begin_s=course.begin_s,
            poles_s=course.poles_s,
            sines=self.sines,
            noise_v=self.noise_v,
        )


def straight_lines(
    turns: FloatArray | list[float], volts: list[float], period_s: Fraction, noise_v: float
) -> ShapeSource:
    """Straight lines between corners, given as shares of a period and volts.

    ``turns`` and ``volts`` are (corners,).
    """
    times = np.asarray(turns, dtype=np.float64) * float(period_s)
    return ShapeSource(
        piecewise_linear(times, np.array(volts), float(period_s)), period_s, noise_v=noise_v
    )


class CorneredModel(DrivenModel):
    """A source of straight lines; behind a low-pass, or with mains on it, it is its pieces."""

    if TYPE_CHECKING:
        period_s: Fraction

    @property
    def shaped(self) -> ShapeSource:
        """As pieces of straight lines."""
        raise NotImplementedError

    @property
    def span_s(self) -> float:
        """A period."""
        return float(self.period_s)

    def filtered(self, poles_s: tuple[float, ...]) -> Driven:
        """Its pieces, through the low-passes."""
        return self.shaped.filtered(poles_s)

    def with_mains(self, amplitude_v: float, mains_hz: Fraction) -> Driven:
        """Its pieces, with mains on top."""
        return self.shaped.with_mains(amplitude_v, mains_hz)
