"""``wattigram take``: what is in a take, and taking it out."""

from __future__ import annotations

from pathlib import Path

import typer

from wattigram.cli.progress import Progress
from wattigram.core.analysis import Moments
from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.take import export_csv, open_take
from wattigram.core.capture.take.repair import repair_take

app = typer.Typer(help="Look into takes and export them.", no_args_is_help=True)


@app.command("info")
def info(take: Path = typer.Argument(..., help="Take (HDF5).")) -> None:
    """Say what a take holds."""
    with open_take(take) as opened:
        state = "complete" if opened.complete else "not finished: it ends at the last flush"
        typer.echo(
            f"{take}: {opened.board or 'unknown board'}, build {opened.build_mark}, "
            f"{opened.started}, {state}"
        )
        typer.echo(
            f"  {opened.seconds:.4f} s, {opened.samples} samples, {opened.lost_cycles} scans "
            f"lost, {len(opened.events)} events"
        )
        for signal in opened.workspace.project.signals:
            if opened.workspace.project.chain_of(signal.name) is None:
                typer.echo(f"  {signal.name}: not converted")
                continue
            raw, reduced = Moments(), 0
            for block in opened.blocks(signal.name):
                raw.add(block.volts[block.valid])
            for block in opened.blocks(signal.name, reduced=True):
                reduced += block.count
            extra = f", {reduced} filtered" if signal.later_filter is not None else ""
            mean = f", mean {raw.mean:.4f} V" if raw.count else ""
            typer.echo(f"  {signal.name}: {raw.count} samples{extra}{mean}")
        for gap in opened.gaps:
            typer.echo(f"  gap: stream {gap['stream']}, {gap['count']} samples from {gap['first']}")


@app.command("repair")
def repair(
    take: Path = typer.Argument(..., help="Take (HDF5) that was damaged."),
    out: Path | None = typer.Option(
        None, "--out", help="New take; beside the old one where it is not given."
    ),
) -> None:
    """Make a sound take of a damaged one; the damaged file stays as it is. Exit status 1 when
    something was missing."""
    target = out or take.with_name(f"{take.stem} repaired.h5")
    mended = repair_take(take, target)
    for line in mended:
        typer.echo(f"  {line}")
    typer.echo(
        f"{target}: "
        + ("written from what could be read." if mended else "written; nothing was damaged.")
    )
    raise typer.Exit(1 if mended else 0)


@app.command("export")
def export(
    take: Path = typer.Argument(..., help="Take (HDF5)."),
    csv: Path | None = typer.Option(None, "--csv", help="Write a table here, one row a sample."),
) -> None:
    """Write a take's samples for other programs."""
    if csv is None:
        raise WattigramError("Nothing says what to write.", cure="Give --csv FILE.")
    progress = Progress("Exporting")
    with open_take(take) as opened:
        rows = export_csv(opened, csv, progress)
    progress.done()
    typer.echo(f"{csv}: {rows} rows")
