"""All comes, at another rate than was meant; or a signal is faster than the rate it is taken at."""

from __future__ import annotations

import numpy as np

from wattigram.core.base.quantity import format_percent, format_si
from wattigram.core.judge.causes.base import FailingSignal, LikelyCause, register_cause
from wattigram.core.judge.judgement import MOST_UNTOLD_LAPS, due_items
from wattigram.core.model.bench import SineSource
from wattigram.core.model.design import TimerTrigger
from wattigram.core.predict.clocks import timer_setting
from wattigram.core.predict.pins import input_source

STEADY_PPM = 50.0
ALIKE = 0.02
FEWEST_CYCLES = 200
"""Of fewer, one that is under way at the end is too much of a share."""


def _measured_hz(case: FailingSignal) -> float | None:
    """Cycles per second, from the ticks that the board sent."""
    return case.take.cycle_rate_hz(case.chain)


@register_cause("trigger-too-short")
def triggers_are_missed(case: FailingSignal) -> LikelyCause | None:
    """The rate is a whole fraction of the trigger's."""
    rate_hz = _measured_hz(case)
    finding = case.of_chain("trigger-too-short")
    if rate_hz is None or finding is None:
        return None
    predicted = float(case.cycle.handed_rate_hz)
    agreement = min(rate_hz, predicted) / max(rate_hz, predicted)
    return case.cause(
        "trigger-too-short",
        finding.title,
        1 - (1 - agreement) * 20,
        f"scans come at {format_si(rate_hz, 'Hz', 5)}; a scan takes "
        f"{format_si(case.cycle.busy_s, 's', 4)} and triggers come "
        f"every {format_si(case.cycle.period_s, 's', 4)}, which leaves "
        f"{format_si(predicted, 'Hz', 5)}",
        finding.remedy,
        whole=True,
    )


@register_cause("timer-registers")
def timer_counts_otherwise(case: FailingSignal) -> LikelyCause | None:
    """The rate is that of other register values: most often each one too high."""
    trigger = case.take.workspace.project.own_trigger(case.chain)
    rate_hz = _measured_hz(case)
    finding = case.of_chain("timer-registers")
    if rate_hz is None or finding is None or not isinstance(trigger, TimerTrigger):
        return None
    setting = timer_setting(case.take.workspace, trigger)
    wanted, predicted = float(1 / trigger.period_s), float(1 / setting.period_s)
    per_cycle = case.cycle.triggers_per_cycle
    off, explained = rate_hz * per_cycle / wanted - 1, predicted / wanted - 1
    if abs(off) < 1e-5:
        return None
    return case.cause(
        "timer-registers",
        f"{trigger.timer} counts {setting.prescaler} × {setting.period_counts}",
        1 - abs(off - explained) / max(abs(off), abs(explained)),
        f"triggers come at {format_si(rate_hz * per_cycle, 'Hz', 6)}, {off * 100:+.3g} %; "
        "registers "
        f"{setting.prescaler - 1} and {setting.period_counts - 1} make {explained * 100:+.3g} %",
        finding.remedy,
        whole=True,
    )


@register_cause("oscillator-spread")
def oscillator_is_off(case: FailingSignal) -> LikelyCause | None:
    """The rate is off by no more than the converter's own oscillator may be, and nothing else sets
    it."""
    rate_hz = _measured_hz(case)
    oscillator = case.take.workspace.converter(case.chain).oscillator
    if "rate" not in case.kinds:  # the instants of all else are told
        return None
    if (
        rate_hz is None
        or oscillator is None
        or case.chain.clock != "internal"
        or case.cycle.trigger.pace == "pattern"
    ):
        return None
    off = rate_hz / float(case.cycle.handed_rate_hz) - 1
    if not STEADY_PPM * 1e-6 < abs(off) <= 1.01 * oscillator.tolerance:
        return None
    finding = case.of_chain("oscillator-spread")
    return case.cause(
        "oscillator-spread",
        f"The oscillator of {case.chain.converter} is {'fast' if off > 0 else 'slow'}",
        0.9,
        f"scans come at {format_si(rate_hz, 'Hz', 5)}, {off * 100:+.3g} %; it is only good for "
        f"± {format_percent(oscillator.tolerance)}",
        finding.remedy if finding is not None else None,
        whole=True,
    )


@register_cause("sampled-too-slowly")
def signal_is_folded(case: FailingSignal) -> LikelyCause | None:
    """Each sample is right, and there are too few of them in a period: a sine appears at another
    frequency."""
    finding = case.finding("sampled-too-slowly")
    source = input_source(case.take.workspace, case.signal.pin)
    if (
        finding is None
        or not isinstance(source, SineSource)
        or case.captured is None
        or case.is_off
    ):
        return None
    off = np.abs(case.measured_v - case.settled_v)
    right = float(np.mean(off <= case.expected.half_width_v * case.gain))
    return case.cause(
        finding.code,
        finding.title,
        right,
        f"{format_percent(right)} of the samples are what {format_si(source.frequency_hz, 'Hz')} "
        "gives at these instants. "
        f"{finding.message}",
        finding.remedy,
    )


@register_cause("frame-times")
def frames_are_timed_wrong(case: FailingSignal) -> LikelyCause | None:
    """As many items came as the board's running time makes, yet the instants of their frames tell
    of another rate."""
    if case.cycle.is_single_run:
        return None  # however fast they came, there are as many as there should be
    rate_hz, due = _measured_hz(case), due_items(case.take, case.chain)
    came = case.take.recorded_count(case.stream)
    cycles, seconds = case.take.recorded_cycles(case.chain), case.take.span_s
    if cycles < FEWEST_CYCLES or not due or abs(came / due - 1) > ALIKE:
        return None
    if rate_hz is None and cycles <= MOST_UNTOLD_LAPS * case.chain.buffer.samples:
        return None
    if rate_hz is not None and abs(rate_hz * seconds / cycles - 1) < ALIKE:
        return None
    told = (
        f"they come at {format_si(rate_hz, 'Hz', 4)}" if rate_hz is not None else "no time passes"
    )
    return case.cause(
        "frame-times",
        "The firmware stamps its frames with wrong instants",
        1 - abs(came / due - 1) / ALIKE * 0.5,
        f"{cycles} scans came in {format_si(seconds, 's', 3)}, as many as should; by the ticks "
        f"of their frames {told}",
        None,
        whole=True,
    )
