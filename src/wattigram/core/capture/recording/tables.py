"""Tables of text: CSV, TSV and their relatives, as large as they may be."""

from __future__ import annotations

import codecs
import csv
import tempfile
from array import array
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.foreign import FoundText, find_text_formats, is_clear
from wattigram.core.capture.foreign.text_format import LONGEST_LINE, parse_lines
from wattigram.core.capture.recording.channel import (
    Channel,
    EvenChannel,
    Recording,
    TimedChannel,
    even_rate_hz,
)
from wattigram.core.capture.recording.opening import Reading
from wattigram.core.contract.row_formats import MOST_COLUMNS, TextFormat

CHUNK_BYTES = 1 << 22
RARE = 0.9
"""Share of rows: a column with fewer numbers was not sampled in the others."""
LONG = ("time_s", "signal", "unit", "code", "value")
"""Columns of a table with one row a sample."""
LOOKED_AT_LINES = 200


def read_table(path: Path, reading: Reading) -> Recording:
    """Columns of numbers, whose separator, decimal mark, names and units are found. They are put into a temporary
    file of numbers once, so that any part is read at once.

    Raises
    ------
    TakeError
        Where no way to read it fits, or more than one does; and where nobody says the rate.
    """
    lines = _first_lines(path)
    if lines and lines[0] == ",".join(LONG):
        return _read_long(path)
    found = _chosen(find_text_formats(lines), reading, path)
    form = found.format
    if reading.time_column is not None:
        names = [column.name for column in form.columns]
        if reading.time_column not in names:
            raise TakeError(
                f"It has no column “{reading.time_column}”.",
                where=str(path),
                cure=f"It has: {', '.join(names)}.",
            )
        form = form.replaced(
            columns=tuple(
                column.replaced(is_time=column.name == reading.time_column)
                for column in form.columns
            )
        )
    numbers, others = _numbers(path, form)
    notes = [f"{form.title[0].upper()}{form.title[1:]}."]
    if others > found.header:
        notes.append(f"{others - found.header} lines hold no row of numbers and were passed over.")
    if len(numbers) < 1:
        raise TakeError("It holds no rows of numbers.", where=str(path))
    if found.grows is not None and reading.rate_hz is None:
        name = form.columns[found.grows].name
        notes.append(f"“{name}” only grows: if it is the time, name it as the time column.")
    return Recording(str(path), "table", _channels(numbers, form, reading, path), tuple(notes))


def _read_long(path: Path) -> Recording:
    """A table of our own with one row a sample: each signal's rows are its stream."""
    columns: dict[tuple[str, str], tuple[array[float], array[float]]] = {}
    for lines in _chunks(path):
        for row in csv.reader(lines):
            if len(row) != len(LONG) or row[0] == LONG[0]:
                continue
            times, values = columns.setdefault((row[1], row[2]), (array("d"), array("d")))
            times.append(float(row[0]))
            values.append(float(row[4]))
            if len(columns) > MOST_COLUMNS:
                raise TakeError(f"It holds more than {MOST_COLUMNS} signals.", where=str(path))
    if not columns:
        raise TakeError("It holds no rows of numbers.", where=str(path))
    channels: list[Channel] = []
    for (name, unit), (times, values) in columns.items():
        at_s, told = np.frombuffer(times), np.frombuffer(values)
        rate_hz = even_rate_hz(lambda begin, end, at_s=at_s: at_s[begin:end], len(at_s))  # type: ignore[misc]
        if rate_hz is not None:
            read = partial(_part, told)
            channels.append(
                EvenChannel(name, unit, len(told), rate_hz, read, start_s=float(at_s[0]))
            )
        else:
            channels.append(
                TimedChannel(name, unit, len(told), partial(_part, told), partial(_part, at_s))
            )
    return Recording(str(path), "table, a row a sample", tuple(channels))


def _part(data: NDArray[np.float64], begin: int, end: int) -> NDArray[np.float64]:
    return data[begin:end]


def _chosen(found: tuple[FoundText, ...], reading: Reading, path: Path) -> FoundText:
    fitting = [
        one
        for one in found
        if (
            reading.separator is None
            or one.format.separator == reading.separator
            or len(one.format.columns) == 1
        )
        and (reading.decimal is None or one.format.decimal == reading.decimal)
    ]
    if not fitting:
        raise TakeError(
            "Its lines hold no rows of numbers that are written alike.",
            where=str(path),
            cure="Say its separator and its decimal mark.",
        )
    if not is_clear(fitting) and (reading.separator is None or reading.decimal is None):
        ways = "; or ".join(one.format.title for one in fitting[:2])
        raise TakeError(
            f"It can be read in more than one way: {ways}.",
            where=str(path),
            cure="Say its separator and its decimal mark.",
        )
    return fitting[0]


