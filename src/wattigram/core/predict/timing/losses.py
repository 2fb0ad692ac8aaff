"""Which share of its results a handler loses, event by event, with the wait before each interrupt
as it varies.

A call reads at ``max(free, ready) + entry + j`` with j from 0 to the longest wait, each whole clock
as likely as any
other; it is free again after the rest of its work. Of what was ready by then only the newest unit
is there. Means
would not do: unequal slots carry waits over, and a handler a little longer than the period loses by
jitter alone.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from fractions import Fraction
from typing import TypeVar

import msgspec
import numpy as np

Clocks = TypeVar("Clocks", float, Fraction)

MOST_WAITS = 33
"""Different waits that are followed; a longer jitter is followed in as many equal steps."""
UNLIKELY = 1e-10
MOST_SCANS = 2000
MOST_STEPS = 60_000
FEWEST_UNITS = 100
SETTLED = 8
CLOSE = 1e-6
STILL = 1e-3
"""Clocks by which the lateness of calls may still change from scan to scan."""
PLAYED = 40_000


def waits(jitter: int) -> list[tuple[float, float]]:
    """Waits in clocks, with their likelihoods: 0 to ``jitter``, each whole number alike."""
    if jitter < MOST_WAITS:
        return [(float(wait), 1 / (jitter + 1)) for wait in range(jitter + 1)]
    return [(jitter * number / (MOST_WAITS - 1), 1 / MOST_WAITS) for number in range(MOST_WAITS)]


def overwritten_share(
    ready: Sequence[Fraction],
    period: Fraction,
    unit: int,
    entry: Fraction,
    rest: Fraction,
    jitter: int,
) -> float:
    """Share of units that are overwritten before they are read, in the long run.

    Parameters
    ----------
    ready : clocks after a period's start at which results are ready, ascending, within one period
    of each other
    period : clocks after which they come again
    unit : results that a call takes; it must divide their count
    entry, rest : clocks from the interrupt to the reading without any wait, and from there until it
    is free

    Returns
    -------
    0 to 1; exactly 0 where none can ever be lost
    """
    units = [float(instant) for instant in ready[unit - 1 :: unit]]
    length, before_s, after_s = float(period), float(entry), float(rest)
    if not units or length <= 0:
        return 0.0
    if not _can_lose(units, length, before_s + jitter, after_s):
        return 0.0
    chances = waits(jitter)
    count = len(units)
    # For each unit that a call may look for next: when the handler is free by then, with
    # likelihoods.
    pending: dict[int, dict[float, float]] = {0: {-1.0: 1.0}}
    shares: list[float] = []
    lates: list[float] = []
    steps = 0
    for scan in range(MOST_SCANS):
        read_units = late = 0.0
        if (
            steps > MOST_STEPS
        ):  # a handler that falls behind little by little has too many states to follow each
            return _played_through(units, length, before_s, after_s, jitter)
        for number in range(scan * count, (scan + 1) * count):
            ready_at = _instant(units, number, length)
            for free, likelihood in pending.pop(number, {}).items():
                if likelihood < UNLIKELY:
                    continue
                read_units += likelihood
                steps += len(chances)
                late += likelihood * max(0.0, free - ready_at)
                begin = max(free, ready_at) + before_s
                for wait, chance in chances:
                    read = begin + wait
                    following = number + 1
                    while _instant(units, following, length) <= read:
                        following += 1
                    states = pending.setdefault(following, defaultdict(float))
                    # What is free before the next unit is ready is free, whenever that was.
                    states[max(round(read + after_s, 6), _instant(units, following, length))] += (
                        likelihood * chance
                    )
        shares.append(1 - read_units / count)
        lates.append(late)
        # A handler that falls behind little by little loses the same for many scans, until it has
        # slipped by one more.
        is_level = all(
            max(row[-SETTLED:]) - min(row[-SETTLED:]) < within
            for row, within in ((shares, CLOSE), (lates, STILL))
        )
        if scan * count >= FEWEST_UNITS and is_level:
            return max(0.0, shares[-1])
    return _played_through(units, length, before_s, after_s, jitter)


def _played_through(
    units: Sequence[float], length: float, before_s: float, after_s: float, jitter: int
) -> float:
    """The same with waits drawn one after the other, always the same ones."""
    drawn = np.random.Generator(np.random.SFC64(PLAYED)).integers(0, jitter + 1, PLAYED).tolist()
    free, number, read_units = -1.0, 0, 0
    for wait in drawn:
        read = max(free, _instant(units, number, length)) + before_s + wait
        number += 1
        while _instant(units, number, length) <= read:
            number += 1
        read_units += 1
        free = read + after_s
    return 1 - read_units / number


def look_at(free: Clocks, due: Clocks, each: Clocks) -> Clocks:
    """First look at or after ``due`` of a main loop that looks every ``each`` from ``free`` on."""
    waits_for = due - free
    return free if waits_for <= 0 else free + math.ceil(waits_for / each) * each


class Frames(msgspec.Struct, frozen=True):
    """What a main loop sends of the results that it polls, in clocks.

    A half of ``half`` results goes out when it is full, in ``later``; where one was lost, what came since goes
    out before, in ``gap`` for a single result, which is 0 for a program that only counts them.
    """

    half: float = 1.0
    later: float = 0.0
    gap: float = 0.0

    def of(self, results: int) -> float:
        """Clocks for so many results: those of one, and for each more what it is of those of a half."""
        if not self.gap:
            return self.later
        more = max(0.0, self.later - self.gap) / max(self.half - 1, 1.0)
        return self.gap + (results - 1) * more


class Sender(msgspec.Struct):
    """A main loop that sends them, from result to result."""

    frames: Frames
    number: int = 0
    """Results until now, those that were lost among them."""
    unsent: int = 0

    def fetched(self, results: int, lost: int) -> float:
        """Clocks that it takes to send what is due, where it has fetched so many after so many were lost."""
        frames, clocks = self.frames, 0.0
        if lost and self.unsent and frames.gap:
            clocks += frames.of(self.unsent)
            self.unsent = 0
        before = self.number + lost
        self.number = before + results
        self.unsent += results
        if self.number // frames.half > before // frames.half:
            clocks += frames.of(self.unsent) if frames.later else 0.0
            self.unsent = 0
        return clocks


class MainLoop(msgspec.Struct, frozen=True):
    """One that looks for results, in clocks: ``round`` from look to look, ``work`` from where it finds
    some until it looks again, and what it sends."""

    round: float
    work: float
    frames: Frames = Frames()


def passed_over_share(
    ready: Sequence[Fraction], period: Fraction, unit: int, loop: MainLoop
) -> float:
    """Share of units that are overwritten before a main loop comes round to them, in the long run; the
    parameters are those of :func:`overwritten_share`."""
    units = [float(instant) for instant in ready[unit - 1 :: unit]]
    length, each = float(period), loop.round
    if not units or length <= 0:
        return 0.0
    free, number, found, sender = 0.0, 0, 0, Sender(loop.frames)
    for _ in range(PLAYED):
        due = _instant(units, number, length)
        read = look_at(free, due, each)
        before = number
        number += 1
        while _instant(units, number, length) <= read:
            number += 1
        found += 1
        free = read + loop.work + sender.fetched(unit, (number - before - 1) * unit)
    return 1 - found / number


class Queue(msgspec.Struct, frozen=True):
    """A FIFO: it calls when ``mark`` results wait, and keeps the oldest ``depth``."""

    mark: int
    depth: int


def overflowed_share(
    ready: Sequence[Fraction],
    period: Fraction,
    queue: Queue,
    entry: Fraction,
    rest: Fraction,
    jitter: int,
) -> float:
    """Share of results that find a FIFO full, in the long run; parameters as of
    `overwritten_share`."""
    results, length = [float(instant) for instant in ready], float(period)
    if not results or length <= 0:
        return 0.0
    calls = -(-len(results) * 64 // queue.mark) if jitter else PLAYED // queue.mark
    longest = _through(results, length, queue, (float(entry) + jitter, float(rest)), [0] * calls)
    if jitter == 0 or longest == 0:
        return longest
    drawn = (
        np.random.Generator(np.random.SFC64(PLAYED))
        .integers(0, jitter + 1, PLAYED // queue.mark)
        .tolist()
    )
    return _through(results, length, queue, (float(entry), float(rest)), drawn)


def _through(
    results: Sequence[float],
    length: float,
    queue: Queue,
    call: tuple[float, float],
    drawn: Sequence[int],
) -> float:
    """Share of results that calls with these waits do not find; a call takes until it reads, and
    then until it is free."""
    free, index, kept = -1.0, 0, 0
    for wait in drawn:
        read = max(free, _instant(results, index + queue.mark - 1, length)) + call[0] + wait
        came = index + queue.mark
        while _instant(results, came, length) <= read:
            came += 1
        kept += min(came - index, queue.depth)
        index = came
        free = read + call[1]
    return 1 - kept / max(index, 1)


def _instant(units: Sequence[float], number: int, length: float) -> float:
    return units[number % len(units)] + number // len(units) * length


def _can_lose(units: Sequence[float], length: float, longest: float, rest: float) -> bool:
    """Whether anything is lost when every wait is the longest: each reading is later the longer the
    waits before it."""
    free = -1.0
    for number in range(len(units) * 64):
        read = max(free, _instant(units, number, length)) + longest
        if read >= _instant(units, number + 1, length):
            return True
        free = read + rest
    return False
