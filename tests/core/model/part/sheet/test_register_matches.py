"""Fields that are likely to hold a setting, found in a description of a made-up part."""

from __future__ import annotations

import re

import pytest

from tests.core.model.part.sheet.heron import heron_draft, heron_with_registers
from tests.paths import CASES
from wattigram.core.base.errors import PartError
from wattigram.core.model.part import find_part, list_parts
from wattigram.core.model.part.model import parse_part
from wattigram.core.model.part.sheet.draft import PartDraft, blank_draft, draft_of
from wattigram.core.model.part.sheet.register_edits import (
    OwnerPlace,
    chosen_field,
    owner_places,
    with_field,
    with_sure_fields,
    without_field,
)
from wattigram.core.model.part.sheet.register_matches import (
    matches,
)
from wattigram.core.model.part.sheet.sufficiency import uses
from wattigram.core.model.part.svd import (
    SvdDescription,
    SvdField,
    SvdPeripheral,
    SvdRegister,
    read_svd,
)

SVD = CASES / "parts" / "heron-h5.svd"

TRUTH: dict[str, dict[str, tuple[str, str]]] = {
    "SARC": {
        "on": ("RUN · POWER", "flag"),
        "calibrate": ("RUN · TRUE", "flag"),
        "start": ("RUN · FIRE", "flag"),
        "divider": ("FORM · DIV", "table"),
        "bits": ("FORM · EIGHT", "table"),
        "alignment": ("FORM · LEFT", "table"),
        "reference": ("FORM · REF", "table"),
        "trigger": ("GATE · FROM", "table"),
        "edge-pin": ("GATE · PIN", "pin"),
        "edge": ("GATE · EDGE", "table"),
        "per-trigger": ("GATE · SPAN", "table"),
        "length": ("LEN · LEN_1", "minus-one"),
        "channel": ("ENTRY · INPUT", "value"),
        "pair": ("ENTRY · PAIR", "flag"),
        "sampling 1": ("FORM · APER_A", "table"),
        "sampling 2": ("FORM · APER_B", "table"),
        "tells-result": ("TELL · EACH", "flag"),
        "tells-scan": ("TELL · END", "flag"),
        "scan-done": ("STATE · END", "flag"),
        "repeats": ("ACCU · MANY", "shift"),
        "shift": ("ACCU · SHIFT", "value"),
        "done": ("STATE · DONE", "flag"),
        "result-low": ("RES_LO · BYTE", "value"),
        "result-high": ("RES_HI · BYTE", "value"),
        "window-on": ("GUARD · ON", "flag"),
        "window-low": ("LIMIT_LO · CODE", "value"),
        "window-high": ("LIMIT_HI · CODE", "value"),
        "window-condition": ("GUARD · OUTSIDE", "table"),
        "window-judges": ("GUARD · ON_SUM", "table"),
        "window-tells": ("TELL · GUARD", "flag"),
        "window-seen": ("STATE · GUARD", "flag"),
    },
    "TICK0": {
        "prescaler": ("CTL · PRE", "shift"),
        "period": ("PER · PER_1", "minus-one"),
        "run": ("CTL · ON", "flag"),
    },
    "PULSE1": {
        "prescaler": ("CTL · PRE", "table"),
        "period": ("PER · PER_1", "minus-one"),
        "compare": ("HIGH · COUNT", "value"),
        "run": ("CTL · ON", "flag"),
        "loads": ("CTL · LOADS", "table"),
    },
    "CH1": {
        "on": ("CH_CTL · ON", "flag"),
        "request": ("CH_CTL · ASKS", "table"),
        "from": ("CH_FROM · ADDR", "pointer"),
        "to": ("CH_TO · ADDR", "pointer"),
        "count": ("CH_MANY · COUNT", "value"),
        "left": ("CH_LEFT · COUNT", "value"),
        "repeat": ("CH_CTL · LOOP", "flag"),
        "half": ("CH_CTL · TELL_HALF", "flag"),
        "full": ("CH_CTL · TELL_END", "flag"),
        "from-width": ("CH_CTL · W_FROM", "table"),
        "to-width": ("CH_CTL · W_TO", "table"),
        "from-step": ("CH_CTL · UP_FROM", "flag"),
        "to-step": ("CH_CTL · UP_TO", "flag"),
        "half-seen": ("CH_SEEN · HALF", "flag"),
        "full-seen": ("CH_SEEN · END", "flag"),
    },
    "VOUT": {
        "on": ("CTL · ON", "flag"),
        "buffer": ("CTL · BUF", "flag"),
        "reference": ("CTL · REF", "table"),
        "trigger": ("CTL · LOADS", "table"),
        "data": ("DATA · CODE", "value"),
    },
    "SERIAL": {
        "on": ("CTL · ON", "flag"),
        "divider": ("BAUD · DIV", "minus-one"),
        "data-bits": ("CTL · BITS", "table"),
        "parity": ("CTL · PARITY", "table"),
        "stop-bits": ("CTL · TWO", "table"),
        "sent": ("TX · BYTE", "value"),
        "received": ("RX · BYTE", "value"),
        "room": ("STATE · TX_FREE", "flag"),
        "arrived": ("STATE · RX_FULL", "flag"),
        "tells": ("CTL · TELL_RX", "flag"),
        "overrun": ("STATE · RX_LOST", "flag"),
        "framing-fault": ("STATE · FRAME", "flag"),
    },
    "PORTR": {
        "outputs": ("DIR · PIN", "value"),
        "output": ("OUT · PIN", "value"),
        "clear": ("CLR · PIN", "value"),
        "toggle": ("FLIP · PIN", "value"),
        "input": ("IN · PIN", "value"),
    },
    "CMPR": {
        "on": ("CTL · ON", "flag"),
        "input": ("CTL · POS", "table"),
        "against": ("CTL · NEG", "table"),
        "hysteresis": ("CTL · HYST", "table"),
        "tells-rising": ("CTL · TELL_UP", "flag"),
        "tells-falling": ("CTL · TELL_DOWN", "flag"),
        "rose": ("STATE · UP", "flag"),
        "fell": ("STATE · DOWN", "flag"),
        "high": ("STATE · HIGH", "flag"),
    },
}
"""What an engineer who reads the description says, peripheral by peripheral."""


