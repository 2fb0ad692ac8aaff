"""Statistics of a stream that comes in blocks of any length, with what correlation does to their uncertainty."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.analysis.estimate import Estimate, root

FloatArray = NDArray[np.float64]
BATCHES = 64
"""At most; their scatter tells how uncertain the whole is, also where neighbours depend on each other."""

_GROUPS, _FEWEST_FOR_GROUPS = 8, 24
"""Groups of batches, without their overlap; and batches from which on there are groups."""


class Statistics(msgspec.Struct, frozen=True):
    """Of ``count`` values in one unit.

    Attributes
    ----------
    mean, std, rms : Estimate
        Standard deviation about the mean; rms about zero.
    low, high : float
        Least and greatest value.
    drift_per_s : Estimate or None
        Slope of the straight line that fits best; None of fewer than three batches.
    span_s : float
        From the first value to the last.
    """

    count: int
    mean: Estimate
    std: Estimate
    rms: Estimate
    low: float
    high: float
    drift_per_s: Estimate | None
    span_s: float

    @property
    def peak_to_peak(self) -> float:
        """Greatest less least."""
        return self.high - self.low


class StatisticsGatherer:
    """Takes in blocks, in the order of time; holds no more than :data:`BATCHES` rows.

    The uncertainty of a mean is the larger of σ/√n and of what the means of batches scatter by: batches that
    are longer than values depend on each other do not (method of batch means; Law, Simulation Modeling and
    Analysis). The same goes for mean squares.
    """

    def __init__(self) -> None:
        self._size = 1
        """Values in a batch."""
        self._sums = np.empty((0, 6))
        """Of each batch, about a base: count, first to fourth powers of values, times."""
        self._rest = np.empty((0, 2))
        """Values and times that do not fill a batch yet."""
        self._base: float | None = None
        self._low, self._high = math.inf, -math.inf
        self._begin_s = self._end_s = 0.0

    def add(self, values: FloatArray, times_s: FloatArray) -> None:
        """Take in values and their instants, (n,) float64 each."""
        if not len(values):
            return
        if self._base is None:
            self._base, self._begin_s = float(values[0]), float(times_s[0])
        self._end_s = float(times_s[-1])
        self._low = min(self._low, float(values.min()))
        self._high = max(self._high, float(values.max()))
        rows = np.stack((values - self._base, times_s - self._begin_s), axis=1)
        rows = np.concatenate((self._rest, rows))
        # A block that is longer than all before it would leave too many batches at once.
        while len(self._sums) + len(rows) // self._size > 8 * BATCHES:
            self._double()
        whole = len(rows) // self._size * self._size
        self._rest = rows[whole:]
        self._sums = np.concatenate((self._sums, self._batches(rows[:whole])))
        while len(self._sums) > BATCHES:
            self._double()

    def _batches(self, rows: FloatArray) -> FloatArray:
        parts = rows.reshape(-1, self._size, 2)
        values, times = parts[:, :, 0], parts[:, :, 1]
        squares = values * values
        return np.stack(
            (
                np.full(len(parts), float(self._size)),
                values.sum(axis=1),
                squares.sum(axis=1),
                (squares * values).sum(axis=1),
                (squares * squares).sum(axis=1),
                times.sum(axis=1),
            ),
            axis=1,
        )

    def _double(self) -> None:
        """Put every two batches together; an odd one out stays by itself."""
        even = len(self._sums) // 2 * 2
        pairs = self._sums[:even].reshape(-1, 2, 6).sum(axis=1)
        self._sums = np.concatenate((pairs, self._sums[even:]))
        self._size *= 2

    @property
    def result(self) -> Statistics | None:
        """Of all that came; None of nothing."""
        if self._base is None:
            return None
        rows = self._sums
        if len(self._rest):
            size, self._size = self._size, len(self._rest)
            rows = np.concatenate((rows, self._batches(self._rest)))
            self._size = size
        count, first, second, _third, _fourth, _times = rows.sum(axis=0)
        base = self._base
        mean = first / count
        variance = max(0.0, second / count - mean * mean)
        unbiased = variance * count / max(1.0, count - 1)
        mean_sigma = max(math.sqrt(unbiased / count), _scatter(rows[:, 1], rows[:, 0]))
        # About the mean, for the base may be far from it.
        about = rows[:, 2] - 2 * mean * rows[:, 1] + mean * mean * rows[:, 0]
        normal = self._square_sigma(rows, mean, variance)
        variance_sigma = max(normal, _scatter(about, rows[:, 0]))
        whole = rows[:, 2] + 2 * base * rows[:, 1] + base * base * rows[:, 0]
        mean_square = unbiased * (count - 1) / count + (base + mean) ** 2
        rms_sigma = max(
            math.hypot(2 * (base + mean) * mean_sigma, normal), _scatter(whole, rows[:, 0])
        )
        return Statistics(
            int(count),
            Estimate(float(base + mean), float(mean_sigma)),
            root(Estimate(unbiased, variance_sigma)),
            root(Estimate(mean_square, rms_sigma)),
            self._low,
            self._high,
            self._drift(rows),
            self._end_s - self._begin_s,
        )

    @staticmethod
    def _square_sigma(rows: FloatArray, mean: float, variance: float) -> float:
        """Of the variance, from the fourth moment: √((m₄ − m₂²)/n), of values that do not depend on each
        other."""
        count, _first, second, third, fourth, _times = rows.sum(axis=0)
        moment = (fourth - 4 * mean * third + 6 * mean * mean * second) / count - 3 * mean**4
        return math.sqrt(max(0.0, moment - variance * variance) / count)

    @staticmethod
    def _drift(rows: FloatArray) -> Estimate | None:
        weights, values, times = rows[:, 0], rows[:, 1] / rows[:, 0], rows[:, 5] / rows[:, 0]
        if len(rows) < 3 or float(np.ptp(times)) <= 0:
            return None
        middle = float(np.average(times, weights=weights))
        away = times - middle
        level = float(np.average(values, weights=weights))
        spread = float((weights * away * away).sum())
        slope = float((weights * away * (values - level)).sum()) / spread
        left = values - level - slope * away
        noise = float((weights * left * left).sum()) / (len(rows) - 2)
        freedom = len(rows) - 2
        return Estimate(float(slope), math.sqrt(noise / spread) * (1 + 1.25 / freedom))


def _scatter(sums: FloatArray, counts: FloatArray) -> float:
    """Standard error of a mean, from the means of its batches.

    Of enough batches groups are taken that overlap by half, each under a Hann window, so that what goes up and down
    within a group does not count as uncertainty of the mean; what is left of it in the whole does. Wider by what
    Student's distribution of so few is at k = 2: 1 + (z² + 1) / (4 ν).
    """
    total = float(counts.sum())
    mean = float(sums.sum()) / total
    if len(sums) < 8:
        return 0.0
    if len(sums) < _FEWEST_FOR_GROUPS:
        apart = sums / counts - mean
        weights = counts / total
        freedom = len(sums) - 1
        return math.sqrt(float((weights * apart * apart).sum()) / freedom) * (1 + 1.25 / freedom)
    size = len(sums) // _GROUPS
    window = np.hanning(size + 2)[1:-1]
    means = []
    for begin in range(0, len(sums) - size + 1, max(1, size // 2)):
        part = slice(begin, begin + size)
        weights = window * counts[part]
        means.append(float((window * sums[part]).sum()) / float(weights.sum()))
    share = float((window**2).sum()) / float(window.sum()) ** 2
    groups = 0.7 * (len(means) - 1)  # neighbours have half of their batches in common
    error = math.sqrt(float(np.var(means, ddof=1)) / share / len(sums)) * (1 + 1.25 / groups)
    whole = np.hanning(len(sums) + 2)[1:-1]
    left = abs(mean - float((whole * sums).sum()) / float((whole * counts).sum()))
    return math.hypot(error, left) if left > 3 * error else error


def statistics(values: FloatArray, times_s: FloatArray) -> Statistics | None:
    """Of (n,) float64 values at (n,) float64 seconds; None of nothing."""
    gatherer = StatisticsGatherer()
    gatherer.add(values, times_s)
    return gatherer.result
