"""Values that a setting takes by what a part's sheet lists, and bits that it needs."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import parse_quantity
from wattigram.core.model.part.registers import BlockKind
from wattigram.core.model.part.sheet.draft import PartDraft
from wattigram.core.model.part.sheet.sufficiency import item_of, owners_of

LISTED = {
    ("converter", "divider"),
    ("converter", "bits"),
    ("converter", "sampling"),
    ("converter", "trigger"),
    ("converter", "reference"),
    ("dac", "reference"),
    ("converter", "window-judges"),
    ("dma", "from-width"),
    ("dma", "to-width"),
    ("dma", "request"),
    ("comparator", "input"),
    ("comparator", "hysteresis"),
}
"""Settings whose choices a sheet lists."""


def setting_values(draft: PartDraft, kind: BlockKind, owner: str, setting: str) -> tuple[str, ...]:
    """Values that a setting takes, as the sheet lists them; none where it is a number or yes or no."""
    item = item_of(draft, kind, owner)
    match kind, setting:
        case "converter", "divider":
            return _texts(item.get("dividers"))
        case "converter", "bits":
            return _texts(item.get("bits"))
        case "dac", "reference" if item.get("references"):
            return _texts(item["references"])
        case (("converter" | "dac"), "reference"):
            return tuple(str(one.get("name")) for one in draft.items(("references",)))
        case "converter", "clock":
            return ("bus", "internal") if "oscillator" in item else ()
        case "converter", "alignment":
            return _texts(item.get("alignments", ["right", "left"]))
        case "converter", "trigger":
            return _triggers(draft, item)
        case (("converter" | "comparator"), "edge"):
            return ("rising", "falling", "both")
        case "converter", "per-trigger":
            return _texts(item.get("per_trigger", ["conversion", "scan", "continuous"]))
        case "converter", "sampling":
            return tuple(f"{one:g}" for one in item.get("sampling_cycles", ()))
        case "timer", "prescaler":
            return _texts(item.get("prescalers"))
        case "timer", "loads":
            return ("direct", "period", "dma", "software")
        case "converter", "window-judges":
            return _texts((item.get("hardware") or {}).get("windows_on"))
        case "converter", "window-condition":
            return ("outside", "inside", "above", "below")
        case "dma", ("from-width" | "to-width"):
            return _texts(item.get("widths"))
        case "dma", "request":
            timers = owners_of(draft, "timer")
            uarts = owners_of(draft, "uart")
            return (
                *owners_of(draft, "converter"),
                *timers,
                *(f"{one} room" for one in uarts),
                *(f"{one} received" for one in uarts),
            )
        case "dac", "trigger":
            return ("none", *_starting_timers(draft))
        case "uart", "data-bits":
            return _texts(item.get("data_bits", [8]))
        case "uart", "parity":
            return ("none", "even", "odd")
        case "uart", "stop-bits":
            return ("1", "2")
        case "comparator", "input":
            return _texts(item.get("inputs"))
        case "comparator", "against":
            return _texts(item.get("thresholds"))
        case "comparator", "hysteresis":
            return tuple(_millivolts(one) for one in item.get("hysteresis", ()))
        case _:
            return ()


def _triggers(draft: PartDraft, item: Mapping[str, Any]) -> tuple[str, ...]:
    found: list[str] = []
    for one in item.get("triggers", ()):
        match one:
            case "timer":
                found += _starting_timers(draft)
            case "comparator":
                found += owners_of(draft, "comparator")
            case "converter":
                found += item.get("in_step_with", ())
            case _:
                found.append(one)
    return tuple(found)


def _starting_timers(draft: PartDraft) -> list[str]:
    return [
        str(name)
        for group in draft.items(("timers",))
        if group.get("can_trigger")
        for name in group.get("names", ())
    ]


def _millivolts(text: str) -> str:
    try:
        return f"{float(parse_quantity(str(text), 'V', unit_required=True)) * 1000:.9g}"
    except QuantityError:
        return str(text)


def _texts(values: Any) -> tuple[str, ...]:
    return tuple(str(one) for one in values or ())


def expected_width(draft: PartDraft, kind: BlockKind, owner: str, setting: str) -> int | None:
    """Bits that a setting's field must have by what the sheet says; None where it does not say."""
    item = item_of(draft, kind, owner)
    match kind, setting:
        case "timer", ("period" | "compare"):
            return item.get("counter_bits")
        case "dma", ("count" | "place" | "left"):
            most = item.get("items_max")
            return int(most).bit_length() if isinstance(most, int) else None
        case "dma", ("from" | "to"):
            return 32
        case "dac", "data":
            return item.get("bits")
        case "uart", "divider":
            return item.get("divider_bits")
        case "port", _:
            bits = item.get("bits")
            return max(bits.values()) + 1 if bits else None
        case "converter", ("result-low" | "result-high"):
            return 8
        case "converter", "result":
            return max(item.get("bits") or [0]) or None
        case _:
            return None


def is_told_of(draft: PartDraft, kind: BlockKind, owner: str, setting: str) -> bool:
    """Whether the sheet says that a peripheral has what a setting is for."""
    item = item_of(draft, kind, owner)
    hardware = item.get("hardware") or {}
    if kind == "converter":
        if setting in {"repeats", "shift", "low-pass"}:
            return bool(hardware.get("stages"))
        if setting.startswith("window"):
            return bool(hardware.get("windows"))
        if setting in {"mark", "queued"}:
            return "fifo" in item.get("retrievals", ())
        if setting == "clock":
            return "oscillator" in item
    if kind == "converter" and setting == "pair":
        return bool(item.get("pairs"))
    if kind == "timer" and setting in {"compare", "pulse", "preload", "whole", "loads", "load"}:
        return bool(item.get("pwm"))
    if kind == "uart" and setting == "data-bits":
        return len(item.get("data_bits", [8])) > 1
    return True
