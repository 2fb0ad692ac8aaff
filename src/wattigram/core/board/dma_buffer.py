"""The loop in memory: what DMA or a handler writes, and what the program reads of it at each
mark."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.board_config import EffectiveLoop

_DTYPES: dict[int, np.dtype[Any]] = {8: np.dtype("u1"), 16: np.dtype("<u2"), 32: np.dtype("<u4")}
IntArray = NDArray[np.int64]


class BufferPart(msgspec.Struct, frozen=True):
    """What the program has at a mark.

    Attributes
    ----------
    items : (n,) unsigned, elements as the program reads them
    first : int, number of the first of them since the start
    held_ticks : (n,) int64, held instant of each; None where it follows from its number
    is_tail : bool, what was left of a half when the board was stopped
    seen_ticks : int or None, when the program came for them, where no mark told it to
    """

    items: NDArray[Any]
    first: int
    held_ticks: IntArray | None
    is_tail: bool = False
    seen_ticks: int | None = None


class DmaBuffer:
    """Takes items in order and gives halves."""

    def __init__(self, loop: EffectiveLoop) -> None:
        self._lie_in(loop)
        self._pending: NDArray[Any] = np.empty(0, dtype=np.int32)
        self._pending_held: IntArray | None = None
        self._begin = 0
        """Number of the first item of a run that was set up anew."""
        self.written = 0
        """Number of the next item, those lost before it counted."""

    @property
    def dtype(self) -> np.dtype[Any]:
        """Of an element as the program reads it."""
        return _DTYPES[self._element_bits]

    @property
    def until_mark(self) -> int:
        """Items until the next half or full mark."""
        return self._mark() - len(self._pending)

    @property
    def waiting(self) -> int:
        """Items that wait for a mark."""
        return len(self._pending)

    @property
    def until_full(self) -> int:
        """Items until it has been filled once, those that wait for a mark counted; 0 afterwards."""
        return max(0, self._loop.items - (self.written - self._begin) - len(self._pending))

    @property
    def is_full(self) -> bool:
        """It has been filled once."""
        return self.until_full == 0

    def _mark(self) -> int:
        if self._loop.laps:
            together = self._loop.laps * self._loop.items
            return together - (self.written - self._begin) % together
        return self._until_half(self.written)

    def _until_half(self, number: int) -> int:
        place = (number - self._begin) % self._loop.items
        half = self._loop.items // 2
        return half - place if place < half else self._loop.items - place

    def write(self, codes: NDArray[Any], held_ticks: IntArray | None = None) -> list[BufferPart]:
        """Items as they come; gives what the program is handed over at each mark.

        Parameters
        ----------
        codes : (n,) integers, any value; an item keeps as many bits as it has
        held_ticks : (n,) int64, always or never
        """
        if len(self._pending):
            codes = np.concatenate((self._pending, codes))
            if held_ticks is not None and self._pending_held is not None:
                held_ticks = np.concatenate((self._pending_held, held_ticks))
        filled: list[BufferPart] = []
        position = 0
        while True:
            if not self._loop.repeat and self.written - self._begin >= self._loop.items:
                position = len(codes)  # a run that is not endless leaves its memory as it is
                break
            wanted = self._mark()
            if len(codes) - position < wanted:
                break
            part = slice(position, position + wanted)
            filled.append(
                self._take(codes[part], None if held_ticks is None else held_ticks[part], False)
            )
            position += wanted
        self._pending = codes[position:].copy()
        self._pending_held = None if held_ticks is None else held_ticks[position:].copy()
        return filled

    def standing(self) -> tuple[int, NDArray[Any], IntArray | None]:
        """How far it has come, to come back to: number of the next hand-over's first item, and what
        waits for it, (n,) items and their held ticks."""
        return self.written, self._pending, self._pending_held

    def stand_again(self, standing: tuple[int, NDArray[Any], IntArray | None]) -> None:
        """Be as full as it was; both arrays are (n,)."""
        self.written, self._pending, self._pending_held = standing

    def set_up(self, loop: EffectiveLoop) -> None:
        """Begin anew, at the first element; what waits for a mark is told to nobody, and stays where it is."""
        self.written += len(self._pending)
        self._pending, self._pending_held = self._pending[:0], None
        self._begin = self.written
        self._lie_in(loop)

    def _lie_in(self, loop: EffectiveLoop) -> None:
        self._loop = loop
        self._element_bits = loop.element_bits or loop.width_bits
        self._plain = (
            self._element_bits == loop.width_bits and loop.increment and not loop.swap_bytes
        )
        size = loop.items * max(loop.width_bits, self._element_bits) // 8
        self._bytes = np.zeros(0 if self._plain else size, dtype=np.uint8)

    def begin_run(self) -> None:
        """Be filled once more, when it is full; numbers go on with a whole buffer."""
        self.written += -(self.written - self._begin) % self._loop.items
        self._begin = self.written

    def stamp(self, held: Callable[[IntArray], IntArray]) -> None:
        """From now on items come with their instants: ``held`` tells those of numbers, (n,) int64 each."""
        if self._pending_held is None:
            numbers = np.arange(self.written, self.written + len(self._pending), dtype=np.int64)
            self._pending_held = held(numbers)

    def skip(self, count: int) -> list[BufferPart]:
        """Items that nobody fetched: what waits is handed over, and their numbers are passed
        over."""
        filled = self.finish(is_tail=False)
        self.written += count
        return filled

    def finish(self, is_tail: bool = True) -> list[BufferPart]:
        """What is left of a half."""
        codes, held = self._pending, self._pending_held
        self._pending = codes[:0]
        self._pending_held = None
        return [self._take(codes, held, is_tail)] if len(codes) else []

    @property
    def unfinished(self) -> BufferPart | None:
        """What has come since the last mark, as it lies in memory; it is not taken away."""
        if not len(self._pending):
            return None
        items = self._pending.astype(_DTYPES[self._loop.width_bits])
        return BufferPart(items, self.written, self._pending_held, is_tail=True)

    def _take(self, codes: NDArray[Any], held_ticks: IntArray | None, is_tail: bool) -> BufferPart:
        items = codes.astype(_DTYPES[self._loop.width_bits])
        first = self.written
        self.written += len(items)
        if not self._plain:
            items = np.concatenate(list(self._by_halves(items, first)))
        return BufferPart(items, first, held_ticks, is_tail)

    def _by_halves(self, items: NDArray[Any], first: int) -> Iterator[NDArray[Any]]:
        """The program reads at each mark, whenever it hands over."""
        position = 0
        while position < len(items):
            count = min(self._until_half(first + position), len(items) - position)
            yield self._read_back(items[position : position + count], first + position)
            position += count

    def _read_back(self, items: NDArray[Any], first: int) -> NDArray[Any]:
        """Items put into memory as DMA puts them, read from there as the program reads it."""
        loop = self._loop
        place = (first - self._begin) % loop.items
        step = loop.width_bits // 8
        if loop.increment:
            self._bytes[place * step : (place + len(items)) * step] = items.view(np.uint8)
        else:
            self._bytes[:step] = items[-1:].view(np.uint8)
        width = self._element_bits // 8
        read = self._bytes[place * width : (place + len(items)) * width].copy().view(self.dtype)
        return read.byteswap() if loop.swap_bytes else read
