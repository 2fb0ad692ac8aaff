"""One judge for each kind of expectation."""

from __future__ import annotations

import math

import numpy as np
from msgspec.structs import replace

from wattigram.core.analysis import Moments, fit_sine, quantised_bias, two_levels
from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.capture.take import Take
from wattigram.core.judge.compared_streams import (
    code_counts,
    compared_blocks,
    moments_of,
    value_step_v,
)
from wattigram.core.judge.event_judges import judge_edges, judge_threshold
from wattigram.core.judge.figure_judge import judge_figure
from wattigram.core.judge.judgement import Judgement, due_items, not_judged, within
from wattigram.core.judge.mask_judge import judge_mask
from wattigram.core.judge.missing_data import has_paused, missing_text
from wattigram.core.judge.output_judges import (
    judge_pair,
    judge_redundant_pair,
    judge_route,
    judge_waveform,
)
from wattigram.core.judge.pairing import paired_blocks
from wattigram.core.judge.rate_judge import judge_rate
from wattigram.core.judge.reaction_judges import judge_reaction, judge_text
from wattigram.core.judge.threshold_events import crossings, signal_watches
from wattigram.core.judge.verdict import Verdict
from wattigram.core.judge.wording import expectation_text
from wattigram.core.model.design import (
    EdgesExpectation,
    Expectation,
    FigureExpectation,
    LevelExpectation,
    MaskExpectation,
    NoiseExpectation,
    PairExpectation,
    RateExpectation,
    ReactionExpectation,
    RedundantPairExpectation,
    RouteExpectation,
    SineExpectation,
    SquareExpectation,
    TextExpectation,
    ThresholdExpectation,
    TripExpectation,
    WaveformExpectation,
)

FEWEST_SAMPLES = 16
SINE_SAMPLES = 1 << 20
OF_EVENTS = (
    ThresholdExpectation,
    EdgesExpectation,
    TripExpectation,
    RouteExpectation,
    ReactionExpectation,
    TextExpectation,
)
"""Judged by what a board tells, and not by items."""
OF_WHAT_IS_EXPECTED = (ThresholdExpectation, WaveformExpectation, PairExpectation, TripExpectation)
"""Held against what design and bench predict."""
HARDLY_ANY = 0.02
"""Share of what is due."""


def judge(take: Take, index: int, expectation: Expectation) -> tuple[Verdict, ...]:
    """Verdicts on one expectation; a sine with several figures gives one for each."""
    parts = _split(expectation) if isinstance(expectation, SineExpectation) else (expectation,)
    verdicts = []
    for part in parts:
        judgement = _judge(take, part)
        verdicts.append(
            Verdict(
                index,
                expectation,
                expectation_text(part),
                judgement.outcome,
                judgement.measured,
                judgement.unit,
                judgement.low,
                judgement.high,
                judgement.samples,
                judgement.note,
            )
        )
    return tuple(verdicts)


def _split(expectation: SineExpectation) -> tuple[SineExpectation, ...]:
    none = expectation.replaced(frequency_hz=None, amplitude_v=None, rms_v=None)
    parts = [
        none.replaced(**{name: getattr(expectation, name)})
        for name in ("frequency_hz", "amplitude_v", "rms_v")
        if getattr(expectation, name) is not None
    ]
    return tuple(parts) or (expectation,)


def _why_only_samples(take: Take) -> str:
    return "memory was polled" if take.is_polled else "it is the recording of another tool"


def _judge(take: Take, expectation: Expectation) -> Judgement:
    if take.has_only_samples and isinstance(expectation, OF_EVENTS):
        return not_judged(f"{_why_only_samples(take)}, and only samples come that way")
    if isinstance(expectation, RouteExpectation):
        return judge_route(take, expectation)
    if isinstance(expectation, ReactionExpectation):
        return judge_reaction(take, expectation)
    if isinstance(expectation, TextExpectation):
        return judge_text(take, expectation)
    if take.workspace.project.chain_of(expectation.signal) is None:
        return not_judged("the signal has no slot")
    if isinstance(expectation, RateExpectation):
        return judge_rate(take, expectation)
    if isinstance(expectation, EdgesExpectation):
        return judge_edges(take, expectation)
    if isinstance(expectation, OF_WHAT_IS_EXPECTED):
        unforeseen = take.unforeseen(expectation.signal)
        if unforeseen:
            return not_judged(unforeseen)
    count = take.came(expectation.signal)
    if count < FEWEST_SAMPLES:
        return _too_few(take, expectation.signal, count)
    judgement = (
        judge_figure(take, expectation)
        if isinstance(expectation, FigureExpectation)
        else _of_samples(take, expectation)
    )
    missing = _missing(take, expectation.signal)
    if missing and judgement.outcome == "holds":
        judgement = replace(judgement, outcome="fails", note=f"{judgement.note}, but {missing}")
    return judgement


