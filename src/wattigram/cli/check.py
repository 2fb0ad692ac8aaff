"""``wattigram check``: timing, accuracy and findings of a project."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import typer

from wattigram.core.accuracy import chain_scale, slot_settling
from wattigram.core.design import Chain, Workspace, open_workspace
from wattigram.core.design.edits import describe
from wattigram.core.findings import Finding, find_all
from wattigram.core.quantity import brief, show, show_counts
from wattigram.core.timing import cycle_timing, loop_timing


def check(
    project: Path = typer.Argument(..., help="Project file, or the folder that holds it."),
    as_json: bool = typer.Option(False, "--json", help="Print JSON for scripts."),
) -> None:
    """Show timing, accuracy and findings; exit status 1 when there is an error among the findings."""
    workspace = open_workspace(project)
    findings = find_all(workspace)
    if as_json:
        typer.echo(json.dumps(check_json(workspace, findings), indent=2, ensure_ascii=False))
    else:
        _print(workspace, findings)
    raise typer.Exit(1 if any(finding.severity == "error" for finding in findings) else 0)


def check_json(workspace: Workspace, findings: tuple[Finding, ...]) -> dict[str, Any]:
    """What ``check --json`` prints; ``docs/cli.md`` explains the keys."""
    return {
        "project": workspace.project.name,
        "part": workspace.part.name,
        "build_mark": workspace.build_mark,
        "converters": [_converter_json(workspace, chain) for chain in workspace.project.chains],
        "loops": [_loop_json(workspace, chain) for chain in workspace.project.chains],
        "findings": [
            {
                "code": finding.code,
                "severity": finding.severity,
                "where": finding.where,
                "message": finding.message,
                "remedy": finding.remedy.label if finding.remedy else None,
                "edit": describe(finding.remedy) if finding.remedy else None,
            }
            for finding in findings
        ],
    }


def _converter_json(workspace: Workspace, chain: Chain) -> dict[str, Any]:
    cycle = cycle_timing(workspace, chain)
    scale = chain_scale(workspace, chain)
    slots = []
    for place, timing in enumerate(cycle.slots):
        signal = workspace.project.signal(timing.signal)
        settling = slot_settling(workspace, chain, place)
        count = signal.reduce.count if signal.reduce else 1
        slots.append(
            {
                "signal": signal.name,
                "pin": signal.pin,
                "sampling_s": float(timing.sampling_s),
                "conversion_s": float(timing.conversion_s),
                "start_s": float(timing.start_s),
                "held_s": float(timing.held_s),
                "rate_hz": float(timing.rate_hz),
                "reduced_rate_hz": float(timing.rate_hz / count),
                "lsb_v": scale.lsb_v,
                "settling_error_lsb": settling.full_scale_error_lsb,
                "settling_error_wired_lsb": settling.wired_error_lsb,
            }
        )
    return {
        "name": chain.converter,
        "clock_hz": float(cycle.clock_hz),
        "period_s": float(cycle.period_s),
        "busy_s": float(cycle.busy_s),
        "slack_s": float(cycle.slack_s),
        "slots": slots,
    }


def _loop_json(workspace: Workspace, chain: Chain) -> dict[str, Any]:
    loop = loop_timing(workspace, chain)
    return {
        "name": loop.name,
        "items": loop.items,
        "bytes": loop.bytes,
        "lap_s": float(loop.lap_s),
        "half_s": float(loop.half_s),
        "in_step": loop.in_step,
    }


def _print(workspace: Workspace, findings: tuple[Finding, ...]) -> None:
    project = workspace.project
    clock = brief(workspace.bus_clock_hz, "Hz")
    typer.echo(
        f"{project.name} · {workspace.part.name} · {clock} · {workspace.reference_v:.3f} V · build {workspace.build_mark}"
    )
    for chain in project.chains:
        cycle = cycle_timing(workspace, chain)
        loop = loop_timing(workspace, chain)
        share = float(cycle.slack_s / cycle.period_s) * 100
        typer.echo(
            f"\n{chain.converter}: {brief(cycle.clock_hz, 'Hz')}, every {brief(cycle.period_s, 's', 6)}, "
            f"busy {show(cycle.busy_s, 's', 5)}, slack {show(cycle.slack_s, 's', 5)} ({share:.1f} %)"
        )
        typer.echo(
            f"{loop.name}: {loop.items} × {loop.item_bytes} B, lap {brief(loop.lap_s, 's')}, half {brief(loop.half_s, 's')}, "
            f"{'in step' if loop.in_step else 'out of step'}"
        )
        typer.echo(
            f"  {'slot':<5}{'signal':<22}{'pin':<5}{'held':>12}{'sampling':>12}{'rate':>12}{'reduced':>12}{'settling':>12}"
        )
        for place, timing in enumerate(cycle.slots):
            signal = project.signal(timing.signal)
            settling = slot_settling(workspace, chain, place)
            reduced = brief(timing.rate_hz / signal.reduce.count, "Hz") if signal.reduce else "–"
            typer.echo(
                f"  {place + 1:<5}{signal.name:<22}{signal.pin:<5}{show(timing.held_s, 's', 6):>12}"
                f"{brief(timing.sampling_s, 's'):>12}{brief(timing.rate_hz, 'Hz'):>12}{reduced:>12}"
                f"{show_counts(settling.full_scale_error_lsb):>12}"
            )
    typer.echo(f"\nFindings: {len(findings) or 'none'}")
    for finding in findings:
        typer.echo(f"  {finding.severity}: {finding.title} ({finding.where})\n    {finding.message}")
        if finding.remedy:
            typer.echo(f"    cure: {finding.remedy.label}")
