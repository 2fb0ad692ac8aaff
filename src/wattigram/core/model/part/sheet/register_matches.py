"""Which field of a register description holds a setting: likely ones, ranked, each with why.

A description says where fields lie, what they are called and, often, what their codes are called. The
sheet says which values a setting takes. A field fits by its words (its own name and text, those of its
register), by its width, and by names of codes that mean the sheet's values.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from fractions import Fraction
from functools import lru_cache
from typing import Any

import msgspec

from wattigram.core.base.errors import PartError, QuantityError
from wattigram.core.base.quantity import parse_quantity
from wattigram.core.model.part.registers import SETTINGS, Access, BlockKind, Coding
from wattigram.core.model.part.sheet.draft import PartDraft
from wattigram.core.model.part.sheet.sufficiency import (
    held_settings,
    is_held,
    item_of,
    needed_settings,
    owners_of,
)
from wattigram.core.model.part.svd import SvdField, SvdPeripheral, SvdRegister, c_name

SURE = 0.6
"""From this score on, and with nothing near it, a field is taken to be found."""
APART = 0.12
"""By so much the second best must be behind."""
MOST_SHOWN = 6

_WORDS: dict[str, tuple[str, ...]] = {
    "on": ("on", "enable", "power", "enabled", "en"),
    "start": ("start", "fire", "begin", "software", "convert", "go"),
    "calibrate": ("calibrate", "calibration", "cal", "trim", "true"),
    "reference": ("reference", "ref", "vref"),
    "clock": ("clock", "source", "oscillator"),
    "divider": ("divider", "div", "divide", "prescaler", "baud"),
    "bits": ("bits", "resolution", "res", "length"),
    "alignment": ("align", "aligned", "alignment", "left"),
    "trigger": ("trigger", "source", "from", "start", "starts", "event", "loads", "gate"),
    "edge-pin": ("pin", "edge", "input"),
    "edge": ("edge", "slope", "rising", "falling", "polarity"),
    "per-trigger": ("per", "start", "mode", "span", "continuous", "scan", "gives"),
    "length": ("length", "len", "entries", "slots", "conversions", "count"),
    "listed": ("channels", "listed", "select", "mask", "scan", "inputs"),
    "channel": ("input", "channel", "select", "mux", "entry"),
    "sampling": ("sampling", "sample", "aperture", "aper", "acquisition", "hold"),
    "repeats": ("average", "accumulator", "many", "repeats", "oversampling", "results"),
    "shift": ("shift", "right"),
    "low-pass": ("low", "pass", "filter"),
    "delivery": ("interrupt", "deliver", "tells", "request", "dma"),
    "mark": ("watermark", "level", "mark", "fifo"),
    "done": ("done", "ready", "result", "end", "complete"),
    "result": ("result", "data", "value", "res"),
    "result-low": ("lower", "low", "byte", "result", "lo"),
    "result-high": ("upper", "high", "byte", "result", "hi"),
    "newest": ("newest", "last", "result", "fifo"),
    "result-ticks": ("stamp", "time", "ticks"),
    "queued": ("queued", "count", "fifo", "level"),
    "passes": ("count", "results", "passes", "sequence"),
    "window-on": ("threshold", "window", "guard", "on", "watch"),
    "window-channel": ("threshold", "channel", "window", "input"),
    "window-low": ("lower", "low", "limit", "threshold", "lo"),
    "window-high": ("upper", "high", "limit", "threshold", "hi"),
    "window-condition": ("outside", "inside", "condition", "threshold", "guard"),
    "window-judges": ("sum", "filtered", "raw", "compare"),
    "window-tells": ("interrupt", "threshold", "tell", "guard"),
    "window-seen": ("threshold", "met", "seen", "flag", "state", "guard"),
    "window-hysteresis": ("hysteresis", "threshold"),
    "window-times": ("times", "row", "threshold"),
    "prescaler": ("prescaler", "pre", "divider"),
    "period": ("period", "per", "reload", "top", "less"),
    "compare": ("high", "compare", "pulse", "duty", "counts"),
    "run": ("on", "run", "enable", "start"),
    "pulse": ("pulse", "output", "enable", "on"),
    "preload": ("preload", "loads", "second", "buffered", "shadow"),
    "whole": ("whole", "dma", "loads", "second"),
    "starts-with": ("starts", "with", "trigger"),
    "request": ("request", "asks", "event", "source", "trigger"),
    "from": ("source", "from", "address"),
    "to": ("destination", "to", "address"),
    "count": ("transfers", "count", "number", "many", "items"),
    "place": ("place", "done", "transfers", "count"),
    "repeat": ("circular", "loop", "repeat", "round"),
    "from-width": ("source", "width", "from", "size"),
    "to-width": ("destination", "width", "to", "size"),
    "from-step": ("source", "rises", "increment", "up", "from", "step"),
    "to-step": ("destination", "rises", "increment", "up", "to", "step"),
    "pieces": ("pieces", "burst"),
    "half": ("half", "interrupt", "tell"),
    "full": ("end", "full", "complete", "interrupt", "tell"),
    "half-seen": ("half", "flag", "seen", "flags"),
    "full-seen": ("end", "full", "flag", "seen", "flags"),
    "buffer": ("buffer", "buf", "output"),
    "twice": ("second", "loads", "double", "register"),
    "data": ("data", "code", "value"),
    "data-bits": ("bits", "word", "length"),
    "parity": ("parity",),
    "stop-bits": ("stop", "two"),
    "sent": ("transmit", "send", "tx", "data", "byte"),
    "received": ("receive", "received", "rx", "data", "byte"),
    "room": ("free", "empty", "room", "transmit", "tx"),
    "arrived": ("full", "arrived", "receive", "rx"),
    "tells": ("interrupt", "receive", "tell", "rx"),
    "overrun": ("overrun", "lost", "rx"),
    "parity-fault": ("parity", "error", "fault"),
    "framing-fault": ("framing", "frame", "error", "fault"),
    "outputs": ("direction", "dir", "outputs", "mode"),
    "output": ("output", "out", "data"),
    "set": ("set",),
    "clear": ("clear", "clr", "reset"),
    "toggle": ("toggle", "flip", "invert"),
    "input": ("input", "in", "positive", "pos"),
    "against": ("negative", "neg", "against", "reference"),
    "threshold-pin": ("threshold", "negative", "pin"),
    "step": ("step", "level", "threshold", "internal"),
    "hysteresis": ("hysteresis", "hyst"),
    "seen": ("seen", "flag", "edge"),
    "high": ("output", "high", "state"),
    "ticks-low": ("ticks", "low", "count", "stamp"),
    "ticks-high": ("ticks", "high", "upper"),
    "send-from": ("debug", "address"),
    "send-count": ("debug", "count"),
    "waiting": ("debug", "waiting"),
    "alarm": ("alarm", "periodic"),
    "alarm-seen": ("alarm", "flag"),
}
"""Words that stand near a setting on data sheets; the first say most."""

_AGAINST: dict[str, tuple[str, ...]] = {
    "on": ("interrupt", "threshold", "accumulator", "tell", "direction", "input", "output"),
    "start": ("power", "enable", "second"),
    "run": ("interrupt", "tell", "load"),
    "result": ("sum", "lost", "interrupt", "ready", "power"),
    "done": ("lost", "interrupt", "tell", "enables", "threshold"),
    "output": ("set", "clear", "toggle", "direction", "interrupt", "clr", "enable"),
    "outputs": ("interrupt", "set", "clear"),
    "input": ("interrupt", "output", "negative", "edge"),
    "high": ("interrupt", "transmit", "upper"),
    "room": ("interrupt", "tell"),
    "arrived": ("interrupt", "tell"),
    "sent": ("interrupt", "free", "flag"),
    "received": ("interrupt", "full", "flag", "overrun"),
    "half": ("flags", "seen"),
    "full": ("flags", "seen"),
    "from": ("width", "rises"),
    "to": ("width", "rises"),
    "count": ("left", "remaining"),
    "place": ("left", "remaining"),
    "divider": ("interrupt",),
    "period": ("interrupt", "ended", "flag"),
    "whole": ("now", "load"),
    "twice": ("now", "load"),
    "seen": ("rose", "fell", "up", "down"),
    "window-low": ("byte", "result"),
    "window-high": ("byte", "result"),
    "result-low": ("limit", "interrupt"),
    "result-high": ("limit", "interrupt"),
}
"""Words that speak against it."""

_SAME: dict[str, tuple[str, ...]] = {
    "both": ("either", "any"),
    "conversion": ("entry", "single", "one", "each"),
    "scan": ("sequence", "group", "all"),
    "continuous": ("endless", "forever", "free"),
    "free-running": ("free", "continuous"),
    "none": ("direct", "off", "no"),
    "filtered": ("sum", "average", "averaged"),
    "internal": ("inside", "bandgap"),
    "supply": ("vdd", "rail"),
    "polling": ("none", "off"),
    "bus": ("system",),
    "0": ("none", "off", "no"),
}
"""Other words for choices."""
_LISTED = {
    ("converter", "divider"),
    ("converter", "bits"),
    ("converter", "sampling"),
    ("converter", "trigger"),
    ("converter", "reference"),
    ("converter", "window-judges"),
    ("dma", "from-width"),
    ("dma", "to-width"),
    ("dma", "request"),
    ("comparator", "input"),
    ("comparator", "hysteresis"),
}
"""Settings whose choices a sheet lists."""
_OPPOSITE = {"outside": "inside", "left": "right", "filtered": "raw"}
"""What a bit means that is not set, where it is called by what it means when it is."""
_NUMERALS = {
    "one": "1", "two": "2", "four": "4", "seven": "7", "eight": "8", "nine": "9", "ten": "10",
    "twelve": "12", "fourteen": "14", "sixteen": "16",
}  # fmt: skip
_LEFT_ONES = ("less one", "minus one", "less 1", "minus 1", "- 1", "-1", "− 1")


class Candidate(msgspec.Struct, frozen=True):
    """A field that may hold a setting, with how its codes would be read."""

    register: SvdRegister
    field: SvdField
    score: float
    """From 0 to 1; for ranking, and nothing else."""
    reasons: tuple[str, ...]
    coded: Coding
    table: dict[str, int] = msgspec.field(default_factory=dict)
    access: Access = "read-write"

    @property
    def place(self) -> str:
        """Register and field, as people name them."""
        return f"{self.register.name} · {self.field.name}"


class FoundBy(msgspec.Struct, frozen=True):
    """What a setting of a peripheral could be held by, best first."""

    setting: str
    meaning: str
    needed: bool
    candidates: tuple[Candidate, ...]
    held_by: str = ""
    """The field that holds it already, as the part file has it."""

    @property
    def is_sure(self) -> bool:
        """Whether the best stands alone."""
        if not self.candidates or self.candidates[0].score < SURE:
            return False
        return len(self.candidates) == 1 or (
            self.candidates[0].score - self.candidates[1].score >= APART
        )


def matches(
    draft: PartDraft, kind: BlockKind, owner: str, peripheral: SvdPeripheral
) -> tuple[FoundBy, ...]:
    """Likely fields of every setting that a peripheral has, those that C needs first.

    A field that is surely one setting is offered for no other.
    """
    held = held_fields(draft, owner)
    needed = {
        name
        for choice in needed_settings(draft, kind, owner)
        if not is_held(choice, set(held))
        for way in choice.split("|")
        for name in way.split("+")
    }
    taken = set(held.values())
    ranked: dict[str, list[Candidate]] = {}
    for setting in SETTINGS[kind]:
        if setting not in held and _is_told_of(draft, kind, owner, setting):
            ranked[setting] = [
                one
                for one in _ranked(draft, kind, owner, peripheral, setting)
                if one.place not in taken
            ]
    claims: dict[str, tuple[float, str]] = {}
    for setting, found in ranked.items():
        if FoundBy(setting, "", False, tuple(found)).is_sure:
            best = found[0]
            if best.score > claims.get(best.place, (0.0, ""))[0]:
                claims[best.place] = (best.score, setting)
    made = []
    for setting, meaning in SETTINGS[kind].items():
        rest = tuple(
            one
            for one in ranked.get(setting, ())
            if claims.get(one.place, (0.0, setting))[1] == setting
        )
        made.append(
            FoundBy(
                setting,
                meaning,
                setting in needed,
                rest[:MOST_SHOWN],
                held.get(setting, ""),
            )
        )
    return tuple(sorted(made, key=lambda one: not one.needed))


def _is_told_of(draft: PartDraft, kind: BlockKind, owner: str, setting: str) -> bool:
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
    if kind == "timer" and setting in {"compare", "pulse", "preload", "whole"}:
        return bool(item.get("pwm"))
    if kind == "uart" and setting == "data-bits":
        return len(item.get("data_bits", [8])) > 1
    return True


def held_fields(draft: PartDraft, owner: str) -> dict[str, str]:
    """Fields that hold a peripheral's settings already, as people name them."""
    found = {}
    for block in draft.items(("blocks",)):
        if owner in block.get("owners", ()):
            for register in block.get("registers", ()):
                for field in register.get("fields", ()):
                    found[str(field.get("sets"))] = f"{register.get('name')} · {field.get('name')}"
    return found


