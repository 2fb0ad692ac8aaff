"""``wattigram run``: a board's run into a take."""

from __future__ import annotations

import json
from pathlib import Path

import click
import msgspec

from wattigram.cli.ending import ending_signals
from wattigram.cli.progress import Progress
from wattigram.cli.recording_options import read_plan
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
    help="Length of the run, in the board's own time; at most so long where a recording ends by itself.",
)
@click.option(
    "--out", "out", type=click.Path(path_type=Path), required=True, help="Take to write (HDF5)."
)
@click.option(
    "--board",
    "board",
    default="virtual",
    show_default=True,
    help="virtual, image:ELF, serial:DEV@BAUD, tcp:HOST:PORT, gdb:HOST:PORT[,ELF] or rows:SOURCE.",
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
@click.option(
    "--start-at",
    "start_at",
    metavar="WHAT",
    help="Record from an event on, or from where a signal passes a level: “Upper zone: too hot”, the same with "
    "“ begins” or “ ends”, “Coil current > 2.1 V”.",
)
@click.option("--before", "before", metavar="TIME", help="Time before that to be in the take.")
@click.option("--end-at", "end_at", metavar="WHAT", help="Record up to an event or a level.")
@click.option("--for", "length", metavar="TIME", help="Record for so long from the start on.")
@click.option(
    "--samples",
    "samples",
    type=click.IntRange(min=1),
    help="Record so many samples of each signal of the first converter, up to a frame more.",
)
@click.option(
    "--split", "split", metavar="TIME|SIZE", help="Begin another file each “10 min”, or “500 MB”."
)
@click.option(
    "--times",
    "times",
    metavar="N|all",
    help="How often a recording is begun (1): “all” for each time in the run.",
)
@click.option("--force", "force", is_flag=True, help="Replace a take that lies there already.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON for scripts.")
def run(
    project: Path,
    seconds: float | None,
    out: Path,
    board: str,
    elf: Path | None,
    fast: bool,
    seed: int,
    start_at: str | None,
    before: str | None,
    end_at: str | None,
    length: str | None,
    samples: int | None,
    split: str | None,
    times: str | None,
    force: bool,
    as_json: bool,
) -> None:
    """Run a board and record its stream; exit status 1 when less came than was asked for, or
    something was lost.

    PROJECT: Project file, or the folder that holds it.
    """
    workspace = open_workspace(project)
    plan = None
    if any(said is not None for said in (start_at, before, end_at, length, samples, split, times)):
        plan = read_plan(workspace, start_at, before, end_at, length, samples, split, times)
    if seconds is None:
        if plan is None or not plan.ends_itself or plan.times is None:
            raise WattigramError(
                "It is not said how long the run is to be.",
                cure="Give --seconds, or with what a recording ends: --for, --samples or --end-at.",
            )
        seconds = LONGEST_RUN_S
    if not 0 < seconds <= LONGEST_RUN_S:
        raise WattigramError(
            f"A run of {seconds:g} s is not possible.",
            cure=f"Choose above 0 and at most {LONGEST_RUN_S} s.",
        )
    progress = Progress("Recording", "Ctrl+C ends it and keeps what there is")
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
            plan=plan,
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
        for number, take in enumerate(outcome.takes if plan is not None else (), 1):
            click.echo(f"take {number}: {take}")
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
