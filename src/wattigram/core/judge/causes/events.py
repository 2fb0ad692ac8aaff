"""Events that never come, come once, or come too often."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.capture.take import SignalSamples, Take
from wattigram.core.capture.take.reader import BLOCK_SAMPLES
from wattigram.core.judge.causes.base import (
    MOST_SAMPLES,
    FailingSignal,
    LikelyCause,
    first_values,
    register_cause,
)
from wattigram.core.judge.judgement import running_s
from wattigram.core.judge.threshold_events import (
    Crossings,
    comparator_edges,
    crossings,
    signal_watches,
)
from wattigram.core.model.design import RedundantPair, Threshold, Watch, limits_v
from wattigram.core.predict.accuracy import pair_metrics
from wattigram.core.silicon.registers import event_count, watch_place

FEWEST_DUE = 2
LATEST_S = 1e-3
"""By which an event may be told at another instant than silicon saw it."""
UNHEARD_FIT = 0.6
"""Of events that nobody tells, where nobody watched whether there were any."""
NOT_TOLD_FIT = 0.85
"""Of what is told by no event at all: a register that keeps it from the program explains more."""
TOO_MANY = 2.0


def _windows(case: FailingSignal) -> list[tuple[Watch, Crossings]]:
    return [
        (watch, crossings(case.take, watch))
        for watch in signal_watches(case.take, case.signal.name, "window")
    ]


@register_cause("events-not-told", "startup-window", "window-not-enabled")
def threshold_not_enabled(case: FailingSignal) -> LikelyCause | None:
    """No event where some were due: nobody enabled it, or its interrupt."""
    if case.take.has_only_samples:
        return None
    for watch, crossed in _windows(case):
        if crossed.came or not crossed.wanted or not case.take.item_count(case.stream):
            continue
        finding = case.finding("window-not-enabled") or case.of_chain("startup-window")
        evidence = f"{len(crossed.wanted)} events were due and none came, while samples did"
        if finding is not None:
            return case.cause(finding.code, finding.title, 1.0, evidence, finding.remedy)
        if not _is_crossed(case, watch):
            continue
        return case.cause(
            "events-not-told",
            f"The firmware does not tell what happens to {case.signal.name}",
            UNHEARD_FIT,
            f"{evidence} and went through a limit; nothing in the design keeps them from coming",
            None,
        )
    return None


def _is_crossed(case: FailingSignal, watch: Watch) -> bool:
    """What came lies now within the window and now beyond; a window around a target is not looked
    into."""
    window = watch.window(case.take.workspace.project)
    reduced = first_values(case.take, case.signal.name) if window.input == "filtered" else None
    samples = reduced or case.take.head(case.signal.name, MOST_SAMPLES)
    if samples is None or window.minus_v is not None or window.minus_signal is not None:
        return False
    low, high = limits_v(case.take.workspace, case.signal, window)
    of_low, of_high = window.compares
    if of_low and of_high:
        low, high = sorted((low, high))
    volts = samples.volts[samples.valid]
    within = (volts >= low if of_low else True) & (volts <= high if of_high else True)
    return 0 < int(np.count_nonzero(within)) < len(volts)


@register_cause("events-not-told")
def events_not_reported(case: FailingSignal) -> LikelyCause | None:
    """The board's silicon saw windows and edges begin and end, and the program told of others."""
    if not case.take.register_writes:
        return None  # nobody watched the silicon
    for kind in ("window", "comparator"):
        for watch in signal_watches(case.take, case.signal.name, kind):
            place = watch_place(case.take.workspace, watch)
            share, evidence = (
                _told_otherwise(case.take, watch, place) if place is not None else (0.0, "")
            )
            if place is None or not evidence:
                continue
            what = f"threshold {place[1] + 1} of {place[0]}" if kind == "window" else place[0]
            return case.cause(
                "events-not-told",
                f"The firmware does not tell what {what} sees",
                NOT_TOLD_FIT * share,
                f"{what} {evidence}",
                None,
            )
    return None


