"""Lines of text with numbers in them: how they are written, and what they say."""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Sequence
from datetime import UTC, datetime

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.row_formats import (
    Decimal,
    Separator,
    TextFormat,
)

FloatArray = NDArray[np.float64]
LONGEST_LINE = 1 << 16
SECONDS = {
    "s": 1.0,
    "ms": 1e-3,
    "us": 1e-6,
    "µs": 1e-6,
    "μs": 1e-6,
    "ns": 1e-9,
    "min": 60.0,
    "h": 3600.0,
}
"""Units of times."""


class TextRows(msgspec.Struct, frozen=True):
    """Numbers of some lines.

    Attributes
    ----------
    values : (rows, columns) float64
        NaN where a place is empty.
    lines : (rows,) int64
        Which line each row was.
    others : int
        Lines that say something else.
    """

    values: FloatArray
    lines: NDArray[np.int64]
    others: int


_DIGITS = r"[+\-−]?(?:\d+(?:{point}\d*)?|{point}\d+)(?:[eE][+\-]?\d{{1,3}})?"
_POINT = {".": r"\.", ",": ","}
_UNIT = r"[A-Za-zµμΩ°%][A-Za-z0-9/°%²]{0,8}"
_HEX = re.compile(r"0[xX]([0-9a-fA-F]{1,16})\Z")
_BARE_HEX = re.compile(r"[0-9a-fA-F]{1,16}\Z")
_NOTHING = frozenset({"", "-", "--", "nan", "null", "none", "n/a", "inf", "+inf", "-inf"})
_FIELD = {
    point: re.compile(rf"({_DIGITS.format(point=pattern)})\s*({_UNIT})?\Z")
    for point, pattern in _POINT.items()
}
_PAIR = {
    point: re.compile(
        rf"([A-Za-z_][\w./°\-]{{0,30}}(?: [\w./°\-]{{1,20}})?)\s*[=:]\s*"
        rf"(0[xX][0-9a-fA-F]{{1,16}}|{_DIGITS.format(point=pattern)})\s?({_UNIT}(?![\w%])(?!\s*[=:]))?"
    )
    for point, pattern in _POINT.items()
}
_DAY = re.compile(r"(\d{1,2}):(\d{2}):(\d{2}(?:[.,]\d+)?)\Z")


def pairs_of(line: str, decimal: Decimal) -> list[tuple[str, str, str]]:
    """Names, numbers and units of a labelled line."""
    plain = line.replace('"', "")  # as objects of JSON have it
    return [(name.strip(), number, unit) for name, number, unit in _PAIR[decimal].findall(plain)]


def fields_of(line: str, separator: Separator) -> list[str]:
    """What stands between separators."""
    if '"' in line:  # a separator may stand between marks
        fields = [field.strip() for field in next(csv.reader([line], delimiter=separator), [])]
    elif separator == " ":
        return line.split()
    else:
        fields = [field.strip() for field in line.split(separator)]
    return fields


def number_of(field: str, decimal: Decimal, radix: int = 10) -> tuple[float, str] | None:
    """A number with its unit; NaN for an empty place, None for what is no number."""
    field = field.strip()
    if field.lower() in _NOTHING:
        return math.nan, ""
    if found := _HEX.match(field):
        return float(int(found[1], 16)), ""
    if radix == 16:
        return (float(int(field, 16)), "") if _BARE_HEX.match(field) else None
    if found := _FIELD[decimal].match(field):
        return float(found[1].replace(",", ".").replace("−", "-")), found[2] or ""
    return None


def instant_of(field: str) -> float | None:
    """Seconds of a date with a time (ISO 8601), since 1970, or of a time of day; None for what is neither."""
    if found := _DAY.match(field):
        return int(found[1]) * 3600 + int(found[2]) * 60 + float(found[3].replace(",", "."))
    if len(field) < 16 or field[4:5] != "-":
        return None
    try:
        told = datetime.fromisoformat(field)
    except ValueError:
        return None
    return (told if told.tzinfo is not None else told.replace(tzinfo=UTC)).timestamp()


def parse_lines(lines: Sequence[str], form: TextFormat) -> TextRows:
    """Numbers of all lines that fit; times in seconds."""
    plain = _at_once(lines, form)
    if plain is not None:
        values, numbers = plain, np.arange(len(lines))
        others = 0
    else:
        rows: list[list[float]] = []
        kept: list[int] = []
        others = 0
        for number, line in enumerate(lines):
            row = row_of(line, form)
            if row is not None:
                rows.append(row)
                kept.append(number)
            elif line.strip():
                others += 1
        values = np.array(rows, dtype=np.float64).reshape(-1, len(form.columns))
        numbers = np.array(kept, dtype=np.int64)
    for place, column in enumerate(form.columns):
        if column.is_time and SECONDS.get(column.unit, 1.0) != 1.0:
            values[:, place] *= SECONDS[column.unit]
    return TextRows(values, numbers.astype(np.int64), others)


def _at_once(lines: Sequence[str], form: TextFormat) -> FloatArray | None:
    """All of many lines by NumPy's own reader, where they hold nothing but numbers; else None."""
    if form.labelled or len(lines) < 64 or any(column.radix == 16 for column in form.columns):
        return None
    text = "\n".join(lines)
    if form.decimal == ",":
        text = text.replace(",", ".")
    if text.count("\n") + 1 != len(lines) or '"' in text or "\n\n" in text:
        return None
    try:
        values = np.loadtxt(
            io.StringIO(text),
            delimiter=None if form.separator == " " or len(form.columns) == 1 else form.separator,
            comments=None,
            ndmin=2,
        )
    except ValueError:
        return None
    return values if values.shape == (len(lines), len(form.columns)) else None


def row_of(line: str, form: TextFormat) -> list[float] | None:
    """Numbers of one line; None where it does not fit."""
    if len(line) > LONGEST_LINE:
        return None
    if form.labelled:
        told = {name: number for name, number, _ in pairs_of(line, form.decimal)}
        if not any(column.name in told for column in form.columns):
            return None
        found = [number_of(told.get(column.name, ""), form.decimal) for column in form.columns]
        return [math.nan if one is None else one[0] for one in found]
    single = len(form.columns) == 1
    fields = [line.strip()] if single else fields_of(line, form.separator)
    if len(fields) == len(form.columns) + 1 and fields[-1] == "":
        fields.pop()  # a separator at the end of each line
    if len(fields) != len(form.columns):
        return None
    row = []
    for field, column in zip(fields, form.columns, strict=True):
        one = number_of(field, form.decimal, column.radix)
        if one is None and column.is_time:
            instant = instant_of(field)
            one = None if instant is None else (instant, "")
        if one is None:
            return None
        row.append(one[0])
    return None if all(math.isnan(value) for value in row) else row
