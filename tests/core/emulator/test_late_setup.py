"""Own code that sets up converters, their timers and their DMA otherwise while the board runs, against a
calculation that goes from trigger to trigger and knows none of our formulas."""

from __future__ import annotations

import random
from pathlib import Path

import numpy as np
import pytest

from tests.core.emulator.test_hooks import own_memory
from tests.core.emulator.test_image import record
from tests.core.emulator.test_stopping import DESIGN, HALTING, TIMER, design, judged_by_hardware
from tests.core.firmware.compiled import needs_compiler, rebuilt
from wattigram.core.capture.take import Take
from wattigram.core.contract.link import STAMP_STREAM
from wattigram.core.firmware import write_firmware
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.workspace_files import workspace_from_text

pytestmark = needs_compiler
SECONDS = 0.05
CLOCK_HZ = 96_000_000
CALLED_TICKS = round(3.37e-3 * CLOCK_HZ)
LATE_TICKS = 6000
"""By which a call may come later than it is due, at most: the main loop is at something else."""
STILL = """
[[bench]]
pin = "{pin}"
source_resistance = "0 Ω"
[bench.source]
kind = "dc"
voltage = "{level}"
"""
COMPARATOR = """
[[comparators]]
name = "Comparator 1"
signal = "Ramp"
against = "internal"
threshold = "515.625 mV"
hysteresis = "0 V"
edge = "both"
"""
BY_INTERRUPT = 'kind = "interrupt"'
BY_DMA = 'kind = "dma"\nchannel = "DMA 1"'


def with_own_code(
    workspace: Workspace, own: str, folder: Path, *, off_at_start: bool = False
) -> str:
    """The image of a design with own code that is called every 3.37 ms and counts its calls; with
    ``off_at_start`` nobody else switches its converter on."""
    write_firmware(workspace, folder)
    if off_at_start:
        setup = (folder / "wg_setup.c").read_text()
        (folder / "wg_setup.c").write_text(
            setup.replace("ADC_1_MODE = SCAN_MODE_ON", "ADC_1_MODE = 0u")
        )
    path = folder / "own.c"
    body = (
        '\n#include "wg_port.h"\n#include "wg_registers.h"\nstatic unsigned calls;\nuint16_t runs[16][20];\n'
        'uint32_t ticks[16];\n#include "wg_clock.h"\n'
        f"void halt_or_go(void)\n{{\n    calls++;\n{own}\n}}\n"
    )
    path.write_text(path.read_text() + body)
    return str(rebuilt(workspace, folder).elf)


def image(own: str, tmp_path: Path, readout: str = BY_INTERRUPT) -> tuple[Workspace, str]:
    """A design with a converter that a timer starts, and its image."""
    workspace = design(TIMER, readout, 20, HALTING)
    return workspace, with_own_code(workspace, own, tmp_path / "c")


def run(own: str, tmp_path: Path) -> Take:
    """A take of own code."""
    workspace, elf = image(own, tmp_path)
    return record(workspace, SECONDS, tmp_path / "image.h5", f"image:{elf}")


def held(take: Take) -> np.ndarray:
    """Instants at which samples were held, as firmware stamped them."""
    return np.asarray(take.items(STAMP_STREAM)).astype(np.int64)


def assert_true(take: Take, held_ticks: np.ndarray) -> None:
    """Each sample is what the ramp had at the instant that its stamp tells."""
    volts = np.asarray(take.items(0)) * 3.3 / 4096
    wanted_v = 0.1 + 30.0 * held_ticks / CLOCK_HZ
    assert np.max(np.abs(volts - wanted_v)) < 3e-3


def test_a_timer_with_another_period(tmp_path: Path) -> None:
    """The counter goes on where it stands: from 100 µs to 75 µs and back; where it stands beyond the new
    period, one begins at once."""
    with run("    TIMER_2_TOP = (calls & 1u) != 0u ? 7199u : 9599u;", tmp_path) as take:
        stamps = held(take)
        assert_true(take, stamps)
        written = {write.setting for write in take.late_writes}
        assert written == {"period"}
    gaps = np.diff(stamps)
    starts = stamps - stamps[0]
    for call in range(1, 14):
        begin, end = call * CALLED_TICKS + LATE_TICKS + 9600, (call + 1) * CALLED_TICKS - 9600
        inside = gaps[(starts[:-1] > begin) & (starts[1:] < end)]
        assert len(inside) > 20
        assert set(inside.tolist()) == {7200 if call % 2 else 9600}
    odd = gaps[(gaps != 7200) & (gaps != 9600)]
    # To a longer period the counter needs nothing but to go on.
    assert len(odd) <= 7
    assert all(7200 < gap < 9600 for gap in odd)