@pytest.fixture(scope="module")
def described() -> SvdDescription:
    return read_svd(SVD)


def _place(draft: PartDraft, read: SvdDescription, owner: str) -> tuple[OwnerPlace, SvdPeripheral]:
    place = next(one for one in owner_places(draft, read.peripherals) if one.owner == owner)
    return place, next(one for one in read.peripherals if one.name == place.peripheral)


@pytest.mark.parametrize("owner", TRUTH)
def test_what_stands_alone_is_what_an_engineer_says(owner: str, described: SvdDescription) -> None:
    draft = heron_draft()
    place, peripheral = _place(draft, described, owner)
    found = {
        one.setting: (one.candidates[0].place, one.candidates[0].coded)
        for one in matches(draft, place.kind, owner, peripheral)
        if one.is_sure
    }
    assert found == TRUTH[owner]


def test_codes_are_read_from_their_names(described: SvdDescription) -> None:
    draft = heron_draft()
    place, peripheral = _place(draft, described, "SARC")
    found = {
        one.setting: one.candidates[0].table
        for one in matches(draft, place.kind, "SARC", peripheral)
        if one.candidates
    }
    assert found["divider"] == dict(
        zip(["2", "4", "6", "8", "12", "16", "24", "32"], range(8), strict=True)
    )
    assert found["sampling 2"] == dict(
        zip(["0.75", "2", "5", "11", "23", "47"], range(6), strict=True)
    )
    assert found["bits"] == {"10": 0, "8": 1}
    assert found["alignment"] == {"right": 0, "left": 1}
    assert found["trigger"] == {
        "software": 0,
        "free-running": 1,
        "TICK0": 2,
        "TICK1": 3,
        "edge": 4,
        "CMPR": 5,
    }
    assert found["window-condition"] == {"inside": 0, "outside": 1}


def test_what_two_fields_may_hold_is_asked(described: SvdDescription) -> None:
    """Where the sheet knows of no groups of channels, two fields for one setting fit alike."""
    draft = heron_draft().with_value(("converters", 0, "sampling_groups"), None)
    place, peripheral = _place(draft, described, "SARC")
    by = {one.setting: one for one in matches(draft, place.kind, "SARC", peripheral)}
    assert [one.place for one in by["sampling"].candidates] == ["FORM · APER_A", "FORM · APER_B"]
    assert not by["sampling"].is_sure
    assert not any(one.place == "CH_LEFT · COUNT" for one in by["passes"].candidates)


def test_transfers_that_are_left_are_not_taken_for_those_that_are_done(
    described: SvdDescription,
) -> None:
    draft = heron_draft()
    place, peripheral = _place(draft, described, "CH0")
    by = {one.setting: one for one in matches(draft, place.kind, "CH0", peripheral)}
    assert not by["place"].is_sure


def test_peripherals_are_found_by_their_names_and_channels_by_their_number(
    described: SvdDescription,
) -> None:
    places = {one.owner: one for one in owner_places(heron_draft(), described.peripherals)}
    assert {owner: one.peripheral for owner, one in places.items()} == {
        "System": "SYSTEM",
        "SARC": "SARC",
        "TICK0": "TICK0",
        "TICK1": "TICK1",
        "PULSE0": "PULSE0",
        "PULSE1": "PULSE1",
        "CH0": "MOVE",
        "CH1": "MOVE",
        "CH2": "MOVE",
        "VOUT": "VOUT",
        "SERIAL": "SERIAL",
        "PORTP": "PORTP",
        "PORTR": "PORTR",
        "CMPR": "CMPR",
    }
    assert [places[name].base for name in ("CH0", "CH1", "CH2")] == [
        0x50040000,
        0x50040020,
        0x50040040,
    ]
    assert [places[name].line for name in ("SARC", "CH0", "CH1")] == [5, 10, -1]


