"""``wattigram take``: what is in a take, and taking it out."""

from __future__ import annotations

from pathlib import Path

import click

from wattigram.cli.format_options import format_options, option_name
from wattigram.cli.progress import Progress
from wattigram.core.analysis import Moments
from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.take import TAKE_FORMATS, export_take, open_take
from wattigram.core.capture.take.repair import repair_take


@click.group()
def app() -> None:
    """Look into takes and export them."""


@app.command("info")
@click.argument("take", type=click.Path(path_type=Path))
def info(take: Path) -> None:
    """Say what a take holds.

    TAKE: Take (HDF5).
    """
    with open_take(take) as opened:
        state = "complete" if opened.complete else "not finished: it ends at the last flush"
        click.echo(
            f"{take}: {opened.board or 'unknown board'}, build {opened.build_id}, "
            f"{opened.started}, {state}"
        )
        click.echo(
            f"  {opened.seconds:.4f} s, {opened.samples} samples, {opened.lost_cycles} scans "
            f"lost, {len(opened.events)} events"
        )
        for signal in opened.workspace.project.signals:
            if opened.workspace.project.chain_of(signal.name) is None:
                click.echo(f"  {signal.name}: not converted")
                continue
            raw, reduced = Moments(), 0
            for block in opened.blocks(signal.name):
                raw.add(block.volts[block.valid])
            for block in opened.blocks(signal.name, reduced=True):
                reduced += block.count
            extra = f", {reduced} filtered" if signal.later_filter is not None else ""
            mean = f", mean {raw.mean:.4f} V" if raw.count else ""
            click.echo(f"  {signal.name}: {raw.count} samples{extra}{mean}")
        for gap in opened.gaps:
            click.echo(f"  gap: stream {gap['stream']}, {gap['count']} samples from {gap['first']}")


@app.command("repair")
@click.argument("take", type=click.Path(path_type=Path))
@click.option(
    "--out",
    "out",
    type=click.Path(path_type=Path),
    help="New take; beside the old one where it is not given.",
)
def repair(take: Path, out: Path | None) -> None:
    """Make a sound take of a damaged one; the damaged file stays as it is. Exit status 1 when
    something was missing.

    TAKE: Take (HDF5) that was damaged.
    """
    target = out or take.with_name(f"{take.stem} repaired.h5")
    mended = repair_take(take, target)
    for line in mended:
        click.echo(f"  {line}")
    click.echo(
        f"{target}: "
        + ("written from what could be read." if mended else "written; nothing was damaged.")
    )
    raise click.exceptions.Exit(1 if mended else 0)


@format_options(TAKE_FORMATS)
@app.command("export")
@click.argument("take", type=click.Path(path_type=Path))
def export(take: Path, **files: Path | None) -> None:
    """Write a take's samples for other programs.

    TAKE: Take (HDF5).
    """
    wanted = [
        (kind, path) for kind in TAKE_FORMATS if (path := files.get(option_name(kind))) is not None
    ]
    if not wanted:
        known = " or ".join(f"--{option_name(kind)} FILE" for kind in TAKE_FORMATS)
        raise WattigramError("Nothing says what to write.", cure=f"Give {known}.")
    with open_take(take) as opened:
        for kind, path in wanted:
            progress = Progress("Exporting")
            rows = export_take(opened, path, progress, kind)
            progress.done()
            click.echo(f"{path}: {rows} rows")
