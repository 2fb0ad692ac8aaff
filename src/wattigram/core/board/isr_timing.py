"""A handler that fetches results in its own time: which of them it still finds."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.board_config import EffectiveService

IntArray = NDArray[np.int64]
FloatArray = NDArray[np.float64]


class ServedResults(msgspec.Struct, frozen=True):
    """Places, among what was given, of the results that were fetched; ``lost`` counts the others up
    to the last."""

    places: IntArray
    lost: int


class IsrTimeline:
    """Serves one result after the other.

    A call comes when a unit of results is ready; it reads ``notice`` later, and is busy for
    ``rest``.
    What of one register is overwritten by then is lost; a FIFO keeps its oldest.
    """

    def __init__(self, service: EffectiveService, key: tuple[int, int]) -> None:
        self._service = service
        self._free = 0.0
        self._ends: FloatArray = np.empty(0)
        self._random = np.random.Generator(np.random.SFC64([*key, 0x5E7]))
        self._waits: list[float] = []

    def serve(self, ends_ticks: FloatArray, known_ticks: float) -> ServedResults:
        """Serve results that are ready at the given instants, in order.

        Parameters
        ----------
        ends_ticks : (n,) float64
            Of results not given before; those that were left waiting come first in ``places``.
        known_ticks : float
            Every result that is ready before then has been given.
        """
        service = self._service
        ends = np.concatenate((self._ends, ends_ticks)) if len(self._ends) else ends_ticks
        if service.never:
            self._ends = ends[:0]
            return ServedResults(np.empty(0, dtype=np.int64), len(ends))
        if service.jitter_ticks == 0 and self._is_leisurely(ends, known_ticks):
            whole = len(ends) // service.unit * service.unit
            self._ends = ends[whole:]
            if whole:
                self._free = float(ends[whole - 1]) + service.notice_ticks + service.rest_ticks
            return ServedResults(np.arange(whole), 0)
        return self._one_by_one(ends, known_ticks)

    @property
    def waiting(self) -> int:
        """Results that were given and are not yet decided on."""
        return len(self._ends)

    def _is_leisurely(self, ends: FloatArray, known_ticks: float) -> bool:
        """Each call is over before the next result comes, the last one before anything unknown
        can."""
        if not len(ends) or self._free > ends[0]:
            return False
        service = self._service
        units = ends[service.unit - 1 :: service.unit]
        if len(units) and units[-1] + service.notice_ticks >= known_ticks:
            return False
        after = ends[service.unit :: service.unit]
        if service.keep == "oldest" and np.any(after <= units[: len(after)] + service.notice_ticks):
            return False  # a FIFO is emptied of what came for the next call as well
        return (
            len(units) < 2
            or float(np.diff(units).min()) > service.notice_ticks + service.rest_ticks
        )

    def _wait(self) -> float:
        """A random share of the longest wait; the same one until it is used."""
        if not self._waits:
            self._waits = self._random.random(1024).tolist()
        return self._waits[-1]

    def _one_by_one(self, ends: FloatArray, known_ticks: float) -> ServedResults:
        service = self._service
        unit, count = service.unit, len(ends)
        times = ends.tolist()
        kept: list[int] = []
        index = lost = 0
        while index + unit <= count:
            wait = service.notice_ticks
            if service.jitter_ticks:
                # A wait is a whole number of clocks, each as likely as any other.
                wait += math.floor(self._wait() * (service.jitter_ticks + 1))
            read = max(self._free, times[index + unit - 1]) + wait
            if read >= known_ticks:
                break  # what else is there by then is not known yet
            if service.jitter_ticks:
                self._waits.pop()
            came = index + unit
            while came < count and times[came] <= read:
                came += 1
            if service.keep == "oldest":
                fetched = range(index, min(came, index + service.depth))
            else:
                whole = (came - index) // unit
                fetched = range(index + (whole - 1) * unit, index + whole * unit)
                came = index + whole * unit
            kept.extend(fetched)
            lost += came - index - len(fetched)
            index = came
            self._free = read + service.rest_ticks
        self._ends = ends[index:]
        return ServedResults(np.array(kept, dtype=np.int64), lost)
