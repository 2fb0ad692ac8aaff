"""How lines of text are written, found from what they are: every way that fits, with a score. Where two fit alike
nobody guesses."""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import get_args

import msgspec

from wattigram.core.capture.foreign.text_format import (
    SECONDS,
    fields_of,
    instant_of,
    number_of,
    pairs_of,
    row_of,
)
from wattigram.core.contract.row_formats import (
    MOST_COLUMNS,
    Decimal,
    Separator,
    TextColumn,
    TextFormat,
)

LOOKED_AT = 200
"""Lines."""
FEWEST_FITS = 0.5
"""Of all lines that say anything; the others may be junk between them."""
CLEAR = 0.1
"""By which the best score must be above the next."""
_TIME = re.compile(
    r"(?:^|[ _])(?:t|time|zeit|times?tamp|seconds|elapsed|clock|millis|micros)(?:$|[ _])", re.I
)
_NAMED_UNIT = re.compile(r"^(.*?)\s*[(\[]\s*([^)\]]{1,16})\s*[)\]]$")
_TAIL_UNIT = re.compile(r"^(.+)_(s|ms|us|ns|V|mV|uV|A|mA|Hz|kHz|degC|C)$")


class FoundText(msgspec.Struct, frozen=True):
    """A way in which lines may be written.

    Attributes
    ----------
    format : TextFormat
    score : float
        From 0 to 1.
    fits, lines : int
        Lines that fit, of those that say anything.
    header : int
        Of the lines that were given, those before the first number: names, or text.
    grows : int or None
        Number of a column that only grows and is not called a time; it may be a time or a count.
    """

    format: TextFormat
    score: float
    fits: int
    lines: int
    header: int
    grows: int | None


def is_clear(found: Sequence[FoundText]) -> bool:
    """Whether the first of some ways is the only one."""
    if not found or found[0].score < FEWEST_FITS:
        return False
    return len(found) < 2 or found[0].score - found[1].score >= CLEAR


def find_text_formats(lines: Sequence[str]) -> tuple[FoundText, ...]:
    """Ways in which some lines fit, the best first; lines may be cut off at both ends."""
    lines = lines[:LOOKED_AT]
    said = [line for line in lines if line.strip()]
    if not said:
        return ()
    found = [one for one in _candidates(said) if one is not None]
    found.sort(key=lambda one: -one.score)
    kept: list[FoundText] = []
    for one in found:
        # The same numbers in other words are no second way.
        if not any(_says_the_same(one, other, said) for other in kept):
            kept.append(one)
    return tuple(kept)


def _says_the_same(one: FoundText, other: FoundText, lines: Sequence[str]) -> bool:
    def rows(form: TextFormat) -> list[list[float] | None]:
        return [row_of(line, form) for line in lines[:40]]

    if len(one.format.columns) != len(other.format.columns) or one.fits != other.fits:
        return False
    mine, others = rows(one.format), rows(other.format)
    return all(
        (a is None) == (b is None) and (a is None or b is None or _alike(a, b))
        for a, b in zip(mine, others, strict=True)
    )


def _alike(one: list[float], other: list[float]) -> bool:
    return all(a == b or (math.isnan(a) and math.isnan(b)) for a, b in zip(one, other, strict=True))


def _candidates(lines: list[str]) -> Iterator[FoundText | None]:
    decimals: tuple[Decimal, ...] = get_args(Decimal)
    for decimal in decimals:
        yield _labelled(lines, decimal)
        for radix in (10, 16):
            yield _single(lines, decimal, radix)
            for separator in get_args(Separator):
                if separator != decimal:
                    yield _separated(lines, separator, decimal, radix)


def _labelled(lines: list[str], decimal: Decimal) -> FoundText | None:
    told = [pairs_of(line, decimal) for line in lines]
    names = Counter(name for pairs in told for name, _, _ in pairs)
    common = [name for name, count in names.items() if count >= FEWEST_FITS * len(lines) / 4]
    if not common or len(common) > MOST_COLUMNS:
        return None
    units = {name: unit for pairs in told for name, _, unit in pairs if unit}
    columns = tuple(
        TextColumn(name=name, unit=units.get(name, ""), is_time=_is_time(name, units.get(name, "")))
        for name in common
    )
    form = TextFormat(columns=columns, decimal=decimal, labelled=True)
    fits = sum(any(name in common for name, _, _ in pairs) for pairs in told)
    # Numbers that stand behind no name say more than is read.
    digits = sum(len(re.findall(r"\d+", line)) for line in lines)
    read = sum(
        len(re.findall(r"\d+", number + name)) for pairs in told for name, number, _ in pairs
    )
    return _judged(form, fits, lines, share=0.5 + 0.5 * min(1.0, read / max(1, digits)))


def _single(lines: list[str], decimal: Decimal, radix: int) -> FoundText | None:
    rows = [number_of(line, decimal, radix) for line in lines]
    if not _is_radix_plain([line.strip() for line in lines], radix):
        return None
    units = Counter(one[1] for one in rows if one is not None)
    name = _header([[line.strip()] for line in lines], [row is not None for row in rows])
    column = _column(
        name[0] if name else "value", units.most_common(1)[0][0] if units else "", radix
    )
    fits = sum(one is not None and not math.isnan(one[0]) for one in rows)
    share = 0.7 if decimal == "," and _look_like_two(lines) else 1.0
    return _judged(TextFormat(columns=(column,), decimal=decimal), fits, lines, share)


