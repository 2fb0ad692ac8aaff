"""Mistakes in edited C of other parts: what hardware judges, what software points, outputs and
routes."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from tests.core.emulator.mutants import Mistake, mutant, named, replacing, run, without
from tests.core.firmware.compiled import built, needs_compiler
from tests.paths import EXAMPLES
from wattigram.core.capture.take import open_take
from wattigram.core.model.design import Workspace, open_workspace

pytestmark = needs_compiler


SAFETY = {
    "comparator not enabled": Mistake(
        replacing(r"(COMPARATOR_1_MODE = )TRIP_MODE_ON \| ", r"\1"),
        "firmware-differs",
        "MODE.ON is 0 (on no)",
    ),
    "comparator's interrupt not enabled": Mistake(
        without(r"^    WG_LINES_ENABLE\(0u\) = 1u << 6;.*\n"),
        "firmware-differs",
        "interrupt of Comparator 1 (line 6)",
    ),
    "comparator tells nothing": Mistake(
        replacing(r"TRIP_MODE_TELL \| ", ""), "firmware-differs", "MODE.TELL is 0 (tells no)"
    ),
    "another threshold": Mistake(
        replacing(r"TRIP_STEP_STEPS\(\d+u\)", "TRIP_STEP_STEPS(0u)"),
        "firmware-differs",
        "STEP.STEPS is 0 (step 0)",
    ),
    "the comparator's edges are not passed on": Mistake(
        without(r"^        wg_threshold_tell\(\d+u, is_high,.*\n"),
        "events-not-told",
        "the program told of 0 and 0",
        "wg_isr.c",
    ),
    "a window's events are not passed on": Mistake(
        without(r"^        wg_threshold_tell\(\d+u, entered,.*\n"),
        "events-not-told",
        "threshold 1 of ADC 1 saw its condition begin",
        "wg_isr.c",
    ),
    "an end is told as a beginning": Mistake(
        replacing(r"(TWINSCAN_WATCH_FLAG_ENTERED\) >> \d\)) != 0u", r"\1 != 1u"),
        "events-not-told",
        "threshold 1 of ADC 1 first saw its condition begin at ",
        "wg_isr.c",
    ),
    "a window's flag is not taken": Mistake(
        without(r"^        ADC_1_WATCH_FLAG\(0u\) = TWINSCAN_WATCH_FLAG_SEEN;\n"),
        "firmware-failed",
        "its ISR leaves WATCH_FLAG_0.SEEN set: wg_isr.c:",
        "wg_isr.c",
    ),
    "the comparator's flag is not taken": Mistake(
        without(r"^        COMPARATOR_1_FLAG = TRIP_FLAG_SEEN;\n"),
        "firmware-failed",
        "its ISR leaves FLAG.SEEN set: wg_isr.c:",
        "wg_isr.c",
    ),
}


@pytest.fixture(scope="module")
def safety() -> Workspace:
    return open_workspace(EXAMPLES / "kiln-safety")


@pytest.fixture(scope="module")
def sound_safety(safety: Workspace, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("safety")
    built(safety, folder)
    return folder


@pytest.mark.parametrize("name", SAFETY)
def test_a_mistake_with_what_hardware_judges_is_named(
    name: str, safety: Workspace, sound_safety: Path, tmp_path: Path
) -> None:
    mistake = SAFETY[name]
    _outcome, proof = run(
        safety, mutant(mistake, sound_safety, tmp_path / "c"), tmp_path / "t.h5", 4.4
    )
    named(mistake, proof)


def test_sound_firmware_has_no_cause(safety: Workspace, sound_safety: Path, tmp_path: Path) -> None:
    folder = tmp_path / "c"
    shutil.copytree(sound_safety, folder)
    outcome, proof = run(safety, folder, tmp_path / "t.h5", 4.4)
    assert proof.all_hold
    assert (proof.causes, proof.differences) == ((), ())
    with open_take(tmp_path / "t.h5") as take:
        seen = {
            key: count for key, count in take.totals.items() if key.startswith(("began.", "ended."))
        }
        assert {key.partition(".")[2] for key in seen} == {"ADC_1.0", "COMPARATOR_1"}
        assert sum(seen.values()) <= len(take.events)
        assert "first.ADC_1.0" in take.totals
    assert not [text for text in outcome.notes if "failed" in text]


POINTED = {
    "another input": Mistake(
        replacing(r"DIP_B_INPUT\(1u\)\); /\* Pedal", "DIP_B_INPUT(2u)); /* Pedal"),
        "firmware-differs",
        "ADC is pointed to channels 2 3 in turn, by the design to 1 3",
        "wg_isr.c",
    ),
    "never pointed": Mistake(
        without(r"^        point_adc\(place_adc\);\n"),
        "firmware-differs",
        "ADC is pointed to channels 1 in turn, by the design to 1 3",
        "wg_isr.c",
    ),
    "one place too many": Mistake(
        replacing(r"place_adc \+ 1u < 2u", "place_adc + 1u < 3u"),
        "firmware-differs",
        "ADC is pointed to channels 1 3 3 in turn, by the design to 1 3",
        "wg_isr.c",
    ),
    "results that are not taken": Mistake(
        without(r"^        wg_chain_put\(.*\n"), "never-sent", "it converted", "wg_isr.c"
    ),
}
RAMP = {
    "no table": Mistake(
        without(r"^    DMA_2_TAKES = .*\n"),
        "firmware-differs",
        "DMA 2 TAKES.ADDRESS (from) is 0x00000000",
    ),
    "a point too many": Mistake(
        replacing(r"CARRIER_LENGTH_ITEMS\(1250u\)", "CARRIER_LENGTH_ITEMS(1251u)"),
        "firmware-differs",
        "DMA 2 LENGTH.ITEMS is 1251",
    ),
    "DAC without its trigger": Mistake(
        replacing(r"LEVEL_MODE_BY_TIMER_2 \| ", ""),
        "firmware-differs",
        "DAC MODE.BY is 0 (trigger none)",
    ),
    "timer not started": Mistake(
        replacing(r"BEAT_MODE_WITH_ADC_1 \| BEAT_MODE_RUN", "BEAT_MODE_WITH_ADC_1"),
        "firmware-differs",
        "Timer 2 MODE.RUN is 0",
    ),
}
CHECKUP = {
    "DAC not enabled": Mistake(
        without(r"^    DAC_1_MODE = .*\n"), "firmware-differs", "DAC 1 MODE.ON is 0 (on no)"
    ),
}
WHEEL = {
    "serial port not enabled": Mistake(
        without(r"^    UART_1_MODE = .*\n"), "firmware-differs", "UART 1 MODE.ON is 0 (on no)"
    ),
    "another baud": Mistake(
        without(r"^    UART_1_PACE = .*\n"), "firmware-differs", "UART 1 PACE.CUT is 0 (divider 1)"
    ),
    "no pulses": Mistake(
        replacing(
            r"BEAT_MODE_PULSE \| BEAT_MODE_WAIT \| BEAT_MODE_RUN", "BEAT_MODE_WAIT | BEAT_MODE_RUN"
        ),
        "firmware-differs",
        "Timer 1 MODE.PULSE is 0",
    ),
    "nothing asks for a transfer": Mistake(
        replacing(r"(DMA_3_RULE = .*) \| CARRIER_RULE_ON_EVENT_ADC_1", r"\1"),
        "firmware-differs",
        "DMA 3 RULE.ON_EVENT is 0",
    ),
    "one transfer and no more": Mistake(
        replacing(r"(DMA_3_RULE = .*)CARRIER_RULE_ROUND \| ", r"\1"),
        "firmware-differs",
        "DMA 3 RULE.ROUND is 0 (repeat no)",
    ),
    "two routes to one place": Mistake(
        replacing(r"(DMA_3_GIVES = \(uint32_t\)\(uintptr_t\)&)UART_2_SEND", r"\1TIMER_1_PART"),
        "firmware-failed",
        "Registers are set to what no board could do",
    ),
    "the route's source": Mistake(
        without(r"^    DMA_3_TAKES = .*\n"), "firmware-differs", "DMA 3 TAKES.ADDRESS"
    ),
}


EXAMPLES_EDITED = (
    "wheel-pedal",
    "kiln-ramp",
    "converter-checkup",
    "pedal-to-wheel/wheel.wattigram.toml",
)


@pytest.fixture(scope="module")
def sound_examples(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Firmware of each, in a folder of its name."""
    folder = tmp_path_factory.mktemp("examples")
    for example in EXAMPLES_EDITED:
        built(open_workspace(EXAMPLES / example), folder / example.replace("/", " "))
    return folder


@pytest.mark.parametrize(
    ("example", "name", "seconds"),
    [
        *(("wheel-pedal", name, 2.4) for name in POINTED),
        *(("kiln-ramp", name, 4.4) for name in RAMP),
        *(("converter-checkup", name, 2.4) for name in CHECKUP),
        *(("pedal-to-wheel/wheel.wattigram.toml", name, 2.0) for name in WHEEL),
    ],
)
def test_a_mistake_with_pointing_outputs_and_routes_is_named(
    example: str, name: str, seconds: float, sound_examples: Path, tmp_path: Path
) -> None:
    """What nothing comes of is told as well, and no mistake ends the board."""
    mistake = (POINTED | RAMP | CHECKUP | WHEEL)[name]
    workspace = open_workspace(EXAMPLES / example)
    folder = mutant(mistake, sound_examples / example.replace("/", " "), tmp_path / "c")
    _outcome, proof = run(workspace, folder, tmp_path / "t.h5", seconds)
    named(mistake, proof)