def _missing(take: Take, name: str) -> str:
    """What a signal, or the other one of its pair, falls short of."""
    twin = take.workspace.project.signal(name).partner
    return missing_text(take, name) or (missing_text(take, twin) if twin is not None else "")


def _of_samples(take: Take, expectation: Expectation) -> Judgement:
    match expectation:
        case LevelExpectation():
            return _level(take, expectation)
        case SquareExpectation():
            return _steps(take, expectation)
        case SineExpectation():
            return _sine(take, expectation)
        case NoiseExpectation():
            return _noise(take, expectation)
        case RedundantPairExpectation():
            return _twin(take, expectation)
        case ThresholdExpectation():
            return judge_threshold(take, expectation)
        case WaveformExpectation():
            return judge_waveform(take, expectation)
        case MaskExpectation():
            return judge_mask(take, expectation)
        case PairExpectation():
            return judge_pair(take, expectation)
        case TripExpectation():
            return judge_redundant_pair(take, expectation)
        case _:
            raise AssertionError(expectation)


def _too_few(take: Take, name: str, count: int) -> Judgement:
    """Few samples judge nothing; hardly any, of a chain that should have brought many, is a
    failure."""
    chain = take.workspace.project.chain_of(name)
    assert chain is not None
    due = due_items(take, chain) / len(chain.slots)
    if take.has_only_samples and take.workspace.project.chains.index(chain) not in take.streams:
        return not_judged(f"{_why_only_samples(take)}, and {name} is not in it")
    if has_paused(take, chain):
        return not_judged(
            f"only {_samples(count)} in this take: a threshold stops {chain.converter}, as designed"
        )
    if due >= FEWEST_SAMPLES and count < HARDLY_ANY * due:
        return Judgement(
            "fails",
            None,
            "",
            None,
            None,
            count,
            f"{count or 'none'} of {due:.0f} values came of {name}",
        )
    return not_judged(f"only {_samples(count)} in this take" if count else "not in this take")


def _samples(count: int) -> str:
    return f"{count} sample{'' if count == 1 else 's'}"


def _level(take: Take, expectation: LevelExpectation) -> Judgement:
    moments = moments_of(take, expectation.signal)
    if not moments.count:
        return not_judged("its moving average has not filled in this take")
    low, high = (
        expectation.level_v - expectation.within_v,
        expectation.level_v + expectation.within_v,
    )
    unsure_v = _unsure_v(moments.mean_sigma, moments.std, value_step_v(take, expectation.signal))
    note = f"mean {format_volts(moments.mean)} ± {format_si(unsure_v, 'V', 2)}"
    return Judgement(
        within(moments.mean, low, high), moments.mean, "V", low, high, moments.count, note
    )


def _unsure_v(sigma_v: float, std_v: float, step_v: float) -> float:
    """Two standard errors; where noise does not carry values across half a step, that half step
    besides."""
    return math.hypot(2 * sigma_v, step_v / 2 if std_v < step_v / 2 else 0.0)


def _steps(take: Take, expectation: SquareExpectation) -> Judgement:
    _items, often, volts = code_counts(take, expectation.signal)
    levels = two_levels(volts, (expectation.low_v + expectation.high_v) / 2, often)
    count = levels.low_count + levels.high_count
    if not levels.low_count or not levels.high_count:
        seen = "upper" if levels.high_count else "lower"
        return Judgement("open", None, "V", None, None, count, f"only the {seen} level was seen")
    off_low, off_high = levels.low - expectation.low_v, levels.high - expectation.high_v
    is_high = abs(off_high) >= abs(off_low)
    measured, wanted = (
        (levels.high, expectation.high_v) if is_high else (levels.low, expectation.low_v)
    )
    low, high = wanted - expectation.within_v, wanted + expectation.within_v
    spread = (levels.high_std, levels.high_count) if is_high else (levels.low_std, levels.low_count)
    sigma_v = levels.median_sigma(*spread)
    unsure_v = _unsure_v(sigma_v, spread[0], value_step_v(take, expectation.signal))
    note = f"{'upper' if is_high else 'lower'} level reads {format_volts(measured)} ± {format_si(unsure_v, 'V', 2)}"
    return Judgement(within(measured, low, high), measured, "V", low, high, count, note)


