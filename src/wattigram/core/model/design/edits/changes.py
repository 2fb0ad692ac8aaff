"""What an edit changes, for people: "Hysteresis 0 V → 10 mV"."""

from __future__ import annotations

import re
from collections.abc import Iterator
from fractions import Fraction
from typing import Any

from wattigram.core.base.errors import EditError
from wattigram.core.base.model_fields import fields_of
from wattigram.core.base.models import StrictModel
from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.model.design.edits.edit import Edit
from wattigram.core.model.design.project import Project

MOST_TOLD = 3
KEYS = ("name", "pin", "converter", "dac", "signal", "timer")
"""Fields by which things of one kind are told apart."""
TERMS = {
    "sampling_cycles": "sampling",
    "isr_cycles": "ISR cycles",
    "main_cycles": "main loop cycles",
    "round_cycles": "main loop round",
    "start_cycles": "starts after",
    "gap_cycles": "after a gap",
    "samples": "circular buffer",
    "element_bits": "element width",
    "accumulator_bits": "accumulator width",
    "hysteresis_v": "hysteresis",
    "threshold_v": "threshold",
    "done_in": "done in",
    "period_s": "period",
    "per_trigger": "per trigger",
    "prescaler_register": "prescaler register",
    "period_register": "period register",
    "startup": "start-up order",
    "bus_clock_hz": "bus clock",
    "voltage_v": "voltage",
    "source_resistance_ohm": "source resistance",
    "capacitor_f": "capacitor",
    "swapped_with": "swapped with",
    "rearm": "re-arm",
    "low": "lower limit",
    "high": "upper limit",
    "trigger": "trigger",
    "low_v": "low",
    "high_v": "high",
}
UNITS = {"_v": "V", "_hz": "Hz", "_s": "s", "_ohm": "Ω", "_f": "F"}
CLOCKS = frozenset(
    {"sampling_cycles", "isr_cycles", "main_cycles", "round_cycles", "start_cycles", "gap_cycles"}
)
_WORD = re.compile(r"(?<=[a-z])(?=[A-Z])")
_ABBREVIATIONS = {"pwm", "uart", "dac", "dma", "dc"}


def fix_text(project: Project, edit: Edit) -> str:
    """What the edit makes of a project: each figure before and after; "" where it cannot be made or
    changes nothing."""
    try:
        after = edit.apply(project)
    except EditError:
        return ""
    if after == project:
        return ""
    changes = list(_changes(project, after, ""))
    if not changes:
        return edit.label
    text = "; ".join(changes[:MOST_TOLD])
    more = len(changes) - MOST_TOLD
    return text[0].upper() + text[1:] + (f"; and {more} more" if more > 0 else "")


def _changes(before: Any, after: Any, what: str, field: str = "") -> Iterator[str]:
    if before == after:
        return
    if isinstance(before, StrictModel) and type(before) is type(after):
        yield from _of_models(before, after, what)
    elif _are_things(before) and _are_things(after):
        yield from _of_things(before, after, what)
    elif isinstance(before, StrictModel) or isinstance(after, StrictModel):
        yield f"{_term(what, field)} {_kind(before)} → {_kind(after)}"
    else:
        yield f"{_term(what, field)} {_shown(before, field)} → {_shown(after, field)}"


def _of_models(before: StrictModel, after: StrictModel, what: str) -> Iterator[str]:
    for name in (item.name for item in fields_of(type(before))):
        yield from _changes(getattr(before, name), getattr(after, name), what, name)


def _are_things(value: Any) -> bool:
    return isinstance(value, tuple) and (not value or isinstance(value[0], StrictModel))


def _of_things(
    before: tuple[StrictModel, ...], after: tuple[StrictModel, ...], what: str
) -> Iterator[str]:
    """Things of one kind, by their names; by their places where these do not tell them apart."""
    old, new = [_key(one) for one in before], [_key(one) for one in after]
    if (
        len(set(old)) == len(old)
        and len(set(new)) == len(new)
        and old != new
        and sorted(old) == sorted(new)
    ):
        yield f"{what or 'order'}: {', '.join(old)} → {', '.join(new)}".removeprefix(": ")
        return
    if len(before) == len(after):
        for one, other in zip(before, after, strict=True):
            yield from _changes(one, other, _within(what, _key(one)))
        return
    known = dict(zip(old, before, strict=True))
    for key, thing in zip(new, after, strict=True):
        if key not in known:
            yield f"add {_name_of(thing)}"
        else:
            yield from _changes(known.pop(key), thing, _within(what, key))
    for key in known:
        if key not in new:
            yield f"remove {_name_of(known[key])}"


def _key(thing: StrictModel) -> str:
    for name in KEYS:
        value = getattr(thing, name, None)
        if isinstance(value, str) and value:
            return value
    return ""


def _name_of(thing: StrictModel) -> str:
    return f"{_noun(type(thing))} {_key(thing)}".strip()


def _noun(kind: type) -> str:
    """What a model is called: its class's words; abbreviations keep their capitals."""
    words = _WORD.sub(" ", kind.__name__).lower().split()
    return " ".join(word.upper() if word in _ABBREVIATIONS else word for word in words)


def _within(what: str, key: str) -> str:
    """The nearest name that says where a figure stands."""
    return key or what


def _term(what: str, field: str) -> str:
    term = TERMS.get(field) or _plain(field)
    return f"{what}: {term}" if what else term


def _plain(field: str) -> str:
    for ending in UNITS:
        if field.endswith(ending):
            return field.removesuffix(ending).replace("_", " ")
    return field.replace("_", " ")


def _kind(value: Any) -> str:
    if isinstance(value, StrictModel):
        kind = str(getattr(value, "kind", _noun(type(value))))
        period_s = getattr(value, "period_s", None)
        return f"{kind} {format_si(period_s, 's', 6)}" if isinstance(period_s, Fraction) else kind
    return "none" if value is None else str(value)


def _shown(value: Any, field: str) -> str:
    if value is None:
        return "the right one" if field == "startup" else "none"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, tuple):
        return ", ".join(str(one) for one in value)
    unit = next((unit for ending, unit in UNITS.items() if field.endswith(ending)), "")
    if unit == "V":
        return format_volts(float(value))
    if unit:
        return format_si(value, unit, 6)
    if field in CLOCKS:
        return f"{value} clk"
    return f"{float(value):g}" if isinstance(value, (float, Fraction)) else str(value)
