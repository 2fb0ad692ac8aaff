"""Events that never come, come once, or come too often."""

from __future__ import annotations

import numpy as np

from wattigram.core.accuracy import twin_figures
from wattigram.core.design import Watch
from wattigram.core.proof.causes.base import Case, LikelyCause, tester
from wattigram.core.proof.crossings import Crossings, comparator_edges, crossings, signal_watches
from wattigram.core.quantity import show_volts

FEWEST_DUE = 2
TOO_MANY = 2.0


def _windows(case: Case) -> list[tuple[Watch, Crossings]]:
    return [(watch, crossings(case.take, watch)) for watch in signal_watches(case.take, case.signal.name, "window")]


@tester
def window_unheard(case: Case) -> LikelyCause | None:
    """No event where some were due: nobody enabled it, or its interrupt."""
    for _watch, found in _windows(case):
        if found.came or not found.wanted or not case.take.item_count(case.stream):
            continue
        finding = case.finding("window-not-enabled") or case.of_chain("startup-window")
        if finding is not None:
            return case.cause(
                finding.code,
                finding.title,
                1.0,
                f"{len(found.wanted)} events were due and none came, while samples did",
                finding.remedy,
            )
    return None


@tester
def window_works_once(case: Case) -> LikelyCause | None:
    """The first event comes, all others do not."""
    for _watch, found in _windows(case):
        entered = sum(began for _at, began in found.came)
        finding = case.finding("window-not-rearmed")
        if entered != 1 or sum(event.entered for event in found.wanted) < FEWEST_DUE or finding is None:
            continue
        return case.cause(
            finding.code,
            finding.title,
            1.0,
            f"one event came at {found.came[0][0]:.4g} s, {sum(e.entered for e in found.wanted)} were due",
            finding.remedy,
        )
    return None


@tester
def chain_stopped_for_good(case: Case) -> LikelyCause | None:
    """After an event of one of its windows the whole chain gives nothing more."""
    due = case.take.seconds * float(case.cycle.cycle_rate_hz) * len(case.chain.slots)
    items = case.take.item_count(case.stream)
    if not items or items > 0.95 * due:
        return None
    for name in dict.fromkeys(slot.signal for slot in case.chain.slots):
        finding = case.about(name, "chain-stays-stopped")
        came = [
            found.came[0][0]
            for watch in signal_watches(case.take, name, "window")
            if (found := crossings(case.take, watch)).came
        ]
        if finding is None or not came:
            continue
        at_s = min(came)
        return case.cause(
            finding.code,
            finding.title,
            1 - abs(items / due - at_s / case.take.seconds),
            f"the event came at {at_s:.4g} s, and {items} of {due:.0f} items came",
            finding.remedy,
            whole=True,
        )
    return None


@tester
def limits_exchanged(case: Case) -> LikelyCause | None:
    """The condition holds nearly all the time, or never, whichever way the limits lie."""
    finding = case.finding("window-swapped")
    if finding is None:
        return None
    for _watch, found in _windows(case):
        meant, seen = len(found.wanted), len(found.came)
        if meant != seen or not _alike(found):
            return case.cause(
                "window-swapped",
                finding.title,
                0.9,
                f"{seen} events came where {meant} were due with the limits in order; {finding.message}",
                finding.remedy,
            )
    return None


def _alike(found: Crossings) -> bool:
    pairs = zip(found.wanted, found.came, strict=False)
    return all(abs(event.time_s - at) < 0.05 and event.entered == began for event, (at, began) in pairs)


@tester
def window_chatters(case: Case) -> LikelyCause | None:
    """Many events at each crossing: noise on a slow slope, or raw samples judged instead of their average."""
    for _watch, found in _windows(case):
        if not found.wanted or len(found.came) < TOO_MANY * len(found.wanted):
            continue
        for code in ("window-on-raw", "window-chatters"):
            finding = case.finding(code)
            if finding is not None:
                ratio = len(found.came) / len(found.wanted)
                return case.cause(
                    code,
                    finding.title,
                    min(1.0, 0.6 + ratio / 20),
                    f"{len(found.came)} events where {len(found.wanted)} were due, {ratio:.1f} for each. {finding.message}",
                    finding.remedy,
                )
    return None


@tester
def comparator_chatters(case: Case) -> LikelyCause | None:
    """Dozens of edges at each crossing."""
    finding = case.finding("comparator-chatters")
    if finding is None:
        return None
    for watch in signal_watches(case.take, case.signal.name, "comparator"):
        found = comparator_edges(case.take, watch)
        if found.crossings < 1 or found.edges < 1.5 * found.crossings:
            continue
        each = found.edges / found.crossings
        return case.cause(
            "comparator-chatters",
            finding.title,
            0.5 + 0.5 * min(each, found.predicted) / max(each, found.predicted),
            f"{each:.1f} edges at each of {found.crossings} crossings, {found.predicted:.1f} predicted of noise and slope",
            finding.remedy,
        )
    return None


@tester
def twin_trips_for_nothing(case: Case) -> LikelyCause | None:
    """Trips, while the two differ by no more than they must."""
    finding = case.finding("twin-too-tight")
    figures = twin_figures(case.take.workspace, case.signal)
    if finding is None or figures is None or figures.within_v is None:
        return None
    trips = sum(
        began
        for watch in signal_watches(case.take, case.signal.name, "twin")
        for _at, began in crossings(case.take, watch).came
    )
    ours, theirs = (case.take.reduced(name) or case.take.raw(name) for name in (figures.signal, figures.of))
    if not trips or ours is None or theirs is None:
        return None
    count = min(len(ours.volts), len(theirs.volts))
    worst_v = float(np.abs(ours.volts[:count] - theirs.volts[:count]).max())
    return case.cause(
        "twin-too-tight",
        finding.title,
        min(1.0, figures.worst_v / worst_v),
        f"{trips} trips; the two differ by up to {show_volts(worst_v)}, {show_volts(figures.worst_v)} predicted of two "
        "sound converters",
        finding.remedy,
    )
