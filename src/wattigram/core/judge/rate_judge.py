"""Whether a chain's cycles come at the rate that is wanted, none left out."""

from __future__ import annotations

import math

from wattigram.core.base.quantity import format_si
from wattigram.core.capture.take import Take
from wattigram.core.judge.judgement import (
    MOST_UNTOLD_LAPS,
    Judgement,
    not_judged,
    single_run_items,
    within,
)
from wattigram.core.judge.missing_data import has_paused, may_pause
from wattigram.core.model.design import Chain, RateExpectation, TimerTrigger, Workspace
from wattigram.core.predict.clocks import timer_setting
from wattigram.core.predict.timing import scan_timing

POLLED_CYCLES = 4
FEWEST_DUE = 64
"""Cycles of which more than a few must have come."""


def judge_rate(take: Take, expectation: RateExpectation) -> Judgement:
    """Cycles as they come against those that are wanted; a stream that falls silent does not
    hold."""
    project = take.workspace.project
    chain = project.chain_of(expectation.signal)
    assert chain is not None
    stream = take.workspace.project.chains.index(chain)
    wanted_hz = (
        float(expectation.rate_hz)
        if expectation.rate_hz is not None
        else wanted_rate_hz(take.workspace, chain)
    )
    if expectation.pauses or may_pause(take.workspace, chain):
        return _rate_between_pauses(take, chain, wanted_hz, expectation.within)
    low, high = wanted_hz * (1 - expectation.within), wanted_hz * (1 + expectation.within)
    limit = single_run_items(take, chain)
    span_s = take.span_of(chain)
    if limit is not None:
        left = max(0, limit - take.first_item(stream))
        span_s = min(span_s, left / len(chain.slots) / wanted_hz)
    cycles, due = take.recorded_cycles(chain), span_s * wanted_hz
    lost = take.lost_items(stream) + take.totals.get(f"lost.{stream}", 0) * (
        _keeps(chain) == "newest"
    )
    again = take.repeated_items(stream)
    # What waits for a mark when a board is cut off, and what is under way when it stops, is not
    # missing.
    allowed = 2 + chain.buffer.samples / len(chain.slots) * (0 if take.totals else 1)
    if chain.readout.single_run:
        came, wanted = take.item_count(stream), chain.buffer.samples
        if came > wanted:
            note = f"{came} samples came, and a single run of {wanted} is wanted"
            return Judgement("fails", None, "Hz", low, high, cycles, note)
    if cycles + allowed < due * (1 - max(expectation.within, 0.01)):
        measured = cycles / span_s
        note = f"{cycles} of {due:.0f} scans came in {format_si(span_s, 's', 3)}"
        return Judgement("fails", measured, "Hz", low, high, cycles, note)
    rate = take.cycle_rate_hz(chain)
    if rate is None and cycles > MOST_UNTOLD_LAPS * chain.buffer.samples:
        return Judgement(
            "fails",
            None,
            "Hz",
            low,
            high,
            cycles,
            f"{cycles} scans, and the ticks of their frames stand still",
        )
    if rate is None:
        return not_judged("too short to measure a rate")
    if take.is_polled:  # an instant is known to a cycle or so, at both ends
        low, high = low * (1 - POLLED_CYCLES / cycles), high * (1 + POLLED_CYCLES / cycles)
    inside = within(rate, low, high)
    ppm = (rate / wanted_hz - 1) * 1e6
    ppm = 0.0 if math.isclose(ppm, 0.0, abs_tol=5e-3) else ppm
    what = "not seen between polls" if take.is_polled else "lost"
    note = f"{cycles} scans, {'none' if not lost else f'{lost} samples'} {what}, {_ppm_text(ppm)}"
    note += f", {again} samples came again" if again else ""
    is_lossy = lost and not take.is_polled  # whoever polls is at fault, and not the board
    return Judgement("fails" if is_lossy or again else inside, rate, "Hz", low, high, cycles, note)


def _rate_between_pauses(take: Take, chain: Chain, wanted_hz: float, share: float) -> Judgement:
    """The rate from frame to frame: stops are intended, and what lies in them says nothing."""
    stream = take.workspace.project.chains.index(chain)
    low, high = wanted_hz * (1 - share), wanted_hz * (1 + share)
    cycles = take.recorded_cycles(chain)
    rate = take.running_rate_hz(chain)
    due = take.span_of(chain) * wanted_hz
    if rate is None and due >= FEWEST_DUE and not has_paused(take, chain):
        note = f"{cycles} of {due:.0f} scans came, and no threshold stopped {chain.converter}"
        return Judgement("fails", 0.0, "Hz", low, high, cycles, note)
    if rate is None:
        return not_judged("too short to measure a rate")
    lost, again = take.lost_items(stream), take.repeated_items(stream)
    note = f"{cycles} scans, {'none' if not lost else f'{lost} samples'} lost, {_ppm_text((rate / wanted_hz - 1) * 1e6)} between pauses"
    outcome = "fails" if lost or again else within(rate, low, high)
    return Judgement(outcome, rate, "Hz", low, high, cycles, note)


def _keeps(chain: Chain) -> str:
    """Whether items that a handler loses close up, or leave a gap in their numbers."""
    return "newest" if chain.readout.kind in {"polling", "interrupt"} else "gaps"


def wanted_rate_hz(workspace: Workspace, chain: Chain) -> float:
    """Cycles per second that are meant: the timer's wanted period, else what the design comes
    to."""
    trigger = workspace.project.own_trigger(chain)
    cycle = scan_timing(workspace, chain)
    if cycle.read_period_s is not None:
        return float(cycle.handed_rate_hz)
    if isinstance(trigger, TimerTrigger) and cycle.trigger.pace == "pattern":
        setting = timer_setting(
            workspace, trigger.replaced(prescaler_register=None, period_register=None), alone=True
        )
        units = len(chain.slots) if chain.per_trigger == "conversion" else 1
        return float(1 / setting.period_s) / units
    return float(cycle.cycle_rate_hz)


def _ppm_text(ppm: float) -> str:
    """With its sign, in three digits and no power of ten."""
    return f"{ppm:+.0f} ppm" if abs(ppm) >= 100 else f"{ppm:+.3g} ppm"
