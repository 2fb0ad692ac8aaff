"""What is read is right, and something else is not: the expectation, the other one of a pair, a
stated cost."""

from __future__ import annotations

import math

import numpy as np

from wattigram.core.analysis import explained_share
from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.capture.take import Take
from wattigram.core.judge.causes.base import (
    FEWEST_SAMPLES,
    MOST_SAMPLES,
    WEAKEST_FIT,
    FailingSignal,
    LikelyCause,
    register_cause,
)
from wattigram.core.judge.causes.settling import sampling_too_short
from wattigram.core.judge.verdict import Verdict
from wattigram.core.model.design.edits import SetIsrCost, apply_edit
from wattigram.core.model.design.edits.changes import fix_text
from wattigram.core.predict.expected import expected_raw
from wattigram.core.predict.timing import (
    looks_for_results,
    main_cycles,
    retrieval_timing,
    scan_timing,
)

CLEAR_SIGMAS = 4
LEAST_LSB = 1.0
SPREAD = 0.5
"""Of half the expected band, which is five times the noise and more."""
LEAST_EXPLAINED = 0.5
BUSY_SHARE = 0.97
"""Of the time of a run: from then on the processor has no more of it."""
COST_DIFFERS = 0.02


def expectation_beside(take: Take, verdict: Verdict) -> LikelyCause | None:
    """The signal reads what its bench says; the expectation lies beside it."""
    chain = take.workspace.project.chain_of(verdict.signal)
    if verdict.kind not in {"level", "square", "sine"} or verdict.measured is None or chain is None:
        return None
    if verdict.low is None or verdict.high is None:
        return None
    case = FailingSignal(
        take, chain, take.workspace.project.signal(verdict.signal), (), {verdict.kind}
    )
    if case.captured is None or case.is_off:
        return None
    middle = (verdict.low + verdict.high) / 2
    off = verdict.measured - middle
    beside = format_volts(abs(off)) if verdict.unit == "V" else format_si(abs(off), verdict.unit, 4)
    return LikelyCause(
        verdict.signal,
        "expectation-beside-bench",
        f"The expectation of {verdict.signal} is not what its bench gives",
        0.8,
        f"it reads what the bench says, {verdict.measured_text}; the expectation lies {beside} "
        f"{'below' if off > 0 else 'above'} it. One of the two is not as on the board",
        None,
    )


@register_cause("pair-apart")
def pair_apart(case: FailingSignal) -> LikelyCause | None:
    """One of a pair reads beside its source: which, by how much, and whether source or
    converter."""
    project = case.take.workspace.project
    other = case.signal.partner
    if other is None or project.chain_of(other) is None:
        return None
    ours, theirs = (offset_v(case.take, name) for name in (case.signal.name, other))
    if ours is None or theirs is None:
        return None
    apart = abs(ours[0] - theirs[0])
    if (
        apart < CLEAR_SIGMAS * math.hypot(ours[1], theirs[1])
        or apart < 2 * LEAST_LSB * case.scale.lsb_v
    ):
        return None
    off, calm = (
        (case.signal.name, other) if abs(ours[0]) >= abs(theirs[0]) else (other, case.signal.name)
    )
    by_v, still_v = (ours[0], theirs[0]) if off == case.signal.name else (theirs[0], ours[0])
    chain = project.chain_of(off)
    assert chain is not None
    beside = [
        offset[0]
        for name in dict.fromkeys(slot.signal for slot in chain.slots)
        if name != off and (offset := offset_v(case.take, name)) is not None
    ]
    if not beside:
        whose = f"{chain.converter} converts nothing else, so that source and converter cannot be told apart"
    elif all(abs(one - by_v) < 0.3 * abs(by_v) for one in beside):
        whose = f"all that {chain.converter} converts is off alike: it is the converter"
    else:
        whose = f"other signals of {chain.converter} are not: it is the source or its wire"
    return case.cause(
        "pair-apart",
        f"{off} reads {format_volts(abs(by_v))} too {'high' if by_v > 0 else 'low'}",
        0.85,
        f"{off} is {format_volts(by_v)} off what its source gives, {calm} "
        f"{format_volts(still_v)}; {whose}",
        None,
    )


