"""``wattigram run``: a board's run into a take."""

from __future__ import annotations

import json
from pathlib import Path

import click
import msgspec

from wattigram.cli.ending import ending_signals
from wattigram.cli.progress import Progress
from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.session import RunOutcome, record_run
from wattigram.core.model.design import open_workspace

LONGEST_RUN_S = 30 * 86_400


@click.command("run")
@click.argument("project", type=click.Path(path_type=Path))
@click.option(
    "--seconds",
    "seconds",
    type=float,
    required=True,
    help="Length of the run, in the board's own time.",
)
@click.option(
    "--out", "out", type=click.Path(path_type=Path), required=True, help="Take to write (HDF5)."
)
@click.option(
    "--board",
    "board",
    default="virtual",
    show_default=True,
    help="virtual, image:ELF, serial:DEV@BAUD, tcp:HOST:PORT or gdb:HOST:PORT[,ELF].",
)
@click.option(
    "--elf",
    "elf",
    type=click.Path(path_type=Path),
    help="Image that runs behind a debug server (--board gdb:...).",
)
@click.option(
    "--fast", "fast", is_flag=True, help="As fast as the virtual board can go, not in real time."
)
@click.option(
    "--seed",
    "seed",
    type=click.IntRange(min=0, max=2**32 - 1),
    default=1,
    show_default=True,
    help="Seed of the virtual board's noise.",
)
@click.option("--force", "force", is_flag=True, help="Replace a take that lies there already.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON for scripts.")
def run(
    project: Path,
    seconds: float,
    out: Path,
    board: str,
    elf: Path | None,
    fast: bool,
    seed: int,
    force: bool,
    as_json: bool,
) -> None:
    """Run a board and record its stream; exit status 1 when less came than was asked for, or
    something was lost.

    PROJECT: Project file, or the folder that holds it.
    """
    if not 0 < seconds <= LONGEST_RUN_S:
        raise WattigramError(
            f"A run of {seconds:g} s is not possible.",
            cure=f"Choose above 0 and at most {LONGEST_RUN_S} s.",
        )
    progress = Progress("Recording")
    workspace = open_workspace(project)
    with ending_signals() as ending:
        outcome = record_run(
            workspace,
            seconds,
            out,
            board=board,
            fast=fast,
            seed=seed,
            elf=elf,
            overwrite=force,
            is_ended=ending.is_set,
            progress=progress,
        )
    progress.done()
    if as_json:
        values = msgspec.to_builtins(outcome, enc_hook=str)
        click.echo(json.dumps(values, indent=2, ensure_ascii=False))
    else:
        for note in outcome.notes:
            click.echo(f"note: {note}", err=True)
        click.echo(
            f"{outcome.take}: {_seconds_text(outcome)}, {_scans_text(outcome)}"
            f"{outcome.samples} samples, "
            f"{outcome.lost_cycles} scans lost, {outcome.events} events"
        )
    is_well = outcome.is_whole and not (outcome.lost_cycles or outcome.lost_results)
    raise click.exceptions.Exit(0 if is_well else 1)


def _scans_text(outcome: RunOutcome) -> str:
    """Scans of each converter, which is named where there are several."""
    if len(outcome.scans) == 1:
        return "".join(f"{count} scans, " for count in outcome.scans.values())
    return "".join(f"{name} {count} scans, " for name, count in outcome.scans.items())


def _seconds_text(outcome: RunOutcome) -> str:
    """How long the run was, and how long it should have been where it was shorter."""
    if outcome.seconds < outcome.wanted_s:
        return f"{outcome.seconds:.3f} s of {outcome.wanted_s:.3f} s"
    return f"{outcome.seconds:.3f} s"