def _told_otherwise(take: Take, watch: Watch, place: tuple[str, int]) -> tuple[float, str]:
    """The share of events that silicon and program do not agree on, and how they differ; nothing
    where they agree."""
    mine = take.events[take.events["source"] == take.workspace.watches.index(watch)]
    begins = mine["ticks"][mine["entered"] == 1]
    told = len(begins), len(mine) - len(begins)
    began, ended = (take.totals.get(event_count(place, what), 0) for what in ("began", "ended"))
    off = abs(began - told[0]) + abs(ended - told[1])
    if off >= FEWEST_DUE:
        return (
            off / max(began + ended, sum(told)),
            f"saw its condition begin {began} times and end {ended} times; the program told of "
            f"{told[0]} and {told[1]}",
        )
    first_s = take.totals.get(event_count(place, "first"), 0) / take.tick_hz
    if began and told[0] and abs(first_s - int(begins[0]) / take.tick_hz) > LATEST_S:
        told_s = int(begins[0]) / take.tick_hz
        return (
            1.0,
            f"first saw its condition begin at {first_s:.4f} s; the program told that it began at "
            f"{told_s:.4f} s",
        )
    return 0.0, ""


@register_cause("window-not-rearmed")
def threshold_not_rearmed(case: FailingSignal) -> LikelyCause | None:
    """The first event comes, all others do not."""
    for _watch, crossed in _windows(case):
        entered = sum(began for _at, began in crossed.came)
        finding = case.finding("window-not-rearmed")
        if (
            entered != 1
            or sum(event.entered for event in crossed.wanted) < FEWEST_DUE
            or finding is None
        ):
            continue
        return case.cause(
            finding.code,
            finding.title,
            1.0,
            f"one event came at {crossed.came[0][0]:.4g} s, {sum(e.entered for e in crossed.wanted)} "
            "were due",
            finding.remedy,
        )
    return None


@register_cause("chain-stays-stopped", "chain-stops-a-while")
def chain_was_stopped(case: FailingSignal) -> LikelyCause | None:
    """After an event of one of its windows or twins the whole chain gives nothing, for a while or
    for good."""
    stopping = _stopping(case)
    cycles = case.take.recorded_cycles(case.chain)
    missing_s = running_s(case.take, case.chain) - cycles / float(case.cycle.handed_rate_hz)
    if not stopping or not cycles or missing_s <= 0:
        return None
    stands = _standing(case, cycles)
    stopped = [_stopped_by(case, watch, stands, missing_s) for watch in stopping]
    return max(
        (cause for cause in stopped if cause is not None), key=lambda cause: cause.fit, default=None
    )


def _standing(case: FailingSignal, cycles: int) -> NDArray[np.float64]:
    """Where the chain stood still for more than half a cycle, the end of the take included, (n, 2)
    seconds: instant
    of the last cycle before, and how much longer than a cycle it took until the next.
    """
    cycle_s, due, last_s = float(case.cycle.cycle_s), [], np.empty(0)
    since = case.take.first_cycle(case.chain)
    for begin in range(since, since + cycles, BLOCK_SAMPLES):
        end = min(since + cycles, begin + BLOCK_SAMPLES)
        times_s = np.concatenate(
            (last_s, case.take.instants(case.chain, begin, end).held_s(begin, end)[:, 0])
        )
        if end == since + cycles:
            times_s = np.append(times_s, case.take.seconds)
        still_s = np.diff(times_s) - cycle_s
        long = still_s > cycle_s / 2
        due.append(np.column_stack((times_s[:-1][long], still_s[long])))
        last_s = times_s[-1:]
    return np.concatenate(due)


def _stopping(case: FailingSignal) -> list[Watch]:
    """Windows and twins on the chain's signals that stop it."""
    names = dict.fromkeys(slot.signal for slot in case.chain.slots)
    watches = [
        watch
        for name in names
        for kind in ("window", "twin")
        for watch in signal_watches(case.take, name, kind)
    ]
    return [watch for watch in watches if _judge(case, watch).action == "stop"]


