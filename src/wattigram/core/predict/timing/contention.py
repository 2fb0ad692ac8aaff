"""ISRs of several converters on one processor: how long one waits for the others, and what is lost by it.

No ISR interrupts another: whichever was asked for first runs, to its end. A converter whose results wait in
one register for less than that loses some of them, however little of the processor all ISRs take.
"""

from __future__ import annotations

import math
from fractions import Fraction
from functools import lru_cache

import msgspec
import numpy as np

from wattigram.core.model.design.project import Chain
from wattigram.core.model.design.retrieval import Dma, Fifo
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.timing.cycle import scan_timing
from wattigram.core.predict.timing.deadlines import fetched_at_once, ready_s, shortest_s
from wattigram.core.predict.timing.isr_cost import (
    has_isr,
    isr_service_s,
    service_cycles,
    software_step,
    starts_each,
)

CALLS = 20_000
"""Calls that are followed one by one; those that find nobody else are passed over."""
JUST_ENOUGH = 0.03
"""Where ISRs want all the time there is within this, they fall behind little by little, or catch up."""
LONGER = 8
"""So much longer they are followed then."""


def takes_turns(workspace: Workspace, chain: Chain) -> bool:
    """Its results are fetched by an ISR that comes when hardware says so. One that starts what comes next
    itself is waited for."""
    return (
        has_isr(chain)
        and not starts_each(workspace, chain)
        and scan_timing(workspace, chain).served is None
    )


def held_up_s(workspace: Workspace, chain: Chain) -> Fraction:
    """The longest that ISRs of other converters can hold up this one's: each of them comes first once."""
    others = (other for other in workspace.project.chains if other.converter != chain.converter)
    return sum(
        (
            isr_service_s(workspace, other) + software_step(workspace, other).jitter_s
            for other in others
            if takes_turns(workspace, other)
        ),
        Fraction(0),
    )


def is_contended(workspace: Workspace) -> bool:
    """ISRs may come in each other's way so that something is lost."""
    return workspace.known.answer((is_contended,), lambda: _may_lose(workspace))


def _may_lose(workspace: Workspace) -> bool:
    taking = [chain for chain in workspace.project.chains if takes_turns(workspace, chain)]
    return len(taking) > 1 and any(_may_be_late(workspace, chain) for chain in taking)


def _may_be_late(workspace: Workspace, chain: Chain) -> bool:
    cycle = scan_timing(workspace, chain)
    if isinstance(chain.readout, Dma) and chain.readout.ends_as_meant:
        return False  # nothing is written over
    needed_s = service_cycles(workspace, chain) / workspace.bus_clock_hz
    needed_s += software_step(workspace, chain).jitter_s
    return needed_s + held_up_s(workspace, chain) >= shortest_s(workspace, chain, cycle)


def lost_in_turns(workspace: Workspace) -> dict[str, float]:
    """Share of its results that each converter loses whose ISR takes turns with others, 0 to 1."""
    taking = [chain for chain in workspace.project.chains if takes_turns(workspace, chain)]
    going = [chain for chain in taking if scan_timing(workspace, chain).items_limit is None]
    shares = lost_shares(tuple(_isr(workspace, chain) for chain in going))
    return {chain.converter: share for chain, share in zip(going, shares, strict=True)}


def _isr(workspace: Workspace, chain: Chain) -> Isr:
    cycle, step = scan_timing(workspace, chain), software_step(workspace, chain)
    clock_hz = workspace.bus_clock_hz
    unit, depth = fetched_at_once(chain, workspace.converter(chain).fifo_items)
    return Isr(
        tuple(float(end_s * clock_hz) for end_s in ready_s(cycle, len(cycle.slots))),
        float(cycle.cycle_s * clock_hz),
        unit,
        depth if isinstance(chain.readout, Fifo) else None,
        float((step.notice_s - step.jitter_s / 2) * clock_hz),
        float((step.handle_s + step.leave_s) * clock_hz),
        step.jitter,
        float(step.later_s * clock_hz),
    )


