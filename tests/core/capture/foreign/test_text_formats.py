"""Lines as firmware prints them: how they are written is found, and where two ways fit nobody guesses."""

from __future__ import annotations

import math
from collections.abc import Callable

import pytest

from wattigram.core.capture.foreign import find_text_formats, is_clear
from wattigram.core.capture.foreign.text_format import parse_lines, row_of
from wattigram.core.contract.row_formats import TextColumn, TextFormat

Line = Callable[[int], str]


def comma(value: float, digits: int = 2) -> str:
    return f"{value:.{digits}f}".replace(".", ",")


SHAPES: dict[str, tuple[Line, list[str], list[float]]] = {
    "one number": (lambda n: f"{37 * n % 100}", ["value"], [74]),
    "volts behind": (lambda n: f"{n / 10:.3f}V", ["value"], [0.2]),
    "commas": (lambda n: f"{3 * n % 17},{n}", ["column 1", "column 2"], [6, 2]),
    "commas and spaces": (lambda n: f"{n / 10:.3f} V, {n} mA", ["column 1", "column 2"], [0.2, 2]),
    "a comma at the end": (lambda n: f"{n},{2 * n % 7},", ["column 1", "column 2"], [2, 4]),
    "semicolons and decimal commas": (
        lambda n: f"{comma(n * 0.37, 3)};{n}",
        ["column 1", "column 2"],
        [0.74, 2],
    ),
    "tabs": (
        lambda n: f"{10 * n}\t{n / 10:.3f}\t-{n}",
        ["column 1", "column 2", "column 3"],
        [20, 0.2, -2],
    ),
    "spaces": (lambda n: f"  {n}   {n * n:5d}", ["column 1", "column 2"], [2, 4]),
    "exponents": (lambda n: f"{-n:.3e} {n * 1e-3:.3e}", ["column 1", "column 2"], [-2, 0.002]),
    "labels": (lambda n: f"a={n} b={n / 10:.2f} V", ["a", "b"], [2, 0.2]),
    "labels with units": (
        lambda n: f"temp: {20 + n / 10:.1f}°C, hum: {n}%",
        ["temp", "hum"],
        [20.2, 2],
    ),
    "labels behind a mark": (lambda n: f">ch1:{n},ch2:{2 * n}", ["ch1", "ch2"], [2, 4]),
    "objects": (lambda n: f'{{"a": {n}, "b": {n / 2:.2f}}}', ["a", "b"], [2, 1]),
    "a logger's words": (
        lambda n: f"I ({100 * n}) adc: raw={3 * n} mv={4 * n}",
        ["raw", "mv"],
        [6, 8],
    ),
    "hexadecimal": (lambda n: f"{211 * n % 4096:03X}", ["value"], [422]),
    "hexadecimal with 0x": (lambda n: f"0x{37 * n:X},0x{n:X}", ["column 1", "column 2"], [74, 2]),
    "bars": (lambda n: f"{n} | {n / 4}", ["column 1", "column 2"], [2, 0.5]),
    "dates": (
        lambda n: f"2026-11-28T12:00:{n / 10:06.3f};{n}",
        ["column 1", "column 2"],
        [1795867200.2, 2],
    ),
    "times of day": (lambda n: f"12:00:{n:02d} {5 * n}", ["column 1", "column 2"], [43202, 10]),
    "decimal commas": (lambda n: comma(n * 0.37 + 1), ["value"], [1.74]),
}


@pytest.mark.parametrize("shape", SHAPES)
def test_is_found_by_itself(shape: str) -> None:
    line, names, wanted = SHAPES[shape]
    lines = [line(number) for number in range(60)]
    found = find_text_formats(lines)
    assert is_clear(found), [(one.score, one.format.title) for one in found]
    form = found[0].format
    assert [column.name for column in form.columns] == names
    row = row_of(lines[2], form)
    assert row == pytest.approx(wanted)
    parsed = parse_lines(lines, form)
    assert parsed.values.shape == (60 - (shape == "a number is missing"), len(names))


@pytest.mark.parametrize("shape", SHAPES)
def test_junk_between_lines_is_passed_over(shape: str) -> None:
    line, names, _ = SHAPES[shape]
    lines = ["", "boot: version 1.2 (rc)", "*** ready ***"]
    for number in range(60):
        lines += [line(number)] + (["E: watchdog!"] if number % 9 == 8 else [])
    found = find_text_formats(lines)
    assert is_clear(found)
    assert [column.name for column in found[0].format.columns] == names
    parsed = parse_lines(lines, found[0].format)
    assert len(parsed.values) == 60
    assert parsed.others >= 8


def test_a_header_names_columns_and_their_units() -> None:
    lines = ["# time_ms; U (V); I [mA]"] + [f"{10 * n};{n / 10};{n}" for n in range(20)]
    found = find_text_formats(lines)
    assert is_clear(found)
    assert [(one.name, one.unit, one.is_time) for one in found[0].format.columns] == [
        ("time", "ms", True),
        ("U", "V", False),
        ("I", "mA", False),
    ]
    parsed = parse_lines(lines, found[0].format)
    assert parsed.values[5].tolist() == pytest.approx([0.05, 0.5, 5])
    assert parsed.lines[0] == 1


def test_what_may_be_two_things_is_asked() -> None:
    """12,5 is two numbers, or one with a decimal comma."""
    lines = [f"{n % 90 + 10},{n % 9 + 1}" for n in range(50)]
    found = find_text_formats(lines)
    assert not is_clear(found)
    assert {len(one.format.columns) for one in found[:2]} == {1, 2}


@pytest.mark.parametrize("lines", [[], ["", " "], ["hello", "world"], ["\x00\xff\x01", "~~"]])
def test_what_holds_no_numbers_is_nothing(lines: list[str]) -> None:
    assert not is_clear(find_text_formats(lines))


def test_a_column_that_grows_is_told() -> None:
    found = find_text_formats([f"{n} {n * n % 13}" for n in range(30)])
    assert found[0].grows == 0


def test_empty_places_and_words_for_nothing_are_missing() -> None:
    form = TextFormat(columns=(TextColumn(name="a"), TextColumn(name="b")))
    assert row_of("1,", form) == pytest.approx([1, math.nan], nan_ok=True)
    assert row_of("nan,2", form) == pytest.approx([math.nan, 2], nan_ok=True)
    assert row_of(",", form) is None
    assert row_of("1,2,3", form) is None
    assert row_of("1," + "2" * 100_000, form) is None
    labelled = TextFormat(columns=(TextColumn(name="a"), TextColumn(name="b")), labelled=True)
    assert row_of("b=2", labelled) == pytest.approx([math.nan, 2], nan_ok=True)
    assert row_of("c=2", labelled) is None
