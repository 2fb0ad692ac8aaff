"""``wattigram wave``: a table as CSV, WAV or C."""

from __future__ import annotations

from pathlib import Path

import click

from wattigram.core.base.errors import WaveError
from wattigram.core.base.quantity import format_si
from wattigram.core.model.design import Playback, open_workspace
from wattigram.core.predict.waveform import (
    dac_playback,
    table_c,
    table_codes,
    table_csv,
    table_dac,
    table_player,
    write_wav,
)


@click.command("wave")
@click.argument("project", type=click.Path(path_type=Path))
@click.argument("name")
@click.option(
    "--csv", "csv", type=click.Path(path_type=Path), help="Write points with volts and codes."
)
@click.option(
    "--wav", "wav", type=click.Path(path_type=Path), help="Write 16-bit sound at the update rate."
)
@click.option("--c", "c", type=click.Path(path_type=Path), help="Write a C array of codes.")
@click.option(
    "--seconds",
    "seconds",
    type=click.FloatRange(min=0.0, max=3600.0),
    default=1.0,
    show_default=True,
    help="Repeat the table in a WAV for as long as this.",
)
def wave(
    project: Path, name: str, csv: Path | None, wav: Path | None, c: Path | None, seconds: float
) -> None:
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
        known = ", ".join(one.name for one in workspace.project.tables) or "none"
        raise WaveError(
            f"There is no table “{name}”.", where=str(project), cure=f"Name one of these: {known}."
        )
    player = generator or table_player(workspace, table)
    dac = workspace.part.dac(player.dac) if player is not None else table_dac(workspace, table)
    if dac is None:
        raise WaveError(
            f"{workspace.part.name} has no DAC, and so the table has no codes.", where=str(project)
        )
    made = table_codes(workspace, table, dac, player.buffered if player is not None else True)
    update_s = (
        dac_playback(workspace, player).asked_s
        if player is not None
        else 1 / dac.update_rate_high_hz
    )
    try:
        if csv is not None:
            csv.write_text(
                table_csv(made.wanted_v, made.codes, made.levels_v, update_s), encoding="utf-8"
            )
        if c is not None:
            about = f"{table.name}: {table.points} points, updates at {format_si(1 / update_s, 'Hz', 9)}, {dac.name}"
            c.write_text(table_c(table.name, made.codes, about), encoding="utf-8")
    except OSError as fault:
        raise WaveError(
            f"The file cannot be written: {fault.strerror or fault}.", where=str(csv or c)
        ) from fault
    if wav is not None:
        rate = write_wav(wav, made.codes, dac.bits, 1 / update_s, seconds)
        if rate != 1 / update_s:
            click.echo(
                f"The WAV says {rate} Hz; updates come at {format_si(1 / update_s, 'Hz', 9)}."
            )
    clipped = int(made.clipped.sum())
    click.echo(
        f"{table.name}: {table.points} points, codes {int(made.codes.min())} to "
        f"{int(made.codes.max())}, "
        f"{clipped or 'none'} cut off"
    )