def _ranked(
    draft: PartDraft, kind: BlockKind, owner: str, peripheral: SvdPeripheral, setting: str
) -> list[Candidate]:
    values = setting_values(draft, kind, owner, setting)
    found = []
    for register in peripheral.registers:
        for field in register.fields:
            if field.low + field.width > register.width:
                continue
            one = _candidate(draft, kind, owner, setting, values, register, field)
            if one is not None:
                found.append(one)
    return sorted(found, key=lambda one: -one.score)


def _candidate(
    draft: PartDraft,
    kind: BlockKind,
    owner: str,
    setting: str,
    values: tuple[str, ...],
    register: SvdRegister,
    field: SvdField,
) -> Candidate | None:
    words, said = _words_score(setting, register, field)
    table, matched = _table_of(values, field, _also_called(draft, values))
    reasons = [said] if said else []
    score = words
    named = _named_choice(values, field)
    if values and field.values:
        share = matched / len(values)
        score = 0.45 * words + 0.55 * share
        if matched:
            reasons.append(f"{matched} of its {len(field.values)} codes are values of the sheet")
    elif values and 1 << field.width < len(values) and not named:
        return None
    elif field.values and matched == 0 and not values:
        score *= 0.6
    width = _expected_width(draft, kind, owner, setting)
    if width is not None:
        if field.width == width:
            score += 0.12
            reasons.append(f"{width} bits wide, as it must be")
        elif field.width < width:
            score *= 0.3
        else:
            score *= 0.85
    elif not values and _is_yes_or_no(setting) and field.width > 1 and field.count == 1:
        score *= 0.3
    if _is_read(kind, setting) and field.access == "write-only":
        score *= 0.2
    if not _is_read(kind, setting) and field.access == "read-only":
        score *= 0.1
    if not values and (kind, setting) in _LISTED:
        score *= 0.6  # what its codes mean cannot be said before the sheet says what there is
    if score < 0.15:
        return None
    coded, codes = _coding(setting, values, table, register, field)
    return Candidate(
        register,
        field,
        round(min(1.0, score), 3),
        tuple(reasons),
        coded,
        codes,
        _access(kind, setting, register, field),
    )


