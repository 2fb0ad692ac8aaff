"""A part that is being described: its file, its facts, what it suffices for."""

from __future__ import annotations

import difflib
import tomllib
from pathlib import Path

import pytest

from tests.core.model.part.sheet.heron import FACTS, heron_draft
from wattigram.core.base.errors import FirmwareError, PartError, QuantityError, RegisterError
from wattigram.core.base.facts import annotation_at, fact_text, read_fact
from wattigram.core.base.model_fields import fields_of
from wattigram.core.firmware.generate import firmware_files
from wattigram.core.model.design import open_workspace
from wattigram.core.model.design.workspace import join_workspace
from wattigram.core.model.part import Converter, Part, find_part, list_parts, load_part
from wattigram.core.model.part.converter import ComparatorUnit
from wattigram.core.model.part.model import Dac, DmaGroup, Timer, UartGroup
from wattigram.core.model.part.registers import MemoryMap
from wattigram.core.model.part.sheet.draft import (
    PartDraft,
    blank_draft,
    draft_like,
    draft_of,
    load_draft,
    part_id,
)
from wattigram.core.model.part.sheet.own_parts import own_parts
from wattigram.core.model.part.sheet.register_edits import (
    without_field,
)
from wattigram.core.model.part.sheet.sentences import (
    CHAPTERS,
    chapter,
    fact_steps,
    items_of,
    lists_of,
    missing_facts,
    read_said,
)
from wattigram.core.model.part.sheet.sufficiency import uses
from wattigram.examples import example_files

SHIPPED = [entry.id for entry in list_parts()]


@pytest.mark.parametrize("identifier", SHIPPED)
def test_a_file_that_is_not_changed_is_written_as_it_was(identifier: str) -> None:
    part = find_part(identifier)
    assert draft_of(part).toml() == part.text
    assert draft_of(part).part() == part


@pytest.mark.parametrize("identifier", SHIPPED)
def test_a_change_of_a_fact_changes_its_line_and_no_comment(identifier: str) -> None:
    draft = draft_of(find_part(identifier))
    changed = draft.with_value(("converters", 0, "noise"), "0.77 LSB").toml()
    lines = [
        line
        for line in difflib.unified_diff(draft.text.splitlines(), changed.splitlines(), n=0)
        if line[0] in "+-" and line[:3] not in {"+++", "---"}
    ]
    assert len(lines) == 2
    assert lines[1] == '+noise = "0.77 LSB"'


def test_whoever_calls_a_thing_by_its_name_follows_another_name() -> None:
    draft = draft_of(find_part("osprey-x2"))
    part = draft.with_value(("converters", 0, "name"), "SAR").part()
    assert part.converters[1].in_step_with == ("SAR",)
    assert "SAR" in next(block for block in part.blocks if block.kind == "converter").owners
    tables = [
        field.table
        for block in part.blocks
        for register in block.registers
        for field in register.fields
        if field.sets in {"trigger", "request", "starts-with"} and field.table
    ]
    assert tables
    assert all("ADC 1" not in table for table in tables)
    names = ["Tick", *draft.get(("timers", 0, "names"))[1:]]
    renamed = draft.with_value(("timers", 0, "names"), names).part()
    assert renamed.timer("Tick") is not None
    assert "Tick" in next(block for block in renamed.blocks if block.kind == "timer").owners


def test_a_draft_is_never_changed_in_place() -> None:
    draft = heron_draft()
    before = draft.toml()
    draft.with_value(("converters", 0, "bits"), [8]).with_item(("dacs",), {}).without_item(
        ("references",), 0
    ).noted(("converters", 0, "noise"), "page 9")
    assert draft.toml() == before


def test_a_table_without_anything_in_it_goes_away() -> None:
    draft = heron_draft().with_value(("converters", 0, "oscillator", "clock"), "1 MHz")
    assert draft.get(("converters", 0, "oscillator")) == {"clock": "1 MHz"}
    draft = draft.with_value(("converters", 0, "oscillator", "clock"), None)
    assert draft.get(("converters", 0, "oscillator")) is None


