"""``wattigram demo``: studio-kiln, in the window or from end to end without one."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import click

from wattigram.cli.open_window import has_display, run_window
from wattigram.cli.progress import Progress
from wattigram.cli.prove import print_proof
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import open_take
from wattigram.core.judge import Proof, prove, write_html, write_junit
from wattigram.core.model.design import Workspace, open_workspace, save_project
from wattigram.core.model.design.edits import apply_edit
from wattigram.examples import STUDIO_KILN

DEMO_S = 10.0


@click.command("demo")
@click.option("--headless", "headless", is_flag=True, help="No window, even with a display.")
@click.option(
    "--out",
    "out",
    type=click.Path(path_type=Path),
    default=Path("demo-out"),
    show_default=True,
    help="Folder for what the run without a window writes.",
)
def demo(headless: bool, out: Path) -> None:
    """Show the whole loop on the demo project: design, run, proof, fix, proof."""
    if has_display() and not headless:
        raise click.exceptions.Exit(run_window(STUDIO_KILN, autorun=True))
    raise click.exceptions.Exit(0 if run_headless(out) else 1)


def run_headless(out: Path) -> bool:
    """Run the example from end to end; true only if it went as it should."""
    out.mkdir(parents=True, exist_ok=True)
    workspace = open_workspace(STUDIO_KILN)
    before = _take_and_prove(workspace, out, "first")
    failing = [verdict for verdict in before.verdicts if verdict.outcome == "fails"]
    mendable = [cause for cause in before.causes if cause.remedy is not None]
    if len(failing) != 1 or not mendable:
        click.echo(
            "One expectation was to fail, with a likely cause that can be cured. It did not go so.",
            err=True,
        )
        return False
    remedy = mendable[0].remedy
    assert remedy is not None
    click.echo(f"\nFix: {mendable[0].fix}\n")
    cured = apply_edit(workspace, remedy)
    save_project(cured.project, out / "studio-kiln-cured.wattigram.toml")
    after = _take_and_prove(cured, out, "second")
    picture = _window_picture(out / "window.png")
    good = after.all_hold and after.count("open") == 0 and picture
    click.echo(f"\nIn {out}: " + ", ".join(sorted(path.name for path in out.iterdir())))
    click.echo("Everything holds." if good else "It did not go as it should.")
    return good


def _take_and_prove(workspace: Workspace, out: Path, name: str) -> Proof:
    progress = Progress(f"Recording the {name} take")
    path = out / f"{name}-take.h5"
    outcome = record_run(workspace, DEMO_S, path, fast=True, overwrite=True, progress=progress)
    progress.done()
    with open_take(path) as take:
        proof = prove(workspace, take)
        write_html(workspace, take, proof, out / f"{name}-proof.html")
        write_junit(workspace, proof, out / f"{name}-proof.xml")
    click.echo(
        f"The {name} take: {outcome.seconds:g} s, {outcome.samples} samples, "
        f"{outcome.lost_cycles} scans lost"
    )
    print_proof(proof)
    return proof


def _window_picture(path: Path) -> bool:
    """A picture of the window with the demo running, taken by a process without a screen."""
    path.unlink(missing_ok=True)
    settings = path.parent / "settings"
    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen", "WATTIGRAM_CONFIG": str(settings)}
    command = [
        sys.executable,
        "-m",
        "wattigram.desktop.shell.screenshot",
        str(STUDIO_KILN),
        str(path),
    ]
    outcome = subprocess.run(
        command, env=environment, capture_output=True, text=True, timeout=120, check=False
    )
    shutil.rmtree(settings, ignore_errors=True)
    if outcome.returncode != 0 or not path.exists():
        click.echo(
            f"The picture of the window could not be taken: {outcome.stderr.strip()[-400:]}",
            err=True,
        )
        return False
    return True
