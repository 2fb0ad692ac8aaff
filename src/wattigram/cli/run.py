"""``wattigram run``: a board's run into a take."""

from __future__ import annotations

import dataclasses
import json
from pathlib import Path

import typer

from wattigram.cli.progress import Progress
from wattigram.core.design import open_workspace
from wattigram.core.errors import WattigramError
from wattigram.core.session import record_run

LONGEST_RUN_S = 30 * 86_400


def run(
    project: Path = typer.Argument(..., help="Project file, or the folder that holds it."),
    seconds: float = typer.Option(..., "--seconds", help="Length of the run, in the board's own time."),
    out: Path = typer.Option(..., "--out", help="Take to write (HDF5)."),
    board: str = typer.Option(
        "virtual", "--board", help="virtual, image:ELF, serial:DEV@BAUD, tcp:HOST:PORT or gdb:HOST:PORT[,ELF]."
    ),
    elf: Path | None = typer.Option(None, "--elf", help="Image that runs behind a debug server (--board gdb:...)."),
    fast: bool = typer.Option(False, "--fast", help="As fast as the virtual board can go, not in real time."),
    seed: int = typer.Option(1, "--seed", min=0, max=2**32 - 1, help="Seed of the virtual board's noise."),
    as_json: bool = typer.Option(False, "--json", help="Print JSON for scripts."),
) -> None:
    """Run a board and record its stream; exit status 1 when something was lost on the way."""
    if not 0 < seconds <= LONGEST_RUN_S:
        raise WattigramError(
            f"A run of {seconds:g} s is not possible.", cure=f"Choose above 0 and at most {LONGEST_RUN_S} s."
        )
    progress = Progress("Recording")
    outcome = record_run(
        open_workspace(project), seconds, out, board=board, fast=fast, seed=seed, elf=elf, progress=progress
    )
    progress.done()
    if as_json:
        values = dataclasses.asdict(outcome) | {"take": str(outcome.take)}
        typer.echo(json.dumps(values, indent=2, ensure_ascii=False))
    else:
        for note in outcome.notes:
            typer.echo(f"note: {note}", err=True)
        typer.echo(
            f"{outcome.take}: {outcome.seconds:.3f} s, {outcome.cycles} cycles, {outcome.samples} samples, "
            f"{outcome.lost_cycles} cycles lost, {outcome.events} events"
        )
    raise typer.Exit(1 if outcome.lost_cycles or outcome.lost_results else 0)