def test_a_note_stands_in_the_file_and_a_part_knows_it(tmp_path: Path) -> None:
    draft = heron_draft().noted(("converters", 0, "noise"), "page 31, table 12")
    draft.save(tmp_path / "heron.toml")
    assert load_part(tmp_path / "heron.toml").notes == {"converters.1.noise": "page 31, table 12"}
    assert load_draft(tmp_path / "heron.toml").note(("converters", 0, "noise")) == (
        "page 31, table 12"
    )
    assert "notes" not in draft.noted(("converters", 0, "noise"), " ").values


def test_an_unfinished_part_can_be_saved_and_read_again(tmp_path: Path) -> None:
    draft = blank_draft("Half Known").with_item(("converters",), {"name": "ADC"})
    draft.save(tmp_path / "half.toml")
    assert load_draft(tmp_path / "half.toml").values == draft.values
    with pytest.raises(PartError):
        load_part(tmp_path / "half.toml")


@pytest.mark.parametrize(
    ("text", "words"), [('format = "other"', "not a wattigram-part"), ("x = [", "valid TOML")]
)
def test_what_is_no_part_file_is_no_draft(tmp_path: Path, text: str, words: str) -> None:
    (tmp_path / "x.toml").write_text(text)
    with pytest.raises(PartError, match=words):
        load_draft(tmp_path / "x.toml")


@pytest.mark.parametrize(
    ("name", "identifier"),
    [("Heron H5", "heron-h5"), ("  Ärger & Co ", "rger-co"), ("µ", "part"), ("A" * 60, "a" * 41)],
)
def test_a_name_gives_an_id(name: str, identifier: str) -> None:
    assert part_id(name) == identifier


def test_every_fact_of_a_part_is_told_by_a_sentence() -> None:
    told = {
        (one.model, key.split(".")[0])
        for one in CHAPTERS
        for sentence in one.sentences
        for key in sentence.keys
    }
    for model in (Converter, ComparatorUnit, Dac, DmaGroup, Timer, UartGroup, MemoryMap):
        untold = {field.key for field in fields_of(model)} - {
            key for its, key in told if its is model
        }
        assert untold <= {"pairs", "internal"}, model  # chapters of their own
    of_part = {field.key for field in fields_of(Part)} - {key for its, key in told if its is Part}
    chapters = {one.steps[0] for one in CHAPTERS if one.steps and not one.within}
    assert of_part - chapters == {"format", "version", "id", "blocks", "notes"}


@pytest.mark.parametrize("identifier", SHIPPED)
def test_every_fact_is_read_again_as_it_is_shown(identifier: str) -> None:
    draft = draft_of(find_part(identifier))
    count = 0
    for one in CHAPTERS:
        for item in items_of(draft, one):
            for key in {key for sentence in one.sentences for key in sentence.keys}:
                value = draft.get(fact_steps(item, key))
                if value is None:
                    continue
                annotation = annotation_at(one.model, key)
                from wattigram.core.model.part.sheet.sentences import words_of

                words = words_of(one.model, key)
                text = fact_text(annotation, value, words)
                assert read_fact(annotation, text, words) == value, (one.id, key, text)
                count += 1
    assert count > 60


