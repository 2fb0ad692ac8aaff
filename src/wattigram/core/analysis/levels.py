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


def two_levels(values: NDArray[np.float64], threshold: float) -> TwoLevels:
    """Split ``values``, (n,) float64, at a threshold and take the median of each part."""
    is_high = values > threshold
    low, high = values[~is_high], values[is_high]
    return TwoLevels(
        float(np.median(low)) if len(low) else float("nan"),
        float(np.median(high)) if len(high) else float("nan"),
        len(low),
        len(high),
    )
