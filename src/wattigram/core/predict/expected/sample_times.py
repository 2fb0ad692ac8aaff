"""When the slots of a chain's cycles are held: from their numbers, or as the board's program
stamped them."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from wattigram.core.model.design.project import Chain
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.timing import scan_timing

FloatArray = NDArray[np.float64]


class SampleTimes(Protocol):
    """Held instants by cycle and slot."""

    def held_s(self, begin: int, end: int) -> FloatArray:
        """Of cycles ``begin`` to ``end``, (cycles, slots) float64, seconds since the start."""
        ...

    def cycle_at(self, ticks: int, place: int) -> int:
        """The first cycle that begins at ``ticks`` or later; where each slot has a trigger of its own, the
        first whose slot ``place`` does."""
        ...


class SteadyTimes:
    """Cycles that follow each other evenly, as designed."""

    def __init__(self, workspace: Workspace, chain: Chain) -> None:
        cycle = scan_timing(workspace, chain)
        self._cycle_ticks = workspace.bus_clock_hz.numerator / Fraction(cycle.handed_rate_hz)
        self._cycle_s = float(cycle.handed_s)
        self._held_s = np.array([float(slot.held_s) for slot in cycle.slots])

    def held_s(self, begin: int, end: int) -> FloatArray:
        return np.asarray(
            np.arange(begin, max(begin, end))[:, None] * self._cycle_s + self._held_s[None, :]
        )

    def cycle_at(self, ticks: int, place: int) -> int:
        return math.ceil(ticks / self._cycle_ticks)


class TimestampedTimes:
    """Instants as they were stamped, from cycle ``first`` on; earlier and later ones are taken as
    even.

    Parameters
    ----------
    held_ticks : (cycles, slots) int64
    """

    def __init__(
        self,
        workspace: Workspace,
        chain: Chain,
        held_ticks: NDArray[np.int64],
        tick_hz: int,
        first: int = 0,
    ) -> None:
        self._even = SteadyTimes(workspace, chain)
        cycle = scan_timing(workspace, chain)
        self._singly = chain.per_trigger == "conversion" and cycle.trigger.pace != "self"
        self._lead_ticks = [round((one.held_s - one.start_s) * tick_hz) for one in cycle.slots]
        """From the beginning of a slot until it is held."""
        self._held = held_ticks
        self._tick_hz = tick_hz
        self._first = first

    def held_s(self, begin: int, end: int) -> FloatArray:
        first, last = self._first, self._first + len(self._held)
        if begin >= first and end <= last:
            return self._held[begin - first : end - first] / self._tick_hz
        even = self._even.held_s(begin, end)
        if not len(self._held):
            return even
        low, high = max(begin, first), min(end, last)
        if low < high:
            known = self._held / self._tick_hz
            even[low - begin : high - begin] = known[low - first : high - first]
            if end > last:
                even[last - begin :] += known[-1] - self._even.held_s(last - 1, last)[0]
            if begin < first:
                even[: first - begin] += known[0] - self._even.held_s(first, first + 1)[0]
        return even

    def cycle_at(self, ticks: int, place: int) -> int:
        if not len(self._held):
            return self._even.cycle_at(ticks, place)
        first = place if self._singly else 0
        return self._first + int(
            np.searchsorted(self._held[:, first], ticks + self._lead_ticks[first])
        )


def unwrap_stamps(
    stamps: NDArray[np.uint32], frame_first: NDArray[np.int64], frame_ticks: NDArray[np.int64]
) -> NDArray[np.int64]:
    """Stamps modulo 2^32 as full ticks; each frame tells the ticks of its first item in full.

    Parameters
    ----------
    stamps : (n,) uint32
    frame_first, frame_ticks : (frames,) int64, places among ``stamps`` in ascending order, and
    ticks

    Returns
    -------
    (n,) int64
    """
    if not len(stamps) or not len(frame_first):
        return np.zeros(len(stamps), dtype=np.int64)
    steps = np.diff(stamps.astype(np.int64), prepend=np.int64(stamps[0]))
    steps = np.mod(steps, np.int64(1 << 32))
    course = np.cumsum(steps)
    frame = np.maximum(np.searchsorted(frame_first, np.arange(len(stamps)), side="right") - 1, 0)
    starts = np.minimum(frame_first[frame], len(stamps) - 1)
    return np.asarray(course - course[starts] + frame_ticks[frame])
