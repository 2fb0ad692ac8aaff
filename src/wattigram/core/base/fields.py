"""Field types for files: quantities written with their unit, kept in SI."""

from __future__ import annotations

import math
import re
from fractions import Fraction
from typing import TYPE_CHECKING, Any

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.model_fields import FieldType
from wattigram.core.base.quantity import UNIT_NAMES, exact_text, is_decimal, parse_quantity

SMALLEST, LARGEST = Fraction(1, 10**18), Fraction(10**12)
"""Magnitudes that occur on a bench, with room to spare; what lies beyond is a slip of the pen."""


def check_magnitude(number: float | Fraction, text: str, unit: str) -> None:
    """Raise :class:`QuantityError` for what is too large or too small to be meant."""
    if number and not SMALLEST <= abs(Fraction(number)) <= LARGEST:
        raise QuantityError(
            f"“{text[:40]}” is beyond what occurs on a bench.", cure=f"Write {UNIT_NAMES[unit]}."
        )


def _quantity(unit: str, kind: type, low: int | None = None, above: bool = False) -> FieldType:
    """A kind of quantity; ``low`` is its lowest value, itself included unless ``above``.

    It is text with its unit; from code, where the field's name says the unit, also a finite number.
    """

    def read(value: Any, in_file: bool) -> float | Fraction:
        number: float | Fraction
        is_number = isinstance(value, (Fraction, float, int)) and not isinstance(value, bool)
        if isinstance(value, str):
            number = parse_quantity(value, unit, unit_required=True)
        elif is_number and not in_file and math.isfinite(value):
            number = value
        else:
            raise QuantityError(
                f"{value!r} has no unit.", cure=f"Write {UNIT_NAMES[unit]}, in quotes."
            )
        if low is not None and (number < low or (above and number == low)):
            rule = "above" if above else "at least"
            raise QuantityError(
                f"“{value}” is impossible here.", cure=f"It must be {rule} {low} {unit}."
            )
        check_magnitude(number, str(value), unit)
        return kind(number)  # type: ignore[no-any-return]

    return FieldType("Quantity", kind, read, lambda value: exact_text(value, unit), unit)


def read_interval(value: Any) -> Fraction:
    """A trigger's period, said as a time or as a rate.

    Raises :class:`QuantityError` for what is neither.
    """
    if isinstance(value, Fraction):
        period = value
    elif isinstance(value, str):
        try:
            period = parse_quantity(value, "s", unit_required=True)
        except QuantityError:
            rate = parse_quantity(value, "Hz", unit_required=True)
            if rate <= 0:
                raise QuantityError(
                    f"“{value}” is impossible here.", cure="It must be above 0 Hz."
                ) from None
            period = 1 / rate
    else:
        raise QuantityError(
            f"{value!r} has no unit.", cure="Write a time such as 100 us or a rate such as 10 kHz."
        )
    if period <= 0:
        raise QuantityError(f"“{value}” is impossible here.", cure="It must be above 0 s.")
    check_magnitude(period, str(value), "s")
    return period


def period_text(period: Fraction) -> str:
    """The period as it was said: a time where that has a last digit, else a rate."""
    return exact_text(period, "s") if is_decimal(period) else exact_text(1 / period, "Hz")


_RATIO = re.compile(r"\s*([×x*÷/])\s*(\S+)\s*")


def read_ratio(value: Any) -> Fraction:
    """A front end's factor: "÷ 2", "× 120" or "3/7".

    Raises :class:`QuantityError` for what is none.
    """
    if isinstance(value, Fraction):
        ratio = value
    else:
        text = str(value)[:40] if isinstance(value, str) else ""
        try:
            if match := _RATIO.fullmatch(text):
                number = Fraction(match[2])
                ratio = number if match[1] in "×x*" else 1 / number
            else:
                ratio = Fraction(text)
        except (ValueError, ZeroDivisionError):
            raise QuantityError(
                f"{value!r} is no factor.", cure="Write “÷ 2”, “× 120” or “3/7”."
            ) from None
    if ratio <= 0 or max(ratio.numerator, ratio.denominator) > 10**12:
        raise QuantityError(
            f"{value!r} is impossible here.", cure="A front end's factor is above 0."
        )
    return ratio


def ratio_text(ratio: Fraction) -> str:
    """A front end's factor as people write it."""
    if ratio.denominator == 1:
        return f"× {ratio}"
    if ratio.numerator == 1:
        return f"÷ {ratio.denominator}"
    return str(ratio)


if TYPE_CHECKING:  # what a field has; how it is written is the types' below
    Hertz = Fraction
    Seconds = Fraction
    SecondsOrZero = Fraction
    Every = Fraction
    Ratio = Fraction
    Volts = float
    VoltsOrZero = float
    PositiveVolts = float
    VoltsPerSecond = float
    NoiseDensity = float
    Celsius = float
    Ohms = float
    Farads = float
    Counts = float
    CountsOrZero = float
    Share = float
    ShareOrZero = float
else:
    Hertz = _quantity("Hz", Fraction, 0, True)
    Seconds = _quantity("s", Fraction, 0, True)
    SecondsOrZero = _quantity("s", Fraction, 0)
    Every = FieldType("Every", Fraction, lambda value, _: read_interval(value), period_text, "s")
    Ratio = FieldType("Ratio", Fraction, lambda value, _: read_ratio(value), ratio_text)
    Volts = _quantity("V", float)
    VoltsOrZero = _quantity("V", float, 0)
    PositiveVolts = _quantity("V", float, 0, True)
    VoltsPerSecond = _quantity("V/s", float, 0, True)
    NoiseDensity = _quantity("V/√Hz", float, 0)
    Celsius = _quantity("°C", float)
    Ohms = _quantity("Ω", float, 0)
    Farads = _quantity("F", float, 0)
    Counts = _quantity("LSB", float)
    CountsOrZero = _quantity("LSB", float, 0)
    Share = _quantity("%", float)
    ShareOrZero = _quantity("%", float, 0)