def _words_score(setting: str, register: SvdRegister, field: SvdField) -> tuple[float, str]:
    wanted, against = _WORDS.get(setting, (setting,)), _AGAINST.get(setting, ())
    near = _tokens(field.name) | _tokens(field.text)
    far = _tokens(register.name) | _tokens(register.text)
    best, hits, word = 0.0, 0, ""
    for number, one in enumerate(wanted):
        weight = 1.0 - 0.08 * number
        value = 0.0
        if _has(near, one):
            value = weight
        elif _has(far, one):
            value = 0.7 * weight if len(register.fields) == 1 else 0.4 * weight
        if value:
            hits += 1
            if value > best:
                best, word = value, one
    if not best:
        return 0.0, ""
    score = min(1.0, 0.62 * best + 0.13 * (hits - 1))
    for one in against:
        if _has(near, one):
            score *= 0.45
        elif _has(far, one):
            score *= 0.6
    text = field.text or register.text
    called = f"“{text}”" if text else f"called {field.name}"
    return score, f"{called} speaks of {word}"


@lru_cache(4096)
def _tokens(text: str) -> frozenset[str]:
    spaced = re.sub(r"([a-z])([A-Z])", r"\1 \2", text)
    return frozenset(re.findall(r"[a-z]+|\d+", spaced.lower()))


