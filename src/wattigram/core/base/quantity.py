"""SI quantities to and from text: ``"4.7k"``, ``"100 us"``, ``"128 clk"``, ``"0x7FF"``, ``"448/3
Hz"``.

Text becomes an exact :class:`~fractions.Fraction`; nothing is rounded until it is shown.
"""

from __future__ import annotations

import math
import re
from decimal import Decimal
from fractions import Fraction

from wattigram.core.base.errors import QuantityError

PREFIXES: dict[str, int] = {
    "p": -12,
    "n": -9,
    "u": -6,
    "µ": -6,
    "μ": -6,
    "m": -3,
    "": 0,
    "k": 3,
    "K": 3,
    "M": 6,
    "G": 9,
}
_SHOWN_PREFIX = {-12: "p", -9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M", 9: "G"}
LARGEST_EXPONENT = 330
_UNIT_SPELLINGS = {
    "ohm": "Ω",
    "ohms": "Ω",
    "Ohm": "Ω",
    "R": "Ω",
    "Ω": "Ω",
    "hz": "Hz",
    "HZ": "Hz",
    "v": "V",
    "f": "F",
    "C": "°C",
}
_FIXED_UNITS = {"%": Fraction(1, 100), "ppm": Fraction(1, 1_000_000)}
_PREFIXED = re.compile(r"(Hz|s|V|Ω|F|A|W|J|N|Pa|T|H|S|B|m|g|bit)(?![A-Za-zµ°])")
"""Units that a prefix may stand before. What others write as a unit may have one already, as mm or kPa, or takes none, as
°C and rpm."""
_NUMBER = re.compile(
    r"\s*([+\-−]?\d[\d.,'’_ \u00a0\u2009\u202f]{0,40}?(?:[eE][+\-]?\d{1,3})?)(?:\s*/\s*(\d{1,24}))?\s*([^\d\s/.,'’_].*?)?\s*"
)
_INSET = re.compile(r"\s*([+\-−]?)(\d{1,9})([pnuµμmkKMGRV])(\d{1,9})\s*([^\d\s].*?)?\s*")
"""The trade's way to write a value in which the prefix, or R for ohms, stands for the decimal
point: 4k7, 4R7, 3V3."""
_SPACES = "'’_ \u00a0\u2009\u202f"
"""What may stand between groups of three digits, and nowhere else."""
_HEX = re.compile(r"\s*0[xX]([0-9a-fA-F]{1,8})\s*")

CODE = "code"
"""Unit of a number in hexadecimal: it is a code as a register has it, and no quantity."""
UNIT_NAMES = {
    "Hz": "a frequency such as 10 kHz",
    "s": "a time such as 100 us",
    "V": "a voltage such as 2.1 V",
    "Ω": "a resistance such as 4.7 kΩ",
    "F": "a capacitance such as 16 pF",
    "V/s": "a slew rate such as 1.5 MV/s",
    "V/√Hz": "a noise density such as 40 nV/√Hz",
    "°C": "a temperature such as 25 °C",
    "LSB": "a number of counts such as 0.4 LSB",
    "%": "a share such as 0.2 % or 50 ppm",
    "clk": "a number of clock cycles such as 128 clk",
}


def split_quantity(text: str) -> tuple[Fraction, str]:
    """Take ``text`` apart into an exact SI number and its unit ("" where none is written).

    Raises
    ------
    QuantityError
        When it is no number with a known prefix.
    """
    if match := _HEX.fullmatch(text):
        return Fraction(int(match[1], 16)), CODE
    if match := _INSET.fullmatch(text[:80]):
        return _inset(text, match)
    match = _NUMBER.fullmatch(text[:80])
    if match is None:
        raise QuantityError(f"“{text[:40]}” is no number with a unit.")
    digits = _plain_digits(match[1], text)
    if abs(int(digits.lower().partition("e")[2] or 0)) > LARGEST_EXPONENT:
        raise QuantityError(f"“{text[:40]}” is beyond any quantity.")
    if int(match[2] or 1) == 0:
        raise QuantityError(f"“{text[:40]}” divides by nothing.")
    number = Fraction(digits) / int(match[2] or 1)
    tail = (match[3] or "").strip()
    if tail in _FIXED_UNITS:
        return number * _FIXED_UNITS[tail], "%"
    if tail in {"LSB", "clk"}:
        return number, tail
    if tail in PREFIXES and tail != "m":  # "5m" alone stays a number of thousandths below
        return number * Fraction(10) ** PREFIXES[tail], ""
    if tail in _UNIT_SPELLINGS or tail in UNIT_NAMES:
        return number, _UNIT_SPELLINGS.get(tail, tail)
    head, rest = tail[0], tail[1:].strip()
    if head in PREFIXES:
        return number * Fraction(10) ** PREFIXES[head], _UNIT_SPELLINGS.get(rest, rest)
    return number, tail


def _inset(text: str, match: re.Match[str]) -> tuple[Fraction, str]:
    """A value whose prefix or unit stands in the place of its decimal point."""
    sign, whole, letter, rest, unit = match.groups()
    number = Fraction(f"{whole}.{rest}") * (-1 if sign and sign != "+" else 1)
    tail = (unit or "").strip()
    tail = _UNIT_SPELLINGS.get(tail, tail)
    if letter in {"R", "V"}:
        own = "Ω" if letter == "R" else "V"
        if tail not in {"", own}:
            raise QuantityError(f"“{text[:40]}” has two units.")
        return number, own
    return number * Fraction(10) ** PREFIXES[letter], tail


def _plain_digits(number: str, text: str) -> str:
    """Digits with a decimal point and no separators.

    A point and a comma may both be the decimal sign; the one that comes first, or more than once,
    separates groups of
    three. Spaces, apostrophes and underscores separate groups too. One comma with three digits
    behind it could be
    either, and is refused: "1,000" is a thousand to some and one to others.
    """
    head, mark, power = number.replace("−", "-").partition("e" if "e" in number else "E")
    head = head.strip()
    last = max(head.rfind("."), head.rfind(","))
    sign = head[last] if last >= 0 else ""
    other = {".": ",", ",": "."}.get(sign, "")
    is_grouped = bool(sign) and head.count(sign) > 1
    whole, part = (head, "") if is_grouped or not sign else (head[:last], head[last + 1 :])
    separators = _SPACES + (sign if is_grouped else "") + other
    if any(letter in separators for letter in part):
        raise QuantityError(f"“{text[:40]}” has a separator behind its decimal sign.")
    groups = re.split(f"[{re.escape(separators)}]", whole.lstrip("+-"))
    if len(groups) > 1 and not (
        1 <= len(groups[0]) <= 3 and all(len(group) == 3 for group in groups[1:])
    ):
        raise QuantityError(f"“{text[:40]}” has digits that are not in groups of three.")
    if (
        sign == ","
        and len(groups) == 1
        and len(part) == 3
        and len(groups[0]) <= 3
        and groups[0] != "0"
    ):
        thousands = "".join(groups) + part
        raise QuantityError(
            f"“{text[:40]}” could be {thousands} or {groups[0]}.{part}: a comma with three digits "
            "behind it is not clear."
        )
    minus = "-" if head.startswith("-") else ""
    plain = minus + "".join(groups) + ("." + part if part else "")
    return plain + (f"e{power}" if mark else "")


def parse_quantity(text: str, unit: str, *, unit_required: bool = False) -> Fraction:
    """Read ``text`` as a quantity of ``unit``, exactly.

    Parameters
    ----------
    unit : str
        One of the keys of :data:`UNIT_NAMES`, or "" for a plain number.
    unit_required : bool
        Refuse a bare number; files ask for this, entry fields do not.

    Raises
    ------
    QuantityError
        When it is no quantity, or one of another unit.
    """
    wanted = UNIT_NAMES.get(unit, "a plain number")
    try:
        value, unit_found = split_quantity(text)
    except QuantityError as fault:
        raise QuantityError(fault.message, cure=f"Write {wanted}.") from None
    if unit_found == CODE:
        if unit not in {"", "LSB"}:
            raise QuantityError(
                f"“{text[:40]}” is a code, and no "
                f"{wanted.partition(' such')[0].removeprefix('a ')}.",
                cure=f"Write {wanted}.",
            )
        return value
    if unit_found not in {unit, ""} or (unit_required and unit and not unit_found):
        problem = f"has the unit “{unit_found}”" if unit_found else "has no unit"
        raise QuantityError(f"“{text[:40]}” {problem}.", cure=f"Write {wanted}.")
    return value


def parse_value(text: str, unit: str) -> float:
    """Read ``text`` as a value of a channel, whose unit may be one that nobody here knows.

    Raises
    ------
    QuantityError
        When it is no number, or one of another unit.
    """
    if unit in UNIT_NAMES or not unit:
        return float(parse_quantity(text, unit))
    return float(parse_quantity(text.strip().removesuffix(unit), ""))


def value_text(value: float, unit: str, digits: int = 6) -> str:
    """A value of a channel, rounded, as :func:`parse_value` reads it."""
    return exact_text(float(f"{value:.{digits}g}"), unit if unit in UNIT_NAMES else "")


def _decimal_text(value: Fraction) -> str | None:
    """Every digit of ``value``, or None when it has no end."""
    reduced = value.denominator
    for prime in (2, 5):
        while reduced % prime == 0:
            reduced //= prime
    if reduced != 1:
        return None
    digits = 0
    scaled = value
    while scaled.denominator != 1:
        scaled *= 10
        digits += 1
    sign = "-" if value < 0 else ""
    whole = str(abs(scaled.numerator)).rjust(digits + 1, "0")
    return sign + (f"{whole[:-digits]}.{whole[-digits:]}" if digits else whole)


def _exponent(value: float, lowest: int = -12, highest: int = 9) -> int:
    if value == 0:
        return 0
    return max(lowest, min(highest, 3 * math.floor(math.log10(abs(value)) / 3 + 1e-12)))


def is_decimal(value: Fraction) -> bool:
    """Whether ``value`` has a last digit."""
    return _decimal_text(value) is not None


def _exact_number(value: Fraction) -> str:
    """Every digit, or a fraction where they have no end."""
    text = _decimal_text(value)
    return str(value) if text is None else text


def exact_text(value: Fraction | float, unit: str) -> str:
    """The shortest text that :func:`parse_quantity` reads back to the same number."""
    exact = Fraction(Decimal(repr(value))) if isinstance(value, float) else Fraction(value)
    if unit in {"LSB", "clk", ""}:
        return f"{_exact_number(exact)} {unit}".strip()
    if unit == "%":
        small = abs(exact) < Fraction(1, 1000) and exact != 0
        return f"{_exact_number(exact * (1_000_000 if small else 100))} {'ppm' if small else '%'}"
    if isinstance(value, float) and value and not 1e-20 < abs(value) < 1e20:
        return f"{value!r} {unit}"
    power = _exponent(float(exact))
    text = _decimal_text(exact / Fraction(10) ** power)
    if text is None:
        return f"{exact} {unit}"
    return f"{text} {_SHOWN_PREFIX[power]}{unit}"


def format_rounded(value: Fraction | float, unit: str, digits: int = 4) -> str:
    """Text for people: ``digits`` significant figures and a prefix, "4.406 µs"."""
    number = float(value)
    if not math.isfinite(number):
        return f"– {unit}".strip()
    if unit == "%":
        if 0 < abs(number) < 1e-3:
            return f"{number * 1e6:.{digits}g} ppm"
        return format_percent(number, digits)
    if not _PREFIXED.match(unit):
        return f"{_figures(number, digits)} {unit}".strip()
    power = _exponent(number)
    text = _figures(number / 10.0**power, digits)
    if power < 9 and abs(float(text)) >= 1000:  # 999.99 k rounds up to 1.000 M
        power += 3
        text = _figures(number / 10.0**power, digits)
    return f"{text} {_SHOWN_PREFIX[power]}{unit}"


def _figures(number: float, digits: int) -> str:
    if number == 0:
        return "0"
    magnitude = int(f"{number:.{digits - 1}e}".partition("e")[2])
    return f"{number:.{max(0, digits - 1 - magnitude)}f}"


def format_percent(share: Fraction | float, digits: int = 3) -> str:
    """A share as text, its zeros that say nothing left out and all digits before the point written: "0.2 %",
    "100 %"."""
    if not math.isfinite(share):
        return "– %"
    number = _figures(float(share) * 100, digits)
    return f"{number.rstrip('0').rstrip('.') if '.' in number else number} %"


def format_si(value: Fraction | float, unit: str, digits: int = 4) -> str:
    """As :func:`show`, without zeros that say nothing: "47 kΩ", "100 µs"."""
    number, space, rest = format_rounded(value, unit, digits).partition(" ")
    if "." in number and "e" not in number:
        number = number.rstrip("0").rstrip(".")
    return number + space + rest


def format_counts(value: float) -> str:
    """A number of LSB with sensible figures: "740 LSB", "22.9 LSB", "0.0007 LSB"."""
    size = abs(value)
    if size >= 100:
        return f"{value:.0f} LSB"
    return (
        f"{value:.3g} LSB"
        if size >= 1e-3 or size == 0
        else f"{value:.1g} LSB"
        if size >= 1e-4
        else "0 LSB"
    )


def format_volts(value: float) -> str:
    """Voltages as a bench meter shows them: "3.298 V", and millivolts below a tenth."""
    if not math.isfinite(value):
        return "– V"
    if value == 0:
        return "0 V"
    return f"{value * 1e3:.1f} mV" if abs(value) < 0.1 else f"{value:.3f} V"


def round_values(low: float, high: float, most: int) -> list[float]:
    """Round numbers, 1, 2 or 5 × 10ⁿ apart, within a span and about ``most`` of them: the labels of
    a scale."""
    if not (math.isfinite(low) and math.isfinite(high)) or high <= low:
        return []
    raw = (high - low) / max(1, most)
    power = 10 ** math.floor(math.log10(raw))
    step = next(power * factor for factor in (1, 2, 5, 10) if power * factor >= raw * 0.999)
    first = math.ceil(low / step - 1e-9)
    return [index * step for index in range(first, math.floor(high / step + 1e-9) + 1)]
