"""Whole numbers and bytes as they are entered."""

from __future__ import annotations

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import parse_quantity

LARGEST_WORD = 511
"""Of nine bits."""


def whole_number(text: str, what: str) -> int:
    """A whole number as entered; raises :class:`QuantityError`."""
    value = parse_quantity(text, "")
    if value.denominator != 1 or value < 0:
        raise QuantityError(f"“{text}” is no whole number of {what}.", cure="Write a whole number.")
    return int(value)


def read_byte(text: str) -> int | None:
    """A byte as a character, which a digit is in quotes, or as its code; None for any. Raises
    :class:`QuantityError`."""
    typed = text.strip()
    if typed in {"", "any"}:
        return None
    is_quoted = len(typed) == 3 and typed[0] in "‘'" and typed[2] in "’'"
    if is_quoted or (len(typed) == 1 and not typed.isdigit()):
        code = ord(typed[1] if is_quoted else typed)
    else:
        try:
            code = int(typed, 0)
        except ValueError:
            code = -1
    if not 0 <= code <= LARGEST_WORD:
        raise QuantityError(
            f"“{text}” is no byte.", cure="Type a character, or a code such as 65 or 0x41."
        )
    return code


def byte_entry(byte: int) -> str:
    """A byte as it is typed."""
    return f"‘{chr(byte)}’" if 0x21 <= byte <= 0x7E else f"0x{byte:02X}"