def _encoding(begin: bytes) -> str:
    if begin.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return "utf-16"
    return "utf-8-sig"


def _chunks(path: Path) -> Iterator[list[str]]:
    """Lines, some megabytes at a time; a line that is longer than any is cut."""
    with path.open("rb") as file:
        encoding = _encoding(file.read(4))
    with path.open("r", encoding=encoding, errors="replace", newline=None) as text:
        while lines := text.readlines(CHUNK_BYTES):
            yield [line[: LONGEST_LINE + 1].rstrip("\n") for line in lines]


def _first_lines(path: Path) -> list[str]:
    with path.open("rb") as file:
        begin = file.read(1 << 18)
    text = begin.decode(_encoding(begin), errors="replace")
    lines = text.splitlines()
    if len(begin) == 1 << 18 and len(lines) > 1:
        lines.pop()  # it may be cut off
    return lines[:LOOKED_AT_LINES]


def _numbers(path: Path, form: TextFormat) -> tuple[NDArray[np.float64], int]:
    """All rows, (rows, columns) float64 in a temporary file, and how many lines are none."""
    rows = others = 0
    with tempfile.TemporaryFile(prefix="wattigram-") as store:
        for lines in _chunks(path):
            found = parse_lines(lines, form)
            others += found.others
            rows += len(found.values)
            store.write(np.ascontiguousarray(found.values).tobytes())
        store.flush()
        if not rows:
            return np.empty((0, len(form.columns))), others
        # The map holds the file for as long as it is there.
        data: Any = np.memmap(store, np.float64, "r", 0, (rows, len(form.columns)))
    return data, others


def _channels(
    numbers: NDArray[np.float64], form: TextFormat, reading: Reading, path: Path
) -> tuple[Channel, ...]:
    time = next((place for place, column in enumerate(form.columns) if column.is_time), None)
    if reading.rate_hz is not None:
        time = None
    streams = [(place, column) for place, column in enumerate(form.columns) if not column.is_time]
    if not streams:
        raise TakeError("It holds times and nothing else.", where=str(path))
    if time is None and reading.rate_hz is None:
        raise TakeError(
            "It has no column of times, and nobody says the rate.",
            where=str(path),
            cure="Say the rate in samples a second, or which column is the time.",
        )
    rate_hz, begin_s = reading.rate_hz, 0.0
    if time is not None:
        rate_hz = even_rate_hz(
            lambda begin, end: np.asarray(numbers[begin:end, time]), len(numbers)
        )
        begin_s = float(numbers[0, time])
    channels: list[Channel] = []
    for place, column in streams:
        unit = reading.unit if reading.unit is not None else column.unit

        def read(begin: int, end: int, place: int = place) -> NDArray[np.float64]:
            return np.asarray(numbers[begin:end, place]) * reading.scale + reading.zero

        sampled = None if time is None else _sampled(numbers[:, place])
        if sampled is not None:
            channels.append(
                _sparse(column.name, unit, numbers, (place, time or 0), sampled, reading)
            )
        elif rate_hz is not None:
            channels.append(EvenChannel(column.name, unit, len(numbers), rate_hz, read))
        else:
            assert time is not None
            channels.append(
                TimedChannel(
                    column.name,
                    unit,
                    len(numbers),
                    read,
                    lambda begin, end: np.asarray(numbers[begin:end, time]) - begin_s,
                )
            )
    return tuple(channels)


def _sampled(column: NDArray[np.float64]) -> NDArray[np.int64] | None:
    """Rows in which a column has a number, where most have none: it was sampled more rarely than others."""
    parts = [
        at + np.flatnonzero(~np.isnan(column[at : at + CHUNK_BYTES]))
        for at in range(0, len(column), CHUNK_BYTES)
    ]
    rows = np.concatenate(parts)
    return rows if 0 < len(rows) < RARE * len(column) else None


def _sparse(
    name: str,
    unit: str,
    numbers: NDArray[np.float64],
    places: tuple[int, int],
    rows: NDArray[np.int64],
    reading: Reading,
) -> Channel:
    """A column with its times, of those rows that have a number."""
    place, time = places
    first_s = float(numbers[0, time])

    def read(begin: int, end: int) -> NDArray[np.float64]:
        return np.asarray(numbers[rows[begin:end], place]) * reading.scale + reading.zero

    def times(begin: int, end: int) -> NDArray[np.float64]:
        return np.asarray(numbers[rows[begin:end], time]) - first_s

    rate_hz = even_rate_hz(times, len(rows))
    if rate_hz is None:
        return TimedChannel(name, unit, len(rows), read, times)
    return EvenChannel(name, unit, len(rows), rate_hz, read, start_s=float(times(0, 1)[0]))
