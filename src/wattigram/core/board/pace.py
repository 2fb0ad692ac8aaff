"""When the cycles of an unsteady converter begin, and when each of its slots is held."""

from __future__ import annotations

from collections import deque

import numpy as np
from numpy.typing import NDArray

from wattigram.core.board.effective import EffectiveConverter

MOST_CYCLES = 1 << 14
"""Followed at a stretch."""
_CHUNK = 1024


class Pace:
    """Follows triggers one by one; gives the held instants of whole cycles in the order of time."""

    def __init__(self, converter: EffectiveConverter, index: int, seed: int) -> None:
        self._converter = converter
        self._pace = converter.pace
        self._slots = len(converter.slots)
        self._key = (seed, index, 0x9ACE)
        self._held = np.array([slot.held_ticks - slot.start_ticks for slot in converter.slots])
        self._length = [slot.end_ticks - slot.start_ticks + slot.after_ticks for slot in converter.slots]
        self._conversion = np.array([slot.end_ticks - slot.start_ticks for slot in converter.slots])
        self._jitter = np.array([slot.jitter_ticks for slot in converter.slots], dtype=np.int64)
        self._random: NDArray[np.int64] | None = None
        self._random_block = -1
        self.triggers = 0
        self.missed = 0
        self.cycles = 0
        self.free_ticks = 0.0
        self._next = 0
        self._unit = 0
        self._partial: list[float] = []
        self._waiting: deque[float] = deque()
        self._paused_until: float | None = 0.0
        self.started = False

    def trigger_at(self, ticks: float) -> None:
        """An event that starts a cycle, in the order of time."""
        self._waiting.append(ticks)

    def pause(self, since_ticks: float, until_ticks: float | None) -> None:
        """Nothing is started until then; never again where it is None."""
        self.free_ticks = max(self.free_ticks, since_ticks)
        self._paused_until = until_ticks

    def advance(self, until_ticks: float, most_cycles: int = MOST_CYCLES) -> NDArray[np.float64]:
        """Starts of the slots of cycles that begin before ``until_ticks`` and are complete.

        Returns
        -------
        (cycles, slots) float64, ticks
        """
        if self._paused_until is None:
            return np.empty((0, self._slots))
        if self._pace.kind in {"self", "once"} and not self._jitter.any():
            return self._regular(until_ticks, most_cycles)
        found: list[list[float]] = []
        while len(found) < most_cycles:
            start = self._trigger(until_ticks)
            if start is None:
                break
            if self._pace.singly:
                self._partial.append(start)
                self.free_ticks = start + self._length[self._unit] + self._draw(self._unit)
                self._unit = (self._unit + 1) % self._slots
                if self._unit == 0:
                    found.append(self._partial)
                    self._partial = []
                    self.cycles += 1
                continue
            row = []
            for place in range(self._slots):
                row.append(start)
                start += self._length[place] + self._draw(place)
            self.free_ticks = start
            self.cycles += 1
            found.append(row)
        return np.array(found, dtype=np.float64).reshape(-1, self._slots)

    def tail(self) -> NDArray[np.float64]:
        """Starts of the slots of a cycle that stays incomplete."""
        return np.array(self._partial, dtype=np.float64)

    @property
    def is_over(self) -> bool:
        """It was to start once, and has: what it began stays incomplete."""
        return self._pace.kind == "once" and self.started

    def held(self, starts: NDArray[np.float64]) -> NDArray[np.float64]:
        """Held instants of the first conversion in each slot."""
        return np.asarray(starts + self._held[: starts.shape[-1]])

    def ends(self, starts: NDArray[np.float64]) -> NDArray[np.float64]:
        """Instants at which results are ready."""
        return np.asarray(starts + self._conversion[: starts.shape[-1]])

    def _regular(self, until_ticks: float, most_cycles: int) -> NDArray[np.float64]:
        """Cycles that follow each other without anything random."""
        begin = max(self.free_ticks, self._paused_until or 0.0)
        if self._pace.kind == "once":
            if self.started or begin >= until_ticks or self._pace.skip_first:
                return np.empty((0, self._slots))
            count = 1
        else:
            length = sum(self._length)
            count = min(most_cycles, max(0, int(-(-(until_ticks - begin) // length))))
            if self._pace.skip_first:
                return np.empty((0, self._slots))
        self.started = self.started or count > 0
        offsets = np.concatenate(([0.0], np.cumsum(self._length)[:-1]))
        if self._pace.singly and count:
            self._partial = [begin]
            self.triggers += 1
            return np.empty((0, self._slots))
        starts = begin + np.arange(count)[:, None] * sum(self._length) + offsets[None, :]
        self.cycles += count
        self.triggers += count
        self.free_ticks = begin + count * sum(self._length)
        return np.asarray(starts)

    def _trigger(self, until_ticks: float) -> float | None:
        """The next trigger that is served, if it comes before ``until_ticks``."""
        earliest = max(self.free_ticks, self._paused_until or 0.0)
        pace = self._pace
        if pace.kind == "never":
            return None
        if pace.kind in {"self", "once"}:
            if earliest >= until_ticks or pace.skip_first or (pace.kind == "once" and self.started):
                return None
            self.started = True
            self.triggers += 1
            return earliest
        while True:
            if pace.kind == "events":
                if not self._waiting:
                    return None
                at = self._waiting.popleft()
            else:
                count = len(pace.offsets_ticks)
                at = self._next // count * pace.period_ticks + pace.offsets_ticks[self._next % count]
                if at >= until_ticks:
                    return None
                self._next += 1
            self.triggers += 1
            if pace.skip_first and self.triggers == 1:
                continue
            if at >= earliest:
                return at
            self.missed += 1

    def _draw(self, place: int) -> int:
        """A random wait of the program after a slot; each has a number, so that runs repeat."""
        most = int(self._jitter[place])
        if most == 0:
            return 0
        number = self.cycles * self._slots + place
        block = number // _CHUNK
        if self._random is None or block != self._random_block:
            generator = np.random.Generator(np.random.SFC64([*self._key, block]))
            self._random = generator.integers(0, 1 << 32, _CHUNK)
            self._random_block = block
        return int(self._random[number % _CHUNK]) * (most + 1) >> 32