def _separated(
    lines: list[str], separator: Separator, decimal: Decimal, radix: int
) -> FoundText | None:
    table = [fields_of(line, separator) for line in lines]
    longer = [fields for fields in table if len(fields) > 1]
    if longer and all(fields[-1] == "" for fields in longer):  # a separator ends each line
        table = [fields[:-1] if len(fields) > 1 else fields for fields in table]
    parsed = [[number_of(field, decimal, radix) for field in fields] for fields in table]
    instants = [[instant_of(field) is not None for field in fields] for fields in table]
    fitting = Counter(
        len(row)
        for row, times in zip(parsed, instants, strict=True)
        if row and all(one is not None or at for one, at in zip(row, times, strict=True))
    )
    if not fitting:
        return None
    count, _ = max(fitting.items(), key=lambda item: (item[1], item[0]))
    if not 1 < count <= MOST_COLUMNS:
        return None
    good = [
        len(row) == count
        and all(one is not None or at for one, at in zip(row, times, strict=True))
        and not all(one is not None and math.isnan(one[0]) for one in row)
        for row, times in zip(parsed, instants, strict=True)
    ]
    kept = [table[place] for place, fits in enumerate(good) if fits]
    if not kept or not _is_radix_plain([field for fields in kept for field in fields], radix):
        return None
    names = _header(table, good) or [f"column {place + 1}" for place in range(count)]
    columns = []
    for place in range(count):
        units = Counter(
            one[1]
            for row, fits in zip(parsed, good, strict=True)
            if fits and (one := row[place]) is not None
        )
        is_instant = any(
            fits and row[place] is None for row, fits in zip(parsed, good, strict=True)
        )
        column = _column(names[place], units.most_common(1)[0][0] if units else "", radix)
        columns.append(column.replaced(is_time=column.is_time or is_instant))
    form = TextFormat(columns=tuple(_distinct(columns)), separator=separator, decimal=decimal)
    share = 1.0
    if separator == "," and decimal == "." and _looks_like_decimals(kept):
        share = 0.7
    if separator == " " and any(";" in line or "\t" in line for line in lines):
        share = 0.8
    return _judged(form, sum(good), lines, share=share)


def _look_like_two(lines: list[str]) -> bool:
    """What stands behind a comma is not always as long, and still ends with zeros: no fraction is written so."""
    behind = [line.strip().rpartition(",")[2] for line in lines if "," in line]
    return len({len(digits) for digits in behind}) > 1 and any(
        digits.endswith("0") for digits in behind
    )


def _looks_like_decimals(table: list[list[str]]) -> bool:
    """What stands behind each second comma is always as long, and begins with zeros: a fraction."""
    behind = [fields[1::2] for fields in table]
    if any(len(fields) % 2 for fields in table):
        return False
    flat = [field for fields in behind for field in fields]
    return (
        len({len(field) for field in flat}) == 1
        and len(flat[0]) > 1
        and any(field.startswith("0") for field in flat)
    )


def _is_radix_plain(fields: list[str], radix: int) -> bool:
    """Bare hexadecimal numbers are all as long, and have a letter here and there; else decimal ones are meant."""
    if radix == 10:
        return True
    digits = [field for field in fields if re.fullmatch(r"[0-9a-fA-F]+", field)]
    return (
        len(digits) >= 4
        and len({len(field) for field in digits}) == 1
        and any(re.search(r"[a-fA-F]", field) for field in digits)
    )


def _judged(form: TextFormat, fits: int, lines: list[str], share: float = 1.0) -> FoundText | None:
    if fits < max(1, FEWEST_FITS * len(lines) * 0.5):
        return None
    rows = [row_of(line, form) for line in lines]
    first = next((place for place, row in enumerate(rows) if row is not None), len(rows))
    body = len(lines) - first
    score = share * sum(row is not None for row in rows) / max(1, body)
    grows = _grows(form, rows)
    if grows is not None and form.columns[grows].name in SECONDS and not form.columns[grows].unit:
        # it grows all the way, and is called by a unit of time
        own = form.columns[grows]
        told = own.replaced(unit=own.name, is_time=True)
        columns = tuple(told if column is own else column for column in form.columns)
        form, grows = form.replaced(columns=columns), None
    return FoundText(form, score, fits, len(lines), first, grows)


def _grows(form: TextFormat, rows: list[list[float] | None]) -> int | None:
    kept = [row for row in rows if row is not None]
    if len(kept) < 4 or any(column.is_time for column in form.columns):
        return None
    for place in range(len(form.columns)):
        column = [row[place] for row in kept]
        if all(after > before for before, after in pairwise(column)):
            return place
    return None


def _header(table: list[list[str]], good: list[bool]) -> list[str] | None:
    """Names from the line before the first numbers, where no line between them looks like it."""
    if not any(good) or good[0]:
        return None
    first = good.index(True)
    fields, count = table[first - 1], len(table[first])
    clean = [field.strip().lstrip("#%/ ").strip() for field in fields]
    if len(clean) != count or not all(clean):
        return None
    later = [row for row, fits in zip(table[first:], good[first:], strict=True) if not fits]
    if any(len(row) == count for row in later):
        return None  # text that comes again and again
    return [name[:80] for name in clean]


def _column(name: str, unit: str, radix: int) -> TextColumn:
    if found := _NAMED_UNIT.match(name) or _TAIL_UNIT.match(name):
        name, unit = found[1].strip() or name, found[2].strip()
    return TextColumn(
        name=name or "value",
        unit=unit[:16],
        is_time=_is_time(name, unit),
        radix=16 if radix == 16 else 10,
    )


def _is_time(name: str, unit: str) -> bool:
    if unit and unit not in SECONDS:
        return False
    return bool(_TIME.search(name))


def _distinct(columns: list[TextColumn]) -> list[TextColumn]:
    """No two columns have one name."""
    seen: Counter[str] = Counter()
    kept = []
    for column in columns:
        seen[column.name] += 1
        again = f"{column.name[:74]} {seen[column.name]}" if seen[column.name] > 1 else column.name
        kept.append(column.replaced(name=again))
    return kept
