"""``wattigram prove``: what holds of a take."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any

import click

from wattigram.cli.progress import Progress
from wattigram.core.capture.take import Take, open_take
from wattigram.core.judge import Proof, prove, write_html, write_junit
from wattigram.core.judge.report import MARKS, printed_report
from wattigram.core.judge.verdict import outcome_text
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.former_words import former_value


@click.command("prove")
@click.argument("project", type=click.Path(path_type=Path))
@click.argument("take", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON for scripts.")
@click.option("--junit", "junit", type=click.Path(path_type=Path), help="Write JUnit XML here.")
@click.option(
    "--pass-unjudged",
    "pass_unjudged",
    is_flag=True,
    help="Exit status 0 also where something could not be judged; it is still told.",
)
@click.option(
    "--html",
    "html",
    type=click.Path(path_type=Path),
    help="Write an HTML report with pictures here.",
)
@click.option(
    "--pdf", "pdf", type=click.Path(path_type=Path), help="Write the same report as PDF here."
)
def prove_take(
    project: Path,
    take: Path,
    as_json: bool,
    junit: Path | None,
    pass_unjudged: bool,
    html: Path | None,
    pdf: Path | None,
) -> None:
    """Hold a take against the project's expectations; exit status 0 only when all could be judged
    and hold.

    PROJECT: Project file, or the folder that holds it.
    TAKE: Take to judge (HDF5).
    """
    workspace = open_workspace(project)
    with open_take(take) as opened:
        progress = Progress("Judging")
        proof = prove(workspace, opened, progress)
        progress.done()
        if junit is not None:
            write_junit(workspace, proof, junit)
        if html is not None:
            write_html(workspace, opened, proof, html)
        if pdf is not None:
            _write_pdf(workspace, opened, proof, pdf)
    if as_json:
        click.echo(json.dumps(proof_json(proof), indent=2, ensure_ascii=False))
    else:
        print_proof(proof)
        if not proof.mark_matches:
            click.echo(
                f"note: the take was made from build {proof.build_id or 'unknown'}, the project "
                "is now "
                f"{workspace.build_id}; expected values are those of the take's own design.",
                err=True,
            )
    unjudged = proof.count("open")
    if unjudged and pass_unjudged:
        click.echo(
            f"note: {unjudged} could not be judged and passed, as --pass-unjudged says.", err=True
        )
    raise click.exceptions.Exit(0 if proof.passes(open_too=pass_unjudged) else 1)


def _write_pdf(workspace: Workspace, take: Take, proof: Proof, path: Path) -> None:
    """Pages are laid out by the window's own text engine, without a window."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtGui import QGuiApplication  # late: only this needs it

    from wattigram.desktop.controllers.printed_report import write_pdf

    engine = QGuiApplication.instance() or QGuiApplication([])
    title = f"Proof of {workspace.project.name}"
    write_pdf(printed_report(workspace, take, proof), title, path)
    del engine


def proof_json(proof: Proof) -> dict[str, Any]:
    """What ``prove --json`` prints; ``docs/cli.md`` explains the keys."""
    return {
        "take": str(proof.take),
        "holds": proof.count("holds"),
        "fails": proof.count("fails"),
        "open": proof.count("open"),
        "all_hold": proof.all_hold,
        "build_mark": proof.build_id,
        "mark_matches": proof.mark_matches,
        "firmware_fault": proof.fault,
        "register_differences": list(proof.differences),
        "expectations": [
            {
                "signal": verdict.signal,
                "kind": former_value(verdict.expectation, "kind"),
                "text": verdict.text,
                "verdict": verdict.outcome,
                "measured": verdict.measured,
                "unit": verdict.unit,
                "low": verdict.low,
                "high": verdict.high,
                "samples": verdict.samples,
                "note": verdict.note,
            }
            for verdict in proof.verdicts
        ],
        "likely_causes": [
            {
                "signal": cause.signal,
                "signals": list(cause.signals),
                "cause": cause.cause,
                "fit": round(cause.fit, 4),
                "evidence": cause.evidence,
                "remedy": cause.fix or None,
            }
            for cause in proof.causes
        ],
    }


def print_proof(proof: Proof) -> None:
    """The proof as a table, with likely causes."""
    width = max((len(verdict.text) for verdict in proof.verdicts), default=0)
    for verdict in proof.verdicts:
        mark = f"{MARKS[verdict.outcome]} {outcome_text(verdict.outcome)}"
        click.echo(f"  {mark:<8} {verdict.text:<{width}}  {verdict.note}")
    click.echo(
        f"  {proof.count('holds')} hold, {proof.count('fails')} fail, {proof.count('open')} open"
    )
    for cause in proof.causes:
        click.echo(
            f"  likely cause: {cause.title} ({cause.about}), match {cause.fit * 100:.0f} %\n    "
            f"{cause.evidence}"
        )
        if cause.remedy:
            click.echo(f"    fix: {cause.fix}")
    if proof.differences:
        click.echo("  the firmware on the board sets up other registers than the design:")
        for text in proof.differences:
            click.echo(f"    {text}")
