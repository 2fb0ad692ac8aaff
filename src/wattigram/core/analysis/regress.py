"""Straight lines, and how much of a scatter something explains."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]


class LineFit(msgspec.Struct, frozen=True):
    """y = slope · x + offset; ``share`` of y's scatter it explains (R²), ``r`` its correlation."""

    slope: float
    offset: float
    share: float
    r: float


def fit_line(x: FloatArray, y: FloatArray) -> LineFit:
    """Least squares line through (n,) points; share 0 where x or y does not vary."""
    if len(x) < 3:
        return LineFit(0.0, float(y.mean()) if len(y) else 0.0, 0.0, 0.0)
    dx, dy = x - x.mean(), y - y.mean()
    xx, yy, xy = float(dx @ dx), float(dy @ dy), float(dx @ dy)
    if xx <= 0 or yy <= 0:
        return LineFit(0.0, float(y.mean()), 0.0, 0.0)
    slope = xy / xx
    return LineFit(
        slope, float(y.mean() - slope * x.mean()), xy * xy / (xx * yy), xy / (xx * yy) ** 0.5
    )


def explained_share(measured: FloatArray, doubtful: FloatArray, better: FloatArray) -> float:
    """Share of the square error against ``doubtful`` that vanishes when ``better`` is taken
    instead, 0 to 1.

    All three are (n,) float64 in one unit.
    """
    before = float(np.square(measured - doubtful).sum())
    after = float(np.square(measured - better).sum())
    return max(0.0, 1 - after / before) if before > 0 else 0.0
