"""Field types for files: quantities written with their unit, kept in SI."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from fractions import Fraction
from typing import Annotated, Any, Self

from pydantic import (
    BaseModel,
    BeforeValidator,
    ConfigDict,
    GetCoreSchemaHandler,
    PlainSerializer,
    ValidationInfo,
)
from pydantic_core import CoreSchema, core_schema

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import UNIT_NAMES, exact_text, is_decimal, parse_quantity

_UNIT_SUFFIX = re.compile(r"_(v_s|hz|s|v|ohm|f|lsb|degc)$")


def key_of(field: str) -> str:
    """Name of a field in a file: the quantity carries its unit, so the key does not."""
    return _UNIT_SUFFIX.sub("", field)


class StrictModel(BaseModel):
    """A frozen model that refuses keys it does not know."""

    model_config = ConfigDict(
        frozen=True,
        extra="forbid",
        alias_generator=key_of,
        validate_by_name=True,
        validate_by_alias=True,
        serialize_by_alias=True,
        arbitrary_types_allowed=True,
        allow_inf_nan=False,
        defer_build=True,
    )

    def replaced(self, **updates: Any) -> Self:
        """A copy with some fields replaced, validated as if made anew."""
        values = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self)(**(values | updates))


FROM_FILE = "from a file"
"""Validation context of documents: quantities must then be text with a unit."""


SMALLEST, LARGEST = Fraction(1, 10**18), Fraction(10**12)
"""Magnitudes that occur on a bench, with room to spare; what lies beyond is a slip of the pen."""


def check_magnitude(number: float | Fraction, text: str, unit: str) -> None:
    """Raise :class:`QuantityError` for what is too large or too small to be meant."""
    if number and not SMALLEST <= abs(Fraction(number)) <= LARGEST:
        raise QuantityError(
            f"“{text[:40]}” is beyond what occurs on a bench.", cure=f"Write {UNIT_NAMES[unit]}."
        )


@dataclass(frozen=True)
class _Quantity:
    """Validation of one kind of quantity; ``low`` is its lowest value, itself included unless
    ``above``."""

    unit: str
    kind: type[float] | type[Fraction]
    low: int | None = None
    above: bool = False

    def read(self, value: Any, info: ValidationInfo) -> float | Fraction:
        """Text with its unit; from code, where the field's name says the unit, also a finite
        number."""
        number: float | Fraction
        is_number = isinstance(value, (Fraction, float, int)) and not isinstance(value, bool)
        if isinstance(value, str):
            number = parse_quantity(value, self.unit, unit_required=True)
        elif is_number and info.context is not FROM_FILE and math.isfinite(value):
            number = value
        else:
            raise QuantityError(
                f"{value!r} has no unit.", cure=f"Write {UNIT_NAMES[self.unit]}, in quotes."
            )
        if self.low is not None and (number < self.low or (self.above and number == self.low)):
            rule = "above" if self.above else "at least"
            raise QuantityError(
                f"“{value}” is impossible here.", cure=f"It must be {rule} {self.low} {self.unit}."
            )
        check_magnitude(number, str(value), self.unit)
        return self.kind(number)

    def __get_pydantic_core_schema__(
        self, source: Any, handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        return core_schema.with_info_plain_validator_function(
            self.read,
            serialization=core_schema.plain_serializer_function_ser_schema(
                lambda value: exact_text(value, self.unit)
            ),
        )


Hertz = Annotated[Fraction, _Quantity("Hz", Fraction, 0, True)]
Seconds = Annotated[Fraction, _Quantity("s", Fraction, 0, True)]
SecondsOrZero = Annotated[Fraction, _Quantity("s", Fraction, 0)]
Volts = Annotated[float, _Quantity("V", float)]
VoltsOrZero = Annotated[float, _Quantity("V", float, 0)]
PositiveVolts = Annotated[float, _Quantity("V", float, 0, True)]
VoltsPerSecond = Annotated[float, _Quantity("V/s", float, 0, True)]
NoiseDensity = Annotated[float, _Quantity("V/√Hz", float, 0)]
Celsius = Annotated[float, _Quantity("°C", float)]
Ohms = Annotated[float, _Quantity("Ω", float, 0)]
Farads = Annotated[float, _Quantity("F", float, 0)]
Counts = Annotated[float, _Quantity("LSB", float)]
CountsOrZero = Annotated[float, _Quantity("LSB", float, 0)]
Share = Annotated[float, _Quantity("%", float)]
ShareOrZero = Annotated[float, _Quantity("%", float, 0)]


def read_interval(value: Any) -> Fraction:
    """A trigger's period, said as a time or as a rate."""
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


Every = Annotated[
    Fraction, BeforeValidator(read_interval), PlainSerializer(period_text, return_type=str)
]


_RATIO = re.compile(r"\s*([×x*÷/])\s*(\S+)\s*")


def read_ratio(value: Any) -> Fraction:
    """A front end's factor: "÷ 2", "× 120" or "3/7"."""
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


Ratio = Annotated[
    Fraction, BeforeValidator(read_ratio), PlainSerializer(ratio_text, return_type=str)
]
