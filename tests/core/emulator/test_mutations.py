"""Mistakes in edited C: each shows its symptom on the virtual board, and the proof names it."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

import pytest

from tests.conftest import edited
from tests.core.emulator.mutants import Mistake, moved, mutant, named, replacing, run, without
from tests.core.firmware.compiled import built, needs_compiler
from wattigram.core.capture.session import RunOutcome
from wattigram.core.capture.take import open_take
from wattigram.core.model.design import LevelExpectation, Workspace
from wattigram.core.model.design.edits import AddExpectation

pytestmark = needs_compiler
MISTAKES = {
    "DMA after the converter": Mistake(
        moved(r"^    DMA_1_RULE = MOVER_RULE_ON \|[^;]*;.*\n", r"^    TIMER_2_RUN = .*\n"),
        "startup-memory",
        "DMA 1",
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
    "DMA writes nowhere": Mistake(
        without(r"^    DMA_1_TO = .*\n"), "firmware-failed", "DMA 1: 512 bytes"
    ),
    "a mark that is not taken": Mistake(
        without(r"^        DMA_1_MARKS = MOVER_MARKS_HALF;\n"),
        "firmware-failed",
        "the interrupt of DMA 1 would come again and again, for its ISR leaves MARKS.HALF "
        "set: wg_isr.c:",
        "wg_isr.c",
    ),
    "a mark that is not served": Mistake(
        without(r"^        wg_chain_mark\(0u, true, .*\n"),
        "half-not-served",
        "second halves",
        "wg_isr.c",
    ),
    "values that are not kept": Mistake(
        without(r"^ +kept\[n\] = codes\[n\];\n"),
        "stage-differs",
        "are not what the samples give that came",
        "wg_filter.c",
    ),
    "a window that is not judged": Mistake(
        without(r"^ +judge\(now, true, first, count, codes\);\n"),
        "events-not-told",
        "events were due and none came, while samples did",
        "wg_filter.c",
        2.6,
    ),
    "halves from the same place": Mistake(
        without(r"^        one->begin = begin;\n"), "same-half-again", "noise and all", "wg_chain.c"
    ),
    "halves that are not sent": Mistake(
        without(r"^    wg_link_send\(&frame, items\);\n"),
        "never-sent",
        "it converted",
        "wg_chain.c",
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
    return edited(
        cured, AddExpectation(LevelExpectation(signal="3.3 V rail", level_v=3.3, within_v=0.006))
    )


@pytest.fixture(scope="module")
def sound(strict: Workspace, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("sound")
    built(strict, folder)
    return folder


@pytest.mark.parametrize("name", MISTAKES)
def test_a_mistake_in_the_firmware_is_seen_and_named(
    name: str, strict: Workspace, sound: Path, tmp_path: Path
) -> None:
    mistake = MISTAKES[name]
    folder = mutant(mistake, sound, tmp_path / "c")
    _outcome, proof = run(strict, folder, tmp_path / "t.h5", mistake.seconds)
    named(mistake, proof)
    assert not proof.all_hold
    assert bool(proof.differences) == (mistake.file == "wg_setup.c"), proof.differences
    assert proof.causes[0].remedy is None  # it is mended in the C


def test_a_calibration_that_does_not_end_is_told(
    strict: Workspace, sound: Path, tmp_path: Path
) -> None:
    folder = tmp_path / "c"
    shutil.copytree(sound, folder)
    setup = folder / "wg_setup.c"
    setup.write_text(setup.read_text().replace("#define PATIENCE 1000000u", "#define PATIENCE 1u"))
    outcome, _proof = run(strict, folder, tmp_path / "t.h5", 0.05)
    assert outcome.samples > 1000
    with open_take(tmp_path / "t.h5") as take:
        assert {"calibration of ADC 1 did not end", "calibration of ADC 2 did not end"} <= set(
            take.log
        )


def fails(strict: Workspace, sound: Path, tmp_path: Path, own: str) -> tuple[RunOutcome, Path]:
    folder = tmp_path / "c"
    shutil.copytree(sound, folder)
    (folder / "own.c").write_text(own)
    outcome, _proof = run(strict, folder, tmp_path / "t.h5", 0.1)
    return outcome, folder


HOOK = '#include "wg_hooks.h"\n\nvoid wg_samples_upper_zone(const wg_samples *samples)\n{\n'


def test_a_bad_address_is_told_with_its_line(
    strict: Workspace, sound: Path, tmp_path: Path
) -> None:
    own = HOOK + "    *(volatile uint32_t *)0x70000000u = samples->count;\n}\n"
    outcome, _folder = fails(strict, sound, tmp_path, own)
    note = next(text for text in outcome.notes if "failed" in text)
    assert "writes to an address where there is nothing" in note
    assert "own.c:5 in wg_samples_upper_zone()" in note


def test_an_endless_loop_is_told_with_its_line(
    strict: Workspace, sound: Path, tmp_path: Path
) -> None:
    own = HOOK + '    while (samples->count != 0u) {\n        __asm volatile("nop");\n    }\n}\n'
    outcome, _folder = fails(strict, sound, tmp_path, own)
    note = next(text for text in outcome.notes if "failed" in text)
    assert "round and round" in note
    assert "own.c:" in note


def test_a_stack_that_overflows_is_told(strict: Workspace, sound: Path, tmp_path: Path) -> None:
    own = (
        '#include "wg_hooks.h"\n\nstatic uint32_t deep(volatile uint32_t *more)\n{\n'
        "    volatile uint32_t room[64];\n    room[0] = *more + 1u;\n    return deep(room) + "
        "room[1];\n}\n\n"
        "void wg_samples_upper_zone(const wg_samples *samples)\n{\n"
        "    volatile uint32_t first = samples->count;\n    first = deep(&first);\n}\n"
    )
    outcome, _folder = fails(strict, sound, tmp_path, own)
    note = next(text for text in outcome.notes if "failed" in text)
    assert "stack has grown beyond its memory" in note
    assert "own.c:" in note


def test_dma_beyond_memory_is_told(strict: Workspace, sound: Path, tmp_path: Path) -> None:
    folder = tmp_path / "c"
    shutil.copytree(sound, folder)
    setup = folder / "wg_setup.c"
    text = re.sub(r"\(uint32_t\)\(uintptr_t\)wg_buffer_adc_1", "0x30000000u", setup.read_text())
    setup.write_text(text)
    outcome, _proof = run(strict, folder, tmp_path / "t.h5", 0.2)
    assert any("DMA 1" in note and "no memory" in note for note in outcome.notes)
