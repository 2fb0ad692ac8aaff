"""A stream of other firmware as rows of numbers, whatever it is written in."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.foreign.binary_detection import (
    FoundBytes,
    bytes_are_clear,
    find_binary_formats,
)
from wattigram.core.capture.foreign.binary_format import BinaryDecoder
from wattigram.core.capture.foreign.text_detection import FoundText, find_text_formats, is_clear
from wattigram.core.capture.foreign.text_format import LONGEST_LINE, parse_lines
from wattigram.core.contract.row_formats import BinaryFormat, TextFormat

Format = TextFormat | BinaryFormat
Found = FoundText | FoundBytes
ENOUGH_BYTES = 1 << 14
ENOUGH_LINES = 40


class Rows(msgspec.Struct, frozen=True):
    """What came.

    Attributes
    ----------
    values : (rows, columns) float64
        NaN where a place was empty; times in seconds.
    others : int
        Lines that say something else, or bytes that belong to no frame.
    gaps : tuple of (row, rows)
        Before which row so many are missing, as a counter says.
    """

    values: NDArray[np.float64]
    others: int = 0
    gaps: tuple[tuple[int, int], ...] = ()

    @property
    def lost(self) -> int:
        """Rows that are missing."""
        return sum(count for _row, count in self.gaps)

    @property
    def stretches(self) -> Iterator[tuple[int, NDArray[np.float64]]]:
        """How many rows are missing before each stretch, and the stretch, (rows, columns) float64."""
        lost, begin = 0, 0
        for row, count in self.gaps:
            if row > begin:
                yield lost, self.values[begin:row]
                lost, begin = 0, row
            lost += count
        yield lost, self.values[begin:]


class Recognised(msgspec.Struct, frozen=True):
    """Ways in which a stream may be written, the best first, and whether the first is the only one."""

    ways: tuple[Found, ...]
    is_clear: bool

    @property
    def kind(self) -> Literal["text", "binary", ""]:
        """Of the best."""
        if not self.ways:
            return ""
        return "text" if isinstance(self.ways[0], FoundText) else "binary"


def is_enough(data: bytes) -> bool:
    """Whether so much has come that a look at it is worth while."""
    return len(data) >= ENOUGH_BYTES or data.count(b"\n") > ENOUGH_LINES


def recognise(data: bytes) -> Recognised:
    """How a stream is written, from its first bytes, which may begin and end anywhere."""
    texts = find_text_formats(_whole_lines(data)) if _is_text(data) else ()
    if texts:
        return Recognised(texts, is_clear(texts))
    found = find_binary_formats(data)
    return Recognised(found, bytes_are_clear(found))


def _is_text(data: bytes) -> bool:
    """Hardly a byte that no text has."""
    strange = sum(byte < 0x20 and byte not in b"\t\r\n\x1b" for byte in data)
    return bool(data) and strange < 0.02 * len(data) and b"\n" in data


def _whole_lines(data: bytes) -> list[str]:
    lines = data.decode("utf-8", "replace").splitlines()
    # The first may have begun before, and the last may go on.
    return lines[1:-1] if len(lines) > 3 else lines


def column_names(form: Format) -> list[str]:
    """Of each number of a row, those that are times with them."""
    if isinstance(form, TextFormat):
        return [column.name for column in form.columns]
    return [f"channel {number + 1}" for number in range(form.channels)]


def column_units(form: Format) -> list[str]:
    """ "" where nobody says; seconds of times."""
    if isinstance(form, TextFormat):
        return ["s" if column.is_time else column.unit for column in form.columns]
    return [""] * form.channels


def time_column(form: Format) -> int | None:
    """Place of the column that is the time; None where none is."""
    if isinstance(form, BinaryFormat):
        return None
    return next((place for place, column in enumerate(form.columns) if column.is_time), None)


class ForeignStream:
    """Takes bytes as they come, and gives rows."""

    def __init__(self, form: Format) -> None:
        self.form = form
        self._decoder = BinaryDecoder(form) if isinstance(form, BinaryFormat) else None
        self._rest = b""

    def feed(self, data: bytes, *, is_end: bool = False) -> Rows:
        """Rows of what has come; at the end also a line that was not ended."""
        if self._decoder is not None:
            rows = self._decoder.feed(data)
            return Rows(rows.values, rows.passed_over, rows.gaps)
        assert isinstance(self.form, TextFormat)
        data = self._rest + data
        cut = len(data) if is_end else data.rfind(b"\n") + 1
        self._rest = data[cut:]
        if len(self._rest) > LONGEST_LINE:
            self._rest = b""  # no line is as long
        found = parse_lines(_lines(data[:cut]), self.form)
        return Rows(found.values, found.others)


def _lines(data: bytes) -> Sequence[str]:
    return data.decode("utf-8", "replace").splitlines()