class Isr(msgspec.Struct, frozen=True):
    """An ISR, and when it is called, in clocks.

    ``ready`` are instants after a scan's start at which results are ready, ascending; ``period`` is from scan
    to scan. Each call takes ``unit`` results, the newest that are there, or of a FIFO of ``depth`` the oldest;
    it reads ``entry`` after its turn has come, up to ``jitter`` later, and is over ``rest`` after that. The
    main loop then works on them for ``later``, before which it can take no others.
    """

    ready: tuple[float, ...]
    period: float
    unit: int
    depth: int | None
    entry: float
    rest: float
    jitter: int
    later: float = 0.0

    def at(self, number: int) -> float:
        """When the result of this number is ready."""
        scan, place = divmod(number, len(self.ready))
        return scan * self.period + self.ready[place]

    @property
    def load(self) -> float:
        """Share of the processor that it wants."""
        return (
            (self.entry + self.jitter / 2 + self.rest) * len(self.ready) / self.unit / self.period
        )

    @property
    def longest(self) -> float:
        """A call, with the longest wait."""
        return self.entry + self.jitter + self.rest + self.later

    def is_in_time_alone(self) -> bool:
        """Each call is over before the next comes, where there is no other ISR."""
        unit = self.unit
        gaps = [
            (self.at(last + unit) - self.at(last), self.at(last + 1) - self.at(last))
            for last in range(unit - 1, unit * (len(self.ready) + 1), unit)
        ]
        if self.depth is not None and self.entry + self.jitter >= min(gap for _, gap in gaps):
            return False  # it takes what came for the next call as well
        return self.longest < min(gap for gap, _ in gaps)


class _Turns:
    """How far one ISR has come."""

    def __init__(self, isr: Isr, key: int) -> None:
        self.isr = isr
        self.next = 0
        self.kept = 0
        self.free = -1.0
        self.is_easy = isr.is_in_time_alone()
        self._drawn = np.random.Generator(np.random.SFC64([CALLS, key]))
        self._waits: list[int] = []

    @property
    def due(self) -> float:
        return max(self.free, self.isr.at(self.next + self.isr.unit - 1))

    def call(self, free: float) -> float:
        """Take what is there when its turn comes; gives when it is through."""
        isr, first = self.isr, self.next
        if not self._waits:
            self._waits = self._drawn.integers(0, isr.jitter + 1, CALLS).tolist()
        read = max(free, self.due) + isr.entry + self._waits.pop()
        came = first + isr.unit
        while isr.at(came) <= read:
            came += 1
        if isr.depth is None:
            came = first + (came - first) // isr.unit * isr.unit
            self.kept += isr.unit
        else:
            self.kept += min(came - first, isr.depth)
        self.next = came
        self.free = read + isr.rest + isr.later
        return read + isr.rest

    def pass_over(self, until: float) -> None:
        """Calls that are over by then find no other, and so each finds its own results."""
        isr = self.isr
        scans = math.floor((until - isr.longest - self.due) / isr.period) - 1
        if self.is_easy and scans > 0:
            units = scans * len(isr.ready) // isr.unit
            self.next += units * isr.unit
            self.kept += units * isr.unit


@lru_cache(maxsize=64)
def lost_shares(isrs: tuple[Isr, ...]) -> tuple[float, ...]:
    """Share of the results of each that are overwritten before they are fetched, in the long run.

    It is followed call by call, and so kept for as long as nothing about the ISRs is edited.
    """
    turns = [_Turns(isr, key) for key, isr in enumerate(isrs)]
    free = -1.0
    is_close = abs(1 - sum(isr.load for isr in isrs)) < JUST_ENOUGH
    calls = CALLS * LONGER if is_close else CALLS
    before = [(0, 0)] * len(turns)
    for number in range(calls if turns else 0):
        if number == calls // 4:  # how it begins is not how it goes on
            before = [(one.kept, one.next) for one in turns]
        first = min(turns, key=_due)
        others = [one.due for one in turns if one is not first]
        if free <= first.due and others:
            first.pass_over(min(others))
        free = first.call(free)
    return tuple(
        1 - (one.kept - kept) / (one.next - first) if one.next > first else 0.0
        for one, (kept, first) in zip(turns, before, strict=True)
    )


def _due(turns: _Turns) -> float:
    return turns.due