def test_all_that_stands_alone_makes_registers_that_a_part_can_have(
    described: SvdDescription,
) -> None:
    draft = heron_draft()
    for place in owner_places(draft, described.peripherals):
        peripheral = next(one for one in described.peripherals if one.name == place.peripheral)
        draft, taken = with_sure_fields(draft, place, peripheral)
        assert place.kind == "system" or taken
    part = draft.part()
    block = next(one for one in part.blocks if "SARC" in one.owners)
    assert (block.bases, block.lines) == ((0x50010000,), (5,))
    entry = next(one for one in block.registers if one.name == "ENTRY")
    assert (entry.count, entry.step, entry.of) == (6, 4, "slot")
    dma = next(one for one in part.blocks if "CH2" in one.owners)
    assert dma.bases == (0x50040040,)
    assert next(one for one in dma.registers if one.name == "CH_FROM").count == 1
    c = uses(draft)[2]
    assert c.missing == ()
    assert [one.partition(" (")[0] for one in c.without] == ["thresholds in hardware of SARC"]


def test_a_sampling_time_of_each_channel_goes_for_all_its_slots_also_where_fields_share_a_register() -> (
    None
):
    draft = heron_with_registers()
    number = next(
        place for place, block in enumerate(draft.items(("blocks",))) if "SARC" in block["owners"]
    )
    registers = draft.items(("blocks", number, "registers"))
    fields = [
        {**field, "of": "channel"} if field.get("sets") == "sampling" else field
        for register in registers
        if register["name"] == "FORM"
        for field in register["fields"]
    ]
    form = next(place for place, one in enumerate(registers) if one["name"] == "FORM")
    part = (
        draft.with_value(("blocks", number, "registers", form, "fields"), fields)
        .with_value(("converters", 0, "sampling_groups"), None)
        .part()
    )
    converter = part.converters[0]
    assert part.sampling_groups(converter) == tuple((one,) for one in converter.channel_numbers)


def test_two_fields_for_one_setting_are_counted_or_refused() -> None:
    twice = '{ name = "A", sets = "on" }, { name = "B", low = 6, sets = "on" }'
    text = draft_of(find_part("quill-q8")).toml()
    first = re.search(r'\{ name = "(\w+)", low = 0, sets = "on"[^}]*\}', text)
    assert first is not None
    with pytest.raises(PartError, match="two fields hold “on”"):
        parse_part(text.replace(first[0], twice, 1), "x")
    with pytest.raises(PartError, match="say what its number counts"):
        parse_part(text.replace(first[0], '{ name = "A", sets = "on", number = 1 }', 1), "x")


def test_bits_are_given_away_once(described: SvdDescription) -> None:
    draft = heron_draft()
    place, peripheral = _place(draft, described, "VOUT")
    register, field = next(
        (register, field)
        for register in peripheral.registers
        for field in register.fields
        if field.name == "ON"
    )
    chosen = chosen_field(draft, place, "on", register, field)
    held = with_field(draft, place, "on", chosen)
    with pytest.raises(PartError, match="held by another field"):
        with_field(held, place, "on", chosen)
    with pytest.raises(PartError, match="its bits hold “on” already"):
        with_field(held, place, "buffer", chosen_field(held, place, "buffer", register, field))
    assert without_field(held, "VOUT", "on").values == draft.values


@pytest.mark.parametrize("identifier", [entry.id for entry in list_parts()])
def test_the_parts_that_come_with_the_program_are_found_again(identifier: str) -> None:
    """A description made of a part's own registers, with the names of fields and what they set as texts:
    what is taken by itself must be what the part has."""
    part = find_part(identifier)
    bare = draft_of(part).with_value(("blocks",), None)
    right = wrong = 0
    for block in part.blocks:
        peripheral = SvdPeripheral(
            block.owners[0],
            block.bases[0],
            block.kind,
            tuple(
                SvdRegister(
                    register.name,
                    register.offset,
                    register.width,
                    register.reset,
                    register.title,
                    tuple(
                        SvdField(
                            field.name,
                            field.low,
                            field.width,
                            "",
                            "",
                            tuple(field.table.items()),
                        )
                        for field in register.fields
                    ),
                    register.count,
                    register.step,
                )
                for register in block.registers
            ),
        )
        truth = {
            field.sets: f"{register.name} · {field.name}"
            for register in block.registers
            for field in register.fields
        }
        for one in matches(bare, block.kind, block.owners[0], peripheral):
            if one.is_sure:
                is_right = truth.get(one.setting) == one.candidates[0].place
                right, wrong = right + is_right, wrong + (not is_right)
    assert right >= 12
    assert wrong <= right // 8


def test_nothing_is_found_for_what_the_sheet_does_not_name(described: SvdDescription) -> None:
    places = owner_places(blank_draft("X"), described.peripherals)
    assert {one.kind for one in places} == {"system"}
