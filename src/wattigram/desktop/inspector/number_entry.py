"""Whole numbers and bytes as they are entered."""

from __future__ import annotations

import re
from decimal import Decimal

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


_NUMBER = re.compile(r"^(?P<sign>[-−]?)(?P<digits>\d+(?:\.\d+)?)(?P<unit>[^\d.].*|)$")


def decimals(text: str) -> int:
    """Places behind the point of a number with its unit; 0 where it has none."""
    found = _NUMBER.match(text.strip())
    return len(found["digits"].partition(".")[2]) if found is not None else 0


def nudged(text: str, steps: int, least: int = 0) -> str:
    """A number with its unit, so many of its last places more: "4.7 kΩ" by 1 is "4.8 kΩ"; "" where it is no
    number. With ``least`` it has so many places behind the point at least."""
    stripped = text.strip()
    if stripped.lower().startswith("0x"):
        try:
            return f"0x{max(0, int(stripped, 16) + steps):X}"
        except ValueError:
            return ""
    found = _NUMBER.match(stripped)
    if found is None:
        return ""
    number = Decimal(found["digits"]).copy_sign(-1 if found["sign"] else 1)
    place = Decimal(1).scaleb(-max(least, decimals(stripped)))
    return f"{number + steps * place:f}{found['unit']}"
