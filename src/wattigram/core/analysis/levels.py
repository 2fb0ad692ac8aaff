"""Two levels of a signal that steps between them."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from numpy.typing import NDArray


class TwoLevels(msgspec.Struct, frozen=True):
    """Medians of what lies below and above the threshold; NaN where nothing does."""

    low: float
    high: float
    low_count: int
    high_count: int
    low_std: float
    high_std: float
    """Standard deviations of the two parts."""

    @staticmethod
    def median_sigma(std: float, count: int) -> float:
        """Standard error of the median of normal values: √(π/2) times that of their mean."""
        return math.sqrt(math.pi / 2 / count) * std


def two_levels(
    values: NDArray[np.float64], threshold: float, times: NDArray[np.int64] | None = None
) -> TwoLevels:
    """Split values at a threshold and take the median of each part.

    Parameters
    ----------
    values : (n,) float64
    times : (n,) int64, how often each came; once where nothing is said
    """
    often = np.ones(len(values), dtype=np.int64) if times is None else times
    order = np.argsort(values, kind="stable")
    values, often = values[order], often[order]
    is_high = values > threshold
    parts = [(values[part], often[part]) for part in (~is_high, is_high)]
    (low, high), (low_std, high_std) = ([of(*part) for part in parts] for of in (_median, _std))
    return TwoLevels(low, high, int(parts[0][1].sum()), int(parts[1][1].sum()), low_std, high_std)


def _std(values: NDArray[np.float64], often: NDArray[np.int64]) -> float:
    if not len(values):
        return float("nan")
    mean = float(np.average(values, weights=often))
    return math.sqrt(float(np.average((values - mean) ** 2, weights=often)))


def _median(values: NDArray[np.float64], often: NDArray[np.int64]) -> float:
    """Of ascending values that came so often each."""
    until = np.cumsum(often)
    total = int(until[-1]) if len(until) else 0
    if not total:
        return float("nan")
    middle = [
        values[np.searchsorted(until, place, side="right")]
        for place in ((total - 1) // 2, total // 2)
    ]
    return float(sum(middle) / 2)
