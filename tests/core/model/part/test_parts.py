"""The parts that come with the program, and copies of them."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.paths import FORMER_FILES
from wattigram.core.base.errors import PartError
from wattigram.core.base.models import plain_values
from wattigram.core.model.part import (
    Block,
    Part,
    copy_part,
    find_part,
    list_parts,
    load_part,
    parse_part,
)
from wattigram.core.model.part.catalogue import FOLDER

SHIPPED = [find_part(entry.id) for entry in list_parts()]


@pytest.mark.parametrize("part", SHIPPED, ids=lambda part: part.id)
def test_a_part_is_whole(part: Part) -> None:
    assert part.version == 7
    for converter in part.converters:
        assert converter.sampling_cycles == tuple(sorted(converter.sampling_cycles))
        assert set(converter.channels) <= set(part.pins)
        assert all(
            other in [one.name for one in part.converters] for other in converter.in_step_with
        )
    assert "made-up" in (FOLDER / f"{part.id}.toml").read_text().splitlines()[0]


def test_quill_converts_one_channel_at_a_time() -> None:
    quill = find_part("quill-q8")
    (converter,) = quill.converters
    assert converter.sequence == "software"
    assert converter.one_sampling_time
    assert converter.retrievals == ("polling", "interrupt")
    assert converter.dividers == (2, 4, 8, 16, 32, 64, 128)
    assert (quill.dma, quill.dacs, len(quill.pins)) == ((), (), 8)
    assert [group.counter_bits for group in quill.timers] == [10]
    assert converter.oscillator is not None
    assert converter.oscillator.runs_in_sleep


def test_osprey_goes_up_by_channel_and_judges_by_itself() -> None:
    osprey = find_part("osprey-x2")
    first = osprey.converters[0]
    assert first.sequence == "ascending"
    assert first.in_step_with == ("ADC 2",)
    assert first.fifo_items == 16
    assert first.hardware.windows_on == ("raw", "filtered", "deviation")
    assert first.channel("A0", "A1") == 16
    assert first.channel("temperature") == 22
    assert first.channel("A1", "A0") is None
    assert [item.hysteresis_v for item in osprey.comparators] == [(0.0, 0.008, 0.016, 0.032)] * 2
    external = osprey.reference("external")
    assert external is not None
    assert external.pin == "B7"


@pytest.mark.parametrize("like", ["marten-m3", "quill-q8", "osprey-x2"])
def test_a_copy_is_a_sound_part_of_its_own(tmp_path: Path, like: str) -> None:
    path = tmp_path / "mine.toml"
    part = copy_part(like, path, "My Part 7")
    assert (part.id, part.name) == ("my-part-7", "My Part 7")
    assert load_part(path) == part
    assert part.converters == find_part(like).converters
    assert path.read_text().startswith("# My Part 7: made from")
    with pytest.raises(PartError, match="a file of that name already"):
        copy_part(like, path, "My Part 7")


@pytest.mark.parametrize(
    ("name", "words"), [("mine.txt", "End it with .toml"), ("mine.toml", "id")]
)
def test_a_copy_needs_a_name(tmp_path: Path, name: str, words: str) -> None:
    with pytest.raises(PartError, match=words):
        copy_part("quill-q8", tmp_path / name, "???" if name == "mine.toml" else "Fine")


TEXT = (FOLDER / "osprey-x2.toml").read_text()


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("fifo_items = 16", "fifo_items = 0", "a FIFO without fifo_items"),
        ('in_step_with = ["ADC 2"]', 'in_step_with = ["ADC 7"]', "in step with ADC 7, which is no "
            "other converter"),
        ('in_step_with = ["ADC 2"]', 'in_step_with = ["ADC 1"]', "in step with ADC 1, which is no "
            "other converter"),
        ("channel = 16", "channel = 3", "channel 3 is listed twice"),
        ('positive = "A0"', 'positive = "Z0"', "pin Z0 is not among the part's pins"),
        ('sequence = "ascending"', 'sequence = "downwards"', "sequence"),
        ('stages = ["sum", "block-average", "low-pass"]', 'stages = ["low-pass"]', "counts without"),
        ('name = "supply ÷ 2"', 'name = "Supply ÷ 2"', "internal"),
        ('"fifo", "dma"]', '"fifo", "mail"]', "retrievals"),
        ('hysteresis = ["0 V", "8 mV", "16 mV", "32 mV"]', 'hysteresis = [0, 8]', "has no unit"),
        ('response = "1 us"', 'response = "0 us"', "must be above 0 s"),
        ('inputs = ["A2", "A3", "A4", "B2"]', 'inputs = ["X2"]', "pin X2 is not among"),
        ('pin = "B7"', 'pin = "Q7"', "pin Q7 is not among"),
        ('windows_on = ["raw", "filtered", "deviation"]', 'windows_on = ["everything"]', "windows_on"),
        ("repoint_cycles = 10", "repoint_cycles = -1", "repoint_cycles"),
        ('overclock_noise = "9 LSB"', 'overclock_noise = "9 V"', "a number of counts"),
    ],
)  # fmt: skip
def test_each_fault_is_explained(old: str, new: str, words: str) -> None:
    assert old in TEXT
    with pytest.raises(PartError) as caught:
        parse_part(TEXT.replace(old, new, 1), "osprey.toml")
    assert any(words in fault for fault in caught.value.faults), caught.value.faults


def test_all_faults_are_told_at_once() -> None:
    broken = TEXT.replace("slots = 16", "slots = 0").replace('clock_low = "1 MHz"', "clock_low = 1")
    with pytest.raises(PartError) as caught:
        parse_part(broken, "osprey.toml")
    assert len(caught.value.faults) == 4


LATER = {
    "data-bits",
    "tells",
    "arrived",
    "overrun",
    "parity-fault",
    "framing-fault",
}
"""Settings of a UART's registers that came after version 5."""


def without_later(block: Block) -> Block:
    """A block without what its registers were given since then."""
    return block.replaced(
        lines=() if block.kind == "uart" else block.lines,
        registers=tuple(
            register.replaced(
                fields=tuple(
                    field.replaced(name="BYTE", width=8) if field.name == "WORD" else field
                    for field in register.fields
                    if field.sets != "whole" and (block.kind != "uart" or field.sets not in LATER)
                )
            )
            for register in block.registers
        ),
    )


@pytest.mark.parametrize("part", SHIPPED, ids=lambda part: part.id)
@pytest.mark.parametrize("version", [1, 4, 5])
def test_an_older_part_is_the_same(part: Part, version: int) -> None:
    text = (FORMER_FILES / "parts" / f"{part.id}.toml").read_text()
    said = re.sub(r"^version = \d+", f"version = {version}", text, flags=re.MULTILINE)
    older = part.replaced(
        processor=part.processor.replaced(clock_tolerance=0.0),
        ports=(),
        converters=tuple(
            one.replaced(internal=tuple(item.replaced(supply_share=0.0) for item in one.internal))
            for one in part.converters
        ),
        timers=tuple(timer.replaced(loads_after_dma=False) for timer in part.timers),
        uarts=tuple(uart.replaced(data_bits=(8,), faulty_words="kept") for uart in part.uarts),
        blocks=tuple(without_later(block) for block in part.blocks if block.kind != "port"),
    )
    assert plain_values(parse_part(said, "old")) == plain_values(older)