def offset_v(take: Take, name: str) -> tuple[float, float] | None:
    """Mean of what a signal reads less what it should, and the standard error of that mean, volts
    at the pin."""
    chain = take.workspace.project.chain_of(name)
    samples = take.head(name, MOST_SAMPLES)
    if chain is None or samples is None or samples.count < FEWEST_SAMPLES:
        return None
    first = int(samples.cycles[0])
    end = min(int(samples.cycles[-1]) + 1, first + MOST_SAMPLES)
    stream = expected_raw(
        take.history, chain.converter, name, first, end, take.instants(chain, first, end)
    )
    count = min(len(stream.settled_v), len(samples.volts))
    gain = float(samples.signal.scaling)
    error = (samples.volts[:count] - stream.predicted_v[:count])[samples.valid[:count]] * gain
    if len(error) < FEWEST_SAMPLES or float(error.std()) > SPREAD * stream.half_width_v * gain:
        return None  # no offset, but something that goes up and down
    return float(error.mean()), float(error.std()) / math.sqrt(len(error))


@register_cause("sampling-too-short")
def settles_as_predicted(case: FailingSignal) -> LikelyCause | None:
    """What is off is what settling was predicted to leave, be the sources steady or not."""
    finding = case.finding("sampling-too-short")
    if finding is None or case.captured is None:
        return None
    seen = sampling_too_short(case)
    if seen is not None and seen.fit >= WEAKEST_FIT:
        return None  # the samples show it themselves, and more of it
    predicted = case.expected.predicted_v[: len(case.valid)][case.valid] * case.gain
    left_v = float(np.abs(predicted - case.settled_v).max(initial=0.0))
    if left_v < LEAST_LSB * case.scale.lsb_v:
        return None
    share = explained_share(case.measured_v, case.settled_v, predicted)
    if share < LEAST_EXPLAINED:
        return None
    return case.cause(
        finding.code,
        finding.title,
        share,
        f"settling was predicted to leave up to {format_volts(left_v)}, and that explains "
        f"{share * 100:.0f} % of what the "
        f"readings are off. {finding.message}",
        finding.remedy,
    )


@register_cause("handler-costs-more")
def handler_costs_more(case: FailingSignal) -> LikelyCause | None:
    """The program was counted, and its handler takes longer than the design says: rate or losses
    follow."""
    cost = SetIsrCost.counted(case.chain.converter, case.take.totals, case.stream)
    if cost is None:
        return None
    buffer, looks = case.chain.buffer, looks_for_results(case.chain)
    counted = cost.cycles + (cost.main_cycles or 0)
    stated = buffer.isr_cycles + main_cycles(case.chain)
    is_round = looks and cost.round_cycles is not None and buffer.round_cycles is None
    if counted <= stated * (1 + COST_DIFFERS) and not is_round:
        return None
    rate_hz = case.take.running_rate_hz(case.chain)
    slower = rate_hz is not None and rate_hz < float(case.cycle.cycle_rate_hz) * (1 - 1e-4)
    lost = case.take.lost_items(case.stream) + case.take.totals.get(f"lost.{case.stream}", 0)
    if not case.take.item_count(case.stream) or (not slower and not lost):
        return None  # of what never comes at all its length is not the reason
    counted_as = apply_edit(case.take.workspace, cost)
    chain = counted_as.project.chain(case.chain.converter)
    assert chain is not None
    if not (lost and retrieval_timing(counted_as, chain).lost_hz) and not (
        slower and scan_timing(counted_as, chain).cycle_rate_hz < case.cycle.cycle_rate_hz
    ):
        return None  # with its true length the design would do what it should
    seen = (
        f"{lost} results were lost"
        if lost
        else f"scans come at {format_si(rate_hz or 0.0, 'Hz', 5)}"
    )
    due = format_si(case.cycle.cycle_rate_hz, "Hz", 5)
    if looks:
        title = f"The main loop finds results of {case.chain.converter} later than stated"
        text = f"its clocks were counted: {fix_text(case.take.workspace.project, cost)}"
    else:
        title = f"The ISR of {case.chain.converter} takes longer than stated"
        text = f"it was counted: {counted} clocks, and the design says {stated}"
    return case.cause(
        "handler-costs-more", title, 0.95, f"{text}; {seen}, with {due} due", cost, whole=True
    )


@register_cause("processor-busy")
def processor_has_no_time(case: FailingSignal) -> LikelyCause | None:
    """Instructions were counted: the program works all the time, and comes too late to what is
    missing."""
    totals = case.take.totals
    ticks = totals.get("ticks", 0)
    if not ticks or "busy.main" not in totals:
        return None
    isr, main = (totals[f"busy.{who}"] / ticks for who in ("isr", "main"))
    missing = case.take.lost_items(case.stream)
    if isr + main < BUSY_SHARE or not missing:
        return None
    return case.cause(
        "processor-busy",
        "The program has more to do than the processor has time for",
        0.9,
        f"{missing} results are missing, and the processor was never idle: ISRs took {isr:.0%} of "
        f"the run, the main loop {main:.0%}",
        None,
        whole=True,
    )
