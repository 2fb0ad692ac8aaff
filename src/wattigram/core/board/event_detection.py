"""Windows, twins and comparators: what makes events."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.board.event_timed_codes import NumberedNoise
from wattigram.core.board.output_waveforms import Outputs
from wattigram.core.board.processing import NOTHING, Values
from wattigram.core.contract.board_config import EffectiveBench, EffectiveComparator, EffectiveWatch

IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]
LOOKS = 1 << 14
LONGEST_WAIT = 1 << 16
"""Values kept while the other signal's are awaited; older ones find no partner any more."""


class DetectedEvent(msgspec.Struct, frozen=True):
    """One event: whether a condition began, or ended; ``at`` counts the values of this call."""

    watch: int
    entered: bool
    value: int
    ticks: int
    at: int


class ThresholdDetector:
    """Judges the values of one stream, less those of another where there is one."""

    def __init__(self, watch: EffectiveWatch, number: int) -> None:
        self.watch = watch
        self.number = number
        self._inside = False
        self._run = 0
        self._armed = watch.armed
        self._mine = NOTHING
        self._other = NOTHING

    def feed(self, values: Values, other: Values | None = None) -> list[DetectedEvent]:
        """Judge new values; with another signal those that its own newest allow."""
        if self.watch.other is not None:
            values = self._difference(values, other or NOTHING)
        elif self.watch.target:
            values = Values(values.values - self.watch.target, values.ticks)
        return self._judge(values) if self._armed else []

    def set_up(self, watch: EffectiveWatch) -> None:
        """Other limits from now on; armed anew where it is armed otherwise than before."""
        if watch.armed != self.watch.armed or watch.once != self.watch.once:
            self._armed = watch.armed
        self.watch = watch

    def rearm(self) -> None:
        """Forget that the condition holds."""
        self._inside = False
        self._run = 0

    def _difference(self, mine: Values, other: Values) -> Values:
        mine = _joined(self._mine, mine)
        other = _joined(self._other, other)
        if not len(other.values):
            self._mine, self._other = _after(mine, max(0, len(mine.values) - LONGEST_WAIT)), other
            return NOTHING
        count = int(np.searchsorted(mine.ticks, other.ticks[-1], side="right"))
        ticks, values = mine.ticks[:count], mine.values[:count]
        newest = np.searchsorted(other.ticks, ticks, side="right") - 1
        places = np.maximum(newest, 0)
        if self.watch.reach_ticks is not None:
            after = np.minimum(newest + 1, len(other.ticks) - 1)
            places = np.where(
                np.abs(other.ticks[after] - ticks) < np.abs(ticks - other.ticks[places]),
                after,
                places,
            )
            near = np.abs(other.ticks[places] - ticks) <= self.watch.reach_ticks
            ticks, values, places = ticks[near], values[near], places[near]
        self._mine = _after(mine, count)
        self._other = _after(other, max(0, int(newest[-1])) if count else 0)
        less = np.rint(other.values[places] * self.watch.other_factor).astype(np.int64)
        return Values(values - less, ticks)

    def _judge(self, results: Values) -> list[DetectedEvent]:
        watch, values = self.watch, results.values
        if not len(values):
            return []
        enters, leaves = watch_masks(watch, values)
        if watch.times > 1:
            enters = self._in_a_row(enters)
        events: list[DetectedEvent] = []
        position = 0
        while position < len(values) and self._armed:
            wanted = leaves if self._inside else enters
            if watch.every and self._inside:
                wanted = leaves | enters
            step = int(np.argmax(wanted[position:]))
            if not wanted[position + step]:
                break
            position += step
            entered = (
                bool(enters[position])
                if self._inside and watch.every and not leaves[position]
                else not self._inside
            )
            self._inside = entered
            events.append(
                DetectedEvent(
                    self.number,
                    entered,
                    int(values[position]),
                    int(results.ticks[position]),
                    position,
                )
            )
            if watch.once and entered:
                self._armed = False
            position += 1
        return events

    def _in_a_row(self, holds: BoolArray) -> BoolArray:
        """Where the condition holds for the so-manieth time in a row."""
        places = np.arange(1, len(holds) + 1)
        breaks = np.maximum.accumulate(np.where(holds, 0, places))
        length = np.where(breaks == 0, places + self._run, places - breaks)
        self._run = int(length[-1]) if holds[-1] else 0
        return holds & (length >= self.watch.times)


