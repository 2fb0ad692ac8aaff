"""Mean and spread of values that come in pieces."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray


class Moments:
    """Count, mean and standard deviation, gathered piece by piece (Chan, Golub and LeVeque 1983,
    pairwise update)."""

    def __init__(self) -> None:
        self.count = 0
        self.mean = 0.0
        self._squares = 0.0

    def add(self, values: NDArray[np.float64]) -> None:
        """Take in (n,) float64."""
        count = len(values)
        if not count:
            return
        mean = float(values.mean())
        squares = float(np.square(values - mean).sum())
        total = self.count + count
        apart = mean - self.mean
        self._squares += squares + apart * apart * self.count * count / total
        self.mean += apart * count / total
        self.count = total

    @property
    def std(self) -> float:
        """Standard deviation about the mean, of the values themselves."""
        return math.sqrt(self._squares / self.count) if self.count else 0.0

    @property
    def mean_sigma(self) -> float:
        """Standard error of the mean, of values that do not depend on each other."""
        return self.std / math.sqrt(self.count) if self.count else 0.0


class Largest:
    """The percentile near the top of values that come in pieces, exactly, by keeping only the
    largest of them."""

    def __init__(self, total: int, percent: float) -> None:
        self._kept = np.empty(0)
        self._room = int(total * (1 - percent / 100)) + 2
        self._percent = percent
        self._count = 0

    def add(self, values: NDArray[np.float64]) -> None:
        """Take in (n,) float64."""
        self._count += len(values)
        self._kept = np.concatenate((self._kept, values))
        if len(self._kept) > 2 * self._room:
            self._kept = np.partition(self._kept, len(self._kept) - self._room)[-self._room :]

    @property
    def percentile(self) -> float:
        """Between the nearest two, in proportion."""
        place = (self._count - 1) * self._percent / 100 - (self._count - len(self._kept))
        ordered = np.sort(self._kept)
        below = min(max(int(place), 0), len(ordered) - 1)
        above = min(below + 1, len(ordered) - 1)
        return float(ordered[below] + (ordered[above] - ordered[below]) * (place - below))
