"""Mistakes in edited C: each shows its symptom on the virtual board, and the proof names it."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import edited
from tests.core.firmware.compiled import needs_compiler, rebuilt
from wattigram.core.design import LevelExpectation, Workspace
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


MISTAKES: dict[str, tuple[Mutation, str, str]] = {
    "DMA after the converter": (
        moved(r"^    DMA_1_RULE = MOVER_RULE_ON \|.*\n", r"^    TIMER_2_RUN = .*\n"),
        "startup-memory",
        "DMA 1",
    ),
    "calibration left out": (
        replacing(r"^    ADC_1_MODE = SCAN_MODE_TRIM;", "    /* nothing */"),
        "not-calibrated",
        "ADC 1 is not calibrated",
    ),
    "interrupt not enabled": (
        without(r"^    WG_LINES_ENABLE\(0u\) = 1u << 8;.*\n"),
        "startup-interrupt",
        "line 8",
    ),
    "DMA is not armed again": (
        replacing(r"(DMA_1_RULE = MOVER_RULE_ON \| )MOVER_RULE_ROUND \| ", r"\1"),
        "dma-not-endless",
        "ROUND (repeat) is 0, the design's is 1",
    ),
    "N for N − 1": (
        replacing(r"COUNTS\(9600u - 1u\)", "COUNTS(9600u)"),
        "timer-registers",
        "period) is 9600, the design's is 9599",
    ),
    "converter not enabled": (
        without(r"^    ADC_1_MODE = SCAN_MODE_ON;.*\n"),
        "startup-converter",
        "MODE.ON (on) is 0",
    ),
    "another input": (
        replacing(r"SLOT_INPUT\(3u\)", "SLOT_INPUT(5u)"),
        "firmware-differs",
        "SLOT_1.INPUT (channel) is 5, the design's is 3",
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
    mutate, cause, evidence = MISTAKES[name]
    folder = tmp_path / "c"
    shutil.copytree(sound, folder)
    setup = folder / "wg_setup.c"
    setup.write_text(mutate(setup.read_text()))
    _outcome, proof = run(strict, folder, tmp_path / "t.h5")
    assert [verdict for verdict in proof.verdicts if verdict.outcome == "fails"]
    first = proof.causes[0]
    assert first.cause == cause, [(one.cause, one.fit, one.evidence) for one in proof.causes]
    assert evidence in first.evidence
    assert first.remedy is None  # it is mended in the C


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
