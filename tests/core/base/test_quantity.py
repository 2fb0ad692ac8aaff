from __future__ import annotations

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import (
    exact_text,
    format_counts,
    format_percent,
    format_rounded,
    format_si,
    format_volts,
    parse_quantity,
)


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("4.7k", "Ω", Fraction(4700)),
        ("4.7 kΩ", "Ω", Fraction(4700)),
        ("4.7 kohm", "Ω", Fraction(4700)),
        ("47", "Ω", Fraction(47)),
        ("10 kHz", "Hz", Fraction(10_000)),
        ("44.1kHz", "Hz", Fraction(44_100)),
        ("100us", "s", Fraction(1, 10_000)),
        ("100 µs", "s", Fraction(1, 10_000)),
        ("2.1 V", "V", Fraction(21, 10)),
        ("-7 mV", "V", Fraction(-7, 1000)),
        ("−7 mV", "V", Fraction(-7, 1000)),
        ("16 pF", "F", Fraction(16, 10**12)),
        ("128 clk", "clk", Fraction(128)),
        ("0x7FF", "", Fraction(2047)),
        ("0.2 %", "%", Fraction(2, 1000)),
        ("50 ppm", "%", Fraction(5, 100_000)),
        ("1e-3 s", "s", Fraction(1, 1000)),
        ("3,3 V", "V", Fraction(33, 10)),
        ("5 m", "s", Fraction(5, 1000)),
        ("448/3 Hz", "Hz", Fraction(448, 3)),
        ("-1 / 7 V", "V", Fraction(-1, 7)),
        ("10/3 kHz", "Hz", Fraction(10_000, 3)),
        ("2/3 MV/s", "V/s", Fraction(2_000_000, 3)),
    ],
)
def test_text_is_read_exactly(text: str, unit: str, value: Fraction) -> None:
    assert parse_quantity(text, unit) == value


@pytest.mark.parametrize(
    "text",
    [
        "",
        "abc",
        "V",
        "1/0 V",
        "1/2/3 V",
        "1/ V",
        "/3 V",
        "1.2.3 V",
        "--3",
        "1e999 V",
        "nan",
        "inf s",
        "9" * 60,
        "0x",
        "\x00",
    ],
)
def test_what_is_no_number_is_refused_with_advice(text: str) -> None:
    with pytest.raises(QuantityError) as fault:
        parse_quantity(text, "V")
    assert "a voltage such as" in fault.value.cure


def test_another_unit_is_refused() -> None:
    with pytest.raises(QuantityError, match="has the unit “V”"):
        parse_quantity("3 V", "Hz")


def test_files_ask_for_a_unit() -> None:
    assert parse_quantity("3", "V") == 3
    with pytest.raises(QuantityError, match="has no unit"):
        parse_quantity("3", "V", unit_required=True)


@given(
    st.fractions(-(10**9), 10**9, max_denominator=10**9)
    | st.decimals(-(10**6), 10**6, places=12).map(Fraction),
    st.sampled_from(["V", "s", "Hz", "Ω", "F", "%", "LSB", "clk"]),
)
def test_exact_text_reads_back_to_the_same_number(value: Fraction, unit: str) -> None:
    assert parse_quantity(exact_text(value, unit), unit, unit_required=True) == value


@given(st.floats(1e-13, 1e12), st.sampled_from(["V", "Ω", "F"]))
def test_floats_survive_their_text(value: float, unit: str) -> None:
    assert float(parse_quantity(exact_text(value, unit), unit)) == value


def test_a_number_without_an_end_is_said_as_a_fraction() -> None:
    assert exact_text(Fraction(1, 3), "s") == "1/3 s"
    assert exact_text(Fraction(1, 7), "%") == "100/7 %"
    assert exact_text(Fraction(3, 448), "") == "3/448"