def _sine(take: Take, expectation: SineExpectation) -> Judgement:
    samples = take.head(expectation.signal, SINE_SAMPLES)
    assert samples is not None
    values, times_s = samples.volts[samples.valid], samples.times_s[samples.valid]
    try:
        fit = fit_sine(values, times_s)
    except ValueError:
        return Judgement("fails", 0.0, "V", None, None, len(values), "nothing alternates")
    span_s = float(times_s[-1] - times_s[0])
    asks_figures = (expectation.frequency_hz, expectation.amplitude_v, expectation.rms_v) != (
        None,
        None,
        None,
    )
    if asks_figures and not fit.has_converged:
        note = f"no sine fits it: {format_volts(fit.residual_rms)} rms is left of {format_volts(float(values.std()))}"
        return Judgement("fails", None, "V", None, None, len(values), note)
    if span_s * float(expectation.frequency_hz or fit.frequency_hz) < 1:
        return not_judged(f"{format_si(span_s, 's', 3)} hold less than a period")
    bias_v = off_hz = 0.0
    if expectation.frequency_hz is not None:
        wanted, measured, unit = float(expectation.frequency_hz), fit.frequency_hz, "Hz"
        off_hz = measured * take.workspace.clock_tolerance
        unsure = format_si(math.hypot(2 * fit.frequency_sigma_hz, off_hz), "Hz", 2)
        note = f"{format_si(measured, 'Hz', 6)} ± {unsure}"
    elif expectation.rms_v is not None or expectation.amplitude_v is not None:
        ratio = math.sqrt(2) if expectation.rms_v is not None else 1.0
        wanted = (
            expectation.rms_v if expectation.rms_v is not None else expectation.amplitude_v
        ) or 0.0
        measured, unit = fit.amplitude / ratio, "V"
        bias_v = quantised_bias(fit, value_step_v(take, expectation.signal), times_s) / ratio
        unsure = format_si(math.hypot(2 * fit.amplitude_sigma / ratio, bias_v), "V", 2)
        note = (
            f"{measured:.4f} V rms ± {unsure}"
            if ratio > 1
            else f"amplitude {measured:.4f} V ± {unsure}"
        )
    else:
        share = 1 - (fit.residual_rms / max(float(values.std()), 1e-300)) ** 2
        low = 1 - expectation.within
        return Judgement(
            within(share, low, None),
            share,
            "%",
            low,
            None,
            len(values),
            f"SINAD {fit.sinad_db:.1f} dB",
        )
    low, high = wanted * (1 - expectation.within), wanted * (1 + expectation.within)
    outcome = within(measured, low, high)
    if off_hz and {within(measured - off_hz, low, high), within(measured + off_hz, low, high)} != {
        outcome
    }:
        outcome = "open"
        note += f": the board's clock is known to ± {format_si(take.workspace.clock_tolerance, '%')} only"
    if outcome == "fails" and within(measured, low - bias_v, high + bias_v) == "holds":
        steps = fit.amplitude / value_step_v(take, expectation.signal)
        outcome, note = (
            "open",
            f"{note}: a sine of {steps:.2g} steps of the converter is read no better",
        )
    return Judgement(outcome, measured, unit, low, high, len(values), note)


def _noise(take: Take, expectation: NoiseExpectation) -> Judgement:
    left = Moments()
    for block in compared_blocks(take, expectation.signal):
        left.add(block.error_v)
    outcome = within(left.std, None, expectation.rms_v)
    note = f"{left.std * 1e3:.2f} mV rms ± {200 / math.sqrt(2 * left.count):.2g} %"
    return Judgement(outcome, left.std, "V", None, expectation.rms_v, left.count, note)


def _twin(take: Take, expectation: RedundantPairExpectation) -> Judgement:
    signal = take.workspace.project.signal(expectation.signal)
    if signal.partner is None:
        return not_judged(f"{signal.name} is not paired with another signal")
    other = take.workspace.project.signal(signal.partner)
    if take.has_only_samples and (
        signal.later_filter is not None or other.later_filter is not None
    ):
        return not_judged(
            f"{_why_only_samples(take)}, and what their stages make does not come that way"
        )
    if take.workspace.project.chain_of(other.name) is None:
        return not_judged("its pair has no slot")
    if not take.came(other.name):
        return _too_few(take, other.name, 0)
    worst, count = 0.0, 0
    for pairs in paired_blocks(take, signal.name, other.name):
        worst = max(worst, float(np.abs(pairs.difference_v).max(initial=0.0)))
        count += len(pairs.difference_v)
    if count < FEWEST_SAMPLES:
        return not_judged("too few pairs in this take")
    note = f"worst {format_volts(worst)} of {count} pairs"
    outcome = within(worst, None, expectation.within_v)
    trips = [
        event
        for watch in signal_watches(take, signal.name, "twin")
        for event in crossings(take, watch).came
    ]
    if trips:
        note += f", {sum(began for _at, began in trips)} trips"
        outcome = "fails"  # a pair that agrees and trips all the same does not do its work
    return Judgement(outcome, worst, "V", None, expectation.within_v, count, note)
