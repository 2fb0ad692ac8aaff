"""Rules on clocks and triggers."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.base.quantity import format_percent, format_si
from wattigram.core.model.design import TimerTrigger, Workspace
from wattigram.core.model.design.edits import SetCalibration, SetDivider, SetPeriod
from wattigram.core.predict.clocks import solve_timer, timer_setting
from wattigram.core.predict.timing import scan_timing

DOUBTFUL_PPM = 100


@rule("clock-too-fast", "clock-too-slow")
def clock_out_of_range(workspace: Workspace) -> Iterator[Finding]:
    """Codes scatter and missing codes appear when the clock is too fast; too slow, the held charge
    leaks away."""
    for chain in workspace.project.chains:
        converter = workspace.converter(chain)
        source_hz = converter.source_clock_hz(workspace.bus_clock_hz, chain.clock == "internal")
        clock_hz = source_hz / chain.divider
        legal = [
            divider
            for divider in sorted(converter.dividers)
            if converter.allows_clock(source_hz / divider, chain.bits)
        ]
        most_hz = converter.clock_limit_hz(chain.bits)
        if clock_hz > most_hz:
            code, side, limit_hz, cure = (
                "clock-too-fast",
                "above",
                most_hz,
                legal[:1],
            )
        elif clock_hz < converter.clock_low_hz:
            code, side, limit_hz, cure = (
                "clock-too-slow",
                "below",
                converter.clock_low_hz,
                legal[-1:],
            )
        else:
            continue
        advice = f"Divide by {cure[0]}." if cure else "No divider is legal at this clock."
        at = (
            f" at {chain.bits} bits"
            if limit_hz != converter.clock_high_hz and code == "clock-too-fast"
            else ""
        )
        yield Finding(
            code,
            "error",
            chain.converter,
            f"{chain.converter} is clocked too {'fast' if side == 'above' else 'slowly'}",
            f"{chain.converter} runs at {format_si(clock_hz, 'Hz')}, {side} its "
            f"{format_si(limit_hz, 'Hz')}{at}. {advice}",
            SetDivider(chain.converter, cure[0]) if cure else None,
            converter=chain.converter,
        )


@rule("period-not-exact")
def period_not_exact(workspace: Workspace) -> Iterator[Finding]:
    """The rate is a little off, which shows as a slow drift against any other clock."""
    for chain in workspace.project.chains:
        if not isinstance(chain.trigger, TimerTrigger):
            continue
        setting = timer_setting(workspace, chain.trigger)
        if (
            setting.rate_error == 0
            or chain.trigger.prescaler_register is not None
            or chain.trigger.period_register is not None
        ):
            continue
        ppm = float(setting.rate_error) * 1e6
        yield Finding(
            "period-not-exact",
            "warning" if abs(ppm) > DOUBTFUL_PPM else "note",
            chain.trigger.timer,
            f"{chain.trigger.timer} cannot do just that period",
            f"{format_si(setting.timer_hz, 'Hz')} / ({setting.prescaler} × "
            f"{setting.period_counts}) gives "
            f"{format_si(1 / setting.period_s, 'Hz', 8)} where "
            f"{format_si(1 / setting.wanted_s, 'Hz', 8)} is wanted: {ppm:+.3g} ppm.",
            SetPeriod(chain.converter, setting.period_s),
            converter=chain.converter,
        )


@rule("timer-registers")
def timer_registers(workspace: Workspace) -> Iterator[Finding]:
    """The rate is off by a fixed share: registers hold value − 1, and the value itself was
    written."""
    for chain in workspace.project.chains:
        trigger = chain.trigger
        if not isinstance(trigger, TimerTrigger):
            continue
        if trigger.prescaler_register is None and trigger.period_register is None:
            continue
        setting = timer_setting(workspace, trigger)
        if abs(setting.rate_error) * 10**6 <= DOUBTFUL_PPM:
            continue
        timer = workspace.part.timer(trigger.timer)
        assert timer is not None
        best = solve_timer(
            setting.timer_hz, trigger.period_s, timer.prescaler_choices, timer.counter_bits
        )
        wanted_ticks = setting.timer_hz * trigger.period_s
        meant = max(setting.prescaler - 1, 1) * max(setting.period_counts - 1, 1)
        one_off = abs(meant / wanted_ticks - 1) < abs(setting.ticks / wanted_ticks - 1)
        advice = " Registers hold value − 1." if one_off else ""
        yield Finding(
            "timer-registers",
            "error",
            trigger.timer,
            f"{trigger.timer} does not do the period that is wanted",
            f"Registers {setting.prescaler - 1} and {setting.period_counts - 1} count "
            f"{setting.prescaler} × "
            f"{setting.period_counts}: {format_si(1 / setting.period_s, 'Hz', 6)} where "
            f"{format_si(1 / trigger.period_s, 'Hz', 6)} is "
            f"wanted, {float(setting.rate_error) * 100:+.3g} %.{advice} Write "
            f"{best.prescaler - 1} and "
            f"{best.period_counts - 1}.",
            SetPeriod(chain.converter, trigger.period_s),
            converter=chain.converter,
        )


@rule("oscillator-spread")
def oscillator_spread(workspace: Workspace) -> Iterator[Finding]:
    """The rate differs from board to board, and with temperature."""
    for chain in workspace.project.chains:
        oscillator = workspace.converter(chain).oscillator
        if chain.clock != "internal" or oscillator is None:
            continue
        cycle = scan_timing(workspace, chain)
        yield Finding(
            "oscillator-spread",
            "note",
            chain.converter,
            f"{chain.converter} runs from its internal oscillator",
            f"Its {format_si(oscillator.clock_hz, 'Hz')} is only good for ± "
            f"{format_percent(oscillator.tolerance)}, and so are "
            f"{format_si(cycle.clock_hz, 'Hz')} and all times that follow from it.",
            converter=chain.converter,
        )


@rule("not-calibrated")
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
                "Without calibration its readings are off by about "
                f"{converter.offset_uncalibrated_lsb:+g} LSB, with it by "
                f"{converter.offset_calibrated_lsb:+g} LSB.",
                SetCalibration(chain.converter, True),
                converter=chain.converter,
            )
