"""Lowest and highest items of each stretch of scans, stored beside them, so that a large take is drawn without reading it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

CELL = 256
"""Scans, or values of a filter; a power of the overview's factor."""


def in_order(items: NDArray[np.generic], half: int) -> NDArray[np.int64]:
    """Items, (n,) unsigned, as numbers in the order of what they stand for: two's complement of twice ``half``, or as they
    are where that is 0; (n,)."""
    whole = items.astype(np.int64)
    return whole if not half else (whole + half) % (2 * half) - half


class ExtremesGatherer:
    """Takes items as they come, slot by slot; gives whole cells.

    ``halves`` is, for each slot, half the range of a two's complement number, or 0.
    """

    def __init__(self, halves: Sequence[int]) -> None:
        self._halves = tuple(halves)
        self._rest = np.empty(0, dtype=np.uint32)

    def add(self, items: NDArray[np.generic]) -> NDArray[np.int64]:
        """Cells that are whole with these items, (n,) unsigned: (cells, slots, 2), lowest and highest."""
        slots = len(self._halves)
        size = CELL * slots
        if len(self._rest) + len(items) < size:
            self._rest = np.concatenate((self._rest, items.astype(np.uint32)))
            return np.empty((0, slots, 2), dtype=np.int64)
        both = np.concatenate((self._rest, items.astype(np.uint32)))
        cells = len(both) // size
        self._rest = both[cells * size :].copy()
        table = both[: cells * size].reshape(cells, CELL, slots)
        found = np.empty((cells, slots, 2), dtype=np.int64)
        for slot, half in enumerate(self._halves):
            own = in_order(table[:, :, slot], half)
            found[:, slot, 0], found[:, slot, 1] = own.min(axis=1), own.max(axis=1)
        return found

    def skip(self, count: int) -> NDArray[np.int64]:
        """Cells that are whole with so many items that never came, and lie as zeros: (cells, slots, 2)."""
        slots = len(self._halves)
        size = CELL * slots
        most = min(count, size - len(self._rest) % size)
        first = self.add(np.zeros(most, dtype=np.uint32))
        whole = (count - most) // size
        rest = count - most - whole * size
        last = self.add(np.zeros(rest, dtype=np.uint32))
        return np.concatenate((first, np.zeros((whole, slots, 2), dtype=np.int64), last))