@pytest.mark.parametrize(
    ("identifier", "key", "text", "value"),
    [
        ("converters", "bits", "12, 10", [12, 10]),
        ("converters", "sampling_cycles", "0.5, 3", [0.5, 3]),
        ("converters", "sampling_groups", "0-2 / 4, 5", [[0, 1, 2], [4, 5]]),
        ("converters", "channels", "A0…A2 = 3–5, B0 = 9", {"A0": 3, "A1": 4, "A2": 5, "B0": 9}),
        ("converters", "sequence", "ANY ORDER, repeats too", "free"),
        ("converters", "triggers", "software, timer", ["software", "timer"]),
        ("pins", "pins", "PA0–PA2, PB12", ["PA0", "PA1", "PA2", "PB12"]),
        ("memory", "code_bytes", "64 KiB", 65536),
        ("memory", "code_begin", "0x0800 0000", 0x08000000),
        ("uarts", "send_pins", "UART 1 = B0", {"UART 1": "B0"}),
    ],
)
def test_facts_are_read_as_people_write_them(
    identifier: str, key: str, text: str, value: object
) -> None:
    one = chapter(identifier)
    from wattigram.core.model.part.sheet.sentences import words_of

    annotation = annotation_at(one.model, key)
    assert (
        read_fact(annotation, text.replace("0x0800 0000", "0x08000000"), words_of(one.model, key))
        == value
    )


@pytest.mark.parametrize(
    ("identifier", "key", "text", "words"),
    [
        ("converters", "bits", "many", "no number"),
        ("converters", "clock_low", "3", "has no unit"),
        ("converters", "clock_low", "3 V", "frequency"),
        ("converters", "needs_calibration", "perhaps", "yes or no"),
        ("converters", "sequence", "backwards", "not among them"),
        ("converters", "channels", "A0-A2 = 0-1", "no pair"),
        ("pins", "pins", "P7–P0", "no range"),
        ("pins", "pins", "pin 3", "a pin such as"),
        ("dma", "widths", "12", "not among them"),
    ],
)
def test_what_is_no_such_fact_is_said(identifier: str, key: str, text: str, words: str) -> None:
    one = chapter(identifier)
    with pytest.raises(QuantityError, match=words):
        read_said(heron_draft(), one, items_of(heron_draft(), one)[0], key, text)


def test_sampling_times_can_be_said_as_times_at_the_highest_clock() -> None:
    one, draft = chapter("converters"), heron_draft()  # 10 MHz
    item = ("converters", 0)
    assert read_said(draft, one, item, "sampling_cycles", "500 ns, 1 us, 11 clk") == [5, 10, 11]
    with pytest.raises(QuantityError, match=r"The nearest is 6\.25 clocks"):
        read_said(draft, one, item, "sampling_cycles", "620 ns")
    bare = draft.with_value(("converters", 0, "clock_high"), None)
    with pytest.raises(QuantityError, match="Fill that in first"):
        read_said(bare, one, item, "sampling_cycles", "500 ns")


def test_a_sheet_says_what_is_missing_until_it_is_a_part() -> None:
    """Fact after fact of a data sheet: what is missing grows less, and at the end it suffices."""
    draft = blank_draft("Heron H5")
    counts = []
    for identifier, things in FACTS:
        one = chapter(identifier)
        for number, facts in enumerate(things):
            place = lists_of(draft, one)[0]
            item = (*place, number) if one.many else place
            draft = draft.with_item(place, {}) if one.many else draft
            for key, text in facts.items():
                draft = draft.with_value(
                    fact_steps(item, key), read_said(draft, one, item, key, text)
                )
            assert not [steps for steps in missing_facts(draft, one) if steps[: len(item)] == item]
        counts.append(len(uses(draft)[0].missing))
        assert uses(draft)[0].suffices == (not draft.faults())
    assert counts[0] == 3
    assert counts[-1] == 0
    design, proof, c = uses(draft)
    assert design.suffices
    assert proof.suffices
    assert {one.text for one in c.missing} >= {"SARC: its registers", "CH0: its registers"}


def test_faults_between_facts_are_missing_too() -> None:
    draft = heron_draft().with_value(("dacs", 0, "pin"), "Z9")
    assert [one.text for one in uses(draft)[0].missing] == [
        "VOUT: pin Z9 is not among the part's pins. Add it to “pins”."
    ]


def _designs_on(identifier: str) -> list[Path]:
    return [path for path in example_files() if f'part = "{identifier}"' in path.read_text()]


