"""Takes as files that other programs read; a format is a function here and its line in the registry."""

from __future__ import annotations

import csv
from collections.abc import Callable
from pathlib import Path

import msgspec
import numpy as np

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.take.reader import Take

ROWS_AT_ONCE = 20_000


def export_csv(take: Take, path: Path, progress: Callable[[float], None] | None = None) -> int:
    """Write one row a sample: time, signal, stage, code, volts. Returns the number of rows.

    Raises
    ------
    TakeError
        When the file cannot be written.
    """
    columns = [
        (signal.name, stage) for signal in take.workspace.project.signals for stage in (False, True)
    ]
    total = (
        sum(
            take.reduced_count(name) if reduced else take.raw_count(name)
            for name, reduced in columns
        )
        or 1
    )
    rows = done = 0
    try:
        with path.open("w", newline="", encoding="utf-8") as stream:
            writer = csv.writer(stream)
            writer.writerow(["time_s", "signal", "stage", "code", "volts"])
            for samples in (block for column in columns for block in take.blocks(*column)):
                stage = "filtered" if samples.is_reduced else "raw"
                for start in range(0, len(samples.items), ROWS_AT_ONCE):
                    part = slice(start, start + ROWS_AT_ONCE)
                    keep = samples.valid[part]
                    name = samples.signal.name
                    table = zip(
                        samples.times_s[part][keep].tolist(),
                        samples.items[part][keep].tolist(),
                        samples.volts[part][keep].tolist(),
                        strict=True,
                    )
                    writer.writerows(
                        (f"{t:.9f}", name, stage, code, f"{v:.6f}") for t, code, v in table
                    )
                    rows += int(np.count_nonzero(keep))
                    done += len(samples.items[part])
                    if progress is not None:
                        progress(done / total)
    except OSError as fault:
        raise TakeError(
            f"The table cannot be written: {fault.strerror}.",
            where=str(path),
            cure="Choose another place.",
        ) from fault
    return rows


Progress = Callable[[float], None]


class TakeFormat(msgspec.Struct, frozen=True):
    """A kind of file.

    Attributes
    ----------
    title, help : as it is called where one saves, and what it holds
    write : writes a take, telling how far it is from 0 to 1; returns the number of rows
    """

    suffix: str
    title: str
    help: str
    write: Callable[[Take, Path, Progress | None], int]


TAKE_FORMATS = (TakeFormat(".csv", "Tables", "Write a table here, one row a sample.", export_csv),)


def export_take(
    take: Take, path: Path, progress: Progress | None = None, kind: TakeFormat | None = None
) -> int:
    """Write a take, by default in the format that the file's ending says, CSV where it says none;
    returns the number of rows.

    Raises
    ------
    TakeError
        When the file cannot be written.
    """
    suffix = path.suffix.lower()
    by_ending = next((kind for kind in TAKE_FORMATS if kind.suffix == suffix), TAKE_FORMATS[0])
    return (kind or by_ending).write(take, path, progress)
