"""Minimum and maximum of any stretch of samples, for drawing: a pyramid by sixteens."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

FACTOR = 16
SMALLEST_LEVEL = 512
READ_AT_ONCE = 1 << 18
"""Samples; a multiple of FACTOR."""
_BLOCK_ROWS = 1 << 12


class Overview:
    """Pyramid over a row of samples; level k holds extremes of 16^(k+1) samples each.

    Parameters
    ----------
    count : int, samples
    read : samples ``begin`` to ``end``; they stay where they are, and are read again when they are
    looked at closely
    stored : (lowest, highest) of each 256 samples from the first on, where they are known; the rest is read
    """

    def __init__(
        self,
        count: int,
        read: Callable[[int, int], NDArray[Any]],
        stored: tuple[NDArray[Any], NDArray[Any]] | None = None,
    ) -> None:
        self._count = count
        self._read = read
        self._newest: tuple[int, int, NDArray[Any]] | None = None
        self._levels: list[tuple[NDArray[Any], NDArray[Any]] | None] = []
        if count <= SMALLEST_LEVEL * FACTOR:
            return
        if stored is not None and len(stored[0]):
            self._levels.append(None)  # what is between is read as it is looked at
            low, high = self._completed(*stored)
            self._levels.append((low, high))
            self._build_on(low, high)
            return
        parts = []
        for begin in range(0, count, READ_AT_ONCE):
            piece = read(begin, min(count, begin + READ_AT_ONCE))
            parts.append(_reduce(piece, piece))
        low, high = (np.concatenate([part[side] for part in parts]) for side in (0, 1))
        self._levels.append((low, high))
        self._build_on(low, high)

    def _completed(
        self, low: NDArray[Any], high: NDArray[Any]
    ) -> tuple[NDArray[Any], NDArray[Any]]:
        """Cells of 256 samples, those after the ones that are known worked out."""
        cell = FACTOR * FACTOR
        known = min(len(low), self._count // cell)
        parts = [(low[:known], high[:known])]
        for begin in range(known * cell, self._count, READ_AT_ONCE):
            piece = self._read(begin, min(self._count, begin + READ_AT_ONCE))
            parts.append(_reduce(*_reduce(piece, piece)))
        lows, highs = (np.concatenate([part[side] for part in parts]) for side in (0, 1))
        return lows, highs

    def _build_on(self, low: NDArray[Any], high: NDArray[Any]) -> None:
        while len(low) > SMALLEST_LEVEL * FACTOR:
            low, high = _reduce(low, high)
            self._levels.append((low, high))

    @classmethod
    def of(cls, samples: NDArray[Any]) -> Overview:
        """Of samples that are in memory.

        ``samples`` is (n,), of any kind of number.
        """
        return cls(len(samples), lambda begin, end: samples[begin:end])

    def _samples(self, begin: int, end: int) -> NDArray[Any]:
        """As read last where it is the same stretch, for a picture is painted more often than it
        moves."""
        if self._newest is None or self._newest[:2] != (begin, end):
            self._newest = begin, end, self._read(begin, end)
        return self._newest[2]

    def columns(self, begin: float, end: float, count: int) -> tuple[NDArray[Any], NDArray[Any]]:
        """Extremes of ``count`` equal parts of samples ``begin`` to ``end``.

        Each part takes in every sample that it touches, and at the edges up to half a part more.

        Returns
        -------
        lows, highs : (count,) of the samples' type
        """
        step = (end - begin) / count
        edges = begin + step * np.arange(count + 1)
        level = -1
        for higher, known in enumerate(self._levels):
            if known is not None and FACTOR ** (higher + 1) * 2 <= step:
                level = higher
        size = FACTOR ** (level + 1)
        cells = self._levels[level] if level >= 0 else None
        total = len(cells[0]) if cells is not None else self._count
        edges /= size
        first = np.minimum(np.maximum(edges[:-1].astype(np.int64), 0), total - 1)
        last = np.minimum(np.maximum(np.ceil(edges[1:]).astype(np.int64), first + 1), total)
        if cells is not None:
            low, high = cells
        else:
            since = int(first[0])
            low = high = self._samples(since, int(last[-1]))
            first, last = first - since, last - since
        return _segments(low, first, last, np.minimum), _segments(high, first, last, np.maximum)


def _segments(
    values: NDArray[Any], first: NDArray[np.int64], last: NDArray[np.int64], ufunc: np.ufunc
) -> NDArray[Any]:
    """``ufunc`` over each values[first:last]; the segments follow each other and may share an
    end."""
    begin, end = int(first[0]), int(last[-1])
    part = np.append(values[begin:end], values[end - 1])
    pairs = np.empty(2 * len(first), dtype=np.int64)
    pairs[::2] = first - begin
    pairs[1::2] = last - begin
    return np.asarray(ufunc.reduceat(part, pairs)[::2])


def _reduce(low: NDArray[Any], high: NDArray[Any]) -> tuple[NDArray[Any], NDArray[Any]]:
    """Extremes of each sixteen values; blocks are copied transposed, so that the reduction runs
    along rows."""
    whole = len(low) // FACTOR
    lows = np.empty(-(-len(low) // FACTOR), dtype=low.dtype)
    highs = np.empty_like(lows)
    low_rows = low[: whole * FACTOR].reshape(whole, FACTOR)
    high_rows = high[: whole * FACTOR].reshape(whole, FACTOR)
    turned = np.empty((FACTOR, _BLOCK_ROWS), dtype=low.dtype)
    for start in range(0, whole, _BLOCK_ROWS):
        stop = min(whole, start + _BLOCK_ROWS)
        block = turned[:, : stop - start]
        np.copyto(block, low_rows[start:stop].T)
        np.minimum.reduce(block, axis=0, out=lows[start:stop])
        if high is not low:
            np.copyto(block, high_rows[start:stop].T)
        np.maximum.reduce(block, axis=0, out=highs[start:stop])
    if whole < len(lows):
        lows[whole] = low[whole * FACTOR :].min()
        highs[whole] = high[whole * FACTOR :].max()
    return lows, highs
