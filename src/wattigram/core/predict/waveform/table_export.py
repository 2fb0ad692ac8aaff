"""Tables as files that other programs open; a format is a function here and its line in the registry."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import WaveError
from wattigram.core.base.quantity import format_si
from wattigram.core.model.design import Generator, WaveTable, Workspace
from wattigram.core.predict.waveform.dac_playback import dac_playback
from wattigram.core.predict.waveform.files import table_c, table_csv, write_wav
from wattigram.core.predict.waveform.table import table_codes, table_dac, table_player


class ExportedTable(msgspec.Struct, frozen=True):
    """A table as its DAC plays it.

    Attributes
    ----------
    wanted_v, levels_v : (points,) float64, volts asked for, and those of the codes
    codes : (points,) int64
    clipped : (points,) bool
    update_s : time from point to point
    """

    name: str
    dac: str
    bits: int
    wanted_v: NDArray[np.float64]
    levels_v: NDArray[np.float64]
    codes: NDArray[np.int64]
    clipped: NDArray[np.bool_]
    update_s: Fraction


def exported_table(
    workspace: Workspace, table: WaveTable, player: Generator | None = None
) -> ExportedTable:
    """A table with its codes, as a generator plays it, by default the first that does.

    Raises
    ------
    WaveError
        Where the part has no DAC, and so the table has no codes.
    """
    player = player or table_player(workspace, table)
    dac = workspace.part.dac(player.dac) if player is not None else table_dac(workspace, table)
    if dac is None:
        raise WaveError(f"{workspace.part.name} has no DAC, and so the table has no codes.")
    made = table_codes(workspace, table, dac, player.buffered if player is not None else True)
    update_s = (
        Fraction(dac_playback(workspace, player).asked_s)
        if player is not None
        else 1 / dac.update_rate_high_hz
    )
    return ExportedTable(
        table.name,
        dac.name,
        dac.bits,
        made.wanted_v,
        made.levels_v,
        made.codes,
        made.clipped,
        update_s,
    )


class TableFormat(msgspec.Struct, frozen=True):
    """A kind of file.

    Attributes
    ----------
    title, help : as it is called where one saves, and what it holds
    write : writes a table, repeated for some seconds where that makes sense; returns a remark or ""
    """

    suffix: str
    title: str
    help: str
    write: Callable[[ExportedTable, Path, float], str]


def _csv(table: ExportedTable, path: Path, seconds: float) -> str:
    text = table_csv(table.wanted_v, table.codes, table.levels_v, table.update_s)
    path.write_text(text, encoding="utf-8")
    return ""


def _wav(table: ExportedTable, path: Path, seconds: float) -> str:
    rate = write_wav(path, table.codes, table.bits, 1 / table.update_s, seconds)
    if rate == 1 / table.update_s:
        return ""
    updates = format_si(1 / table.update_s, "Hz", 9)
    return f"The WAV says {rate} Hz; updates come at {updates}."


def _c(table: ExportedTable, path: Path, seconds: float) -> str:
    updates = format_si(1 / table.update_s, "Hz", 9)
    about = f"{table.name}: {len(table.codes)} points, updates at {updates}, {table.dac}"
    path.write_text(table_c(table.name, table.codes, about), encoding="utf-8")
    return ""


TABLE_FORMATS = (
    TableFormat(".csv", "Table", "Write points with volts and codes.", _csv),
    TableFormat(".wav", "Sound", "Write 16-bit sound at the update rate.", _wav),
    TableFormat(".c", "C array", "Write a C array of codes.", _c),
)


def write_table(
    table: ExportedTable, path: Path, seconds: float = 0.0, kind: TableFormat | None = None
) -> str:
    """Write a table, by default in the format that the file's ending says, CSV where it says none.

    Returns
    -------
    A remark, or "".

    Raises
    ------
    WaveError
        When the file cannot be written.
    """
    suffix = ".c" if path.suffix.lower() == ".h" else path.suffix.lower()
    by_ending = next((kind for kind in TABLE_FORMATS if kind.suffix == suffix), TABLE_FORMATS[0])
    try:
        return (kind or by_ending).write(table, path, seconds)
    except OSError as fault:
        raise WaveError(
            f"The file cannot be written: {fault.strerror or fault}.", where=str(path)
        ) from fault
