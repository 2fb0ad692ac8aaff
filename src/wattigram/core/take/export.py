"""Takes as tables that other programs read."""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from wattigram.core.errors import TakeError
from wattigram.core.take.reader import Take
from wattigram.core.take.samples import SignalSamples

ROWS_AT_ONCE = 20_000


def export_csv(take: Take, path: Path, progress: Callable[[float], None] | None = None) -> int:
    """Write one row a sample: time, signal, stage, code, volts. Returns the number of rows.

    Raises
    ------
    TakeError
        When the file cannot be written.
    """
    columns = list(_columns(take))
    total = sum(len(samples.items) for _stage, samples in columns) or 1
    rows = 0
    try:
        with path.open("w", newline="", encoding="utf-8") as stream:
            writer = csv.writer(stream)
            writer.writerow(["time_s", "signal", "stage", "code", "volts"])
            for stage, samples in columns:
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
                    writer.writerows((f"{t:.9f}", name, stage, code, f"{v:.6f}") for t, code, v in table)
                    rows += int(np.count_nonzero(keep))
                    if progress is not None:
                        progress(rows / total)
    except OSError as fault:
        raise TakeError(
            f"The table cannot be written: {fault.strerror}.", where=str(path), cure="Choose another place."
        ) from fault
    return rows


def _columns(take: Take) -> Iterator[tuple[str, SignalSamples]]:
    for signal in take.workspace.project.signals:
        for stage, samples in (("raw", take.raw(signal.name)), ("reduced", take.reduced(signal.name))):
            if samples is not None:
                yield stage, samples
