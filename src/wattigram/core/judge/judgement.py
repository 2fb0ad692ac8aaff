"""What a judge comes to: an outcome with its number and limits."""

from __future__ import annotations

import msgspec

from wattigram.core.capture.take import Take
from wattigram.core.judge.verdict import Outcome
from wattigram.core.model.design import Chain, TimerTrigger
from wattigram.core.predict.timing import scan_timing

MOST_UNTOLD_LAPS = 2
"""Of a loop; a rate can be told of more than these, whatever a board sends at once."""


class Judgement(msgspec.Struct, frozen=True):
    """An outcome; see :class:`~wattigram.core.judge.verdict.Verdict`."""

    outcome: Outcome
    measured: float | None
    unit: str
    low: float | None
    high: float | None
    samples: int
    note: str


def not_judged(note: str) -> Judgement:
    """There is nothing to judge, and why."""
    return Judgement("open", None, "", None, None, 0, note)


def due_items(take: Take, chain: Chain) -> float:
    """Items that a chain should have brought in the time that the board ran; of one that ends by
    design no more than it has."""
    cycle = scan_timing(take.workspace, chain)
    trigger = take.workspace.project.own_trigger(chain)
    rate_hz = float(cycle.handed_rate_hz)
    if isinstance(trigger, TimerTrigger) and cycle.read_period_s is None:
        units = len(chain.slots) if chain.per_trigger == "conversion" else 1
        rate_hz = float(1 / trigger.period_s) / units
    due = take.span_of(chain) * rate_hz * len(chain.slots)
    limit = single_run_items(take, chain)
    if limit is None:
        return due
    first = take.first_item(take.workspace.project.chains.index(chain))
    return min(due, float(max(0, limit - first)))


def single_run_items(take: Take, chain: Chain) -> int | None:
    """Items of a chain that is meant to end; None where it is meant to go on, whatever it does."""
    cycle = scan_timing(take.workspace, chain)
    return cycle.items_limit if cycle.is_single_run else None


def running_s(take: Take, chain: Chain) -> float:
    """How long a chain brings samples in a take: as long as it was recorded, or until a single run is
    over."""
    limit = single_run_items(take, chain)
    if limit is None:
        return take.span_of(chain)
    cycle_s = scan_timing(take.workspace, chain).cycle_s
    until_s = min(take.seconds, float(limit * cycle_s / len(chain.slots)))
    return max(0.0, until_s - (take.seconds - take.span_of(chain)))


def within(measured: float, low: float | None, high: float | None) -> Outcome:
    """Whether a number lies within its limits."""
    inside = (low is None or measured >= low) and (high is None or measured <= high)
    return "holds" if inside else "fails"
