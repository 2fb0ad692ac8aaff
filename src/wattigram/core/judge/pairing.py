"""Two streams of a redundant pair, brought to the same instants."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.take import Take
from wattigram.core.judge.compared_streams import best_blocks, is_judged_reduced
from wattigram.core.predict.accuracy.averaging import filter_delay
from wattigram.core.predict.timing import scan_timing

FloatArray = NDArray[np.float64]


class Pairs(msgspec.Struct, frozen=True):
    """Differences of two signals at equal times.

    Attributes
    ----------
    times_s, difference_v : (n,) float64
    """

    times_s: FloatArray
    difference_v: FloatArray


def paired_blocks(take: Take, name: str, other: str) -> Iterator[Pairs]:
    """Values of one signal less those of the other at the instants that they stand for, stretch by
    stretch.

    A value of a stage stands for the middle of what it averages, and not for its last sample. The
    slower of the two
    gives the instants, and the faster one is interpolated there between neighbours that both came;
    where both come
    alike, values that are less than half a period apart are paired as they are, for the skew
    between them is real.
    """
    ours, theirs = _Course(take, name), _Course(take, other)
    our_period_s, their_period_s = _period_s(ours.times_s), _period_s(theirs.times_s)
    if our_period_s == 0 or their_period_s == 0:
        return
    ratio = our_period_s / their_period_s
    alike = 0.999 < ratio < 1.001
    slow, fast = (ours, theirs) if alike or ratio > 1 else (theirs, ours)
    fast_period_s = min(our_period_s, their_period_s)
    while len(slow.times_s) and len(fast.times_s):
        # What lies near the end of what is known of one of them waits for what comes next.
        margin_s = 2 * max(our_period_s, their_period_s)
        ends = [course.times_s[-1] - margin_s for course in (slow, fast) if not course.is_at_end]
        until_s = min(ends, default=float("inf"))
        count = int(np.searchsorted(slow.times_s, until_s))
        at = slow.times_s[:count], slow.volts[:count]
        known = fast.times_s, fast.volts
        if count and len(fast.times_s) > 1:
            if alike:
                yield _one_to_one(at, known, our_period_s)
            else:
                places, volts = _interpolated(at[0], known, fast_period_s)
                sign = 1.0 if slow is ours else -1.0
                yield Pairs(at[0][places], sign * (at[1][places] - volts))
        if not ends:
            return
        slow.drop_before(until_s)
        fast.drop_before(until_s - margin_s)
        for course in (slow, fast):
            if not course.is_at_end and (
                not len(course.times_s) or course.times_s[-1] - margin_s <= until_s
            ):
                course.read_on()


class _Course:
    """A signal as it is judged, at the instants that its values stand for; read on in blocks."""

    def __init__(self, take: Take, name: str) -> None:
        self._blocks = best_blocks(take, name)
        signal = take.workspace.project.signal(name)
        chain = take.workspace.project.chain_of(name)
        self._delay_s = 0.0
        if chain is not None and is_judged_reduced(take, name):
            rate_hz = float(scan_timing(take.workspace, chain).handed_rate_hz) * len(
                chain.places_of(name)
            )
            self._delay_s = filter_delay(signal.later_filter) / rate_hz
        self.times_s, self.volts = np.empty(0), np.empty(0)
        self.is_at_end = False
        self.read_on()

    def read_on(self) -> None:
        """One block more of what came; the end is known once there is no other."""
        block = next(self._blocks, None)
        if block is None:
            self.is_at_end = True
            return
        self.times_s = np.concatenate((self.times_s, block.times_s[block.valid] - self._delay_s))
        self.volts = np.concatenate((self.volts, block.volts[block.valid]))

    def drop_before(self, seconds: float) -> None:
        """Forget what is older."""
        first = int(np.searchsorted(self.times_s, seconds))
        self.times_s, self.volts = self.times_s[first:], self.volts[first:]


def _period_s(times_s: FloatArray) -> float:
    return float(np.median(np.diff(times_s))) if len(times_s) > 1 else 0.0


def _one_to_one(
    first: tuple[FloatArray, FloatArray], second: tuple[FloatArray, FloatArray], period_s: float
) -> Pairs:
    """The nearest value of the other within half a period."""
    places = np.searchsorted(second[0], first[0])
    places = np.clip(places, 1, len(second[0]) - 1)
    earlier = first[0] - second[0][places - 1] < second[0][places] - first[0]
    places = places - earlier
    near = np.abs(second[0][places] - first[0]) <= period_s / 2
    return Pairs(first[0][near], (first[1] - second[1][places])[near])


def _interpolated(
    at_s: FloatArray, other: tuple[FloatArray, FloatArray], period_s: float
) -> tuple[NDArray[np.bool_], FloatArray]:
    """(which instants lie between two neighbours that came, the other's value there)."""
    times_s, volts = other
    places = np.searchsorted(times_s, at_s, side="right")
    inside = (places > 0) & (places < len(times_s))
    after = np.clip(places, 1, len(times_s) - 1)
    inside &= times_s[after] - times_s[after - 1] < 1.5 * period_s
    return inside, np.interp(at_s[inside], times_s, volts)
