"""``wattigram prove``: what holds of a take."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any

import click

from wattigram.cli.progress import Progress
from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.take import Take, open_take
from wattigram.core.judge import Proof, prove, write_html, write_junit
from wattigram.core.judge.report import printed_report
from wattigram.core.judge.several_takes import TakeProof, marked, side_by_side
from wattigram.core.judge.verdict import MARKS, outcome_text
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.former_words import former_value


@click.command("prove")
@click.argument("project", type=click.Path(path_type=Path))
@click.argument("takes", type=click.Path(path_type=Path), nargs=-1, required=True)
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
    takes: tuple[Path, ...],
    as_json: bool,
    junit: Path | None,
    pass_unjudged: bool,
    html: Path | None,
    pdf: Path | None,
) -> None:
    """Hold takes against the project's expectations; exit status 0 only when all could be judged
    and hold.

    PROJECT: Project file, or the folder that holds it.
    TAKES: Takes to judge (HDF5); of several a table says what each comes to.
    """
    workspace = open_workspace(project)
    if len(takes) > 1 and (junit or html or pdf):
        raise WattigramError(
            "A report is of one take, and there are several.", cure="Prove them one by one for it."
        )
    proofs = []
    for path in takes:
        with open_take(path) as opened:
            progress = Progress("Judging")
            proof = prove(workspace, opened, progress)
            progress.done()
            proofs.append(proof)
            if junit is not None:
                write_junit(workspace, proof, junit)
            if html is not None:
                write_html(workspace, opened, proof, html)
            if pdf is not None:
                _write_pdf(workspace, opened, proof, pdf)
    if as_json:
        told = [proof_json(proof) for proof in proofs]
        click.echo(json.dumps(told if len(told) > 1 else told[0], indent=2, ensure_ascii=False))
    elif len(proofs) > 1:
        print_proofs(
            tuple(TakeProof(path, proof) for path, proof in zip(takes, proofs, strict=True))
        )
    else:
        print_proof(proofs[0])
    for proof in proofs:
        if not as_json and not proof.mark_matches:
            click.echo(
                f"note: {proof.take.name if len(proofs) > 1 else 'the take'} was made from build "
                f"{proof.build_id or 'unknown'}, the project is now {workspace.build_id}; expected values are those of "
                "the take's own design.",
                err=True,
            )
    unjudged = sum(proof.count("open") for proof in proofs)
    if unjudged and pass_unjudged:
        click.echo(
            f"note: {unjudged} could not be judged and passed, as --pass-unjudged says.", err=True
        )
    passes = all(proof.passes(open_too=pass_unjudged) for proof in proofs)
    raise click.exceptions.Exit(0 if passes else 1)


def print_proofs(takes: tuple[TakeProof, ...]) -> None:
    """Several takes side by side: what each expectation comes to in each, with its number."""
    rows = side_by_side(takes)
    names = [take.path.name for take in takes]
    wide = max((len(row.text) for row in rows), default=0)
    columns = [[marked(row.cells[number]) for row in rows] for number in range(len(takes))]
    widths = [max(map(len, [name, *column])) for name, column in zip(names, columns, strict=True)]

    def line(text: str, cells: list[str]) -> None:
        said = "  ".join(f"{cell:<{width}}" for cell, width in zip(cells, widths, strict=True))
        click.echo(f"  {text:<{wide}}  {said}".rstrip())

    line("", names)
    for row in rows:
        line(row.text, [marked(cell) for cell in row.cells])
    for name, take in zip(names, takes, strict=True):
        proof = take.proof
        fault = f"; the firmware failed: {proof.fault}" if proof and proof.fault else ""
        click.echo(f"{name}: {take.counts_text}{fault}")


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
