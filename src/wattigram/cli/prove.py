"""``wattigram prove``: what holds of a take."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import typer

from wattigram.cli.progress import Progress
from wattigram.core.capture.take import open_take
from wattigram.core.judge import Proof, prove, write_html, write_junit
from wattigram.core.judge.report import MARKS
from wattigram.core.model.design import open_workspace
from wattigram.core.model.design.former_words import former_value


def prove_take(
    project: Path = typer.Argument(..., help="Project file, or the folder that holds it."),
    take: Path = typer.Argument(..., help="Take to judge (HDF5)."),
    as_json: bool = typer.Option(False, "--json", help="Print JSON for scripts."),
    junit: Path | None = typer.Option(None, "--junit", help="Write JUnit XML here."),
    pass_unjudged: bool = typer.Option(
        False,
        "--pass-unjudged",
        help="Exit status 0 also where something could not be judged; it is still told.",
    ),
    html: Path | None = typer.Option(
        None, "--html", help="Write an HTML report with pictures here."
    ),
) -> None:
    """Hold a take against the project's expectations; exit status 0 only when all could be judged
    and hold."""
    workspace = open_workspace(project)
    with open_take(take) as opened:
        progress = Progress("Judging")
        proof = prove(workspace, opened, progress)
        progress.done()
        if junit is not None:
            write_junit(workspace, proof, junit)
        if html is not None:
            write_html(workspace, opened, proof, html)
    if as_json:
        typer.echo(json.dumps(proof_json(proof), indent=2, ensure_ascii=False))
    else:
        print_proof(proof)
        if not proof.mark_matches:
            typer.echo(
                f"note: the take was made from build {proof.build_mark or 'unknown'}, the project "
                "is now "
                f"{workspace.build_mark}; expected values are those of the take's own design.",
                err=True,
            )
    unjudged = proof.count("open")
    if unjudged and pass_unjudged:
        typer.echo(
            f"note: {unjudged} could not be judged and passed, as --pass-unjudged says.", err=True
        )
    raise typer.Exit(0 if proof.passes(open_too=pass_unjudged) else 1)


def proof_json(proof: Proof) -> dict[str, Any]:
    """What ``prove --json`` prints; ``docs/cli.md`` explains the keys."""
    return {
        "take": str(proof.take),
        "holds": proof.count("holds"),
        "fails": proof.count("fails"),
        "open": proof.count("open"),
        "all_hold": proof.all_hold,
        "build_mark": proof.build_mark,
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
        mark = f"{MARKS[verdict.outcome]} {verdict.outcome}"
        typer.echo(f"  {mark:<8} {verdict.text:<{width}}  {verdict.note}")
    typer.echo(
        f"  {proof.count('holds')} hold, {proof.count('fails')} fail, {proof.count('open')} open"
    )
    for cause in proof.causes:
        typer.echo(
            f"  likely cause: {cause.title} ({cause.about}), fits {cause.fit * 100:.0f} %\n    "
            f"{cause.evidence}"
        )
        if cause.remedy:
            typer.echo(f"    fix: {cause.fix}")
    if proof.differences:
        typer.echo("  the firmware on the board sets up other registers than the design:")
        for text in proof.differences:
            typer.echo(f"    {text}")
