"""Whether windows and comparators told what they were to tell."""

from __future__ import annotations

from bisect import bisect_left

import msgspec
import numpy as np

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.capture.take import Take
from wattigram.core.judge.judgement import Judgement, not_judged, within
from wattigram.core.judge.nearest_match import NearestMatch
from wattigram.core.judge.threshold_events import (
    Crossings,
    comparator_edges,
    crossings,
    signal_watches,
)
from wattigram.core.judge.verdict import Outcome
from wattigram.core.model.design import EdgesExpectation, ThresholdExpectation
from wattigram.core.predict.expected import ExpectedEvent, band_half_width_v

SMALLEST_S = 1e-10


def judge_threshold(take: Take, expectation: ThresholdExpectation) -> Judgement:
    """All windows of the signal together."""
    mine = signal_watches(take, expectation.signal, "window")
    if not mine:
        return not_judged(f"{expectation.signal} has no threshold")
    within_s, limits = float(expectation.within_s), _limits(expectation) if len(mine) == 1 else None
    crossed = [crossings(take, watch, limits) for watch in mine]
    fits = [_match(crossings_of, within_s) for crossings_of in crossed]
    due, came = (
        sum(len(crossings_of.wanted) for crossings_of in crossed),
        sum(len(crossings_of.came) for crossings_of in crossed),
    )
    if not due and not came:
        return Judgement(
            "open", None, "s", None, within_s, 0, "no crossing was to come in this take"
        )
    matched, missing, extra = (
        sum(len(getattr(fit, name)) for fit in fits) for name in ("matched", "missing", "extra")
    )
    worst_s = max((apart_s for fit in fits for apart_s in fit.matched), key=abs, default=0.0)
    note = f"{matched} of {matched + missing} crossings, worst {_apart_text(worst_s)}"
    if extra:
        note += f", {extra} unexpected"
    outcome: Outcome = "holds" if not missing and not extra else "fails"
    if outcome == "fails":
        doubts = [
            _doubt(take, crossings_of, limits, fit, within_s)
            for crossings_of, fit in zip(crossed, fits, strict=True)
        ]
        unsure_v = max(doubt.unsure_v for doubt in doubts)
        if all(
            doubt.is_beside or not (fit.missing or fit.extra)
            for doubt, fit in zip(doubts, fits, strict=True)
        ):
            outcome, note = (
                "holds",
                f"{note}: within the uncertainty of a reading, ± {format_volts(unsure_v)}",
            )
        elif all(doubt.covers for doubt in doubts):
            outcome, note = (
                "open",
                f"{note}: the rest lies within the uncertainty of a reading, ± "
                f"{format_volts(unsure_v)}",
            )
    return Judgement(outcome, worst_s, "s", -within_s, within_s, came, note)


class _Doubt(msgspec.Struct, frozen=True):
    """Whether all that is missing or too much may come and stay away with readings as sure as they
    are."""

    unsure_v: float
    covers: bool
    is_beside: bool = False
    """Of a window that tells every value: there are as many as may be, and none where no other one
    is near."""


def _doubt(
    take: Take, crossed: Crossings, limits: tuple[float, float] | None, fit: _Fit, within_s: float
) -> _Doubt:
    """What would be due if all readings lay at either edge of their band."""
    watch = crossed.watch
    chain = take.workspace.project.chain_of(watch.signal)
    assert chain is not None
    window = watch.window(take.workspace.project)
    unsure_v = band_half_width_v(take.workspace, chain, watch.signal, window.input == "filtered")
    edges = [crossings(take, watch, limits, off_v).wanted for off_v in (-unsure_v, unsure_v)]
    if (
        window.on == "every-result"
    ):  # one event a value: how many there are is what hangs on the last digit
        came = len(fit.matched) + len(fit.extra)
        counts = [len(crossed.wanted), *(len(edge) for edge in edges)]
        covers = min(counts) <= came <= max(counts)
        return _Doubt(unsure_v, covers, covers and _lies_beside(fit, within_s))
    return _Doubt(
        unsure_v, all(_covers(entered, crossed, edges, fit, within_s) for entered in (False, True))
    )


