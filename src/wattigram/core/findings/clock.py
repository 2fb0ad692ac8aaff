"""Rules on clocks and triggers."""

from __future__ import annotations

import math
from collections.abc import Iterator
from fractions import Fraction

from wattigram.core.design import TimerTrigger, Workspace
from wattigram.core.design.edits import SetCalibration, SetDivider, SetPeriod
from wattigram.core.errors import QuantityError
from wattigram.core.fields import period_text
from wattigram.core.findings.finding import Finding, rule
from wattigram.core.quantity import brief
from wattigram.core.timing import chain_timer, cycle_timing

DOUBTFUL_PPM = 100


@rule
def clock_out_of_range(workspace: Workspace) -> Iterator[Finding]:
    """Codes scatter and missing codes appear when the clock is too fast; too slow, the held charge leaks away."""
    for chain in workspace.project.chains:
        converter = workspace.converter(chain)
        clock_hz = workspace.bus_clock_hz / chain.divider
        legal = [
            divider
            for divider in sorted(converter.dividers)
            if converter.clock_low_hz <= workspace.bus_clock_hz / divider <= converter.clock_high_hz
        ]
        if clock_hz > converter.clock_high_hz:
            code, side, limit_hz, cure = "clock-too-fast", "above", converter.clock_high_hz, legal[:1]
        elif clock_hz < converter.clock_low_hz:
            code, side, limit_hz, cure = "clock-too-slow", "below", converter.clock_low_hz, legal[-1:]
        else:
            continue
        advice = f"Divide the bus clock by {cure[0]}." if cure else "No divider is legal at this bus clock."
        yield Finding(
            code,
            "error",
            chain.converter,
            f"{chain.converter} is clocked too {'fast' if side == 'above' else 'slowly'}",
            f"{chain.converter} runs at {brief(clock_hz, 'Hz')}, {side} its {brief(limit_hz, 'Hz')}. {advice}",
            SetDivider(chain.converter, cure[0]) if cure else None,
            converter=chain.converter,
        )


@rule
def trigger_too_short(workspace: Workspace) -> Iterator[Finding]:
    """Every second trigger, or more, finds the converter busy and is lost: the rate halves."""
    for chain in workspace.project.chains:
        cycle = cycle_timing(workspace, chain)
        if cycle.slack_s >= 0:
            continue
        every_s = Fraction(math.ceil(cycle.busy_s * 10**6), 10**6)
        yield Finding(
            "trigger-too-short",
            "error",
            chain.converter,
            f"{chain.converter} is still busy when triggered",
            f"A cycle takes {brief(cycle.busy_s, 's')} and the trigger comes every {brief(cycle.period_s, 's')}: "
            f"only one trigger in {cycle.triggers_per_cycle} starts a cycle, {brief(cycle.cycle_rate_hz, 'Hz')} instead of "
            f"{brief(1 / cycle.period_s, 'Hz')}.",
            SetPeriod(chain.converter, every_s),
            converter=chain.converter,
        )


@rule
def period_not_exact(workspace: Workspace) -> Iterator[Finding]:
    """The rate is a little off, which shows as a slow drift against any other clock."""
    for chain in workspace.project.chains:
        if not isinstance(chain.trigger, TimerTrigger):
            continue
        setting = chain_timer(workspace, chain)
        if setting.rate_error == 0:
            continue
        ppm = float(setting.rate_error) * 1e6
        try:
            period_text(setting.period_s)
            remedy = SetPeriod(chain.converter, setting.period_s)
        except QuantityError:
            remedy = None
        yield Finding(
            "period-not-exact",
            "warning" if abs(ppm) > DOUBTFUL_PPM else "note",
            chain.trigger.timer,
            f"{chain.trigger.timer} cannot do just that period",
            f"{brief(setting.timer_hz, 'Hz')} / ({setting.prescaler} × {setting.period_counts}) gives "
            f"{brief(1 / setting.period_s, 'Hz', 8)} where {brief(1 / setting.wanted_s, 'Hz', 8)} is wanted: {ppm:+.3g} ppm.",
            remedy,
            converter=chain.converter,
        )


@rule
def timer_shared(workspace: Workspace) -> Iterator[Finding]:
    """One of the two chains runs at the other's rate."""
    seen: dict[str, tuple[str, Fraction]] = {}
    for chain in workspace.project.chains:
        if not isinstance(chain.trigger, TimerTrigger):
            continue
        other, every_s = seen.setdefault(chain.trigger.timer, (chain.converter, chain.trigger.every))
        if every_s != chain.trigger.every:
            yield Finding(
                "timer-shared",
                "error",
                chain.trigger.timer,
                f"{chain.trigger.timer} has two periods",
                f"{other} wants {brief(every_s, 's')} of it and {chain.converter} {brief(chain.trigger.every, 's')}.",
                SetPeriod(chain.converter, every_s),
                converter=chain.converter,
            )


@rule
def not_calibrated(workspace: Workspace) -> Iterator[Finding]:
    """All readings of the converter are off by the same few counts."""
    for chain in workspace.project.chains:
        converter = workspace.converter(chain)
        if converter.needs_calibration and not chain.calibrate:
            yield Finding(
                "not-calibrated",
                "warning",
                chain.converter,
                f"{chain.converter} is not calibrated",
                f"Without calibration its readings are off by about {converter.offset_uncalibrated_lsb:+g} LSB, with it by "
                f"{converter.offset_calibrated_lsb:+g} LSB.",
                SetCalibration(chain.converter, True),
                converter=chain.converter,
            )
