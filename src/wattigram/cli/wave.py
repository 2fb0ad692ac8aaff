"""``wattigram wave``: a table as a file that others open."""

from __future__ import annotations

from pathlib import Path

import click

from wattigram.cli.format_options import format_options, option_name
from wattigram.core.base.errors import WaveError
from wattigram.core.model.design import Playback, open_workspace
from wattigram.core.predict.waveform import TABLE_FORMATS, exported_table, write_table


@format_options(TABLE_FORMATS)
@click.command("wave")
@click.argument("project", type=click.Path(path_type=Path))
@click.argument("name")
@click.option(
    "--seconds",
    "seconds",
    type=click.FloatRange(min=0.0, max=3600.0),
    default=1.0,
    show_default=True,
    help="Repeat the table in a WAV for as long as this.",
)
def wave(project: Path, name: str, seconds: float, **files: Path | None) -> None:
    """Write what a generator plays to files that others can open.

    PROJECT: Project file, or the folder that holds it.
    NAME: Table, or a generator that plays one.
    """
    workspace = open_workspace(project)
    table = workspace.project.table(name)
    generator = workspace.project.generator(name)
    if table is None and generator is not None and isinstance(generator.output, Playback):
        table = workspace.project.table(generator.output.table)
    if table is None:
        known = ", ".join(table.name for table in workspace.project.tables) or "none"
        raise WaveError(
            f"There is no table “{name}”.", where=str(project), cure=f"Name one of these: {known}."
        )
    made = exported_table(workspace, table, generator)
    for kind in TABLE_FORMATS:
        path = files.get(option_name(kind))
        if path is not None and (remark := write_table(made, path, seconds, kind)):
            click.echo(remark)
    clipped = int(made.clipped.sum())
    click.echo(
        f"{table.name}: {table.points} points, codes {int(made.codes.min())} to "
        f"{int(made.codes.max())}, "
        f"{clipped or 'none'} clipped"
    )
