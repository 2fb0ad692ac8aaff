"""Two levels of a signal that steps between them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class TwoLevels:
    """Medians of what lies below and above the threshold; NaN where nothing does."""

    low: float
    high: float
    low_count: int
    high_count: int


def two_levels(values: NDArray[np.float64], threshold: float, times: NDArray[np.int64] | None = None) -> TwoLevels:
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
    low, high = (_median(values[part], often[part]) for part in (~is_high, is_high))
    return TwoLevels(low, high, int(often[~is_high].sum()), int(often[is_high].sum()))


def _median(values: NDArray[np.float64], often: NDArray[np.int64]) -> float:
    """Of ascending values that came so often each."""
    until = np.cumsum(often)
    total = int(until[-1]) if len(until) else 0
    if not total:
        return float("nan")
    middle = [values[np.searchsorted(until, place, side="right")] for place in ((total - 1) // 2, total // 2)]
    return float(sum(middle) / 2)