def _covers(
    entered: bool,
    crossed: Crossings,
    edges: list[tuple[ExpectedEvent, ...]],
    fit: _Fit,
    within_s: float,
) -> bool:
    """Whether events of one kind that are missing or too much are only as unsure as readings are.

    Where as many are due at either edge, each comes for sure, at some time between; else those do
    that both edges have.
    """
    missing_s = [event.time_s for event in fit.missing if event.entered == entered]
    extra_s = [at_s for at_s, kind in fit.extra if kind == entered]
    due_s = [
        [event.time_s for event in one if event.entered == entered]
        for one in (crossed.wanted, *edges)
    ]
    if len({len(times_s) for times_s in due_s}) > 1:
        stays_away = [
            not all(_is_near(at_s, times_s, within_s) for times_s in due_s[1:])
            for at_s in missing_s
        ]
        may_come = [
            any(_is_near(at_s, times_s, within_s) for times_s in due_s[1:]) for at_s in extra_s
        ]
        return all(stays_away) and all(may_come)
    for at_s in missing_s:
        place = due_s[0].index(at_s)
        spread_s = [times_s[place] for times_s in due_s]
        mine = [
            one for one in extra_s if min(spread_s) - within_s <= one <= max(spread_s) + within_s
        ]
        if not mine:
            return False
        extra_s.remove(mine[0])
    return not extra_s


def _is_near(at_s: float, times_s: list[float], within_s: float) -> bool:
    place = bisect_left(times_s, at_s - within_s)
    return place < len(times_s) and times_s[place] <= at_s + within_s


def _lies_beside(fit: _Fit, within_s: float) -> bool:
    """Each event that is missing or too much has one of its kind within that time that came when it
    was due."""
    for entered in (False, True):
        known_s = np.sort([event.time_s for event in fit.due if event.entered == entered])
        odd_s = [event.time_s for event in fit.missing if event.entered == entered]
        odd_s += [at_s for at_s, kind in fit.extra if kind == entered]
        if odd_s and not len(known_s):
            return False
        places = np.searchsorted(known_s, odd_s)
        before, after = np.maximum(places - 1, 0), np.minimum(places, len(known_s) - 1)
        apart_s = np.minimum(np.abs(known_s[before] - odd_s), np.abs(known_s[after] - odd_s))
        if np.any(apart_s > within_s):
            return False
    return True


def _apart_text(seconds: float) -> str:
    """By how much an event was early or late; what no clock of a board could tell is none."""
    if abs(seconds) < SMALLEST_S:
        return "to the tick"
    return f"{format_si(abs(seconds), 's', 3)} {'early' if seconds < 0 else 'late'}"


def _limits(expectation: ThresholdExpectation) -> tuple[float, float] | None:
    if expectation.low_v is None or expectation.high_v is None:
        return None
    return expectation.low_v, expectation.high_v


def judge_edges(take: Take, expectation: EdgesExpectation) -> Judgement:
    """Edges of a comparator: each came, within what its delay and the noise allow."""
    mine = signal_watches(take, expectation.signal, "comparator")
    if not mine:
        return not_judged(f"no comparator watches {expectation.signal}")
    compared = [comparator_edges(take, watch) for watch in mine]
    most, due = (
        max(edges_of.most for edges_of in compared),
        sum(edges_of.crossings for edges_of in compared),
    )
    if not due and not most:
        return not_judged("no crossing was to come in this take")
    edges = sum(edges_of.edges for edges_of in compared)
    outcome = "fails" if most == 0 else within(most, None, expectation.most)
    note = f"{edges} edges at {due} crossings, up to {most} at one"
    return Judgement(outcome, most, "", None, expectation.most, edges, note)


class _Fit(msgspec.Struct, frozen=True):
    """Events that came when they were due, and by how many seconds apart; those that did not; those
    that were not due."""

    due: tuple[ExpectedEvent, ...]
    matched: tuple[float, ...]
    missing: tuple[ExpectedEvent, ...]
    extra: tuple[tuple[float, bool], ...]


def _match(crossed: Crossings, within_s: float) -> _Fit:
    """What is due within ``within_s`` of the end may be absent, and where the take begins later than the run,
    of its beginning too."""
    begin_s = crossed.begin_s + within_s if crossed.begin_s else 0.0
    end_s, wanted = crossed.end_s, crossed.wanted
    left = {
        kind: NearestMatch([at for at, began in crossed.came if began == kind])
        for kind in (True, False)
    }
    due, matched, missing = [], [], []
    for event in wanted:
        at_s = left[event.entered].claim_nearest(event.time_s, within_s)
        if at_s is not None:
            due.append(event)
            matched.append(at_s - event.time_s)
        elif begin_s <= event.time_s and event.time_s + within_s < end_s:
            missing.append(event)
    extra = [
        (at, kind)
        for kind, unclaimed in left.items()
        for at in unclaimed.rest()
        if begin_s <= at and at + within_s < end_s
    ]
    return _Fit(tuple(due), tuple(matched), tuple(missing), tuple(extra))
