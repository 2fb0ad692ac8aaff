"""Mistakes in edited C: each shows its symptom on the virtual board, and the proof names it."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import pytest

from tests.conftest import edited
from tests.core.firmware.compiled import EXAMPLES, needs_compiler, rebuilt
from wattigram.core.design import LevelExpectation, Workspace, open_workspace
from wattigram.core.design.edits import AddExpectation
from wattigram.core.firmware import write_firmware
from wattigram.core.proof import Proof, prove
from wattigram.core.session import RunOutcome, record_run
from wattigram.core.take import open_take

pytestmark = needs_compiler
Mutation = Callable[[str], str]


def without(pattern: str) -> Mutation:
    """A line, or a part of it, is left out."""
    return replacing(pattern, "")


def replacing(pattern: str, text: str) -> Mutation:
    def mutate(setup: str) -> str:
        changed, count = re.subn(pattern, text, setup, count=1, flags=re.MULTILINE)
        assert count == 1, pattern
        return changed

    return mutate


def moved(line: str, behind: str) -> Mutation:
    """A line stands later than it should."""

    def mutate(setup: str) -> str:
        found = re.search(line, setup, re.MULTILINE)
        assert found, line
        rest = setup.replace(found[0], "", 1)
        place = re.search(behind, rest, re.MULTILINE)
        assert place, behind
        return rest[: place.end()] + found[0] + rest[place.end() :]

    return mutate


@dataclass(frozen=True)
class Mistake:
    """What somebody does to a file, the cause that is to be named first, and words of its evidence."""

    mutate: Mutation
    cause: str
    evidence: str
    file: str = "wg_setup.c"


MISTAKES = {
    "DMA after the converter": Mistake(
        moved(r"^    DMA_1_RULE = MOVER_RULE_ON \|[^;]*;.*\n", r"^    TIMER_2_RUN = .*\n"), "startup-memory", "DMA 1"
    ),
    "calibration left out": Mistake(
        replacing(r"^    ADC_1_MODE = SCAN_MODE_TRIM;", "    /* nothing */"),
        "not-calibrated",
        "ADC 1 is not calibrated",
    ),
    "interrupt not enabled": Mistake(
        without(r"^    WG_LINES_ENABLE\(0u\) = 1u << 8;.*\n"), "startup-interrupt", "line 8"
    ),
    "DMA is not armed again": Mistake(
        replacing(r"(DMA_1_RULE = MOVER_RULE_ON \| )MOVER_RULE_ROUND \| ", r"\1"),
        "dma-not-endless",
        "ROUND is 0 (repeat no), the design's is 1 (repeat yes)",
    ),
    "N for N − 1": Mistake(
        replacing(r"COUNTS\(9600u - 1u\)", "COUNTS(9600u)"),
        "timer-registers",
        "COUNTS is 9600 (period 9601), the design's is 9599 (period 9600)",
    ),
    "N for N − 1, in the length of a pass": Mistake(
        replacing(r"ADC_1_REACH = SCAN_REACH_LAST\(4u - 1u\)", "ADC_1_REACH = SCAN_REACH_LAST(4u)"),
        "firmware-differs",
        "REACH.LAST is 4 (length 5), the design's is 3 (length 4)",
    ),
    "converter not enabled": Mistake(
        without(r"^    ADC_1_MODE = SCAN_MODE_ON;.*\n"), "startup-converter", "MODE.ON is 0 (on no)"
    ),
    "the other converter not enabled": Mistake(
        without(r"^    ADC_2_MODE = SCAN_MODE_ON;.*\n"), "startup-converter", "MODE.ON is 0 (on no)"
    ),
    "another input": Mistake(
        replacing(r"SLOT_INPUT\(3u\)", "SLOT_INPUT(5u)"),
        "firmware-differs",
        "SLOT_1.INPUT is 5 (channel 5), the design's is 3 (channel 3)",
    ),
    "sampling time left out": Mistake(
        replacing(r"(ADC_1_SLOT\(1u\) = SCAN_SLOT_INPUT\(3u\)) \| SCAN_SLOT_HOLD_128", r"\1"),
        "sampling-too-short",
        "SLOT_1.HOLD is 0 (sampling 3)",
    ),
    "written too narrow": Mistake(
        replacing(r"(DMA_1_RULE = MOVER_RULE_ON [^;]*)MOVER_RULE_TO_SIZE_16 \| ", r"\1"),
        "firmware-differs",
        "TO_SIZE is 0 (to-width 8)",
    ),
    "read too narrow": Mistake(
        replacing(r"(DMA_1_RULE = MOVER_RULE_ON [^;]*)MOVER_RULE_FROM_SIZE_16 \|\s", r"\1"),
        "firmware-differs",
        "FROM_SIZE is 0 (from-width 8)",
    ),
    "DMA reads nothing": Mistake(
        without(r"^    DMA_1_FROM = .*\n"), "startup-memory", "FROM.ADDRESS (from) is 0x00000000"
    ),
    "DMA writes nowhere": Mistake(without(r"^    DMA_1_TO = .*\n"), "firmware-failed", "DMA 1: 512 bytes"),
    "a mark that is not taken": Mistake(
        without(r"^        DMA_1_MARKS = MOVER_MARKS_HALF;\n"),
        "firmware-failed",
        "the interrupt of DMA 1 would come again and again, for its handler leaves MARKS.HALF set: wg_handlers.c:",
        "wg_handlers.c",
    ),
    "a mark that is not served": Mistake(
        without(r"^        wg_chain_mark\(0u, true, .*\n"), "half-not-served", "second halves", "wg_handlers.c"
    ),
    "halves that are not sent": Mistake(
        without(r"^    wg_link_send\(&frame, items\);\n"), "never-sent", "it converted", "wg_chain.c"
    ),
    "instants that stand still": Mistake(
        replacing(r"^    frame\.ticks = start;\n(    wg_link_send\(&frame, items\);)", r"\1"),
        "frame-times",
        "no time passes",
        "wg_chain.c",
    ),
    "instants that are forgotten": Mistake(
        without(r"^        one->mark = mark;\n"), "frame-times", "as many as should", "wg_chain.c"
    ),
    "halves that wait for ever": Mistake(
        without(r"^            one->waits = false;\n"),
        "firmware-failed",
        "round and round",
        "wg_chain.c",
    ),
}


@pytest.fixture(scope="module")
def strict(cured: Workspace) -> Workspace:
    return edited(cured, AddExpectation(LevelExpectation(signal="3.3 V rail", level_v=3.3, within_v=0.006)))


@pytest.fixture(scope="module")
def sound(strict: Workspace, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("sound")
    write_firmware(strict, folder)
    return folder


def run(workspace: Workspace, folder: Path, path: Path, seconds: float = 1.5) -> tuple[RunOutcome, Proof]:
    result = rebuilt(workspace, folder)
    assert result.elf is not None, result.output
    outcome = record_run(workspace, seconds, path, board=f"image:{result.elf}", fast=True)
    with open_take(path) as take:
        return outcome, prove(workspace, take)


@pytest.mark.parametrize("name", MISTAKES)
def test_a_mistake_in_the_firmware_is_seen_and_named(name: str, strict: Workspace, sound: Path, tmp_path: Path) -> None:
    mistake = MISTAKES[name]
    folder = tmp_path / "c"
    shutil.copytree(sound, folder)
    source = folder / mistake.file
    source.write_text(mistake.mutate(source.read_text()))
    _outcome, proof = run(strict, folder, tmp_path / "t.h5")
    assert proof.count("fails") or proof.fault
    first = proof.causes[0]
    assert first.cause == mistake.cause, [(one.cause, one.fit, one.evidence) for one in proof.causes]
    assert mistake.evidence in first.evidence
    assert not proof.all_hold
    assert bool(proof.differences) == (mistake.file == "wg_setup.c"), proof.differences
    assert first.remedy is None  # it is mended in the C


SAFETY = {
    "comparator not enabled": Mistake(
        replacing(r"(COMPARATOR_1_MODE = )TRIP_MODE_ON \| ", r"\1"), "firmware-differs", "MODE.ON is 0 (on no)"
    ),
    "comparator's interrupt not enabled": Mistake(
        without(r"^    WG_LINES_ENABLE\(0u\) = 1u << 6;.*\n"), "firmware-differs", "interrupt of Comparator 1 (line 6)"
    ),
    "comparator tells nothing": Mistake(
        replacing(r"TRIP_MODE_TELL \| ", ""), "firmware-differs", "MODE.TELL is 0 (tells no)"
    ),
    "another threshold": Mistake(
        replacing(r"TRIP_STEP_STEPS\(\d+u\)", "TRIP_STEP_STEPS(0u)"), "firmware-differs", "STEP.STEPS is 0 (step 0)"
    ),
    "the comparator's edges are not passed on": Mistake(
        without(r"^        wg_watch_tell\(\d+u, is_high,.*\n"),
        "events-not-told",
        "the program told of 0 and 0",
        "wg_handlers.c",
    ),
    "a window's events are not passed on": Mistake(
        without(r"^        wg_watch_tell\(\d+u, entered,.*\n"),
        "events-not-told",
        "window 1 of ADC 1 saw its condition begin",
        "wg_handlers.c",
    ),
    "an end is told as a beginning": Mistake(
        replacing(r"(TWINSCAN_WATCH_FLAG_ENTERED\) >> \d\)) != 0u", r"\1 != 1u"),
        "events-not-told",
        "window 1 of ADC 1 first saw its condition begin at ",
        "wg_handlers.c",
    ),
    "a window's flag is not taken": Mistake(
        without(r"^        ADC_1_WATCH_FLAG\(0u\) = TWINSCAN_WATCH_FLAG_SEEN;\n"),
        "firmware-failed",
        "its handler leaves WATCH_FLAG_0.SEEN set: wg_handlers.c:",
        "wg_handlers.c",
    ),
    "the comparator's flag is not taken": Mistake(
        without(r"^        COMPARATOR_1_FLAG = TRIP_FLAG_SEEN;\n"),
        "firmware-failed",
        "its handler leaves FLAG.SEEN set: wg_handlers.c:",
        "wg_handlers.c",
    ),
}


@pytest.fixture(scope="module")
def safety() -> Workspace:
    return open_workspace(EXAMPLES[0].parents[1] / "kiln-safety")


@pytest.fixture(scope="module")
def sound_safety(safety: Workspace, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("safety")
    write_firmware(safety, folder)
    return folder


@pytest.mark.parametrize("name", SAFETY)
def test_a_mistake_with_what_hardware_judges_is_named(
    name: str, safety: Workspace, sound_safety: Path, tmp_path: Path
) -> None:
    mistake = SAFETY[name]
    folder = tmp_path / "c"
    shutil.copytree(sound_safety, folder)
    source = folder / mistake.file
    source.write_text(mistake.mutate(source.read_text()))
    _outcome, proof = run(safety, folder, tmp_path / "t.h5", 4.4)
    assert proof.count("fails") or proof.fault
    first = proof.causes[0]
    assert first.cause == mistake.cause, [(one.cause, one.fit, one.evidence) for one in proof.causes]
    assert mistake.evidence in first.evidence


def test_sound_firmware_has_no_cause(safety: Workspace, sound_safety: Path, tmp_path: Path) -> None:
    folder = tmp_path / "c"
    shutil.copytree(sound_safety, folder)
    outcome, proof = run(safety, folder, tmp_path / "t.h5", 4.4)
    assert proof.all_hold
    assert (proof.causes, proof.differences) == ((), ())
    with open_take(tmp_path / "t.h5") as take:
        seen = {key: count for key, count in take.totals.items() if key.startswith(("began.", "ended."))}
        assert {key.partition(".")[2] for key in seen} == {"ADC_1.0", "COMPARATOR_1"}
        assert sum(seen.values()) <= len(take.events)
        assert "first.ADC_1.0" in take.totals
    assert not [text for text in outcome.notes if "failed" in text]


def test_a_calibration_that_does_not_end_is_told(strict: Workspace, sound: Path, tmp_path: Path) -> None:
    folder = tmp_path / "c"
    shutil.copytree(sound, folder)
    setup = folder / "wg_setup.c"
    setup.write_text(setup.read_text().replace("#define PATIENCE 1000000u", "#define PATIENCE 1u"))
    outcome, _proof = run(strict, folder, tmp_path / "t.h5", 0.05)
    assert outcome.samples > 1000
    with open_take(tmp_path / "t.h5") as take:
        assert {"calibration of ADC 1 did not end", "calibration of ADC 2 did not end"} <= set(take.log)


def fails(strict: Workspace, sound: Path, tmp_path: Path, own: str) -> tuple[RunOutcome, Path]:
    folder = tmp_path / "c"
    shutil.copytree(sound, folder)
    (folder / "own.c").write_text(own)
    outcome, _proof = run(strict, folder, tmp_path / "t.h5", 0.1)
    return outcome, folder


HOOK = '#include "wg_hooks.h"\n\nvoid wg_items_upper_zone(const wg_view *items)\n{\n'


def test_a_bad_address_is_told_with_its_line(strict: Workspace, sound: Path, tmp_path: Path) -> None:
    own = HOOK + "    *(volatile uint32_t *)0x70000000u = items->count;\n}\n"
    outcome, _folder = fails(strict, sound, tmp_path, own)
    note = next(text for text in outcome.notes if "failed" in text)
    assert "writes to an address where there is nothing" in note
    assert "own.c:5 in wg_items_upper_zone()" in note


def test_an_endless_loop_is_told_with_its_line(strict: Workspace, sound: Path, tmp_path: Path) -> None:
    own = HOOK + '    while (items->count != 0u) {\n        __asm volatile("nop");\n    }\n}\n'
    outcome, _folder = fails(strict, sound, tmp_path, own)
    note = next(text for text in outcome.notes if "failed" in text)
    assert "round and round" in note
    assert "own.c:" in note


def test_a_stack_that_overflows_is_told(strict: Workspace, sound: Path, tmp_path: Path) -> None:
    own = (
        '#include "wg_hooks.h"\n\nstatic uint32_t deep(volatile uint32_t *more)\n{\n'
        "    volatile uint32_t room[64];\n    room[0] = *more + 1u;\n    return deep(room) + room[1];\n}\n\n"
        "void wg_items_upper_zone(const wg_view *items)\n{\n"
        "    volatile uint32_t first = items->count;\n    first = deep(&first);\n}\n"
    )
    outcome, _folder = fails(strict, sound, tmp_path, own)
    note = next(text for text in outcome.notes if "failed" in text)
    assert "stack has grown beyond its memory" in note
    assert "own.c:" in note


def test_dma_beyond_memory_is_told(strict: Workspace, sound: Path, tmp_path: Path) -> None:
    folder = tmp_path / "c"
    shutil.copytree(sound, folder)
    setup = folder / "wg_setup.c"
    text = re.sub(r"\(uint32_t\)\(uintptr_t\)wg_loop_adc_1", "0x30000000u", setup.read_text())
    setup.write_text(text)
    outcome, _proof = run(strict, folder, tmp_path / "t.h5", 0.2)
    assert any("DMA 1" in note and "no memory" in note for note in outcome.notes)
