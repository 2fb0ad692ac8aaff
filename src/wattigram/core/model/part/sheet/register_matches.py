"""Which field of a register description holds a setting: likely ones, ranked, each with why.

A description says where fields lie, what they are called and, often, what their codes are called. The
sheet says which values a setting takes. A field fits by its words (its own name and text, those of its
register), by its width, and by names of codes that mean the sheet's values.
"""

from __future__ import annotations

from functools import lru_cache

import msgspec

from wattigram.core.model.part.registers import SETTINGS, Access, BlockKind, Coding
from wattigram.core.model.part.sheet.draft import PartDraft
from wattigram.core.model.part.sheet.field_codes import (
    access_of,
    also_called,
    coding_of,
    is_read,
    is_yes_or_no,
    named_choice,
    table_of,
)
from wattigram.core.model.part.sheet.register_words import (
    SETTING_WORDS,
    WORDS_AGAINST,
    tokens_of,
    words_in,
)
from wattigram.core.model.part.sheet.setting_values import (
    LISTED,
    expected_width,
    is_told_of,
    setting_values,
)
from wattigram.core.model.part.sheet.sufficiency import (
    abilities,
    field_setting,
    held_settings,
    is_held,
    item_of,
    needed_settings,
    numbered,
    setting_of,
)
from wattigram.core.model.part.svd import SvdField, SvdPeripheral, SvdRegister

SURE = 0.6
"""From this score on, and with nothing near it, a field is taken to be found."""
APART = 0.12
"""By so much the second best must be behind."""
MOST_SHOWN = 6


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
        for choice in (
            *needed_settings(draft, kind, owner),
            *(choice for one in abilities(draft, kind, owner) for choice in one.choices),
        )
        if not is_held(choice, set(held))
        for way in choice.split("|")
        for name in way.split("+")
    }
    taken = set(held.values())
    ranked: dict[str, list[Candidate]] = {}
    asked = asked_settings(draft, kind, owner)
    for setting in asked:
        if setting not in held and is_told_of(draft, kind, owner, setting):
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
    for setting, meaning in asked.items():
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


def asked_settings(draft: PartDraft, kind: BlockKind, owner: str) -> dict[str, str]:
    """Settings of a peripheral with their meanings; sampling times of groups one by one, unless one
    field, or a register for each, holds them all."""
    asked = dict(SETTINGS[kind])
    item = item_of(draft, kind, owner)
    groups = item.get("sampling_groups", ()) if kind == "converter" else ()
    held = held_settings(draft, owner) or set()
    if len(groups) > 1 and "sampling" not in held:
        places = list(asked).index("sampling") + 1
        listed = list(asked.items())
        one_by_one = [
            (
                numbered("sampling", number),
                f"sampling cycles of channels {', '.join(map(str, group))}",
            )
            for number, group in enumerate(groups)
        ]
        begun = any(name in held for name, _meaning in one_by_one)
        one_for_all = [] if begun else [listed[places - 1]]
        asked = dict([*listed[: places - 1], *one_by_one, *one_for_all, *listed[places:]])
    for one, others in _IN_PLACE_OF:
        if one in held:
            asked = {name: said for name, said in asked.items() if name not in others}
    return asked


_IN_PLACE_OF = (
    ("loads", ("preload", "whole")),
    ("preload", ("loads", "load")),
    ("delivery", ("tells-result", "tells-scan")),
    ("tells-result", ("delivery",)),
    ("place", ("left",)),
    ("left", ("place",)),
    ("rose", ("seen",)),
    ("seen", ("rose", "fell", "tells-rising", "tells-falling")),
)
"""Settings that are not asked for where a part has others in their place."""


def held_fields(draft: PartDraft, owner: str) -> dict[str, str]:
    """Fields that hold a peripheral's settings already, as people name them."""
    found = {}
    for block in draft.items(("blocks",)):
        if owner in block.get("owners", ()):
            for register in block.get("registers", ()):
                for field in register.get("fields", ()):
                    found[field_setting(field)] = f"{register.get('name')} · {field.get('name')}"
    return found