def test_a_timer_that_stands_and_goes_on(tmp_path: Path) -> None:
    """Nothing is converted while it stands, and its counter goes on from where it stood."""
    own = "    TIMER_2_RUN = (calls & 1u) != 0u ? 0u : COUNTER_RUN_ON;"
    with run(own, tmp_path) as take:
        stamps = held(take)
        assert_true(take, stamps)
    gaps = np.diff(stamps)
    pauses = gaps[gaps != 9600]
    assert len(pauses) == 7
    # For 3.37 ms, 33.7 periods, it stood, so that what is left of a period comes after it.
    assert np.all(np.abs(pauses - CALLED_TICKS - 9600) < LATE_TICKS)
    assert len(stamps) == pytest.approx(0.05 / 2 / 1e-4, abs=20)


def test_a_slower_conversion_is_ready_later(tmp_path: Path) -> None:
    """The clock of the converter divided by six in place of three, and 128 clocks of sampling for 64."""
    own = """
    const bool odd = (calls & 1u) != 0u;
    ADC_1_PACE = odd ? SCAN_PACE_CUT_6 : SCAN_PACE_CUT_3;
    ADC_1_SLOT(0u) = SCAN_SLOT_INPUT(3u) | (odd ? SCAN_SLOT_HOLD_128 : SCAN_SLOT_HOLD_64);"""
    with run(own, tmp_path) as take:
        stamps = held(take)
        volts = np.asarray(take.items(0)) * 3.3 / 4096
    # Firmware takes a conversion for as long as it was designed, from the ready result back.
    later = (128 + 13) * 6 - (64 + 13) * 3
    gaps = np.diff(stamps)
    assert set(gaps.tolist()) == {9600, 9600 + later, 9600 - later}
    changes = np.flatnonzero(gaps != 9600)
    assert np.array_equal(gaps[changes], 9600 + later * np.resize([1, -1], len(changes)))
    assert np.array_equal((changes + 1) * 9600 // CALLED_TICKS, np.arange(1, len(changes) + 1))
    late = (volts - 0.1) / 30.0 * CLOCK_HZ - np.arange(len(volts)) * 9600
    odd = np.arange(len(volts)) * 9600 // CALLED_TICKS % 2 == 1
    found = np.mean(late[odd]) - np.mean(late[~odd])  # a count has 2 578 clocks of the ramp
    assert found == pytest.approx(128 * 6 - 64 * 3, abs=250)


def test_another_input_and_another_number_of_slots(tmp_path: Path) -> None:
    """Two slots in place of one, of which the second looks at a pin that nothing drives high."""
    own = """
    const bool odd = (calls & 1u) != 0u;
    ADC_1_SLOT(1u) = SCAN_SLOT_INPUT(4u) | SCAN_SLOT_HOLD_64;
    ADC_1_REACH = odd ? 1u : 0u;"""
    with run(own, tmp_path) as take:
        volts = np.asarray(take.items(0)) * 3.3 / 4096
    is_ramp = volts > 0.05
    wanted = sum(2 if n * 9600 // CALLED_TICKS % 2 else 1 for n in range(500))
    assert len(volts) == pytest.approx(wanted, abs=14)
    assert np.count_nonzero(is_ramp) == pytest.approx(500, abs=3)
    assert np.all(np.diff(volts[is_ramp]) > -2e-3)


def test_dma_that_is_begun_anew_fills_its_buffer_from_the_first_element(tmp_path: Path) -> None:
    """A run of 20 samples that is over is begun again by own code, in other memory."""
    own = """
    DMA_1_RULE &= ~MOVER_RULE_ON;
    DMA_1_TO = (uint32_t)(uintptr_t)runs[calls % 16u];
    DMA_1_RULE |= MOVER_RULE_ON;"""
    dma = 'kind = "dma"\nchannel = "DMA 1"\ncircular = false\nsingle_run = true'
    workspace, _elf = image(own, tmp_path, dma)
    found = own_memory(workspace, tmp_path / "c", SECONDS)["runs"]
    runs = np.asarray(found).reshape(16, 20)
    starts = (runs[1:15, 0] * 3.3 / 4096 - 0.1) / 30.0 * CLOCK_HZ
    wanted = np.arange(1, 15) * CALLED_TICKS
    assert np.all((starts - wanted > -300) & (starts - wanted < 9600 + LATE_TICKS))
    steps = np.diff(runs[1:15].astype(int), axis=1)
    assert np.all(np.abs(steps - 3.72) < 2)


def test_limits_of_a_window_that_are_moved(tmp_path: Path) -> None:
    """The converter's own window goes by its limits as they are then."""
    own = """
    if (calls == 3u) {
        ADC_1_WATCH_HIGH(0u) = 2482u; /* 2.0 V, which the ramp has after 63.3 ms */
    } else if (calls == 21u) {
        ADC_1_WATCH_HIGH(0u) = 2978u; /* 2.4 V, after 76.7 ms: what it has now no longer counts */
    }"""
    workspace = judged_by_hardware()
    elf = with_own_code(workspace, own, tmp_path / "c")
    with record(workspace, 0.09, tmp_path / "image.h5", f"image:{elf}") as take:
        assert take.events["entered"].tolist() == [1, 0, 1]
        wanted_s = [63.4e-3, 21 * 3.37e-3, 76.8e-3]
        assert take.events["ticks"] / take.tick_hz == pytest.approx(wanted_s, abs=1.5e-4)
        assert {write.setting for write in take.late_writes} == {"window-high"}


def followed(writes: list[tuple[int, str, int]], end: int) -> list[int]:
    """Instants at which a converter is started by a timer of 9 600 clocks whose period is changed, that is
    stopped and goes on, while the converter is turned off and on."""
    triggers: list[int] = []
    origin, period, position, is_on = 0, 9600, -1, True
    for (begin, what, value), stop in zip(
        [(0, "", 0), *writes], [*(at for at, _what, _value in writes), end], strict=True
    ):
        now = (begin - origin) % period if position < 0 else position
        if what == "period":
            period = value
            now = 0 if now >= period else now
        elif what == "run":
            position = -1 if value else now
        elif what == "on":
            is_on = bool(value)
        if position >= 0:
            position = now
            continue
        origin = begin - now
        at = origin if now == 0 else origin + period
        while at < stop:
            triggers += [at] if is_on else []
            at += period
    return triggers


@pytest.mark.parametrize("seed", [3, 5, 9])
@pytest.mark.parametrize("readout", [BY_INTERRUPT, 'kind = "dma"\nchannel = "DMA 1"'])
def test_any_of_these_at_any_instant(seed: int, readout: str, tmp_path: Path) -> None:
    dice = random.Random(seed)
    actions = [dice.choice(["period", "period", "run", "on"]) for _ in range(14)]
    is_set = {"run": 1, "on": 1}
    lines, values = [], []
    for number, what in enumerate(actions, start=1):
        if what == "period":
            value = dice.randrange(2000, 20_000)
            written = f"TIMER_2_TOP = {value - 1}u;"
        else:
            value = is_set[what] = 1 - is_set[what]
            register, flag = {
                "run": ("TIMER_2_RUN", "COUNTER_RUN_ON"),
                "on": ("ADC_1_MODE", "SCAN_MODE_ON"),
            }[what]
            written = f"{register} = {flag if value else '0u'};"
        values.append(value)
        lines.append(f"    if (calls == {number}u) {{ {written} }}")
    own = "    ticks[0] = (uint32_t)wg_clock_epoch();\n"
    own += "    if (calls < 16u) { ticks[calls] = (uint32_t)wg_port_now(); }\n" + "\n".join(lines)
    workspace, elf = image(own, tmp_path, readout)
    with record(workspace, SECONDS, tmp_path / "t.h5", f"image:{elf}") as take:
        codes = np.asarray(take.items(0))
        stamps = held(take) if readout == BY_INTERRUPT else None
    ticks = own_memory(workspace, tmp_path / "c", SECONDS)["ticks"].astype(np.int64)
    writes = [
        (int(at - ticks[0]), *one) for at, *one in zip(ticks[1:15], actions, values, strict=True)
    ]
    wanted = np.array(followed(writes, round(SECONDS * CLOCK_HZ)))
    assert abs(len(codes) - len(wanted)) <= 1
    count = min(len(codes), len(wanted))
    volts = codes[:count] * 3.3 / 4096
    assert np.max(np.abs(volts - 0.1 - 30.0 * (wanted[:count] + 192) / CLOCK_HZ)) < 3e-3
    if stamps is not None:
        assert np.max(np.abs(stamps[:count] - wanted[:count] - 192)) < 200


@pytest.mark.parametrize("slots", [1, 2])
def test_a_converter_that_software_points_elsewhere(slots: int, tmp_path: Path) -> None:
    """Each conversion is of the input that the converter is pointed to when it is started."""
    text = DESIGN
    for before, after in (
        ("marten-m3", "quill-q8"),
        ('"A3"', '"C0"'),
        ("divider = 3", "divider = 16\nbits = 10"),
        ("sampling_cycles = 64", "sampling_cycles = 4"),
        ('converter = "ADC 1"', 'converter = "ADC"'),
    ):
        text = text.replace(before, after)
    text = text.format(
        trigger='kind = "software"\nperiod = "500 us"', readout=BY_INTERRUPT, samples=20
    )
    if slots == 2:
        again = '[[chains.slots]]\nsignal = "Low"\nsampling_cycles = 4\n[[bench]]'
        text = text.replace("[[bench]]", again, 1)
        text = text.replace("[[chains]]", '[[signals]]\nname = "Low"\npin = "C2"\n[[chains]]', 1)
        text += STILL.format(pin="C2", level="0.02 V")
    text += STILL.format(pin="C1", level="4 V")
    workspace = workspace_from_text(text + HALTING, "here")
    own = "    ADC_B = (uint8_t)((ADC_B & ~DIP_B_INPUT_BITS) | DIP_B_INPUT((calls & 1u) != 0u ? 1u : 0u));"
    elf = with_own_code(workspace, own, tmp_path / "c")
    with record(workspace, SECONDS, tmp_path / "image.h5", f"image:{elf}") as take:
        volts = np.asarray(take.items(0)) * 5 / 1024
        held_s = held(take) / take.tick_hz
    is_other = np.abs(volts - 4) < 0.02
    if slots == 1:  # it stays pointed where own code has pointed it
        near = held_s % 3.37e-3 < 1e-3
        assert np.array_equal(is_other[~near], (held_s[~near] // 3.37e-3) % 2 == 1)
        ramp = ~is_other
        assert np.max(np.abs(volts[ramp] - 0.1 - 30.0 * held_s[ramp])) < 0.012
    else:  # firmware points it anew after each result
        assert 5 <= np.count_nonzero(is_other) <= 8
        assert np.all(np.diff(np.flatnonzero(is_other)) > 4)


def test_a_converter_that_follows_another_follows_its_timer(tmp_path: Path) -> None:
    text = DESIGN.format(trigger=TIMER, readout=BY_INTERRUPT, samples=20)
    text = text.replace("[[chains]]", '[[signals]]\nname = "Beside"\npin = "A4"\n[[chains]]', 1)
    chain = text[text.index("[[chains]]") : text.index("[[bench]]")]
    second = chain.replace(TIMER, 'kind = "converter"\nfollows = "ADC 1"')
    for before, after in (("ADC 1", "ADC 2"), ("Loop A", "Loop B"), ("Ramp", "Beside")):
        second = second.replace(f'"{before}"', f'"{after}"', 1)
    second = second.replace('follows = "ADC 2"', 'follows = "ADC 1"')
    workspace = workspace_from_text(text.replace(chain, chain + second) + HALTING, "here")
    own = "    TIMER_2_TOP = calls >= 3u ? 4799u : 9599u;"
    elf = with_own_code(workspace, own, tmp_path / "c")
    with record(workspace, SECONDS, tmp_path / "image.h5", f"image:{elf}") as take:
        first, other = (
            np.asarray(take.items(STAMP_STREAM + number)).astype(np.int64) for number in (0, 1)
        )
    assert len(first) == pytest.approx(0.01011 / 1e-4 + (SECONDS - 0.01011) / 5e-5, abs=3)
    assert np.array_equal(first, other)


@pytest.mark.parametrize("readout", [BY_INTERRUPT, BY_DMA], ids=["interrupt", "dma"])
def test_a_converter_that_is_set_up_and_switched_on_only_later(
    readout: str, tmp_path: Path
) -> None:
    """From the third call on; until then nothing is converted."""
    workspace = design(TIMER, readout, 20, HALTING)
    folder = tmp_path / "c"
    own = "    if (calls == 3u) {\n        ADC_1_MODE = SCAN_MODE_ON;\n    }"
    elf = with_own_code(workspace, own, folder, off_at_start=True)
    with record(workspace, SECONDS, tmp_path / "image.h5", f"image:{elf}") as take:
        volts = np.asarray(take.items(0)) * 3.3 / 4096
        converted = take.totals["converted.0"]
    begin = -(-3 * CALLED_TICKS // 9600)
    wanted_v = 0.1 + 30.0 * np.arange(begin, 500) * 1e-4
    assert abs(converted - len(wanted_v)) <= 1
    count = len(volts)
    assert count > len(wanted_v) - 21
    assert np.max(np.abs(volts - wanted_v[:count] - 30.0 * 192 / CLOCK_HZ)) < 3e-3


def test_a_converter_that_only_own_code_knows(tmp_path: Path) -> None:
    """It sets up a second converter, a timer that starts it and DMA for it, long after the start; and later
    another period."""
    own = """
    if (calls == 3u) {
        TIMER_3_STEP = 0u;
        TIMER_3_TOP = 4799u;
        ADC_2_MODE = 0u;
        ADC_2_PACE = SCAN_PACE_CUT_3;
        ADC_2_CAUSE = SCAN_CAUSE_BY_TIMER_3;
        ADC_2_OUT = SCAN_OUT_WAY_DMA;
        ADC_2_REACH = 0u;
        ADC_2_SLOT(0u) = SCAN_SLOT_INPUT(3u) | SCAN_SLOT_HOLD_64;
        DMA_2_FROM = (uint32_t)(uintptr_t)&ADC_2_RESULT(0u);
        DMA_2_TO = (uint32_t)(uintptr_t)runs;
        DMA_2_LENGTH = 320u;
        DMA_2_RULE = MOVER_RULE_ON | MOVER_RULE_TO_UP | MOVER_RULE_FROM_SIZE_16 | MOVER_RULE_TO_SIZE_16
            | MOVER_RULE_ON_EVENT_ADC_2;
        ADC_2_MODE = SCAN_MODE_ON;
        TIMER_3_RUN = COUNTER_RUN_ON;
    } else if (calls == 5u) {
        TIMER_3_TOP = 9599u;
    }"""
    workspace, _elf = image(own, tmp_path)
    found = np.asarray(own_memory(workspace, tmp_path / "c", SECONDS)["runs"]).ravel().astype(int)
    held = (found * 3.3 / 4096 - 0.1) / 30.0 * CLOCK_HZ
    begin, later = 3 * CALLED_TICKS, 5 * CALLED_TICKS
    fast = round(2 * CALLED_TICKS / 4800)
    slow = len(found) - fast  # then its DMA is through
    apart = held - np.concatenate((begin + 4800 * np.arange(fast), later + 9600 * np.arange(slow)))
    # Its own errors are some counts, of 2578 clocks of the ramp each.
    assert np.max(np.abs(apart)) < 8 * 2578
    assert np.all(np.abs(np.diff(found[:fast]) - 1.86) < 3)
    assert np.all(np.abs(np.diff(found[fast + 1 :]) - 3.72) < 3)


def test_a_comparator_with_other_levels_and_off_for_a_while(tmp_path: Path) -> None:
    """Each edge is of the level that holds then; what was to come of the level before does not."""
    own = """
    if (calls == 3u) {
        COMPARATOR_1_STEP = 4u; /* 412.5 mV, which the ramp has after 10.42 ms */
    } else if (calls == 5u) {
        COMPARATOR_1_STEP = 10u; /* 1.031 V: low again at once, and high after 31.04 ms */
    } else if (calls == 10u) {
        COMPARATOR_1_MODE &= ~TRIP_MODE_ON;
        COMPARATOR_1_STEP = 13u; /* 1.341 V after 41.35 ms */
    } else if (calls == 11u) {
        COMPARATOR_1_MODE |= TRIP_MODE_ON;
    }"""
    workspace = design(TIMER, BY_INTERRUPT, 20, HALTING + COMPARATOR)
    elf = with_own_code(workspace, own, tmp_path / "c")
    with record(workspace, SECONDS, tmp_path / "image.h5", f"image:{elf}") as take:
        events = take.events
    assert events["entered"].tolist() == [1, 0, 1, 1]
    wanted_s = [10.42e-3, 16.85e-3, 31.04e-3, 41.35e-3]
    assert events["ticks"] / take.tick_hz == pytest.approx(wanted_s, abs=1.5e-4)
