"""Whole numbers as they are entered."""

from __future__ import annotations

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import parse_quantity


def whole_number(text: str, what: str) -> int:
    """A whole number as entered; raises :class:`QuantityError`."""
    value = parse_quantity(text, "")
    if value.denominator != 1 or value < 0:
        raise QuantityError(f"“{text}” is no whole number of {what}.", cure="Write a whole number.")
    return int(value)
