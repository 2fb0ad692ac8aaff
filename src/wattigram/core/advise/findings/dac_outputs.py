"""Rules on tables, generators and PWM."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import Literal

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.advise.findings.fixes import first_effective_fix, round_up, rule_satisfied
from wattigram.core.base.quantity import format_rounded, format_si, format_volts
from wattigram.core.model.design import (
    ConstantLevel,
    Generator,
    GeneratorFollow,
    Playback,
    SoftwareRamp,
    TimerTrigger,
    WaveTable,
    Workspace,
)
from wattigram.core.model.design.edits import (
    CompositeEdit,
    Edit,
    SetGenerator,
    SetPwm,
    SetTable,
    retimed,
)
from wattigram.core.model.part import Dac
from wattigram.core.predict.clocks import set_timer, timer_setting
from wattigram.core.predict.pins import pwm_timing
from wattigram.core.predict.timing import RAMP_STEP_CYCLES, RAMP_STEP_SPREAD
from wattigram.core.predict.waveform import (
    dac_lsb_v,
    dac_playback,
    output_range_v,
    table_codes,
    table_volts,
    update_timer,
)

COARSE_BITS = 8


def _dac(workspace: Workspace, generator: Generator) -> Dac:
    dac = workspace.part.dac(generator.dac)
    assert dac is not None
    return dac


def _players(workspace: Workspace) -> Iterator[tuple[Generator, Playback, WaveTable, Dac]]:
    for generator in workspace.project.generators:
        if isinstance(generator.output, Playback):
            table = workspace.project.table(generator.output.table)
            assert table is not None
            yield generator, generator.output, table, _dac(workspace, generator)


@rule("table-not-codes")
def table_not_codes(workspace: Workspace) -> Iterator[Finding]:
    """The output has the right shape and a wrong size: volts went out as if they were codes."""
    for generator, _output, table, dac in _players(workspace):
        if table.holds != "codes":
            lsb_v = dac_lsb_v(workspace, dac)
            yield Finding(
                "table-not-codes",
                "error",
                table.name,
                f"{table.name} holds millivolts, and {dac.name} takes codes",
                f"1 V is stored as 1000 and comes out as {format_volts(1000 * lsb_v)}; its code "
                f"is {round(1 / lsb_v)}.",
                SetTable(table.name, table.replaced(holds="codes")),
                signal=generator.name,
            )


def _fitted(workspace: Workspace, table: WaveTable, dac: Dac, buffered: bool) -> WaveTable | None:
    """The same wave as large as it may be about the middle of what is left, where it has an
    amplitude."""
    if table.in_volts or not table.amplitude_v:
        return None
    low_v, high_v = output_range_v(workspace, dac, buffered)
    top_v = min(high_v, ((1 << dac.bits) - 1) * dac_lsb_v(workspace, dac))
    unit = (table_volts(table) - table.offset_v) / table.amplitude_v
    up, down = max(float(unit.max()), 1e-9), max(-float(unit.min()), 1e-9)
    if low_v < table.offset_v < top_v:
        fits = min(
            table.amplitude_v, (top_v - table.offset_v) / up, (table.offset_v - low_v) / down
        )
        if fits > table.amplitude_v / 4:
            return table.replaced(amplitude_v=int(fits * 1000) / 1000)
    amplitude_v = int((top_v - low_v) / (up + down) * 1000) / 1000
    return table.replaced(
        amplitude_v=amplitude_v, offset_v=round(low_v + amplitude_v * down + 5e-4, 3)
    )


@rule("table-clips", "table-wraps")
def table_clips(workspace: Workspace) -> Iterator[Finding]:
    """The wave has flat tops or bottoms; or folds over from full scale to zero."""
    for generator, _output, table, dac in _players(workspace):
        if table.holds != "codes":
            continue
        made = table_codes(workspace, table, dac, generator.buffered)
        count = int(made.clipped.sum())
        if not count:
            continue
        low_v, high_v = output_range_v(workspace, dac, generator.buffered)
        wraps = table.overflow == "wrap" and bool(
            (abs(made.levels_v - made.wanted_v) > 0.5 * (high_v - low_v)).any()
        )
        fitted = _fitted(workspace, table, dac, generator.buffered)
        edits: list[Edit] = [SetTable(table.name, fitted)] if fitted is not None else []
        if table.overflow == "wrap":
            edits += [SetTable(table.name, (fitted or table).replaced(overflow="clip"))]
        reached = f"{format_volts(low_v)} to {format_volts(high_v)}"
        wanted = f"{format_volts(float(made.wanted_v.min()))} to {format_volts(float(made.wanted_v.max()))}"
        yield Finding(
            "table-wraps" if wraps else "table-clips",
            "error",
            table.name,
            f"{table.name} {'folds over' if wraps else 'is clipped'} at {count} of {table.points} "
            "points",
            f"It wants {wanted}; {dac.name}{' with its buffer' if generator.buffered else ''} "
            f"reaches {reached}.",
            first_effective_fix(
                workspace,
                edits,
                rule_satisfied(
                    table_clips, generator.name, "" if fitted is not None else "table-wraps"
                ),
            ),
            signal=generator.name,
        )


@rule("level-out-of-reach")
def level_out_of_reach(workspace: Workspace) -> Iterator[Finding]:
    """The output stops short of the voltage that was written."""
    for generator in workspace.project.generators:
        if isinstance(generator.output, Playback):
            continue
        dac = _dac(workspace, generator)
        made = dac_playback(workspace, generator)
        if not made.clipped:
            continue
        low_v, high_v = output_range_v(workspace, dac, generator.buffered)
        top_v = min(high_v, ((1 << dac.bits) - 1) * made.lsb_v)

        def inside(volts: float, low_v: float = low_v, top_v: float = top_v) -> float:
            return min(max(volts, -(-low_v * 1000 // 1) / 1000), int(top_v * 1000) / 1000)

        match generator.output:
            case ConstantLevel(voltage_v=volts):
                better: ConstantLevel | SoftwareRamp = ConstantLevel(voltage_v=inside(volts))
            case SoftwareRamp() as ramp:
                better = ramp.replaced(from_v=inside(ramp.from_v), to_v=inside(ramp.to_v))
        yield Finding(
            "level-out-of-reach",
            "warning",
            generator.name,
            f"{dac.name} does not get there",
            f"{made.clipped} of {len(made.codes)} levels lie outside {format_volts(low_v)} to "
            f"{format_volts(high_v)}, which is "
            f"what {'its buffer reaches' if generator.buffered else 'its codes reach'}.",
            first_effective_fix(
                workspace,
                [SetGenerator(generator.name, generator.replaced(output=better))],
                lambda changed, name=generator.name: (
                    not any(  # type: ignore[misc]
                        finding.signal == name for finding in level_out_of_reach(changed)
                    )
                ),
            ),
            signal=generator.name,
        )


def _slower(
    workspace: Workspace, generator: Generator, table: WaveTable, shortest_s: Fraction
) -> list[Edit]:
    """Fewer points at a slower update, the frequency of the wave kept."""
    output = generator.output
    assert isinstance(output, Playback)
    timer = update_timer(workspace, output)
    if timer is None:
        return []
    lap_s = timer_setting(workspace, timer).period_s * table.points
    edits: list[Edit] = []
    for points in sorted(
        {p for p in range(table.periods * 2 + 1, table.points) if lap_s / p >= shortest_s},
        reverse=True,
    ):
        every = lap_s / points
        if (every * workspace.bus_clock_hz).denominator != 1 and points & (points - 1):
            continue
        fewer = SetTable(table.name, table.replaced(points=points))
        edit = retimed(
            workspace.project,
            generator,
            timer.replaced(period_s=every, prescaler_register=None, period_register=None),
        )
        if edit is not None:
            edits.append(
                CompositeEdit(
                    (fewer, edit),
                    f"Play {table.name} with {points} points, {format_si(1 / every, 'Hz', 6)}",
                )
            )
        if len(edits) >= 4:
            break
    edit = retimed(
        workspace.project,
        generator,
        timer.replaced(period_s=shortest_s, prescaler_register=None, period_register=None),
    )
    return [*edits, edit] if edit is not None else edits


@rule("dma-too-slow", "update-above-limit", "update-faster-than-settling")
def update_too_fast(workspace: Workspace) -> Iterator[Finding]:
    """The wave is too small and rounded, steps are left out, or the frequency is too low."""
    for generator, _output, table, dac in _players(workspace):
        made = dac_playback(workspace, generator)
        asked = f"{format_si(1 / made.asked_s, 'Hz')} is an update every {format_rounded(made.asked_s, 's', 3)}"
        limit_s = 1 / dac.update_rate_high_hz
        settled_s = dac.settles_s(generator.buffered)
        shortest_s = max(settled_s, limit_s, made.dma_s)
        rounded_s = -(-shortest_s * workspace.bus_clock_hz // 1) / workspace.bus_clock_hz
        if made.dma_s > made.asked_s:
            code, title = "dma-too-slow", f"DMA cannot feed {dac.name} that fast"
            why = (
                f"{asked}, and a transfer takes {format_rounded(made.dma_s, 's', 3)}: "
                f"the wave comes at {format_si(made.wave_hz, 'Hz')}."
            )
        elif made.skipped > 1:
            code, title = "update-above-limit", f"{dac.name} is updated faster than it can be"
            why = f"{asked}; it takes one every {format_rounded(limit_s, 's', 3)}: of {made.skipped} points one comes out."
        elif made.asked_s < settled_s:
            code, title = (
                "update-faster-than-settling",
                f"{dac.name} is updated faster than it settles",
            )
            why = (
                f"{asked}, and settling to half a count takes {format_rounded(settled_s, 's', 3)}."
            )
        else:
            continue
        yield Finding(
            code,
            "warning" if code == "update-faster-than-settling" else "error",
            generator.name,
            title,
            why,
            first_effective_fix(
                workspace,
                _slower(workspace, generator, table, rounded_s),
                lambda changed, name=generator.name: (
                    not any(  # type: ignore[misc]
                        finding.signal == name for finding in update_too_fast(changed)
                    )
                ),
            ),
            signal=generator.name,
        )


@rule("ramp-too-fast", "ramp-above-limit", "ramp-before-settled")
def ramp_too_fast(workspace: Workspace) -> Iterator[Finding]:
    """Steps come bunched together, are left out, or end before the voltage is there."""
    for generator in workspace.project.generators:
        ramp = generator.output
        if not isinstance(ramp, SoftwareRamp):
            continue
        dac = _dac(workspace, generator)
        step_s = Fraction(RAMP_STEP_CYCLES) / workspace.bus_clock_hz
        sure_s, safe_s = step_s * (1 - RAMP_STEP_SPREAD), step_s * (1 + RAMP_STEP_SPREAD)
        limit_s = 1 / Fraction(dac.update_rate_high_hz)
        faults: list[tuple[str, Literal["error", "warning"], str, str]] = []
        dwell = format_rounded(ramp.dwell_s, "s", 3)
        if ramp.dwell_s < safe_s:
            is_sure = ramp.dwell_s < sure_s
            faults.append(
                (
                    "ramp-too-fast",
                    "error" if is_sure else "warning",
                    f"The program {'cannot' if is_sure else 'may not'} step {dac.name} that fast",
                    f"A step takes generated C {RAMP_STEP_CYCLES} clocks ± "
                    f"{float(RAMP_STEP_SPREAD) * 100:.0f} %, {format_rounded(step_s, 's', 3)}, and one is "
                    f"due every {dwell}: where it takes longer, several are made at once, late, and "
                    "nothing is left for anything else.",
                )
            )
        if ramp.dwell_s < limit_s:
            faults.append(
                (
                    "ramp-above-limit",
                    "error",
                    f"{dac.name} is stepped faster than it can be",
                    f"It takes an update every {format_rounded(limit_s, 's', 3)}, and a step dwells "
                    f"{dwell}: what comes out in between nobody promises.",
                )
            )
        settled_s = dac.settles_s(generator.buffered)
        if ramp.dwell_s < settled_s:
            faults.append(
                (
                    "ramp-before-settled",
                    "warning",
                    f"{dac.name} is stepped before it has settled",
                    f"Settling to half a count takes {format_rounded(settled_s, 's', 3)}, and a step "
                    f"dwells {dwell}.",
                )
            )
        for code, severity, title, why in faults:
            needed_s = max(safe_s, limit_s, Fraction(settled_s))
            dwell_s = Fraction(round_up(float(needed_s))).limit_denominator(10**9)
            yield Finding(
                code,
                severity,
                generator.name,
                title,
                why,
                SetGenerator(
                    generator.name, generator.replaced(output=ramp.replaced(dwell_s=dwell_s))
                ),
                signal=generator.name,
            )


@rule("update-timer-off")
def update_timer_off(workspace: Workspace) -> Iterator[Finding]:
    """The wave's frequency is a little off, by one count of a register."""
    for generator, output, _table, _ in _players(workspace):
        trigger = output.update_trigger
        if not isinstance(trigger, TimerTrigger):
            continue
        setting = timer_setting(workspace, trigger, alone=True)
        best = timer_setting(
            workspace, trigger.replaced(prescaler_register=None, period_register=None), alone=True
        )
        if abs(setting.rate_error) > abs(best.rate_error):
            own = trigger.replaced(prescaler_register=None, period_register=None)
            yield Finding(
                "update-timer-off",
                "error",
                generator.name,
                f"{trigger.timer} updates {generator.name} at another rate than wanted",
                "Its registers, which hold value − 1, give "
                f"{format_rounded(1 / setting.period_s, 'Hz', 6)} instead of "
                f"{format_rounded(1 / trigger.period_s, 'Hz', 6)}: "
                f"{float(setting.rate_error) * 100:+.3g} %.",
                SetGenerator(
                    generator.name, generator.replaced(output=output.replaced(update_trigger=own))
                ),
                signal=generator.name,
            )
    for pwm in workspace.project.pwm:
        registers = pwm.prescaler_register, pwm.period_register
        setting = set_timer(workspace, pwm.timer, pwm.period_s, *registers, alone=True)
        best = set_timer(workspace, pwm.timer, pwm.period_s, alone=True)
        if abs(setting.rate_error) > abs(best.rate_error):
            yield Finding(
                "update-timer-off",
                "error",
                pwm.name,
                f"{pwm.timer} pulses {pwm.name} at another rate than wanted",
                "Its registers, which hold value − 1, give "
                f"{format_rounded(1 / setting.period_s, 'Hz', 6)} instead of "
                f"{format_rounded(1 / pwm.period_s, 'Hz', 6)}: "
                f"{float(setting.rate_error) * 100:+.3g} %.",
                SetPwm(pwm.name, pwm.replaced(prescaler_register=None, period_register=None)),
                signal=pwm.name,
            )