@pytest.mark.parametrize(
    ("value", "unit", "shown", "short"),
    [
        (Fraction(141, 32_000_000), "s", "4.406 µs", "4.406 µs"),
        (47_000.0, "Ω", "47.00 kΩ", "47 kΩ"),
        (999.99, "Hz", "1.000 kHz", "1 kHz"),
        (0.0, "V", "0 V", "0 V"),
        (32e6, "Hz", "32.00 MHz", "32 MHz"),
        (5e-5, "%", "50 ppm", "50 ppm"),
        (0.02, "%", "2 %", "2 %"),
        (float("nan"), "V", "– V", "– V"),
    ],
)
def test_quantities_are_shown_for_people(value: float, unit: str, shown: str, short: str) -> None:
    assert format_rounded(value, unit) == shown
    assert format_si(value, unit) == short


@pytest.mark.parametrize(
    ("volts", "text"),
    [(3.2984, "3.298 V"), (0.0213, "21.3 mV"), (-0.004, "-4.0 mV"), (0.5, "0.500 V")],
)
def test_volts_are_shown_as_a_meter_does(volts: float, text: str) -> None:
    assert format_volts(volts) == text


@pytest.mark.parametrize(
    ("counts", "text"),
    [
        (740.1, "740 LSB"),
        (22.9, "22.9 LSB"),
        (0.0007, "0.0007 LSB"),
        (1e-15, "0 LSB"),
        (0, "0 LSB"),
    ],
)
def test_counts_have_sensible_figures(counts: float, text: str) -> None:
    assert format_counts(counts) == text


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("4k7", "Ω", 4700),
        ("4k7Ω", "Ω", 4700),
        ("4R7", "Ω", Fraction(47, 10)),
        ("0R1 ohm", "Ω", Fraction(1, 10)),
        ("3V3", "V", Fraction(33, 10)),
        ("-1V5", "V", Fraction(-3, 2)),
        ("2u2 F", "F", Fraction(22, 10_000_000)),
        ("4M7", "Hz", 4_700_000),
        ("1 000 Hz", "Hz", 1000),
        ("1\u202f000\u202f000 Hz", "Hz", 1_000_000),
        ("12'500.5 Hz", "Hz", Fraction(25001, 2)),
        ("1_000 Hz", "Hz", 1000),
        ("1,000,000 Hz", "Hz", 1_000_000),
        ("1.000.000 Hz", "Hz", 1_000_000),
        ("1,000.5 Hz", "Hz", Fraction(2001, 2)),
        ("1.000,5 Hz", "Hz", Fraction(2001, 2)),
        ("1.000 Hz", "Hz", 1),
        ("12,5 Hz", "Hz", Fraction(25, 2)),
        ("0,125 V", "V", Fraction(1, 8)),
        ("1,0000 V", "V", 1),
        ("0x7F", "", 127),
        ("0x7F", "LSB", 127),
        ("1.5e3 Hz", "Hz", 1500),
        ("10 000 / 3 Hz", "Hz", Fraction(10_000, 3)),
    ],
)
def test_the_trades_ways_of_writing(text: str, unit: str, value: Fraction) -> None:
    assert parse_quantity(text, unit) == value


@pytest.mark.parametrize(
    ("text", "unit", "words"),
    [
        ("1,000 Hz", "Hz", "could be 1000 or 1.000"),
        ("12,345", "V", "could be 12345 or 12.345"),
        ("1 00 Hz", "Hz", "groups of three"),
        ("1,00,000 Hz", "Hz", "groups of three"),
        ("1.5,5 V", "V", "groups of three"),
        ("1,5 000 V", "V", "behind its decimal sign"),
        ("0x7F", "Ω", "is a code"),
        ("0x10", "V", "is a code"),
        ("4R7 V", "V", "two units"),
        ("4k7 V", "Ω", "has the unit “V”"),
    ],
)
def test_what_is_not_clear_is_refused(text: str, unit: str, words: str) -> None:
    with pytest.raises(QuantityError, match=words):
        parse_quantity(text, unit)


@pytest.mark.parametrize(
    ("share", "digits", "text"),
    [
        (1.0, 2, "100 %"),
        (Fraction(1, 8), 3, "12.5 %"),
        (0.5, 3, "50 %"),
        (12.34, 2, "1234 %"),
        (1e-8, 2, "0.000001 %"),
        (0, 3, "0 %"),
        (float("nan"), 3, "– %"),
    ],
)
def test_shares_are_written_without_powers_of_ten(share: float, digits: int, text: str) -> None:
    assert format_percent(share, digits) == text
