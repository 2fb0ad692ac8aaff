"""Results that nobody is told of: the program reads the newest of each slot every so often."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.board_config import EffectiveConverter

IntArray = NDArray[np.int64]


class NewestReads:
    """Instants at which the program reads, and what it finds there.

    It reads for the first time one period after the start, and not before each slot has a result.
    """

    def __init__(self, converter: EffectiveConverter) -> None:
        self._every_ticks = converter.loop.read_ticks
        self._slots = converter.slots
        self._cycle_ticks = converter.cycle_ticks
        self._ends = np.array([slot.end_ticks for slot in converter.slots])
        self._done = 0
        self._fed = 0
        loop, places = converter.loop, np.arange(len(converter.slots))
        self._most = None if loop.repeat else loop.items
        """Results that reach memory, where it is filled once and stays so."""
        self._last = None if loop.repeat else (loop.items - 1 - places) // len(converter.slots)
        self._waiting: list[tuple[NDArray[np.float64], IntArray, IntArray, IntArray]] = []

    def next_ticks(self) -> float:
        """When the program reads next."""
        return (self._done + 1) * self._every_ticks

    def due(self, ticks: float) -> NDArray[np.float64]:
        """Instants before ``ticks`` at which it has not read yet, (n,)."""
        last = max(self._done, int(np.ceil(ticks / self._every_ticks)) - 1)
        instants = np.arange(self._done + 1, last + 1, dtype=np.float64) * self._every_ticks
        self._done = last
        return instants

    def scans_at(self, instants: NDArray[np.float64]) -> IntArray:
        """The scan whose result of each slot is the newest, where scans are even: (n, slots), below 0
        where there is none yet."""
        scans = np.floor((instants[:, None] - self._ends) / self._cycle_ticks).astype(np.int64)
        return scans if self._last is None else np.asarray(np.minimum(scans, self._last))

    def feed(
        self, ends: NDArray[np.float64], codes: NDArray[Any], held: IntArray, places: IntArray
    ) -> None:
        """Results of a converter that goes by no even time, as they get ready: (n,) each."""
        if self._most is not None:
            left = max(0, self._most - self._fed)
            ends, codes, held, places = ends[:left], codes[:left], held[:left], places[:left]
        self._fed += len(ends)
        self._waiting.append((ends, codes.astype(np.int64), held, places))

    def newest(self, instants: NDArray[np.float64]) -> tuple[IntArray, IntArray, IntArray]:
        """Which instants find a result of each slot, (m,) of them, with the codes and held ticks that
        they find, (m, slots); of what was fed."""
        slots = len(self._slots)
        codes = np.zeros((len(instants), slots), dtype=np.int64)
        held = np.zeros((len(instants), slots), dtype=np.int64)
        found = np.ones(len(instants), dtype=bool)
        kept = []
        ends = np.concatenate([np.empty(0), *(one[0] for one in self._waiting)])
        values, helds, places = (
            np.concatenate([np.empty(0, dtype=np.int64), *(one[part] for one in self._waiting)])
            for part in (1, 2, 3)
        )
        for slot in range(slots):
            mine = np.flatnonzero(places == slot)
            at = np.searchsorted(ends[mine], instants, side="right") - 1
            found &= at >= 0
            if len(mine):
                rows = mine[np.maximum(at, 0)]
                codes[:, slot], held[:, slot] = values[rows], helds[rows]
                # What a later read may find: the newest until now, and what comes after it.
                kept.append(mine[max(0, int(at[-1]) if len(at) else 0) :])
        if len(instants) and kept:
            rows = np.sort(np.concatenate(kept))
            self._waiting = [(ends[rows], values[rows], helds[rows], places[rows])]
        return np.flatnonzero(found), codes[found], held[found]