def _has(tokens: Iterable[str], word: str) -> bool:
    return any(
        token == word
        or (len(word) > 3 and token.startswith(word))
        or (len(token) > 3 and word.startswith(token))
        for token in tokens
    )


def _is_yes_or_no(setting: str) -> bool:
    return setting in {
        "on", "start", "calibrate", "done", "run", "pulse", "preload", "whole", "repeat", "from-step",
        "to-step", "half", "full", "half-seen", "full-seen", "high-first", "buffer", "twice", "room",
        "arrived", "tells", "overrun", "parity-fault", "framing-fault", "seen", "high", "window-on",
        "window-every", "window-stops", "window-tells", "window-once", "window-seen", "window-entered",
        "alarm-seen",
    }  # fmt: skip


def _is_read(kind: BlockKind, setting: str) -> bool:
    if setting == "input":
        return kind == "port"
    return setting in {
        "done", "result", "result-low", "result-high", "newest", "result-ticks", "queued", "passes",
        "window-entered", "window-value", "window-ticks-low", "window-ticks-high", "place", "received",
        "room", "arrived", "high", "ticks-low", "ticks-high", "waiting",
    }  # fmt: skip


def _access(kind: BlockKind, setting: str, register: SvdRegister, field: SvdField) -> Access:
    text = f"{register.text} {field.text}".lower()
    if setting in {"start", "calibrate"}:
        return "start"
    if setting.endswith("seen") or setting in {"overrun", "parity-fault", "framing-fault", "seen"}:
        return "clear"
    if "cleared by writing" in text and _is_yes_or_no(setting) and not _is_read(kind, setting):
        return "clear"
    if field.access == "read-only" or _is_read(kind, setting):
        return "read"
    return "write" if field.access == "write-only" else "read-write"


