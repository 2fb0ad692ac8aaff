"""How the codes of a field are to be read, as far as a register description says it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from fractions import Fraction

from wattigram.core.model.part.registers import Access, BlockKind, Coding
from wattigram.core.model.part.sheet.draft import PartDraft
from wattigram.core.model.part.sheet.register_words import (
    LEFT_ONES,
    SAME_WORDS,
    has_word,
    tokens_of,
)
from wattigram.core.model.part.sheet.sufficiency import owners_of
from wattigram.core.model.part.svd import SvdField, SvdRegister

_OPPOSITE = {"outside": "inside", "left": "right", "filtered": "raw"}
"""What a bit means that is not set, where it is called by what it means when it is."""
_CLEARED_BY_ONE = re.compile(
    r"clear\w* by writing|writ\w+ (one|1) (to )?clear|write.one.to.clear|w1c"
)
_NUMERALS = {
    "one": "1", "two": "2", "four": "4", "seven": "7", "eight": "8", "nine": "9", "ten": "10",
    "twelve": "12", "fourteen": "14", "sixteen": "16",
}  # fmt: skip


def is_yes_or_no(setting: str) -> bool:
    """Whether a setting is yes or no."""
    return setting in {
        "on", "start", "calibrate", "done", "run", "pulse", "preload", "whole", "repeat", "from-step",
        "to-step", "half", "full", "half-seen", "full-seen", "high-first", "buffer", "twice", "room",
        "arrived", "tells", "overrun", "parity-fault", "framing-fault", "seen", "high", "window-on",
        "window-every", "window-stops", "window-tells", "window-once", "window-seen", "window-entered",
        "alarm-seen", "pair", "tells-result", "tells-scan", "scan-done", "load", "tells-rising",
        "tells-falling", "rose", "fell",
    }  # fmt: skip


def is_read(kind: BlockKind, setting: str) -> bool:
    """Whether software reads a setting and never writes it."""
    if setting == "input":
        return kind == "port"
    return setting in {
        "done", "result", "result-low", "result-high", "newest", "result-ticks", "queued", "passes",
        "window-entered", "window-value", "window-ticks-low", "window-ticks-high", "place", "received",
        "room", "arrived", "high", "ticks-low", "ticks-high", "waiting", "scan-done", "left",
    }  # fmt: skip


def access_of(kind: BlockKind, setting: str, register: SvdRegister, field: SvdField) -> Access:
    """How software gets at a field that holds a setting."""
    text = f"{register.text} {field.text}".lower()
    if setting in {"start", "calibrate", "load"}:
        return "start"
    cleared = {"overrun", "parity-fault", "framing-fault", "seen", "rose", "fell"}
    if setting.endswith("seen") or setting in cleared:
        return "clear"
    if setting in {"done", "scan-done"} and _CLEARED_BY_ONE.search(text):
        return "clear"
    if "cleared by writing" in text and is_yes_or_no(setting) and not is_read(kind, setting):
        return "clear"
    if field.access == "read-only" or is_read(kind, setting):
        return "read"
    return "write" if field.access == "write-only" else "read-write"


def coding_of(
    setting: str,
    values: tuple[str, ...],
    table: dict[str, int],
    register: SvdRegister,
    field: SvdField,
) -> tuple[Coding, dict[str, int]]:
    """How codes are to be read, as far as the description says it."""
    text = f"{field.name} {field.text} {register.text}".lower()
    if setting in {"from", "to", "send-from"}:
        return "pointer", {}
    if is_yes_or_no(setting):
        return ("flag", {}) if field.width == 1 else ("value", {})
    if setting == "listed":
        return "mask", {}
    if setting == "edge-pin":
        return "pin", {}
    if len(table) >= 2:
        return "table", table
    named = named_choice(values, field)
    if named:
        other = _OPPOSITE.get(named) or next(one for one in values if one != named)
        return "table", {other: 0, named: 1}
    if "power of two" in text:
        return "shift", {}
    if any(one in text for one in LEFT_ONES) or field.name.endswith("_1"):
        return "minus-one", {}
    return ("flag", {}) if field.width == 1 and not values else ("value", {})


def named_choice(values: tuple[str, ...], field: SvdField) -> str:
    """The choice that a bit by itself is called by, where the other is known too; "" for none."""
    if field.width != 1 or field.values:
        return ""
    named = [one for one in values if _means(field.name, one) or _means(field.text, one)]
    named = named[:1] if named and named[0] in _OPPOSITE else named
    return named[0] if len(named) == 1 and (len(values) == 2 or named[0] in _OPPOSITE) else ""


def table_of(
    values: tuple[str, ...], field: SvdField, also: Mapping[str, tuple[str, ...]]
) -> tuple[dict[str, int], int]:
    """Codes of the sheet's values by the names that the description has for codes. Where the sheet lists
    none and all names have a number, they are the values."""
    table: dict[str, int] = {}
    if not values:
        numbers = {name: _number_in(_with_point(name)) for name, _ in field.values}
        if field.values and None not in numbers.values():
            table = {f"{float(numbers[name] or 0):g}": code for name, code in field.values}
        return table, 0
    for value in values:
        for name, code in field.values:
            other = any(has_word(tokens_of(name), word) for word in also.get(value, ()))
            if code not in table.values() and (_means(name, value) or other):
                table[value] = code
                break
    return table, len(table)


def also_called(draft: PartDraft, values: tuple[str, ...]) -> dict[str, tuple[str, ...]]:
    """What a description may call peripherals that the sheet has names for."""
    converters, comparators = owners_of(draft, "converter"), owners_of(draft, "comparator")
    also: dict[str, tuple[str, ...]] = {}
    for value in values:
        if value in converters:
            also[value] = ("result", "converter", "conversion")
        elif value in comparators:
            also[value] = ("comparator", "comp")
        elif value.endswith(" room"):
            also[value] = ("tx", "transmit")
        elif value.endswith(" received"):
            also[value] = ("rx", "receive")
    return also


def _with_point(name: str) -> str:
    """A name with the point that names of codes cannot have."""
    return re.sub(r"(\d)_(\d)", r"\1.\2", name.lower())


def _means(name: str, value: str) -> bool:
    """Whether a name of a code, such as ``by12`` or ``c0_75``, means a value."""
    number = _number_in(value)
    tokens = {_NUMERALS.get(one, one) for one in tokens_of(name)}
    if number is not None:
        exact = _number_in(_with_point(name))
        if exact is not None:
            return exact == number
        numbers = {Fraction(one) for one in tokens if one.isdigit()}
        return number in numbers or any(has_word(tokens, one) for one in SAME_WORDS.get(value, ()))
    wanted = tokens_of(value)
    if wanted and wanted <= tokens:
        return True
    joined = re.sub(r"[^a-z0-9]", "", value.lower())
    if joined == re.sub(r"[^a-z0-9]", "", name.lower()):
        return True
    return any(has_word(tokens, one) for one in SAME_WORDS.get(value, ()))


def _number_in(text: str) -> Fraction | None:
    match = re.fullmatch(r"[^\d]*(\d+(?:\.\d+)?)[^\d]*", text)
    return Fraction(match[1]) if match else None