@rule("dacs-not-in-step")
def dacs_not_in_step(workspace: Workspace) -> Iterator[Finding]:
    """Two outputs that should change at one instant do so one after the other."""
    followed = {
        generator.output.update_trigger.follows
        for generator in workspace.project.generators
        if isinstance(generator.output, Playback)
        and isinstance(generator.output.update_trigger, GeneratorFollow)
    }
    for generator, output, _table, dac in _players(workspace):
        in_step = isinstance(output.update_trigger, GeneratorFollow) or generator.name in followed
        if in_step and not generator.double_buffered:
            late_s = dac_playback(workspace, generator).late_s
            yield Finding(
                "dacs-not-in-step",
                "warning",
                generator.name,
                f"{dac.name} changes when its transfer comes, not with the trigger",
                f"Without a second data register it is {format_rounded(late_s, 's', 3)} late, and "
                "later when DMA is busy.",
                SetGenerator(generator.name, generator.replaced(double_buffered=True))
                if dac.can_buffer_twice
                else None,
                signal=generator.name,
            )


@rule("generator-not-aligned")
def generator_not_aligned(workspace: Workspace) -> Iterator[Finding]:
    """A period played and one captured do not line up."""
    if not workspace.project.chains:
        return
    for generator, output, _table, _ in _players(workspace):
        if (
            output.starts_with is None
            and isinstance(output.update_trigger, TimerTrigger)
            and _is_looped(workspace, generator)
        ):
            chain = workspace.project.chains[0]
            yield Finding(
                "generator-not-aligned",
                "note",
                generator.name,
                f"{generator.name} starts when the program gets there",
                "On the virtual board that is "
                f"{format_rounded(dac_playback(workspace, generator).begin_s, 's', 3)} after the "
                "first "
                f"trigger of {chain.converter}; elsewhere nobody knows.",
                SetGenerator(
                    generator.name,
                    generator.replaced(output=output.replaced(starts_with=chain.converter)),
                ),
                signal=generator.name,
            )