def _coding(
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
    if _is_yes_or_no(setting):
        return ("flag", {}) if field.width == 1 else ("value", {})
    if setting == "listed":
        return "mask", {}
    if setting == "edge-pin":
        return "pin", {}
    if len(table) >= 2:
        return "table", table
    named = _named_choice(values, field)
    if named:
        other = _OPPOSITE.get(named) or next(one for one in values if one != named)
        return "table", {other: 0, named: 1}
    if "power of two" in text:
        return "shift", {}
    if any(one in text for one in _LEFT_ONES) or field.name.endswith("_1"):
        return "minus-one", {}
    return ("flag", {}) if field.width == 1 and not values else ("value", {})


def _named_choice(values: tuple[str, ...], field: SvdField) -> str:
    """The choice that a bit by itself is called by, where the other is known too; "" for none."""
    if field.width != 1 or field.values:
        return ""
    named = [one for one in values if _means(field.name, one) or _means(field.text, one)]
    named = named[:1] if named and named[0] in _OPPOSITE else named
    return named[0] if len(named) == 1 and (len(values) == 2 or named[0] in _OPPOSITE) else ""


def _table_of(
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
            other = any(_has(_tokens(name), word) for word in also.get(value, ()))
            if code not in table.values() and (_means(name, value) or other):
                table[value] = code
                break
    return table, len(table)


def _also_called(draft: PartDraft, values: tuple[str, ...]) -> dict[str, tuple[str, ...]]:
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
    tokens = {_NUMERALS.get(one, one) for one in _tokens(name)}
    if number is not None:
        exact = _number_in(_with_point(name))
        if exact is not None:
            return exact == number
        numbers = {Fraction(one) for one in tokens if one.isdigit()}
        return number in numbers or any(_has(tokens, one) for one in _SAME.get(value, ()))
    wanted = _tokens(value)
    if wanted and wanted <= tokens:
        return True
    joined = re.sub(r"[^a-z0-9]", "", value.lower())
    if joined == re.sub(r"[^a-z0-9]", "", name.lower()):
        return True
    return any(_has(tokens, one) for one in _SAME.get(value, ()))


def _number_in(text: str) -> Fraction | None:
    match = re.fullmatch(r"[^\d]*(\d+(?:\.\d+)?)[^\d]*", text)
    return Fraction(match[1]) if match else None


def setting_values(draft: PartDraft, kind: BlockKind, owner: str, setting: str) -> tuple[str, ...]:
    """Values that a setting takes, as the sheet lists them; none where it is a number or yes or no."""
    item = item_of(draft, kind, owner)
    match kind, setting:
        case "converter", "divider":
            return _texts(item.get("dividers"))
        case "converter", "bits":
            return _texts(item.get("bits"))
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


def _expected_width(draft: PartDraft, kind: BlockKind, owner: str, setting: str) -> int | None:
    item = item_of(draft, kind, owner)
    match kind, setting:
        case "timer", ("period" | "compare"):
            return item.get("counter_bits")
        case "dma", ("count" | "place"):
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


class OwnerPlace(msgspec.Struct, frozen=True):
    """Where the registers of a peripheral of the sheet lie in a description: the whole of one of its
    peripherals, or one of several channels within."""

    owner: str
    kind: BlockKind
    peripheral: str
    base: int
    line: int = -1
    channels: int = 1


_KINDS: dict[BlockKind, tuple[str, ...]] = {
    "converter": ("converter", "adc"),
    "timer": ("timer", "counter", "pulse", "pwm", "tick"),
    "dma": ("dma", "mover", "move"),
    "dac": ("dac",),
    "uart": ("uart", "usart", "serial"),
    "port": ("port", "gpio", "pins"),
    "comparator": ("comparator", "comp", "cmp"),
    "system": ("system", "clock"),
}


def owner_places(
    draft: PartDraft, peripherals: tuple[SvdPeripheral, ...]
) -> tuple[OwnerPlace, ...]:
    """Where the sheet's peripherals lie in a description, as far as names tell: by the very name, else by
    what a description calls a kind, in their order."""
    found: list[OwnerPlace] = []
    used: set[str] = set()
    for kind in SETTINGS:
        owners = owners_of(draft, kind)
        alike = [
            one
            for one in peripherals
            if any(_has(_tokens(one.name) | _tokens(one.text), word) for word in _KINDS[kind])
        ]
        exact = {
            owner: one
            for owner in owners
            for one in peripherals
            if _plain(one.name) == _plain(owner)
        }
        used |= {one.name for one in exact.values()}
        waiting = [one for one in alike if one.name not in used]
        if kind == "dma" and not exact and len(waiting) == 1 and len(owners) > 1:
            found += _channels(owners, waiting[0])
            continue
        for owner in owners:
            place = exact.get(owner) or (waiting.pop(0) if waiting else None)
            if place is not None:
                used.add(place.name)
                line = place.lines[0] if place.lines and 0 <= place.lines[0] < 240 else -1
                found.append(OwnerPlace(owner, kind, place.name, place.base, line))
    return tuple(found)


def _channels(owners: tuple[str, ...], peripheral: SvdPeripheral) -> list[OwnerPlace]:
    """Channels of one peripheral, where its registers are there as often as there are owners."""
    steps = {one.step for one in peripheral.registers if one.count == len(owners)}
    if len(steps) != 1:
        return []
    step = steps.pop()
    line = peripheral.lines[0] if len(peripheral.lines) == 1 else -1
    return [
        OwnerPlace(
            owner,
            "dma",
            peripheral.name,
            peripheral.base + number * step,
            line if number == 0 and 0 <= line < 240 else -1,
            len(owners),
        )
        for number, owner in enumerate(owners)
    ]


def _plain(text: str) -> str:
    return re.sub(r"[^a-z0-9]", "", text.lower())


def with_field(draft: PartDraft, place: OwnerPlace, setting: str, chosen: Candidate) -> PartDraft:
    """The draft in which a field holds a setting; block and register are made where there are none.

    Peripherals of a kind whose registers are alike share a block: a field that is said for one of them is
    said for all.

    Raises
    ------
    PartError
        When the field's bits, or the setting, have been given away already.
    """
    if setting in (held_settings(draft, place.owner) or ()):
        raise PartError(
            f"{place.owner}: “{setting}” is held by another field already.",
            cure="Take that one away first.",
        )
    draft, block = _block_of(draft, place)
    number, draft = _register_of(draft, block, place, chosen.register, setting)
    steps = ("blocks", block, "registers", number, "fields")
    mask = ((1 << chosen.field.width) - 1) << chosen.field.low
    for other in draft.items(steps):
        if mask & ((1 << other.get("width", 1)) - 1) << other.get("low", 0):
            raise PartError(
                f"{chosen.place}: its bits hold “{other.get('sets')}” already.",
                cure="Take that one away first.",
            )
    made: dict[str, Any] = {"name": c_name(chosen.field.name), "low": chosen.field.low}
    if chosen.field.width > 1:
        made["width"] = chosen.field.width
    made["sets"] = setting
    if chosen.coded != "flag":
        made["coded"] = chosen.coded
    if chosen.table:
        made["table"] = dict(chosen.table)
    if chosen.access != "read-write":
        made["access"] = chosen.access
    fields = sorted([*draft.items(steps), made], key=lambda one: int(one.get("low", 0)))
    return draft.with_value(steps, fields)


def without_field(draft: PartDraft, owner: str, setting: str) -> PartDraft:
    """The draft in which no field holds a setting of a peripheral any more; registers that hold nothing
    go with it."""
    for number, block in enumerate(draft.items(("blocks",))):
        if owner not in block.get("owners", ()):
            continue
        registers = []
        for register in block.get("registers", ()):
            fields = [one for one in register.get("fields", ()) if one.get("sets") != setting]
            if fields:
                registers.append({**register, "fields": fields})
        if registers:
            return draft.with_value(("blocks", number, "registers"), registers)
        return draft.without_item(("blocks",), number)
    return draft


def _block_of(draft: PartDraft, place: OwnerPlace) -> tuple[PartDraft, int]:
    blocks = draft.items(("blocks",))
    for number, block in enumerate(blocks):
        if place.owner in block.get("owners", ()):
            return draft, number
    fresh = {
        "name": c_name(place.peripheral),
        "kind": place.kind,
        "owners": [place.owner],
        "bases": [place.base],
        "lines": [place.line],
        "registers": [],
    }
    names = {block.get("name") for block in blocks}
    if fresh["name"] in names:
        fresh["name"] = c_name(f"{place.peripheral}_{place.owner}")
    return draft.with_item(("blocks",), fresh), len(blocks)


def _register_of(
    draft: PartDraft, block: int, place: OwnerPlace, register: SvdRegister, setting: str
) -> tuple[int, PartDraft]:
    steps = ("blocks", block, "registers")
    name = c_name(register.name)
    listed = draft.items(steps)
    for number, one in enumerate(listed):
        if one.get("name") == name:
            return number, draft
    made: dict[str, Any] = {"name": name, "offset": register.offset}
    if register.width != 32:
        made["width"] = register.width
    if register.reset:
        made["reset"] = register.reset & ((1 << register.width) - 1)
    if register.count > 1 and register.count != place.channels:
        made |= {
            "count": register.count,
            "step": register.step,
            "of": _counted_by(draft, place, register, setting),
        }
    if register.text:
        made["title"] = register.text
    made["fields"] = []
    return len(listed), draft.with_item(steps, made)


def _counted_by(draft: PartDraft, place: OwnerPlace, register: SvdRegister, setting: str) -> str:
    item = item_of(draft, place.kind, place.owner)
    if setting.startswith("window"):
        return "window"
    if setting == "sampling" and len(item.get("sampling_groups", ())) == register.count:
        return "group"
    if setting != "channel" and item.get("slots") != register.count:
        return "channel"
    return "slot"


def with_sure_fields(
    draft: PartDraft, place: OwnerPlace, peripheral: SvdPeripheral
) -> tuple[PartDraft, tuple[str, ...]]:
    """The draft with every field of a peripheral that stands alone for its setting, and those settings."""
    taken = []
    for found in matches(draft, place.kind, place.owner, peripheral):
        if found.is_sure and not found.held_by:
            try:
                draft = with_field(draft, place, found.setting, found.candidates[0])
            except PartError:
                continue  # bits that another setting has just been given
            taken.append(found.setting)
    return draft, tuple(taken)


def chosen_field(
    draft: PartDraft, place: OwnerPlace, setting: str, register: SvdRegister, field: SvdField
) -> Candidate:
    """A field that somebody chose for a setting, whatever it is called."""
    values = setting_values(draft, place.kind, place.owner, setting)
    table, _ = _table_of(values, field, _also_called(draft, values))
    coded, codes = _coding(setting, values, table, register, field)
    return Candidate(
        register,
        field,
        1.0,
        ("chosen by hand",),
        coded,
        codes,
        _access(place.kind, setting, register, field),
    )