def _ranked(
    draft: PartDraft, kind: BlockKind, owner: str, peripheral: SvdPeripheral, setting: str
) -> list[Candidate]:
    setting, number = setting_of(setting)
    values = setting_values(draft, kind, owner, setting)
    also = also_called(draft, values)
    wanted = _Wanted(kind, setting, values, also, expected_width(draft, kind, owner, setting))
    found = []
    for register in peripheral.registers:
        for field in register.fields:
            if field.low + field.width > register.width:
                continue
            one = _candidate(wanted, register, field)
            if one is not None:
                found.append(one)
    if number is not None:
        groups = item_of(draft, kind, owner)["sampling_groups"]
        found = [_for_group(one, found, groups, number) for one in found]
    return sorted(found, key=lambda one: -one.score)


def _for_group(
    one: Candidate, found: list[Candidate], groups: list[list[int]], number: int
) -> Candidate:
    """A field for one of several groups of channels: less likely where its text names the channels of
    another, or where another field's names those of this one."""
    named = [place for place, group in enumerate(groups) if _names(one, group)]
    mine = any(_names(other, groups[number]) for other in found)
    if number in named or not (named or mine):
        return one
    return msgspec.structs.replace(one, score=round(0.8 * one.score, 3))


def _names(one: Candidate, channels: list[int]) -> bool:
    """Whether a field's text names the first and the last of some channels."""
    words = tokens_of(one.register.text) | tokens_of(one.field.text)
    return bool(channels) and {str(min(channels)), str(max(channels))} <= words


class _Wanted(msgspec.Struct, frozen=True):
    """A setting, and what the sheet says of it."""

    kind: BlockKind
    setting: str
    values: tuple[str, ...]
    also: dict[str, tuple[str, ...]]
    width: int | None


def _candidate(wanted: _Wanted, register: SvdRegister, field: SvdField) -> Candidate | None:
    kind, setting, values, width = wanted.kind, wanted.setting, wanted.values, wanted.width
    words, said = _words_score(
        setting, register.name, register.text, len(register.fields) == 1, field.name, field.text
    )
    if not words and not field.values:
        return None  # its width alone says nothing
    table, matched = table_of(values, field, wanted.also)
    reasons = [said] if said else []
    score = words
    named = named_choice(values, field)
    if values and field.values:
        share = matched / len(values)
        score = 0.45 * words + 0.55 * share
        if matched:
            reasons.append(f"{matched} of its {len(field.values)} codes are values of the sheet")
    elif values and 1 << field.width < len(values) and not named:
        return None
    elif field.values and matched == 0 and not values:
        score *= 0.6
    if width is not None:
        if field.width == width:
            score += 0.12
            reasons.append(f"{width} bits wide, as it must be")
        elif field.width < width:
            score *= 0.3
        else:
            score *= 0.85
    elif not values and is_yes_or_no(setting) and field.width > 1 and field.count == 1:
        score *= 0.3
    if is_read(kind, setting) and field.access == "write-only":
        score *= 0.2
    if not is_read(kind, setting) and field.access == "read-only":
        score *= 0.1
    if not values and (kind, setting) in LISTED:
        score *= 0.6  # what its codes mean cannot be said before the sheet says what there is
    if score < 0.15:
        return None
    coded, codes = coding_of(setting, values, table, register, field)
    return Candidate(
        register,
        field,
        round(min(1.0, score), 3),
        tuple(reasons),
        coded,
        codes,
        access_of(kind, setting, register, field),
    )


@lru_cache(200_000)
def _words_score(
    setting: str, register: str, register_text: str, is_alone: bool, field: str, field_text: str
) -> tuple[float, str]:
    """How much the words of a field and of its register speak for a setting, and in words why."""
    wanted, against = SETTING_WORDS.get(setting, ()), WORDS_AGAINST.get(setting, ())
    near = words_in(field) | words_in(field_text)
    far = words_in(register) | words_in(register_text)
    best, hits, word = 0.0, 0, ""
    for number, one in enumerate(wanted):
        weight = 1.0 - 0.08 * number
        value = 0.0
        if one in near:
            value = weight
        elif one in far:
            value = 0.7 * weight if is_alone else 0.4 * weight
        if value:
            hits += 1
            if value > best:
                best, word = value, one
    if not best:
        return 0.0, ""
    score = min(1.0, 0.62 * best + 0.13 * (hits - 1))
    for one in against:
        if one in near:
            score *= 0.45
        elif one in far:
            score *= 0.6
    text = field_text or register_text
    called = f"“{text}”" if text else f"called {field}"
    return score, f"{called} speaks of {word}"
