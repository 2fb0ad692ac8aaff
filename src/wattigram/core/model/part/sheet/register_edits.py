"""Fields given to the settings of a part that is being described, and taken away; where its peripherals lie
in a register description."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from wattigram.core.base.errors import PartError
from wattigram.core.model.part.registers import SETTINGS, BlockKind
from wattigram.core.model.part.sheet.draft import PartDraft
from wattigram.core.model.part.sheet.field_codes import access_of, also_called, coding_of, table_of
from wattigram.core.model.part.sheet.register_matches import Candidate, matches
from wattigram.core.model.part.sheet.register_words import KIND_WORDS, has_word, tokens_of
from wattigram.core.model.part.sheet.setting_values import setting_values
from wattigram.core.model.part.sheet.sufficiency import (
    field_setting,
    held_settings,
    item_of,
    owners_of,
    setting_of,
)
from wattigram.core.model.part.svd import SvdField, SvdPeripheral, SvdRegister, c_name


class OwnerPlace(msgspec.Struct, frozen=True):
    """Where the registers of a peripheral of the sheet lie in a description: the whole of one of its
    peripherals, or one of several channels within."""

    owner: str
    kind: BlockKind
    peripheral: str
    base: int
    line: int = -1
    channels: int = 1


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
            if any(
                has_word(tokens_of(one.name) | tokens_of(one.text), word)
                for word in KIND_WORDS[kind]
            )
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
    made["sets"], one = setting_of(setting)
    if one is not None:
        made |= {"of": "group", "number": one}
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
            fields = [one for one in register.get("fields", ()) if field_setting(one) != setting]
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
    setting, _number = setting_of(setting)
    values = setting_values(draft, place.kind, place.owner, setting)
    table, _ = table_of(values, field, also_called(draft, values))
    coded, codes = coding_of(setting, values, table, register, field)
    return Candidate(
        register,
        field,
        1.0,
        ("chosen by hand",),
        coded,
        codes,
        access_of(place.kind, setting, register, field),
    )
