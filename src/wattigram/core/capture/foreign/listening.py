"""Listening to other firmware until it is known how its rows are written, and what its columns may be."""

from __future__ import annotations

import re
import time
from collections.abc import Callable

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import LinkError
from wattigram.core.capture.foreign.byte_source import ByteSource
from wattigram.core.capture.foreign.stream_reader import (
    ForeignStream,
    Format,
    column_names,
    column_units,
    is_enough,
    time_column,
)
from wattigram.core.model.design import SignalColumn, Workspace

PATIENCE_S = 10.0
"""For the first bytes."""
MOST_LOOKED_AT = 4096
SHOWN_ROWS = 8


def first_bytes(source: ByteSource, is_ended: Callable[[], bool]) -> tuple[bytes, bool]:
    """Enough to look at, and whether that is all there is; what has come where ``is_ended`` says so.

    Raises
    ------
    LinkError
        When nothing comes.
    """
    data, begun = b"", time.monotonic()
    while not is_enough(data) and not is_ended():
        more = source.read()
        if more is None and not data:
            raise LinkError(f"{source.name} ended before anything came.")
        if more is None:
            return data, True
        data += more
        if time.monotonic() - begun > PATIENCE_S:
            break
    if not data:
        raise LinkError(
            f"Nothing came from {source.name} in {PATIENCE_S:.0f} s.",
            cure="Is it wired, is it running, and is the baud right?",
        )
    return data, False


class Preview(msgspec.Struct, frozen=True):
    """The first rows, read one way: (rows, columns) float64, with what columns are called."""

    names: tuple[str, ...]
    units: tuple[str, ...]
    time: int | None
    values: NDArray[np.float64]


def preview(data: bytes, form: Format) -> Preview:
    """What bytes say, read that way."""
    rows = ForeignStream(form).feed(data, is_end=False).values[:MOST_LOOKED_AT]
    return Preview(tuple(column_names(form)), tuple(column_units(form)), time_column(form), rows)


def likely_columns(workspace: Workspace, seen: Preview) -> dict[str, SignalColumn]:
    """Which columns are which signals, by their names; whole numbers beyond the reference are codes."""
    found = {}
    for signal in workspace.project.signals:
        if workspace.project.chain_of(signal.name) is None:
            continue
        if signal.column is not None and signal.column.name in seen.names:
            found[signal.name] = signal.column
            continue
        place = next(
            (
                number
                for number, name in enumerate(seen.names)
                if _plain(name) == _plain(signal.name) and number != seen.time
            ),
            None,
        )
        if place is not None:
            found[signal.name] = likely_column(workspace, seen, place)
    return found


def likely_column(workspace: Workspace, seen: Preview, place: int) -> SignalColumn:
    """A column as volts, or as codes where all its numbers are whole and some are no voltage here."""
    values = seen.values[:, place][np.isfinite(seen.values[:, place])]
    whole = len(values) > 0 and bool((values == np.rint(values)).all())
    beyond = len(values) > 0 and float(np.abs(values).max()) > 2 * workspace.reference_v
    codes = whole and beyond and not seen.units[place]
    return SignalColumn(name=seen.names[place], reads="codes" if codes else "volts")


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]", "", name.lower())
