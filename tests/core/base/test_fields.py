from __future__ import annotations

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from wattigram.core.base.errors import (
    EditError,
    FileError,
    PartError,
    QuantityError,
    WattigramError,
)
from wattigram.core.base.fields import (
    Volts,
    period_text,
    ratio_text,
    read_interval,
    read_ratio,
)
from wattigram.core.base.lazy_imports import load_from
from wattigram.core.base.model_fields import key_of
from wattigram.core.base.models import StrictModel


@given(st.fractions(Fraction(1, 10**6), Fraction(10**6), max_denominator=10**6))
def test_a_factor_survives_its_text(ratio: Fraction) -> None:
    assert read_ratio(ratio_text(ratio)) == ratio


@pytest.mark.parametrize(
    ("text", "ratio"),
    [
        ("÷ 2", "1/2"),
        ("/2", "1/2"),
        ("× 120", "120"),
        ("x1.5", "3/2"),
        ("*3", "3"),
        ("3/7", "3/7"),
        ("0.25", "1/4"),
    ],
)
def test_factors_are_written_in_many_ways(text: str, ratio: str) -> None:
    assert read_ratio(text) == Fraction(ratio)


@pytest.mark.parametrize(
    "value", ["", "÷", "÷ 0", "a", "-1", "1/0", "1e999", None, 5.5, [], "9" * 40]
)
def test_what_is_no_factor_is_refused(value: object) -> None:
    with pytest.raises(QuantityError):
        read_ratio(value)


@pytest.mark.parametrize(
    ("text", "period"),
    [("100 us", "1/10000"), ("10 kHz", "1/10000"), ("44.1 kHz", "1/44100"), ("2 s", "2")],
)
def test_a_period_is_said_as_a_time_or_a_rate(text: str, period: str) -> None:
    assert read_interval(text) == Fraction(period)
    assert read_interval(period_text(Fraction(period))) == Fraction(period)


@pytest.mark.parametrize("value", ["0 s", "-1 s", "0 Hz", "100", "soon", 100, None, "1e-30 s"])
def test_what_is_no_period_is_refused(value: object) -> None:
    with pytest.raises(QuantityError):
        read_interval(value)


@pytest.mark.parametrize(
    ("field", "key"),
    [
        ("clock_hz", "clock"),
        ("voltage_v", "voltage"),
        ("name", "name"),
        ("sampling_cycles", "sampling_cycles"),
        ("noise_lsb", "noise"),
    ],
)
def test_keys_have_no_unit(field: str, key: str) -> None:
    assert key_of(field) == key


def test_models_are_changed_by_making_new_ones() -> None:
    class Cell(StrictModel):
        level_v: Volts
        name: str = "x"

    cell = Cell(level_v=1.5)
    assert cell.replaced(name="y") == Cell(level_v=1.5, name="y")
    assert cell.name == "x"
    with pytest.raises(ValueError, match="unit"):
        cell.replaced(level_v="1 Hz")
    with pytest.raises(AttributeError, match="immutable"):
        cell.name = "z"  # type: ignore[misc]


def test_errors_say_where_what_and_what_to_do() -> None:
    assert (
        str(WattigramError("It broke.", where="file.toml", cure="Mend it."))
        == "file.toml: It broke. Mend it."
    )
    assert str(EditError("It broke.")) == "It broke."
    assert FileError("It broke.", cure="Mend it.").faults == ("It broke. Mend it.",)
    assert issubclass(PartError, FileError)
    assert issubclass(QuantityError, ValueError)


def test_names_are_found_in_their_modules_only() -> None:
    find = load_from("wattigram.core.base", {"format_si": "quantity"})
    assert find("format_si")(1000.0, "Hz") == "1 kHz"
    with pytest.raises(AttributeError, match="no attribute 'other'"):
        find("other")