@pytest.mark.parametrize("identifier", SHIPPED)
def test_c_is_what_settings_suffice_for(identifier: str) -> None:
    """Without a setting that is said to be needed, C of a design that uses it is refused; with all of
    them each design has its C."""
    draft = draft_of(find_part(identifier))
    assert all(use.suffices for use in uses(draft))
    workspaces = [open_workspace(path) for path in _designs_on(identifier)]
    for workspace in workspaces:
        firmware_files(workspace)
    refused = 0
    for owner, setting in (
        (draft.get(("converters", 0, "name")), "divider"),
        (draft.get(("converters", 0, "name")), "trigger"),
        (draft.get(("timers", 0, "names"))[0], "period"),
    ):
        less = without_field(draft, owner, setting)
        assert any(setting in one.text for one in uses(less)[2].missing), setting
        for workspace in workspaces:
            try:
                firmware_files(join_workspace(workspace.project, "x", less.part()))
            except (FirmwareError, RegisterError, PartError):
                refused += 1
    assert refused >= 3


@pytest.mark.parametrize("identifier", SHIPPED)
def test_c_does_without_the_clock_and_the_channel_of_a_part(identifier: str) -> None:
    """Where a part has no registers for time and bytes, its core's are used; all else stays."""
    draft = draft_of(find_part(identifier))
    for setting in ("ticks-low", "send-from"):
        less = without_field(draft, "System", setting)
        assert uses(less)[2].suffices
        for path in _designs_on(identifier):
            workspace = open_workspace(path)
            port = firmware_files(join_workspace(workspace.project, "x", less.part())).once
            assert "wg_mailbox" in port["port.c"]
            assert "wg_mailbox" not in firmware_files(workspace).once["port.c"]


def test_what_c_has_to_do_without_is_told(tmp_path: Path) -> None:
    draft = draft_of(find_part("marten-m3"))
    name = draft.get(("converters", 0, "name"))
    assert uses(draft)[2].without == ()
    c = uses(without_field(draft, name, "delivery"))[2]
    assert c.suffices
    assert any(f"interrupts of {name} (delivery)" in one for one in c.without)


def test_registers_may_be_there_before_memory_and_c_says_so() -> None:
    draft = draft_of(find_part("quill-q8")).with_value(("memory",), None)
    assert draft.part().memory is None
    design, _, c = uses(draft)
    assert design.suffices
    assert [one.text for one in c.missing] == ["where code and data lie"]


def test_a_part_like_another_has_a_name_of_its_own() -> None:
    draft = draft_like("quill-q8", "My Q9")
    part = draft.part()
    assert (part.name, part.id) == ("My Q9", "my-q9")
    assert part.converters == find_part("quill-q8").converters
    assert tomllib.loads(draft.toml())["name"] == "My Q9"


def test_an_empty_draft_has_no_items() -> None:
    assert PartDraft({}).items(("converters",)) == []
    assert PartDraft({}).get(("converters", 3, "name")) is None


def test_parts_of_ones_own_are_listed_with_what_they_suffice_for(tmp_path: Path) -> None:
    heron_draft().save(tmp_path / "heron.toml")
    blank_draft("Half").save(tmp_path / "half.toml")
    draft_like("quill-q8", "Alike").save(tmp_path / "alike.toml")
    (tmp_path / "notes.toml").write_text("x = 1")
    found = own_parts(tmp_path)
    assert [(one.name, one.suffices) for one in found] == [
        ("Alike", ("design", "proof", "C")),
        ("Half", ()),
        ("Heron H5", ("design", "proof")),
    ]
    assert found[1].text == "your own · not yet enough for a design"
    assert found[2].text.startswith("your own · design and proof · 64 MHz")
    assert own_parts(tmp_path / "nowhere") == ()


def test_an_id_follows_its_name_as_long_as_it_was_made_of_it() -> None:
    draft = blank_draft("New part").with_value(("name",), "Heron H5")
    assert draft.get(("id",)) == "heron-h5"
    own = draft.with_value(("id",), "mine").with_value(("name",), "Other")
    assert own.get(("id",)) == "mine"