def _is_looped(workspace: Workspace, generator: Generator) -> bool:
    pin = _dac(workspace, generator).pin
    return any(
        wiring.source.kind == "jumper" and wiring.source.pin == pin
        for wiring in workspace.project.bench
    )


@rule("pwm-coarse")
def pwm_coarse(workspace: Workspace) -> Iterator[Finding]:
    """The duty moves in coarse steps."""
    for pwm in workspace.project.pwm:
        timing = pwm_timing(workspace, pwm)
        if timing.bits < COARSE_BITS:
            every = (1 << COARSE_BITS) / workspace.bus_clock_hz
            slower = pwm.replaced(period_s=every, prescaler_register=None, period_register=None)
            yield Finding(
                "pwm-coarse",
                "warning",
                pwm.name,
                f"{pwm.name} has {timing.counts} steps of duty",
                f"{format_si(1 / timing.period_s, 'Hz')} leaves {timing.counts} counts of "
                f"{pwm.timer}, {timing.bits:.1f} bits; "
                f"the duty comes out as {float(timing.duty) * 100:.4g} %.",
                first_effective_fix(
                    workspace,
                    [SetPwm(pwm.name, slower)],
                    lambda changed, name=pwm.name: (
                        not any(  # type: ignore[misc]
                            finding.signal == name for finding in pwm_coarse(changed)
                        )
                    ),
                ),
                signal=pwm.name,
            )
