"""What takes effect at an output while the board runs."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

IntArray = NDArray[np.int64]


class SinkTrace(msgspec.Struct, frozen=True):
    """What took effect at a sink, and what did not: (n,) ticks and (n,) values with marks, in the
    order of writing."""

    ticks: IntArray
    values: IntArray


def packed(seen: SinkTrace) -> NDArray[Any]:
    """Pairs of stamp and value as they are sent, (2 · n,) uint32."""
    pairs = np.empty((len(seen.ticks), 2), dtype="<u4")
    pairs[:, 0] = seen.ticks % (1 << 32)
    pairs[:, 1] = seen.values
    return pairs.ravel()
