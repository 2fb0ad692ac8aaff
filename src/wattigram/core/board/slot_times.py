"""When each slot of a scan is held and ready, and where its result lies in its item."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.board_config import EffectiveConverter

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


class SlotTimes:
    """Instants of a converter's slots, in ticks.

    Items are numbered from the start, slot after slot; the number of one gives scan and slot.
    """

    def __init__(self, converter: EffectiveConverter) -> None:
        self._eras: list[tuple[int, int, IntArray]] = []
        """Where the slots were set up anew: number of the first item, of slots, and from held to ready."""
        self._set_up(converter)
        self._eras.append((0, self._count, self._held_to_end))

    def set_up(self, converter: EffectiveConverter, first: int) -> None:
        """Other slots, of which the first has the item of number ``first``."""
        self._set_up(converter)
        self._eras = [*self._eras[-1:], (first, self._count, self._held_to_end)]

    def _set_up(self, converter: EffectiveConverter) -> None:
        slots = converter.slots
        self._count = len(slots)
        self._cycle_ticks = converter.cycle_ticks
        begins = np.array([slot.start_ticks for slot in slots])
        first_held = np.array([slot.held_ticks for slot in slots])
        ends = np.array([slot.end_ticks for slot in slots])
        self._later = np.array([(slot.repeats - 1) * slot.each_ticks for slot in slots])
        """From the first of a slot's conversions to the last."""
        self._ends = ends
        self._held = np.rint(first_held + self._later).astype(np.int64)
        self._held_to_end = np.rint(ends).astype(np.int64) - self._held
        self._held_in_slot, self._end_in_slot = first_held - begins, ends - begins
        self._up = np.array([slot.up for slot in slots], dtype=np.int32)

    def held(self, numbers: IntArray) -> IntArray:
        """When the voltage of items was frozen for the last time, where scans are even, (n,) ticks."""
        return np.asarray(
            numbers // self._count * self._cycle_ticks + self._held[numbers % self._count]
        )

    def end(self, numbers: IntArray) -> FloatArray:
        """When results are ready, where scans are even, (n,) ticks."""
        return np.asarray(
            numbers // self._count * self._cycle_ticks + self._ends[numbers % self._count]
        )

    def ready(self, numbers: IntArray, held: IntArray) -> IntArray:
        """The same, of items that were held at given ticks: all (n,) int64."""
        begin, count, later = self._eras[-1]
        if len(self._eras) == 1 or (len(numbers) and numbers[0] >= begin):
            return np.asarray(held + later[(numbers - begin) % count])
        before, *_ = self._eras
        split = int(np.searchsorted(numbers, begin))
        first = before[2][(numbers[:split] - before[0]) % before[1]]
        rest = later[(numbers[split:] - begin) % count]
        return np.asarray(held + np.concatenate((first, rest)))

    def of_starts(self, starts: FloatArray, places: IntArray) -> tuple[FloatArray, FloatArray]:
        """When slots that software starts one by one are held for the first time, and ready.

        All are (n,): the slots' starts in ticks, and their places.
        """
        return starts + self._held_in_slot[places], starts + self._end_in_slot[places]

    def last_held(self, held: FloatArray, places: IntArray) -> IntArray:
        """When the last conversion of each slot is held, from the first one: (n,) ticks."""
        return np.asarray(np.rint(held + self._later[places]).astype(np.int64))

    def aligned(self, codes: NDArray[Any], first_place: int = 0) -> NDArray[Any]:
        """Codes from a slot on, (n,), moved to where they lie in their items; in place."""
        if self._up.any():
            up = np.resize(np.roll(self._up, -first_place), len(codes))
            codes <<= np.maximum(up, 0)
            codes >>= np.maximum(-up, 0)
        return codes
