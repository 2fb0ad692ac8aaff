"""A mask over time: points with a lowest and a highest value each, and straight lines between them."""

from __future__ import annotations

import re

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import parse_quantity

FloatArray = NDArray[np.float64]
MOST_POINTS = 256
_POINT = re.compile(r"^(?P<at>[^:]+):(?P<low>.+?)(?:\s+to\s+|\s*…\s*)(?P<high>.+)$")


class Mask(msgspec.Struct, frozen=True):
    """Instants in seconds with limits in volts, (n,) float64 each; at one instant a limit may step."""

    times_s: FloatArray
    low_v: FloatArray
    high_v: FloatArray

    @property
    def length_s(self) -> float:
        """To its last point."""
        return float(self.times_s[-1])

    def at(self, times_s: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Lowest and highest value at some instants, (m,) float64 each; NaN before its first point and
        after its last."""
        out = (times_s < self.times_s[0]) | (times_s > self.times_s[-1]) | np.isnan(times_s)
        low, high = (
            np.where(out, np.nan, np.interp(times_s, self.times_s, limit))
            for limit in (self.low_v, self.high_v)
        )
        return low, high


def parse_mask(text: str) -> Mask:
    """Read "0 s: 0.9 V to 1.1 V; 5 ms: 1 V to 2 V".

    Raises
    ------
    QuantityError
        When it is no mask.
    """
    parts = [part.strip() for part in text.split(";") if part.strip()]
    if not 2 <= len(parts) <= MOST_POINTS:
        raise QuantityError(
            f"A mask has 2 to {MOST_POINTS} points, and this has {len(parts)}.",
            cure="Write 0 s: 0.9 V to 1.1 V; 5 ms: 1 V to 2 V.",
        )
    rows: list[tuple[float, float, float]] = []
    for part in parts:
        match = _POINT.match(part)
        if match is None:
            raise QuantityError(f"“{part}” is no point of a mask.", cure="Write 5 ms: 1 V to 2 V.")
        at_s = float(parse_quantity(match["at"].strip(), "s", unit_required=True))
        low_v, high_v = (
            float(parse_quantity(match[side].strip(), "V", unit_required=True))
            for side in ("low", "high")
        )
        if low_v >= high_v:
            raise QuantityError(
                f"“{part}”: its lower value is not below its higher one.", cure="Exchange them."
            )
        if at_s < 0 or (rows and at_s < rows[-1][0]):
            raise QuantityError(
                f"“{part}” comes before the point that it stands behind.", cure="Sort them by time."
            )
        rows.append((at_s, low_v, high_v))
    if rows[-1][0] == rows[0][0]:
        raise QuantityError("The mask has no length.", cure="Give its last point a later instant.")
    times_s, low, high = (np.array(column, dtype=np.float64) for column in zip(*rows, strict=True))
    return Mask(times_s, low, high)
