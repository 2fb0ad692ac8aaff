"""ISRs that fetch results in their own time, one after the other: which results they still find."""

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


def looked_at(service: EffectiveService, free: float, due: float) -> float:
    """When a handler that is free from ``free`` on reads what is ready at ``due``, but for its random wait."""
    if service.round_ticks:
        return free + math.ceil(max(0.0, due - free) / service.round_ticks) * service.round_ticks
    return max(free, due) + service.notice_ticks


class MainWork:
    """What a main loop does with results that it has fetched, in ticks, besides fetching them."""

    def __init__(self, service: EffectiveService) -> None:
        self._service = service
        self._place = 0
        """Of the next result, since the start."""
        self._held = 0
        """Results that were fetched and not sent."""

    def after(self, fetched: int, lost: int) -> float:
        """For so many results, so many others having been lost before them."""
        service, ticks = self._service, 0.0
        if lost and service.gap_ticks and self._held:
            ticks, self._held = self._sending(), 0
        first = self._place + lost
        self._place = first + fetched
        self._held += fetched
        if not service.half or self._place // service.half > first // service.half:
            ticks += self._sending() if service.later_ticks else 0.0
            self._held = 0
        return ticks

    def _sending(self) -> float:
        """Of what it holds: as long as it takes for one, and of what that is less than for a half the share
        that there are more."""
        service = self._service
        if not service.gap_ticks:
            return service.later_ticks
        share = (self._held - 1) / max(1.0, service.half - 1)
        return service.gap_ticks + share * max(0.0, service.later_ticks - service.gap_ticks)


class Processor:
    """What ISRs take turns in: that whose results were ready first comes first."""

    def __init__(self) -> None:
        self.free = 0.0
        """When the ISR that was called last is through."""
        self._isrs: list[IsrTimeline] = []

    @property
    def is_shared(self) -> bool:
        """There is more than one ISR."""
        return len(self._isrs) > 1

    def join(self, isr: IsrTimeline) -> None:
        """One more that takes turns."""
        self._isrs.append(isr)

    def call_all(self) -> None:
        """Call ISRs as far as the results of all are known."""
        known = min(isr.known_ticks for isr in self._isrs)
        while True:
            first = min(self._isrs, key=_due)
            if first.due_ticks >= known or not first.call(known):
                return


class IsrTimeline:
    """Serves one result after the other, in turns with the other ISRs of its processor.

    A call comes when a unit of results is ready; it reads ``notice`` later, and is busy for
    ``rest``.
    What of one register is overwritten by then is lost; a FIFO keeps its oldest.
    """

    def __init__(
        self, service: EffectiveService, key: tuple[int, int], processor: Processor | None = None
    ) -> None:
        self._service = service
        self._processor = processor if processor is not None else Processor()
        self._random = np.random.Generator(np.random.SFC64([*key, 0x5E7]))
        self._waits: list[float] = []
        self._times: list[float] = []
        """When those were ready that were given and have not been told of."""
        self._free = 0.0
        """When the main loop is through with what the last call fetched."""
        self._next = 0
        """Among them, the first that no call has found or lost."""
        self._kept: list[int] = []
        self._work = MainWork(service)
        self.known_ticks = 0.0
        """Every result that is ready before then has been given."""
        self.due_ticks = math.inf
        """When the interrupt for the next call came; infinite where none that is known did."""
        if not service.never:
            self._processor.join(self)

    def serve(self, ends_ticks: FloatArray, known_ticks: float) -> ServedResults:
        """Serve results that are ready at the given instants, in order.

        Parameters
        ----------
        ends_ticks : (n,) float64
            Of results not given before; those that were left waiting come first in ``places``.
        known_ticks : float
            Every result that is ready before then has been given.
        """
        service, processor = self._service, self._processor
        if service.never:
            return ServedResults(np.empty(0, dtype=np.int64), len(ends_ticks))
        self.known_ticks = known_ticks
        if not processor.is_shared and service.jitter_ticks == 0 and not service.round_ticks:
            ends = np.concatenate((self._times, ends_ticks)) if self._times else ends_ticks
            if self._is_leisurely(ends, known_ticks):
                return self._served_in_time(ends)
        self._times += ends_ticks.tolist()
        self._look_for_next()
        processor.call_all()
        done, kept = self._next, self._kept
        self._times, self._next, self._kept = self._times[done:], 0, []
        return ServedResults(np.array(kept, dtype=np.int64), done - len(kept))

    def end(self) -> None:
        """No result comes any more."""
        self.known_ticks = math.inf

    @property
    def takes_turns(self) -> bool:
        """There are other ISRs on its processor."""
        return self._processor.is_shared

    @property
    def waiting(self) -> int:
        """Results that were given and not told of."""
        return len(self._times)

    def _served_in_time(self, ends: FloatArray) -> ServedResults:
        """Each unit is fetched before the next result comes."""
        whole = len(ends) // self._service.unit * self._service.unit
        self._times = ends[whole:].tolist()
        if whole:
            self._takes(float(ends[whole - 1]) + self._service.notice_ticks, whole, 0)
        self._look_for_next()
        return ServedResults(np.arange(whole), 0)

    def _is_leisurely(self, ends: FloatArray, known_ticks: float) -> bool:
        """Each call is over before the next result comes, the last one before anything unknown
        can."""
        if not len(ends) or max(self._free, self._processor.free) > ends[0]:
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
            or float(np.diff(units).min())
            > service.notice_ticks + service.rest_ticks + service.later_ticks
        )

    def _takes(self, read: float, fetched: int, lost: int) -> None:
        """It has read so many results, and missed so many before them, and works on."""
        self._processor.free = read + self._service.rest_ticks
        self._free = self._processor.free + self._work.after(fetched, lost)

    def _wait(self) -> float:
        """A random share of the longest wait; the same one until it is used."""
        if not self._waits:
            self._waits = self._random.random(1024).tolist()
        return self._waits[-1]

    def _look_for_next(self) -> None:
        last = self._next + self._service.unit - 1
        self.due_ticks = max(self._free, self._times[last]) if last < len(self._times) else math.inf

    def call(self, known_ticks: float) -> bool:
        """The next call, if all that is ready by then is known; whether it came."""
        service, times = self._service, self._times
        free = self._free if service.round_ticks else self._processor.free
        read = looked_at(service, free, self.due_ticks)
        if service.jitter_ticks:
            # A wait is a whole number of clocks, each as likely as any other.
            read += math.floor(self._wait() * (service.jitter_ticks + 1))
        if read >= known_ticks:
            return False
        if service.jitter_ticks:
            self._waits.pop()
        unit, index = service.unit, self._next
        came = index + unit
        while came < len(times) and times[came] <= read:
            came += 1
        lost = 0
        if service.keep == "oldest":
            self._kept.extend(range(index, min(came, index + service.depth)))
        else:
            whole = (came - index) // unit
            came = index + whole * unit
            lost = came - index - unit
            self._kept.extend(range(came - unit, came))
        self._next = came
        self._takes(read, came - index - lost, lost)
        self._look_for_next()
        return True


def _due(isr: IsrTimeline) -> float:
    return isr.due_ticks