def _judge(case: FailingSignal, watch: Watch) -> Threshold | RedundantPair:
    signal = case.take.workspace.project.signal(watch.signal)
    judge = signal.thresholds[watch.index] if watch.kind == "window" else signal.redundant_pair
    assert judge is not None
    return judge


def _stopped_by(
    case: FailingSignal, watch: Watch, standing: NDArray[np.float64], missing_s: float
) -> LikelyCause | None:
    """Time that the chain stood still after an event of that watch, against the time that is
    missing.

    ``standing`` is as of `_standing`.
    """
    starts = np.array([at_s for at_s, began in crossings(case.take, watch).came if began])
    if not len(starts):
        return None
    judge, cycle_s, seconds = _judge(case, watch), float(case.cycle.cycle_s), case.take.seconds
    after_s = (
        float(judge.rearm_after_s)
        if isinstance(judge, Threshold) and judge.rearm_after_s is not None
        else None
    )
    since_s, still_s = standing[:, 0], standing[:, 1]
    is_last = (
        since_s + still_s + 1.5 * cycle_s > seconds
    )  # the end of the take may cut the last one short
    stands = is_last if after_s is None else is_last | (still_s > 0.5 * after_s - cycle_s)
    stands &= starts[0] <= since_s + cycle_s
    explained_s = float(still_s[stands].sum())
    finding = case.about(watch.signal, "chain-stays-stopped")
    return case.cause(
        "chain-stays-stopped" if after_s is None else "chain-stops-a-while",
        f"The {watch.kind} of {watch.signal} stops {case.chain.converter} "
        f"{'for good' if after_s is None else 'each time'}",
        min(explained_s, missing_s) / max(explained_s, missing_s),
        f"its first event came at {starts[0]:.4g} s; {case.chain.converter} stood still "
        f"{'from then on' if after_s is None else f'{np.count_nonzero(stands)} times'}, "
        f"{format_si(explained_s, 's', 4)} of "
        f"{format_si(seconds, 's', 4)}, and what {format_si(missing_s, 's', 4)} bring is missing",
        finding.remedy if finding is not None and after_s is None else None,
        whole=True,
    )


@register_cause("window-swapped")
def limits_exchanged(case: FailingSignal) -> LikelyCause | None:
    """The condition holds nearly all the time, or never, whichever way the limits lie."""
    finding = case.finding("window-swapped")
    if finding is None:
        return None
    for _watch, crossed in _windows(case):
        meant, seen = len(crossed.wanted), len(crossed.came)
        if meant != seen or not _alike(crossed):
            return case.cause(
                "window-swapped",
                finding.title,
                0.9,
                f"{seen} events came where {meant} were due with the limits in order; "
                f"{finding.message}",
                finding.remedy,
            )
    return None


def _alike(crossed: Crossings) -> bool:
    pairs = zip(crossed.wanted, crossed.came, strict=False)
    return all(
        abs(event.time_s - at_s) < 0.05 and event.entered == began for event, (at_s, began) in pairs
    )


@register_cause("window-chatters")
def threshold_chatters(case: FailingSignal) -> LikelyCause | None:
    """Many events at each crossing: noise on a slow slope, or raw samples judged instead of their
    average."""
    for _watch, crossed in _windows(case):
        if not crossed.wanted or len(crossed.came) < TOO_MANY * len(crossed.wanted):
            continue
        for code in ("window-on-raw", "window-chatters"):
            finding = case.finding(code)
            if finding is not None:
                ratio = len(crossed.came) / len(crossed.wanted)
                return case.cause(
                    code,
                    finding.title,
                    min(1.0, 0.6 + ratio / 20),
                    f"{len(crossed.came)} events where {len(crossed.wanted)} were due, {ratio:.1f} "
                    f"for each. {finding.message}",
                    finding.remedy,
                )
    return None


