"""Judges of outputs: courses that come back, self-tests, trip points, routes."""

from __future__ import annotations

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.capture.take import Take
from wattigram.core.judge.judgement import Judgement, not_judged, running_s, within
from wattigram.core.judge.output_measurements import (
    NEARLY_ALL,
    measure_route,
    pair_linearity,
    trip_points,
    wanted_values_hz,
    waveform_error,
)
from wattigram.core.judge.threshold_events import signal_watches
from wattigram.core.judge.verdict import Outcome
from wattigram.core.model.design import (
    PairExpectation,
    RouteExpectation,
    TripExpectation,
    WaveformExpectation,
)
from wattigram.core.predict.accuracy import comparator_metrics

FEWEST_VALUES = 16
FEWEST_CROSSINGS = 3
"""Of which one goes each way for certain, wherever a take begins."""


def judge_waveform(take: Take, expectation: WaveformExpectation) -> Judgement:
    """Whether a signal follows what was meant."""
    error, what = waveform_error(take, expectation.signal), "samples"
    if error is None:
        return not_judged("too few samples in this take")
    of_stage = waveform_error(take, expectation.signal, reduced=True)
    if of_stage is not None and of_stage.nearly_all_v > max(
        error.nearly_all_v, expectation.within_v
    ):
        error, what = of_stage, "values of its stage"
    note = (
        f"{NEARLY_ALL:g} % of {error.count} {what} within {format_volts(error.nearly_all_v)}, "
        f"mean {format_volts(error.mean_v)} off"
    )
    outcome = within(error.nearly_all_v, None, expectation.within_v)
    return Judgement(
        outcome, error.nearly_all_v, "V", None, expectation.within_v, error.count, note
    )


def judge_pair(take: Take, expectation: PairExpectation) -> Judgement:
    """Offset, gain and linearity of a DAC and a converter together."""
    swept = pair_linearity(take, expectation.signal)
    if swept is None:
        return not_judged("no DAC is swept into it")
    transfer = swept.transfer
    if transfer is None and swept.played >= FEWEST_VALUES:
        note = f"{swept.played} codes were played, and all that came back is at an end of the range"
        return Judgement("fails", None, "LSB", None, expectation.inl_lsb, 0, note)
    if transfer is None:
        return not_judged("too few codes were played in this take")
    sides = (
        (abs(transfer.offset_lsb), expectation.offset_lsb),
        (abs(transfer.gain_error), expectation.gain),
        (transfer.worst_inl_lsb, expectation.inl_lsb),
        (transfer.worst_dnl_lsb, expectation.dnl_lsb),
    )
    note = (
        f"{len(transfer.codes)} codes: offset {transfer.offset_lsb:+.2f} LSB, gain "
        f"{format_si(transfer.gain_error, '%', 3)}, "
        f"INL {transfer.worst_inl_lsb:.2f} LSB (of it up to {transfer.inl_spread_lsb:.2f} by noise), "
        f"DNL {transfer.worst_dnl_lsb:.2f} LSB ({transfer.dnl_spread_lsb:.2f})"
    )
    spreads = (0.0, 0.0, transfer.inl_spread_lsb, transfer.dnl_spread_lsb)
    outcome: Outcome = "holds"
    for (value, limit), spread in zip(sides, spreads, strict=True):
        if value - spread > limit:
            outcome = "fails"
        elif value > limit and outcome == "holds":
            outcome = "open"  # noise alone may have made it so: more readings tell
    if outcome == "open":
        note += "; beyond its limit by less than noise makes of so few readings"
    return Judgement(
        outcome, transfer.worst_inl_lsb, "LSB", None, expectation.inl_lsb, len(transfer.codes), note
    )


def judge_redundant_pair(take: Take, expectation: TripExpectation) -> Judgement:
    """Where a sweep finds a comparator's points."""
    mine = signal_watches(take, expectation.signal, "comparator")
    comparator = take.workspace.project.comparator(mine[0].comparator) if mine else None
    if comparator is None:
        return not_judged(f"no comparator watches {expectation.signal}")
    trips = trip_points(take, mine[0])
    figures = comparator_metrics(take.workspace, comparator)
    chain = take.workspace.project.chain_of(expectation.signal)
    span_s = take.span_s if chain is None else running_s(take, chain)
    due = int(figures.crossings_hz * span_s)
    if trips is None and due >= FEWEST_CROSSINGS:
        note = f"{due} crossings were due, and it did not trip both ways"
        return Judgement("fails", None, "V", None, expectation.within_v, 0, note)
    if trips is None:
        return not_judged("its input never went both ways through the threshold in this take")
    off_v = max(abs(trips.rising_v - figures.rising_v), abs(trips.falling_v - figures.falling_v))
    note = (
        f"rises at {trips.rising_v:.4f} V, falls at {trips.falling_v:.4f} V, of {trips.rising} "
        f"and {trips.falling} edges; "
        f"{figures.rising_v:.4f} and {figures.falling_v:.4f} V are set"
    )
    outcome = within(off_v, None, expectation.within_v)
    return Judgement(
        outcome, off_v, "V", None, expectation.within_v, trips.rising + trips.falling, note
    )


def judge_route(take: Take, expectation: RouteExpectation) -> Judgement:
    """Share of the values that did not arrive whole, in order and as they were."""
    route = take.workspace.project.route(expectation.signal)
    if route is None:
        return not_judged("the take's design has no such route")
    seen = measure_route(take, route)
    wanted_hz = wanted_values_hz(take.workspace, route)
    if not wanted_hz:
        return not_judged("its source makes nothing on this bench")
    if len(seen.values) < FEWEST_VALUES:
        due = take.span_s * wanted_hz
        if due < 2 * FEWEST_VALUES:
            return not_judged(f"only {len(seen.values)} values in this take")
        return Judgement(
            "fails",
            1.0,
            "%",
            None,
            expectation.lost,
            0,
            f"{len(seen.values)} of {due:.0f} values came",
        )
    off = max(abs(seen.values_hz / wanted_hz - 1) - 1e-3, 0.0)
    lost = max(
        off, 1 - seen.matched, seen.torn / len(seen.values), seen.overwritten / max(1, seen.written)
    )
    note = (
        f"{len(seen.values)} values, {format_si(seen.values_hz, 'Hz')} of "
        f"{format_si(wanted_hz, 'Hz')}; {seen.overwritten} "
        f"overwritten, {seen.torn} torn, {seen.matched * 100:.4g} % as they should be"
    )
    return Judgement(
        within(lost, None, expectation.lost + 0.005),
        lost,
        "%",
        None,
        expectation.lost,
        len(seen.values),
        note,
    )
