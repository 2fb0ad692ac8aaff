"""A stream laid over itself at a period."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]


_EDGE = 1e-6


class Folded(msgspec.Struct, frozen=True):
    """Means over many periods.

    Attributes
    ----------
    period_s : float
    periods : float
        That lie in the record.
    at_s : (bins,) float64
        Middle of each part of the period.
    mean, spread : (bins,) float64
        Mean of what fell there, NaN where nothing did, and standard deviation.
    low, high : (bins,) float64
    counts : (bins,) int64
    """

    period_s: float
    periods: float
    at_s: FloatArray
    mean: FloatArray
    spread: FloatArray
    low: FloatArray
    high: FloatArray
    counts: NDArray[np.int64]

    @property
    def mean_sigma(self) -> FloatArray:
        """Standard error of each mean, (bins,) float64; NaN of fewer than two values."""
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(self.counts > 1, self.spread / np.sqrt(self.counts), math.nan)


class FoldGatherer:
    """Takes in blocks of any length."""

    def __init__(self, period_s: float, bins: int = 128, since_s: float = 0.0) -> None:
        """``since_s`` is when a period begins.

        Raises
        ------
        ValueError
            Of a period that is none, or no bins.
        """
        if not (period_s > 0 and math.isfinite(period_s)) or bins < 1:
            raise ValueError("a stream is folded at a period above zero, into one part or more")
        self._period_s, self._bins, self._since_s = period_s, bins, since_s
        self._counts = np.zeros(bins, dtype=np.int64)
        self._means, self._squares = np.zeros(bins), np.zeros(bins)
        self._low, self._high = np.full(bins, math.inf), np.full(bins, -math.inf)
        self._begin_s, self._end_s = math.inf, -math.inf

    def add(self, values: FloatArray, times_s: FloatArray) -> None:
        """Take in (n,) float64 values at (n,) float64 seconds."""
        if not len(values):
            return
        self._begin_s = min(self._begin_s, float(times_s[0]))
        self._end_s = max(self._end_s, float(times_s[-1]))
        phase = np.mod((times_s - self._since_s) / self._period_s, 1.0)
        # Instants that are meant to lie on an edge may lie a little before it.
        places = (phase * self._bins + _EDGE).astype(np.int64) % self._bins
        counts = np.bincount(places, minlength=self._bins)
        base = float(values.mean())
        with np.errstate(divide="ignore", invalid="ignore"):
            means = base + np.where(
                counts > 0, np.bincount(places, values - base, self._bins) / counts, 0.0
            )
        squares = np.bincount(places, (values - means[places]) ** 2, self._bins)
        total = self._counts + counts
        apart = means - self._means
        share = np.where(total > 0, counts / np.maximum(total, 1), 0.0)
        self._squares += squares + apart**2 * self._counts * share
        self._means += apart * share
        self._counts = total
        np.minimum.at(self._low, places, values)
        np.maximum.at(self._high, places, values)

    @property
    def result(self) -> Folded | None:
        """Of all that came; None of nothing."""
        if not self._counts.any():
            return None
        counts = self._counts
        empty = counts == 0
        return Folded(
            self._period_s,
            (self._end_s - self._begin_s) / self._period_s,
            (np.arange(self._bins) + 0.5) * self._period_s / self._bins,
            np.where(empty, math.nan, self._means),
            np.where(counts > 1, np.sqrt(self._squares / np.maximum(1, counts - 1)), math.nan),
            np.where(empty, math.nan, self._low),
            np.where(empty, math.nan, self._high),
            counts,
        )


def passes(
    values: FloatArray, times_s: FloatArray, period_s: float, since_s: float = 0.0
) -> list[tuple[FloatArray, FloatArray]]:
    """Single periods, each with its instants since its begin: (n,) float64 both."""
    numbers = np.floor((times_s - since_s) / period_s).astype(np.int64)
    edges = np.flatnonzero(np.diff(numbers)) + 1
    return [
        (times - since_s - int(number[0]) * period_s, part)
        for times, part, number in zip(
            np.split(times_s, edges), np.split(values, edges), np.split(numbers, edges), strict=True
        )
        if len(part)
    ]