@register_cause("comparator-chatters")
def comparator_chatters(case: FailingSignal) -> LikelyCause | None:
    """Dozens of edges at each crossing."""
    finding = case.finding("comparator-chatters")
    if finding is None:
        return None
    for watch in signal_watches(case.take, case.signal.name, "comparator"):
        edges = comparator_edges(case.take, watch)
        if edges.crossings < 1 or edges.edges < 1.5 * edges.crossings:
            continue
        each = edges.edges / edges.crossings
        return case.cause(
            "comparator-chatters",
            finding.title,
            0.5 + 0.5 * min(each, edges.predicted) / max(each, edges.predicted),
            f"{each:.1f} edges at each of {edges.crossings} crossings, {edges.predicted:.1f} "
            "predicted of noise and slope",
            finding.remedy,
        )
    return None


@register_cause("twin-too-tight")
def twin_trips_for_nothing(case: FailingSignal) -> LikelyCause | None:
    """Trips, while the two differ by no more than they must."""
    finding = case.finding("twin-too-tight")
    figures = pair_metrics(case.take.workspace, case.signal)
    if finding is None or figures is None or figures.within_v is None:
        return None
    trips = sum(
        began
        for watch in signal_watches(case.take, case.signal.name, "twin")
        for _at, began in crossings(case.take, watch).came
    )
    ours, theirs = _pair(case)
    if not trips or ours is None or theirs is None:
        return None
    count = min(len(ours.volts), len(theirs.volts))
    worst_v = float(np.abs(ours.volts[:count] - theirs.volts[:count]).max())
    return case.cause(
        "twin-too-tight",
        finding.title,
        min(1.0, figures.worst_v / worst_v),
        f"{trips} trips; the two differ by up to {format_volts(worst_v)}, "
        f"{format_volts(figures.worst_v)} predicted of two "
        "sound converters",
        finding.remedy,
    )


@register_cause("twin-out-of-step", "twin-pauses")
def pairs_of_two_instants(case: FailingSignal) -> LikelyCause | None:
    """The two differ value by value of the same number, and not value by value of the same
    instant."""
    finding = case.finding("twin-out-of-step") or case.finding("twin-pauses")
    ours, theirs = _pair(case)
    if finding is None or ours is None or theirs is None or not ours.count or not theirs.count:
        return None
    count = min(len(ours.volts), len(theirs.volts))
    both = ours.valid[:count] & theirs.valid[:count]
    if not both.any():
        return None
    apart_s = float(np.abs(ours.times_s[:count] - theirs.times_s[:count])[both].max())
    by_number_v = float(np.abs(ours.volts[:count] - theirs.volts[:count])[both].max())
    by_instant_v = _nearest_v(ours, theirs)
    if by_instant_v is None or by_instant_v >= by_number_v:
        return None
    return case.cause(
        finding.code,
        finding.title,
        1.0 - by_instant_v / by_number_v,
        f"values of the same number are up to {format_si(apart_s, 's', 3)} apart and differ by up "
        f"to {format_volts(by_number_v)}, "
        f"values of the same instant by {format_volts(by_instant_v)}",
        finding.remedy,
    )


def _pair(case: FailingSignal) -> tuple[SignalSamples | None, SignalSamples | None]:
    """What came of a signal and of its twin, reduced where it was."""
    of = case.signal.partner
    if of is None or case.take.workspace.project.chain_of(of) is None:
        return None, None
    first, second = (
        first_values(case.take, name) or case.take.head(name, MOST_SAMPLES)
        for name in (case.signal.name, of)
    )
    return first, second


def _nearest_v(ours: SignalSamples, theirs: SignalSamples) -> float | None:
    """Largest difference of values held at the same instant, as nearly as the slower of the two
    allows."""
    mine, other = ours.valid, theirs.valid
    at_s, times_s, volts = ours.times_s[mine], theirs.times_s[other], theirs.volts[other]
    if len(at_s) < 2 or len(times_s) < 2:
        return None
    places = np.clip(np.searchsorted(times_s, at_s), 1, len(times_s) - 1)
    places -= at_s - times_s[places - 1] < times_s[places] - at_s
    step_s = max(float(np.median(np.diff(at_s))), float(np.median(np.diff(times_s))))
    near = np.abs(times_s[places] - at_s) <= step_s / 2
    return float(np.abs(ours.volts[mine] - volts[places])[near].max()) if near.any() else None
