"""``wattigram check``: timing, accuracy and findings of a project."""

from __future__ import annotations

import json
from pathlib import Path

import click

from wattigram.cli.check_json import check_json
from wattigram.core.advise.findings import Finding, find_all
from wattigram.core.base.quantity import format_counts, format_percent, format_rounded, format_si
from wattigram.core.model.design import Chain, Workspace, open_workspace, rate_divisor
from wattigram.core.predict.accuracy import slot_settling
from wattigram.core.predict.pins import pwm_timing
from wattigram.core.predict.program import after_texts, do_texts, when_text
from wattigram.core.predict.timing import (
    BufferTiming,
    buffer_timing,
    retrieval_timing,
    route_timing,
    scan_timing,
)
from wattigram.core.predict.waveform import dac_playback


@click.command("check")
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON for scripts.")
def check(project: Path, as_json: bool) -> None:
    """Show timing, accuracy and findings; exit status 1 when there is an error among the
    findings that nobody has accepted.

    PROJECT: Project file, or the folder that holds it.
    """
    workspace = open_workspace(project)
    findings = find_all(workspace)
    if as_json:
        click.echo(json.dumps(check_json(workspace, findings), indent=2, ensure_ascii=False))
    else:
        _print(workspace, findings)
    raise click.exceptions.Exit(
        1 if any(one.severity == "error" and not one.accepted for one in findings) else 0
    )


def _print(workspace: Workspace, findings: tuple[Finding, ...]) -> None:
    project = workspace.project
    clock = format_si(workspace.bus_clock_hz, "Hz")
    if workspace.clock_tolerance:
        clock += f" ± {format_si(workspace.clock_tolerance, '%')}"
    click.echo(
        f"{project.name} · {workspace.part.name} · {clock} · {workspace.reference_v:.3f} V · "
        f"build {workspace.build_id}"
    )
    for chain in project.chains:
        cycle = scan_timing(workspace, chain)
        loop = buffer_timing(workspace, chain)
        click.echo(
            f"\n{chain.converter}: {format_si(cycle.clock_hz, 'Hz')}, {_pace(workspace, chain)}"
        )
        click.echo(
            f"{loop.name}: {loop.items} × {loop.item_bytes} B, wrap time {format_si(loop.lap_s, 's')}, "
            f"{_told(loop)}, "
            f"{'holds whole scans' if loop.in_step else 'splits scans'}; {_fetched(workspace, chain)}"
        )
        click.echo(
            f"  {'slot':<5}{'signal':<22}{'pin':<5}{'instant':>12}{'sampling':>12}{'rate':>12}{'filtered':>12}{'error':>12}"
        )
        for place, timing in enumerate(cycle.slots):
            signal = project.signal(timing.signal)
            settling = slot_settling(workspace, chain, place)
            reduced = (
                format_si(timing.rate_hz / rate_divisor(signal.later_filter), "Hz")
                if signal.filter
                else "–"
            )
            click.echo(
                f"  {place + 1:<5}{signal.name:<22}{signal.pin:<5}{format_rounded(timing.held_s, 's', 6):>12}"
                f"{format_si(timing.sampling_s, 's'):>12}{format_si(timing.rate_hz, 'Hz'):>12}{reduced:>12}"
                f"{format_counts(settling.full_scale_error_lsb):>12}"
            )
    for line in _outputs(workspace):
        click.echo(line)
    accepted = sum(bool(finding.accepted) for finding in findings)
    told = f", {accepted} accepted" if accepted else ""
    click.echo(f"\nFindings: {len(findings) - accepted or 'none'}{told}")
    for finding in findings:
        if finding.accepted:
            click.echo(
                f"  accepted: {finding.title} ({finding.where})\n    because {finding.accepted}"
            )
            continue
        click.echo(
            f"  {finding.severity}: {finding.title} ({finding.where})\n    {finding.message}"
        )
        if finding.formerly:
            click.echo(f"    accepted when it said something else: {finding.formerly}")
        if finding.remedy:
            click.echo(f"    fix: {finding.fix}")


def _outputs(workspace: Workspace) -> list[str]:
    """A line for each output, route and reaction."""
    project = workspace.project
    lines = []
    for generator in project.generators:
        made = dac_playback(workspace, generator)
        error = "exact" if not made.error else f"{float(made.error) * 1e6:+.3g} ppm"
        wave = (
            f"{format_si(made.wave_hz, 'Hz', 9)}, {error}"
            if made.wave_hz
            else f"{float(made.levels_v[-1]):.4f} V"
        )
        lines.append(
            f"  {generator.name}: {generator.dac}, {len(made.wanted_v)} points at "
            f"{format_si(1 / made.update_s, 'Hz')}, {wave}"
        )
    for pwm in project.pwm:
        timing = pwm_timing(workspace, pwm)
        lines.append(
            f"  {pwm.name}: {format_si(1 / timing.period_s, 'Hz')}, {timing.counts} steps, "
            f"{format_si(timing.duty, '%')}"
        )
    for route in project.routes:
        rates = route_timing(workspace, route)
        lost = (
            f", {format_si(rates.overwritten_hz, 'Hz')} overwritten" if rates.overwritten_hz else ""
        )
        lines.append(
            f"  {route.name}: {format_si(rates.source_hz, 'Hz')} into "
            f"{format_si(rates.sink_hz, 'Hz')}{lost}"
        )
    program = []
    for reaction in project.reactions:
        late, more = after_texts(workspace, reaction)
        does, how = do_texts(reaction)
        program.append(
            f"  {reaction.name}: {when_text(workspace, reaction)}: {does}, {how}; {late}"
            f"{f', {more}' if more else ''}"
        )
    outputs = ["", "Outputs:", *lines] if lines else []
    return [*outputs, *(["", "Program:", *program] if program else [])]


def _pace(workspace: Workspace, chain: Chain) -> str:
    cycle = scan_timing(workspace, chain)
    busy = f"scan time {format_rounded(cycle.busy_s, 's', 5)}"
    if cycle.items_limit is not None:
        busy += f", {cycle.items_limit} samples and no more"
    if cycle.trigger.pace not in {"self", "pattern"} and cycle.items_limit is not None:
        return busy
    if cycle.trigger.pace == "self":
        jitter = f" ± {format_rounded(cycle.jitter_s / 2, 's', 3)}" if cycle.jitter_s else ""
        return f"{busy}, continuous, period {format_si(cycle.cycle_s, 's', 6)}{jitter}"
    share = float(cycle.slack_s / cycle.period_s) * 100
    slack = f"slack {format_rounded(cycle.slack_s, 's', 5)} ({share:.1f} %)"
    missed = f", {format_si(cycle.missed_hz, 'Hz')} of triggers missed" if cycle.missed_hz else ""
    return f"period {format_si(cycle.period_s, 's', 6)}, {busy}, {slack}{missed}"


def _told(loop: BufferTiming) -> str:
    """When the program comes for what is in a buffer."""
    if loop.read_period_s is None:
        return f"half full every {format_si(loop.half_s, 's')}"
    return (
        f"no ISR, newest read every {format_si(loop.read_period_s, 's')}, at most "
        f"{format_rounded(loop.oldest_s, 's', 3)} old"
    )


def _fetched(workspace: Workspace, chain: Chain) -> str:
    timing = retrieval_timing(workspace, chain)
    lost = f", {format_si(timing.lost_hz, 'S/s')} lost" if timing.lost_hz else ""
    lasts = " while it lasts" if scan_timing(workspace, chain).is_single_run else ""
    return f"{timing.kind}, {format_percent(timing.cpu_share)} of the processor{lasts}{lost}"
