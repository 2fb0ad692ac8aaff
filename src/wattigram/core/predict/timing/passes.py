"""Passes that the program itself starts when it has fetched the last result of the one before.

A call reads at ``max(free, ready) + entry + j`` with j from 0 to the longest wait; of what was
ready by then only the newest unit is there. A main loop looks once in each round instead, counted
from where it was free: its waits are no chance. Whoever reads the last unit of a pass starts the
next one, so that each pass finds the same handler; only where the main loop was kept by a half that
was full does a pass find it later.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from fractions import Fraction
from itertools import combinations, pairwise
from math import lcm

import msgspec
import numpy as np

from wattigram.core.predict.timing.losses import PLAYED, UNLIKELY, Frames, Sender, look_at, waits

MOST_STEPS = 60_000


class IsrTiming(msgspec.Struct, frozen=True):
    """A handler of results, in clocks.

    Attributes
    ----------
    entry, jitter
        From a result, or from when the handler is free, to the reading: ``entry`` to ``entry +
        jitter``.
    work, restart, leave
        Work on a result; starting anew, after the last one of a pass; ending the interrupt, or the round
        of the main loop.
    round
        From one look of the main loop to the next; 0 where nothing goes round.
    """

    entry: Fraction
    jitter: int
    work: Fraction
    restart: Fraction
    leave: Fraction
    round: Fraction = Fraction(0)

    def reads(self, free: Fraction, ready: Fraction, wait: int) -> Fraction:
        """When it reads what is ready then, where it is free from ``free`` on."""
        if self.round:
            return look_at(free, ready, self.round)
        return max(free, ready) + self.entry + wait


class Halves(msgspec.Struct, frozen=True):
    """What else is done for each half of a buffer that is full, in clocks.

    A pass brings ``results`` of the ``half`` that fill one. Its ISR takes ``isr`` at the end of that pass, the
    main loop ``later`` in the next.
    """

    results: int
    half: Fraction
    isr: Fraction
    later: Fraction

    @property
    def passes(self) -> Fraction:
        """From one that fills a half to the next."""
        return self.half / self.results


class Longer(msgspec.Struct, frozen=True):
    """Every ``passes`` of them, on the mean, one takes ``more`` clocks than others, less where it is
    negative."""

    passes: Fraction
    more: Fraction


class ServedScan(msgspec.Struct, frozen=True):
    """What becomes of a pass.

    Attributes
    ----------
    mean, least, most
        Clocks from its start to the start of the next.
    lost : float
        Share of its units that are overwritten, 0 to 1; exactly 0 where none can be.
    in_time : bool
        The handler is free before each result, whatever it waited for: only the last one's waits
        last.
    usual : Fraction
        Mean clocks of a pass that fills no half.
    longer : tuple of Longer
        Those that do; where several halves are full at once, what that makes of it comes besides.
    """

    mean: Fraction
    least: Fraction
    most: Fraction
    lost: float
    in_time: bool = False
    usual: Fraction = Fraction(0)
    longer: tuple[Longer, ...] = ()


def served_scan(
    ready: Sequence[Fraction],
    handler: IsrTiming,
    halves: Sequence[Halves] = (),
    frames: Frames | None = None,
) -> ServedScan:
    """Length and losses of a pass whose units are ready at these clocks after its start,
    ascending. ``frames`` are those of a main loop that sends what it polls; where nothing is lost,
    its halves say all."""
    usual = _usual(ready, handler)
    if usual.lost and frames is not None and frames.gap:
        return _sent(ready, handler, frames)
    mean, lost, most = usual.mean, usual.lost, usual.most
    least, in_time = usual.least, usual.in_time
    longer: list[Longer] = []
    known: dict[tuple[int, ...], tuple[Fraction, float]] = {}
    for kinds, passes in _at_once(halves):
        isr = sum((halves[kind].isr for kind in kinds), Fraction(0))
        after = _usual(ready, handler, sum((halves[kind].later for kind in kinds), Fraction(0)))
        # What these come to together is more than each alone: the wait for results is over only once.
        parts = [known[fewer] for fewer in known if set(fewer) < set(kinds)]
        more = after.mean + isr - usual.mean - sum((part[0] for part in parts), Fraction(0))
        lost_more = after.lost - usual.lost - sum(part[1] for part in parts)
        known[kinds] = more, lost_more
        mean += more / passes
        lost += lost_more / max(1.0, float(passes))
        least, most = min(least, after.least + isr), max(most, after.most + isr)
        in_time = in_time and after.in_time
        if more:
            longer.append(Longer(passes, more))
    return ServedScan(mean, least, most, max(0.0, lost), in_time, usual.mean, tuple(longer))


def _at_once(halves: Sequence[Halves]) -> Iterator[tuple[tuple[int, ...], Fraction]]:
    """Kinds of halves that are full after the same pass, and the passes from one such to the next; of those
    that fill after no whole number of passes each is taken for itself."""
    kinds = range(len(halves))
    for kind in kinds:
        yield (kind,), halves[kind].passes
    whole = [kind for kind in kinds if halves[kind].later and halves[kind].passes.denominator == 1]
    for count in range(2, len(whole) + 1):
        for some in combinations(whole, count):
            yield some, Fraction(lcm(*(int(halves[kind].passes) for kind in some)))


def _usual(
    ready: Sequence[Fraction], handler: IsrTiming, later: Fraction = Fraction(0)
) -> ServedScan:
    """Of passes that all find the handler alike, free so much later than it would be."""
    free = handler.leave + later
    if _is_in_time(ready, handler, free):
        least = ready[-1] + handler.entry + handler.work + handler.restart
        return ServedScan(
            least + Fraction(handler.jitter, 2), least, least + handler.jitter, 0.0, in_time=True
        )
    if handler.jitter == 0:
        calls = list(_calls(ready, handler, free, iter(lambda: 0, None)))
        length = calls[-1][1] + handler.work + handler.restart
        lost = 1 - len(calls) / len(ready)
        return ServedScan(length, length, length, lost, len(ready) == 1)
    return _followed(ready, handler, free) or _played(ready, handler, free)


def _is_in_time(ready: Sequence[Fraction], handler: IsrTiming, free: Fraction) -> bool:
    """The handler is free before each result, whatever it waited for."""
    if handler.round:
        return False
    busy = handler.entry + handler.jitter + handler.work + handler.leave
    return free <= ready[0] and all(later - earlier >= busy for earlier, later in pairwise(ready))


def _sent(ready: Sequence[Fraction], handler: IsrTiming, frames: Frames) -> ServedScan:
    """Passes of a main loop that sends what it has fetched wherever it finds results lost: what it sends makes
    it lose more."""
    sender, ends = Sender(frames), [float(clock) for clock in ready]
    leave, work, restart = float(handler.leave), float(handler.work), float(handler.restart)
    each, entry = float(handler.round), float(handler.entry) + handler.jitter / 2
    late, reads = 0.0, 0
    lengths: list[float] = []
    while reads < PLAYED:
        free, number = leave + late, 0
        while number < len(ends):
            read = look_at(free, ends[number], each) if each else max(free, ends[number]) + entry
            lost = 0
            while number + lost + 1 < len(ends) and ends[number + lost + 1] <= read:
                lost += 1
            late = sender.fetched(1, lost)
            free = read + work + leave + late
            number += lost + 1
            reads += 1
        lengths.append(read + work + restart)
    mean, least, most = (
        Fraction(clocks).limit_denominator(10**6)
        for clocks in (sum(lengths) / len(lengths), min(lengths), max(lengths))
    )
    lost_share = 1 - reads / (len(lengths) * len(ends))
    return ServedScan(mean, least, most, lost_share, usual=mean)


def _calls(
    ready: Sequence[Fraction], handler: IsrTiming, free: Fraction, drawn: Iterator[int]
) -> Iterator[tuple[int, Fraction]]:
    """Unit and instant of each reading in a pass."""
    number = 0
    while number < len(ready):
        read = handler.reads(free, ready[number], next(drawn))
        while number + 1 < len(ready) and ready[number + 1] <= read:
            number += 1
        yield number, read
        free = read + handler.work + handler.leave
        number += 1


def _followed(
    ready: Sequence[Fraction], handler: IsrTiming, free_at: Fraction
) -> ServedScan | None:
    """Every course that waits may take, with its likelihood; None where there are too many to
    follow."""
    chances = waits(handler.jitter)
    units, last = [float(clock) for clock in ready], len(ready) - 1
    entry, busy = float(handler.entry), float(handler.work + handler.leave)
    pending: list[dict[float, float]] = [defaultdict(float) for _ in units]
    pending[0][float(free_at)] = 1.0
    lost = mean = steps = 0.0
    least, most = float("inf"), 0.0
    for number, states in enumerate(pending):
        steps += len(states) * len(chances)
        if steps > MOST_STEPS:
            return None
        for free, likelihood in states.items():
            if likelihood < UNLIKELY:
                continue
            begin = max(free, units[number]) + entry
            for wait, chance in chances:
                read, served = begin + wait, number
                while served < last and units[served + 1] <= read:
                    served += 1
                lost += likelihood * chance * (served - number)
                if served == last:
                    mean += likelihood * chance * read
                    least, most = min(least, read), max(most, read)
                    continue
                # What is free before the next unit is ready is free, whenever that was.
                state = max(round(read + busy, 6), units[served + 1])
                pending[served + 1][state] += likelihood * chance
    after = handler.work + handler.restart
    lengths = [Fraction(clock).limit_denominator(10**6) + after for clock in (mean, least, most)]
    return ServedScan(lengths[0], lengths[1], lengths[2], lost / len(units))


def _played(ready: Sequence[Fraction], handler: IsrTiming, free: Fraction) -> ServedScan:
    """The same with waits drawn one after the other, always the same ones."""
    drawn = iter(
        np.random.Generator(np.random.SFC64(PLAYED))
        .integers(0, handler.jitter + 1, PLAYED + len(ready))
        .tolist()
    )
    lengths: list[Fraction] = []
    reads = 0
    while reads < PLAYED:
        served = list(_calls(ready, handler, free, drawn))
        reads += len(served)
        lengths.append(served[-1][1] + handler.work + handler.restart)
    share = 1 - reads / (len(lengths) * len(ready))
    return ServedScan(sum(lengths, Fraction(0)) / len(lengths), min(lengths), max(lengths), share)