def watch_masks(watch: EffectiveWatch, values: IntArray) -> tuple[BoolArray, BoolArray]:
    """Where the condition begins to hold, and where it has ceased by the hysteresis.

    ``values`` and both masks are (n,).
    """
    low, high, slack = watch.low, watch.high, watch.hysteresis
    match watch.condition:
        case "outside":
            return (values < low) | (values > high), (values >= low + slack) & (
                values <= high - slack
            )
        case "inside":
            return (values >= low) & (values <= high), (values < low - slack) | (
                values > high + slack
            )
        case "above":
            return values > high, values <= high - slack
        case "below":
            return values < low, values >= low + slack


def _joined(first: Values, second: Values) -> Values:
    return Values(
        np.concatenate((first.values, second.values)), np.concatenate((first.ticks, second.ticks))
    )


def _after(values: Values, count: int) -> Values:
    return Values(values.values[count:], values.ticks[count:])


class ComparatorDetector:
    """A comparator that looks at its pin again and again, noise and all."""

    def __init__(
        self,
        comparator: EffectiveComparator,
        index: int,
        bench: EffectiveBench,
        outputs: Outputs,
        tick_hz: int,
        seed: int,
    ) -> None:
        self.comparator = comparator
        self._outputs = outputs
        self._bench = bench
        self._tick_hz = tick_hz
        self._noise = NumberedNoise(seed, index, 0xC0)
        self._looks = 0
        self._high = False
        self._known = False
        self._stood = 0, False, False
        """Looks, and its output, before it was last let look."""

    def set_bench(self, bench: EffectiveBench) -> None:
        """Turn the knobs; holds from the next look on."""
        self._bench = bench

    def begin(self, ticks: int) -> None:
        """It is switched on: its output was not seen before."""
        self._looks, self._known = int(ticks / self.comparator.response_ticks), False

    def take_back(self, ticks: int) -> None:
        """What it saw after ``ticks`` it did not see."""
        self._looks, self._high, self._known = self._stood
        self.advance(ticks)

    def set_up(self, comparator: EffectiveComparator) -> None:
        """It has another input, level or hysteresis; its output is what it was, until the next look."""
        self.comparator = comparator

    def advance(self, ticks: int) -> list[DetectedEvent]:
        """Edges of its output until then."""
        self._stood = self._looks, self._high, self._known
        comparator = self.comparator
        wanted = int(ticks / comparator.response_ticks)
        events: list[DetectedEvent] = []
        while self._looks < wanted:
            stop = min(wanted, self._looks + LOOKS)
            events += self._look(self._looks, stop)
            self._looks = stop
        return events

    def _look(self, begin: int, end: int) -> list[DetectedEvent]:
        comparator = self.comparator
        drive = self._bench.pins[comparator.pin]
        at_ticks = np.arange(begin, end) * comparator.response_ticks
        times_s = at_ticks / self._tick_hz
        volts = self._outputs.drive_voltage(drive, times_s)
        if comparator.against is not None:
            volts = volts - self._outputs.course(comparator.against).at(times_s)
        volts += drive.noise_v * self._noise.values(begin, end)
        says = np.where(
            volts > comparator.rising_v, 1, np.where(volts < comparator.falling_v, 0, -1)
        )
        places = np.maximum.accumulate(np.where(says >= 0, np.arange(len(says)), -1))
        before = int(self._high)
        state = np.where(places >= 0, says[np.maximum(places, 0)], before)
        if not self._known:
            before, self._known = int(state[0]), True
        changes = np.flatnonzero(np.diff(np.concatenate(([before], state))))
        self._high = bool(state[-1])
        events = []
        for place in changes:
            rises = bool(state[place])
            if comparator.edge == "both" or rises == (comparator.edge == "rising"):
                events.append(
                    DetectedEvent(
                        comparator.watch, rises, int(rises), int(at_ticks[place]), int(place)
                    )
                )
        return events
