"""One judge for each kind of expectation."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from wattigram.core.analysis import Moments, fit_sine, two_levels
from wattigram.core.clocks import timer_setting
from wattigram.core.design import (
    Chain,
    CourseExpectation,
    EdgesExpectation,
    Expectation,
    LevelExpectation,
    NoiseExpectation,
    PairExpectation,
    RateExpectation,
    RouteExpectation,
    SineExpectation,
    StepsExpectation,
    TimerTrigger,
    TripExpectation,
    TwinExpectation,
    WindowExpectation,
    Workspace,
)
from wattigram.core.expected import ExpectedEvent
from wattigram.core.proof.compared import code_counts, compared_blocks, moments_of, value_step_v
from wattigram.core.proof.crossings import comparator_edges, crossings, signal_watches
from wattigram.core.proof.measured import MOST_UNTOLD_LAPS, Judged, due_items, not_judged, within
from wattigram.core.proof.missing import may_pause, missing_text
from wattigram.core.proof.outputs import judge_course, judge_pair, judge_route, judge_trip
from wattigram.core.proof.pairing import paired_blocks
from wattigram.core.proof.unclaimed import Unclaimed
from wattigram.core.proof.verdict import Outcome, Verdict
from wattigram.core.quantity import brief, show_volts
from wattigram.core.take import Take
from wattigram.core.timing import cycle_timing

FEWEST_SAMPLES = 16
SINE_SAMPLES = 1 << 20
OF_EVENTS = (WindowExpectation, EdgesExpectation, TripExpectation, RouteExpectation)
"""Judged by what a board tells, and not by items."""
POLLED_CYCLES = 4
SMALLEST_S = 1e-10
HARDLY_ANY = 0.02
"""Share of what is due."""


def judge(take: Take, index: int, expectation: Expectation) -> tuple[Verdict, ...]:
    """Verdicts on one expectation; a sine with several figures gives one for each."""
    parts = _split(expectation) if isinstance(expectation, SineExpectation) else (expectation,)
    verdicts = []
    for part in parts:
        found = _judge(take, part)
        verdicts.append(
            Verdict(
                index,
                expectation,
                expectation_text(part),
                found.outcome,
                found.measured,
                found.unit,
                found.low,
                found.high,
                found.samples,
                found.note,
            )
        )
    return tuple(verdicts)


def _split(expectation: SineExpectation) -> tuple[SineExpectation, ...]:
    none = expectation.changed(frequency_hz=None, amplitude_v=None, rms_v=None)
    parts = [
        none.changed(**{name: getattr(expectation, name)})
        for name in ("frequency_hz", "amplitude_v", "rms_v")
        if getattr(expectation, name) is not None
    ]
    return tuple(parts) or (expectation,)


def expectation_text(expectation: Expectation) -> str:
    """The expectation as a sentence that starts with its signal."""
    name = expectation.signal
    match expectation:
        case LevelExpectation():
            return f"{name} is {show_volts(expectation.level_v)} ± {show_volts(expectation.within_v)}"
        case StepsExpectation():
            return f"{name} steps {expectation.low_v:g} ↔ {expectation.high_v:g} V ± {show_volts(expectation.within_v)}"
        case SineExpectation():
            within = brief(expectation.within, "%")
            if expectation.frequency_hz is not None:
                return f"{name} is {brief(expectation.frequency_hz, 'Hz')} ± {within}"
            if expectation.rms_v is not None:
                return f"{name} rms {expectation.rms_v:g} V ± {within}"
            if expectation.amplitude_v is not None:
                return f"{name} amplitude {expectation.amplitude_v:g} V ± {within}"
            return f"{name} is a sine"
        case NoiseExpectation():
            return f"{name} scatters at most {show_volts(expectation.rms_v)} rms"
        case TwinExpectation():
            return f"{name} agrees within {show_volts(expectation.within_v)}"
        case WindowExpectation():
            limits = ""
            if expectation.low_v is not None and expectation.high_v is not None:
                limits = f" of {expectation.low_v:g} to {expectation.high_v:g} V"
            return f"{name} crosses its window{limits} as expected, within {brief(expectation.within_s, 's')}"
        case EdgesExpectation():
            return f"{name} gives at most {expectation.most} comparator edge{'s' if expectation.most > 1 else ''} a crossing"
        case RateExpectation():
            rate = f" {brief(expectation.rate_hz, 'Hz')}" if expectation.rate_hz is not None else ""
            every = "comes without a loss between its pauses" if expectation.pauses else "comes at every cycle"
            return f"{name} {every}, rate{rate} ± {brief(expectation.within, '%')}"
        case CourseExpectation():
            return f"{name} follows its course within {show_volts(expectation.within_v)}"
        case PairExpectation():
            return f"{name} and its DAC stay within INL {expectation.inl_lsb:g} LSB, DNL {expectation.dnl_lsb:g} LSB"
        case TripExpectation():
            return f"{name} trips its comparator where it is set, within {show_volts(expectation.within_v)}"
        case RouteExpectation():
            allowed = f", {brief(expectation.lost, '%')} may be lost" if expectation.lost else ""
            return f"{name} brings every value whole{allowed}"


def _judge(take: Take, expectation: Expectation) -> Judged:
    if take.is_polled and isinstance(expectation, OF_EVENTS):
        return not_judged("memory was polled, and only items come that way")
    if isinstance(expectation, RouteExpectation):
        return judge_route(take, expectation)
    if take.workspace.project.chain_of(expectation.signal) is None:
        return not_judged("the signal has no slot")
    if isinstance(expectation, RateExpectation):
        return _rate(take, expectation)
    if isinstance(expectation, EdgesExpectation):
        return _edges(take, expectation)
    count = take.came(expectation.signal)
    if count < FEWEST_SAMPLES:
        return _too_few(take, expectation.signal, count)
    found = _of_samples(take, expectation)
    missing = _missing(take, expectation.signal)
    if missing and found.outcome == "holds":
        found = replace(found, outcome="fails", note=f"{found.note}, but {missing}")
    return found


def _missing(take: Take, name: str) -> str:
    """What a signal, or the other one of its pair, falls short of."""
    twin = take.workspace.project.signal(name).twin_of
    return missing_text(take, name) or (missing_text(take, twin) if twin is not None else "")


def _of_samples(take: Take, expectation: Expectation) -> Judged:
    match expectation:
        case LevelExpectation():
            return _level(take, expectation)
        case StepsExpectation():
            return _steps(take, expectation)
        case SineExpectation():
            return _sine(take, expectation)
        case NoiseExpectation():
            return _noise(take, expectation)
        case TwinExpectation():
            return _twin(take, expectation)
        case WindowExpectation():
            return _window(take, expectation)
        case CourseExpectation():
            return judge_course(take, expectation)
        case PairExpectation():
            return judge_pair(take, expectation)
        case TripExpectation():
            return judge_trip(take, expectation)
        case _:
            raise AssertionError(expectation)


def _too_few(take: Take, name: str, count: int) -> Judged:
    """Few samples judge nothing; hardly any, of a chain that should have brought many, is a failure."""
    chain = take.workspace.project.chain_of(name)
    assert chain is not None
    due = due_items(take, chain) / len(chain.slots)
    if may_pause(take.workspace, chain):
        return not_judged(f"only {count} samples in this take: a window stops {chain.converter}, as designed")
    limit = cycle_timing(take.workspace, chain).items_limit
    if limit is None and due >= FEWEST_SAMPLES and count < HARDLY_ANY * due:
        return Judged("fails", None, "", None, None, count, f"{count or 'none'} of {due:.0f} values came of {name}")
    return not_judged(f"only {count} samples in this take" if count else "not in this take")


def _stream(take: Take, chain: Chain) -> int:
    return take.workspace.project.chains.index(chain)


def _level(take: Take, expectation: LevelExpectation) -> Judged:
    found = moments_of(take, expectation.signal)
    if not found.count:
        return not_judged("its running mean has not filled in this take")
    low, high = expectation.level_v - expectation.within_v, expectation.level_v + expectation.within_v
    unsure_v = _unsure_v(found.mean_sigma, found.std, value_step_v(take, expectation.signal))
    note = f"mean {show_volts(found.mean)} ± {brief(unsure_v, 'V', 2)}"
    return Judged(within(found.mean, low, high), found.mean, "V", low, high, found.count, note)


def _unsure_v(sigma_v: float, std_v: float, step_v: float) -> float:
    """Two standard errors; where noise does not carry values across half a step, that half step besides."""
    return math.hypot(2 * sigma_v, step_v / 2 if std_v < step_v / 2 else 0.0)


def _steps(take: Take, expectation: StepsExpectation) -> Judged:
    _items, often, volts = code_counts(take, expectation.signal)
    found = two_levels(volts, (expectation.low_v + expectation.high_v) / 2, often)
    count = found.low_count + found.high_count
    if not found.low_count or not found.high_count:
        seen = "upper" if found.high_count else "lower"
        return Judged("open", None, "V", None, None, count, f"only the {seen} level was seen")
    off_low, off_high = found.low - expectation.low_v, found.high - expectation.high_v
    is_high = abs(off_high) >= abs(off_low)
    measured, wanted = (found.high, expectation.high_v) if is_high else (found.low, expectation.low_v)
    low, high = wanted - expectation.within_v, wanted + expectation.within_v
    spread = (found.high_std, found.high_count) if is_high else (found.low_std, found.low_count)
    sigma_v = found.median_sigma(*spread)
    unsure_v = _unsure_v(sigma_v, spread[0], value_step_v(take, expectation.signal))
    note = f"{'upper' if is_high else 'lower'} level reads {show_volts(measured)} ± {brief(unsure_v, 'V', 2)}"
    return Judged(within(measured, low, high), measured, "V", low, high, count, note)


def _sine(take: Take, expectation: SineExpectation) -> Judged:
    samples = take.raw(expectation.signal, 0, SINE_SAMPLES)
    assert samples is not None
    values, times_s = samples.volts[samples.valid], samples.times_s[samples.valid]
    try:
        fit = fit_sine(values, times_s)
    except ValueError:
        return Judged("fails", 0.0, "V", None, None, len(values), "nothing alternates")
    span_s = float(times_s[-1] - times_s[0])
    asks_figures = (expectation.frequency_hz, expectation.amplitude_v, expectation.rms_v) != (None, None, None)
    if asks_figures and not fit.has_converged:
        note = f"no sine fits it: {show_volts(fit.residual_rms)} rms is left of {show_volts(float(values.std()))}"
        return Judged("fails", None, "V", None, None, len(values), note)
    if span_s * float(expectation.frequency_hz or fit.frequency_hz) < 1:
        return not_judged(f"{brief(span_s, 's', 3)} hold less than a period")
    if expectation.frequency_hz is not None:
        wanted, measured, unit = float(expectation.frequency_hz), fit.frequency_hz, "Hz"
        note = f"{brief(measured, 'Hz', 6)} ± {brief(2 * fit.frequency_sigma_hz, 'Hz', 2)}"
    elif expectation.rms_v is not None:
        wanted, measured, unit = expectation.rms_v, fit.rms, "V"
        note = f"{measured:.4f} V rms ± {brief(2 * fit.amplitude_sigma / math.sqrt(2), 'V', 2)}"
    elif expectation.amplitude_v is not None:
        wanted, measured, unit = expectation.amplitude_v, fit.amplitude, "V"
        note = f"amplitude {measured:.4f} V ± {brief(2 * fit.amplitude_sigma, 'V', 2)}"
    else:
        share = 1 - (fit.residual_rms / max(float(values.std()), 1e-300)) ** 2
        low = 1 - expectation.within
        return Judged(within(share, low, None), share, "%", low, None, len(values), f"SINAD {fit.sinad_db:.1f} dB")
    low, high = wanted * (1 - expectation.within), wanted * (1 + expectation.within)
    return Judged(within(measured, low, high), measured, unit, low, high, len(values), note)


def _noise(take: Take, expectation: NoiseExpectation) -> Judged:
    left = Moments()
    for block in compared_blocks(take, expectation.signal):
        left.add(block.error_v)
    outcome = within(left.std, None, expectation.rms_v)
    note = f"{left.std * 1e3:.2f} mV rms ± {200 / math.sqrt(2 * left.count):.2g} %"
    return Judged(outcome, left.std, "V", None, expectation.rms_v, left.count, note)


def _twin(take: Take, expectation: TwinExpectation) -> Judged:
    signal = take.workspace.project.signal(expectation.signal)
    if signal.twin_of is None:
        return not_judged(f"{signal.name} is no twin of another signal")
    other = take.workspace.project.signal(signal.twin_of)
    if take.is_polled and (signal.later_stage is not None or other.later_stage is not None):
        return not_judged("memory was polled, and what their stages make does not come that way")
    if take.workspace.project.chain_of(other.name) is None:
        return not_judged("its twin has no slot")
    if not take.came(other.name):
        return _too_few(take, other.name, 0)
    worst, count = 0.0, 0
    for pairs in paired_blocks(take, signal.name, other.name):
        worst = max(worst, float(np.abs(pairs.difference_v).max(initial=0.0)))
        count += len(pairs.difference_v)
    if count < FEWEST_SAMPLES:
        return not_judged("too few pairs in this take")
    note = f"worst {show_volts(worst)} of {count} pairs"
    outcome = within(worst, None, expectation.within_v)
    trips = [event for watch in signal_watches(take, signal.name, "twin") for event in crossings(take, watch).came]
    if trips:
        note += f", {sum(began for _at, began in trips)} trips"
        outcome = "fails"  # a pair that agrees and trips all the same does not do its work
    return Judged(outcome, worst, "V", None, expectation.within_v, count, note)


def _window(take: Take, expectation: WindowExpectation) -> Judged:
    """All windows of the signal together."""
    mine = signal_watches(take, expectation.signal, "window")
    if not mine:
        return not_judged(f"{expectation.signal} has no window")
    within_s = float(expectation.within_s)
    matched = missing = extra = due = came = 0
    worst_s = 0.0
    for watch in mine:
        found = crossings(take, watch, _limits(expectation) if len(mine) == 1 else None)
        due, came = due + len(found.wanted), came + len(found.came)
        fit = _match(found.wanted, found.came, within_s, found.end_s)
        matched, missing, extra = matched + fit[0], missing + fit[2], extra + fit[3]
        worst_s = fit[1] if abs(fit[1]) > abs(worst_s) else worst_s
    if not due and not came:
        return Judged("open", None, "s", None, within_s, 0, "no crossing was to come in this take")
    outcome: Outcome = "holds" if not missing and not extra else "fails"
    note = f"{matched} of {matched + missing} crossings, worst {_apart_text(worst_s)}"
    if extra:
        note += f", {extra} unexpected"
    return Judged(outcome, worst_s, "s", -within_s, within_s, came, note)


def _apart_text(seconds: float) -> str:
    """By how much an event was early or late; what no clock of a board could tell is none."""
    if abs(seconds) < SMALLEST_S:
        return "to the tick"
    return f"{brief(abs(seconds), 's', 3)} {'early' if seconds < 0 else 'late'}"


def _limits(expectation: WindowExpectation) -> tuple[float, float] | None:
    if expectation.low_v is None or expectation.high_v is None:
        return None
    return expectation.low_v, expectation.high_v


def _edges(take: Take, expectation: EdgesExpectation) -> Judged:
    mine = signal_watches(take, expectation.signal, "comparator")
    if not mine:
        return not_judged(f"no comparator watches {expectation.signal}")
    found = [comparator_edges(take, watch) for watch in mine]
    most, due = max(one.most for one in found), sum(one.crossings for one in found)
    if not due and not most:
        return not_judged("no crossing was to come in this take")
    edges = sum(one.edges for one in found)
    outcome = "fails" if most == 0 else within(most, None, expectation.most)
    note = f"{edges} edges at {due} crossings, up to {most} at one"
    return Judged(outcome, most, "", None, expectation.most, edges, note)


def _match(
    wanted: tuple[ExpectedEvent, ...], came: tuple[tuple[float, bool], ...], within_s: float, end_s: float
) -> tuple[int, float, int, int]:
    """(matched, worst deviation, missing, extra); what is due within ``within_s`` of the end may be absent."""
    left = {kind: Unclaimed([at for at, began in came if began == kind]) for kind in (True, False)}
    matched, missing, worst_s = 0, 0, 0.0
    for event in wanted:
        at_s = left[event.entered].claim_nearest(event.time_s, within_s)
        if at_s is not None:
            matched += 1
            deviation_s = at_s - event.time_s
            worst_s = deviation_s if abs(deviation_s) > abs(worst_s) else worst_s
        elif event.time_s + within_s < end_s:
            missing += 1
    extra = sum(at + within_s < end_s for unclaimed in left.values() for at in unclaimed.rest())
    return matched, worst_s, missing, extra


def _rate(take: Take, expectation: RateExpectation) -> Judged:
    """Cycles as they come against those that are wanted; a stream that falls silent does not hold."""
    project = take.workspace.project
    chain = project.chain_of(expectation.signal)
    assert chain is not None
    stream = _stream(take, chain)
    wanted_hz = float(expectation.rate_hz) if expectation.rate_hz is not None else wanted_rate_hz(take.workspace, chain)
    if expectation.pauses or may_pause(take.workspace, chain):
        return _rate_between_pauses(take, chain, wanted_hz, expectation.within)
    low, high = wanted_hz * (1 - expectation.within), wanted_hz * (1 + expectation.within)
    cycles, due = take.chain_cycles(chain), take.seconds * wanted_hz
    lost = take.lost_items(stream) + take.totals.get(f"lost.{stream}", 0) * (_keeps(chain) == "newest")
    again = take.repeated_items(stream)
    # What waits for a mark when a board is cut off, and what is under way when it stops, is not missing.
    allowed = 2 + chain.loop.items / len(chain.slots) * (0 if take.totals else 1)
    if cycles + allowed < due * (1 - max(expectation.within, 0.01)):
        measured = cycles / take.seconds
        note = f"{cycles} of {due:.0f} cycles came in {brief(take.seconds, 's', 3)}"
        return Judged("fails", measured, "Hz", low, high, cycles, note)
    found = take.cycle_rate_hz(chain)
    if found is None and cycles > MOST_UNTOLD_LAPS * chain.loop.items:
        return Judged(
            "fails", None, "Hz", low, high, cycles, f"{cycles} cycles, and the ticks of their frames stand still"
        )
    if found is None:
        return not_judged("too short to measure a rate")
    if take.is_polled:  # an instant is known to a cycle or so, at both ends
        low, high = low * (1 - POLLED_CYCLES / cycles), high * (1 + POLLED_CYCLES / cycles)
    inside = within(found, low, high)
    ppm = (found / wanted_hz - 1) * 1e6
    ppm = 0.0 if math.isclose(ppm, 0.0, abs_tol=5e-3) else ppm
    what = "not seen between polls" if take.is_polled else "lost"
    note = f"{cycles} cycles, {'none' if not lost else f'{lost} samples'} {what}, {ppm:+.3g} ppm"
    note += f", {again} samples came again" if again else ""
    is_lossy = lost and not take.is_polled  # whoever polls is at fault, and not the board
    return Judged("fails" if is_lossy or again else inside, found, "Hz", low, high, cycles, note)


def _rate_between_pauses(take: Take, chain: Chain, wanted_hz: float, share: float) -> Judged:
    """The rate from frame to frame: stops are intended, and what lies in them says nothing."""
    stream = _stream(take, chain)
    low, high = wanted_hz * (1 - share), wanted_hz * (1 + share)
    cycles = take.chain_cycles(chain)
    found = take.running_rate_hz(chain)
    if found is None:
        return not_judged("too short to measure a rate")
    lost, again = take.lost_items(stream), take.repeated_items(stream)
    note = f"{cycles} cycles, {'none' if not lost else f'{lost} samples'} lost, {(found / wanted_hz - 1) * 1e6:+.3g} ppm between pauses"
    outcome = "fails" if lost or again else within(found, low, high)
    return Judged(outcome, found, "Hz", low, high, cycles, note)


def _keeps(chain: Chain) -> str:
    """Whether items that a handler loses close up, or leave a gap in their numbers."""
    return "newest" if chain.retrieval.kind in {"polling", "interrupt"} else "gaps"


def wanted_rate_hz(workspace: Workspace, chain: Chain) -> float:
    """Cycles per second that are meant: the timer's wanted period, else what the design comes to."""
    trigger = workspace.project.own_trigger(chain)
    cycle = cycle_timing(workspace, chain)
    if isinstance(trigger, TimerTrigger) and cycle.trigger.pace == "pattern":
        setting = timer_setting(workspace, trigger.changed(prescaler_register=None, period_register=None), alone=True)
        units = len(chain.slots) if chain.per_trigger == "conversion" else 1
        return float(1 / setting.period_s) / units
    return float(cycle.cycle_rate_hz)
