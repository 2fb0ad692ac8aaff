"""A chain that ends: stopped and started by own code, or after the one bufferful that is wanted."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.core.emulator.test_image import record
from tests.core.firmware.compiled import built, needs_compiler, rebuilt
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import WattigramError
from wattigram.core.firmware import write_firmware
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import apply_edit
from wattigram.core.model.design.workspace_files import workspace_from_text
from wattigram.core.predict.timing import scan_timing

RAMP_V, HALF_PERIOD_S, STEP_S = 3.0, 0.1, 1e-4
DESIGN = """
format = "wattigram-project"
version = 6
name = "ends"
part = "marten-m3"
reference = "supply"
[[signals]]
name = "Ramp"
pin = "A3"
[[chains]]
converter = "ADC 1"
divider = 3
[chains.trigger]
{trigger}
[chains.readout]
{readout}
[chains.buffer]
name = "Loop A"
samples = {samples}
isr_cycles = 150
[[chains.slots]]
signal = "Ramp"
sampling_cycles = 64
[[bench]]
pin = "A3"
source_resistance = "0 Ω"
[bench.source]
kind = "triangle"
from = "0.1 V"
to = "3.1 V"
period = "0.2 s"
[[expectations]]
kind = "waveform"
signal = "Ramp"
within = "8 mV"
[[expectations]]
kind = "rate"
signal = "Ramp"
within = "1 %"
"""
TIMER = 'kind = "timer"\ntimer = "Timer 2"\nperiod = "100 us"'
EVERY = 'kind = "software"\nperiod = "500 us"'
HALTING = """
[[reactions]]
name = "Halt"
[reactions.when]
kind = "period"
period = "3.37 ms"
[reactions.do]
kind = "call"
function = "halt_or_go"
"""
OWN = """
#include "wg_registers.h"
static unsigned calls;
void halt_or_go(void)
{
    calls++;
    if ((calls & 1u) != 0u) {
        ADC_1_MODE &= ~SCAN_MODE_ON;
    } else {
        ADC_1_MODE |= SCAN_MODE_ON;
    }
}
"""


def design(trigger: str, readout: str, samples: int, more: str = "") -> Workspace:
    text = DESIGN.format(trigger=trigger, readout=readout, samples=samples) + more
    return workspace_from_text(text, "here")


@needs_compiler
@pytest.mark.parametrize(
    "readout", ['kind = "dma"\nchannel = "DMA 1"', 'kind = "interrupt"'], ids=["dma", "interrupt"]
)
def test_what_own_code_stops_and_starts_brings_what_lies_between(
    readout: str, tmp_path: Path
) -> None:
    """The voltage of a ramp says when each sample was taken: none while the converter was off."""
    workspace = design(TIMER, readout, 20, HALTING)
    write_firmware(workspace, tmp_path / "c")
    own = tmp_path / "c" / "own.c"
    own.write_text(own.read_text() + OWN)
    elf = rebuilt(workspace, tmp_path / "c").elf
    with record(workspace, 0.05, tmp_path / "image.h5", f"image:{elf}") as take:
        codes = take.items(0)
        converted = take.totals["converted.0"]
    volts = np.asarray(codes) * 3.3 / 4096
    numbers = np.round((volts - 0.1) / RAMP_V * HALF_PERIOD_S / STEP_S - 0.02)
    instants = np.arange(500)
    period = 3.37e-3 / STEP_S
    wanted = instants[(instants // period) % 2 == 0]
    assert len(numbers) == len(wanted)
    assert converted - len(wanted) in {0, 1}  # one more at the very end
    assert np.max(np.abs(numbers - wanted)) <= 1  # half a count of noise, where a step has 3.7


ROUTE = """
[[uarts]]
name = "UART 1"
baud = 230400
[[routes]]
name = "Ramp over wire"
channel = "DMA 3"
source_bits = 8
destination_bits = 8
[routes.source]
kind = "result"
converter = "ADC 1"
signal = "Ramp"
[routes.destination]
kind = "send"
uart = "UART 1"
"""


@needs_compiler
def test_what_is_taken_back_goes_no_other_way(tmp_path: Path) -> None:
    """A route that moves each result to a serial port moves just those that were converted."""
    dma = 'kind = "dma"\nchannel = "DMA 1"'
    workspace = design(TIMER, dma, 20, ROUTE + HALTING)
    write_firmware(workspace, tmp_path / "c")
    own = tmp_path / "c" / "own.c"
    own.write_text(own.read_text() + OWN)
    elf = rebuilt(workspace, tmp_path / "c").elf
    with record(workspace, 0.05, tmp_path / "image.h5", f"image:{elf}") as take:
        sent, samples = take.output(0), take.items(0)
        assert abs(len(sent.values) - len(samples)) <= 1
        count = min(len(sent.values), len(samples))
        assert np.array_equal(sent.values[:count], samples[:count] & 0xFF)
        assert not sent.overwritten.any()


def judged_by_hardware() -> Workspace:
    """The converter itself sees when the ramp is above 1.645 V, after 51.5 ms."""
    threshold = (
        '[[signals.thresholds]]\nname = "high"\nlow = "0 V"\nhigh = "1.645 V"\ninput = "raw"\n'
        'condition = "above"\nhysteresis = "50 mV"\ndone_in = "hardware"\n'
    )
    text = DESIGN.replace('pin = "A3"\n[[chains]]', f'pin = "A3"\n{threshold}[[chains]]')
    for marten, osprey in (
        ("marten-m3", "osprey-x2"),
        ("divider = 3", "divider = 4"),
        ("sampling_cycles = 64", "sampling_cycles = 36"),
    ):
        text = text.replace(marten, osprey)
    dma = 'kind = "dma"\nchannel = "DMA 1"'
    return workspace_from_text(
        text.format(trigger=TIMER, readout=dma, samples=20) + HALTING, "here"
    )


@needs_compiler
def test_a_converter_that_is_off_judges_nothing(tmp_path: Path) -> None:
    """A limit that is crossed while own code has the converter off is told by the first sample after."""
    workspace = judged_by_hardware()
    write_firmware(workspace, tmp_path / "c")
    own = tmp_path / "c" / "own.c"
    mine = OWN.replace("ADC_1_MODE", "ADC_1_POWER").replace("SCAN_MODE_ON", "TWINSCAN_POWER_ENABLE")
    own.write_text(own.read_text() + mine)
    elf = rebuilt(workspace, tmp_path / "c").elf
    with record(workspace, 0.09, tmp_path / "image.h5", f"image:{elf}") as take:
        # 1.645 V is there after 51.5 ms; the converter is off from 50.55 to 53.92 ms.
        assert take.events["entered"].tolist() == [1]
        assert int(take.events["ticks"][0]) / take.tick_hz == pytest.approx(54e-3, abs=5e-6)


SINGLE = {
    "interrupt": (TIMER, 'kind = "interrupt"\nsingle_run = true'),
    "scan": (TIMER, 'kind = "interrupt"\nper = "scan"\nsingle_run = true'),
    "polling": (EVERY, 'kind = "polling"\nsingle_run = true'),
    "waiting": (EVERY, 'kind = "polling"\ntimeout = "5 ms"\nsingle_run = true'),
    "again": ('kind = "software"', 'kind = "interrupt"\nsingle_run = true'),
}


@pytest.mark.parametrize("name", SINGLE)
def test_a_single_run_ends_with_its_buffer(name: str, tmp_path: Path) -> None:
    """Just so many samples come as the buffer holds, however they are fetched; that is no fault."""
    workspace = design(*SINGLE[name], samples=150)
    chain = workspace.project.chains[0]
    assert scan_timing(workspace, chain).items_limit == 150
    assert not [one for one in find_all(workspace) if one.severity == "error"]
    with record(workspace, 0.2, tmp_path / "take.h5") as take:
        assert take.item_count(0) == take.totals["converted.0"] == 150
        proof = prove(workspace, take)
        assert [one.outcome for one in proof.verdicts] == ["holds", "holds"]


@needs_compiler
@pytest.mark.parametrize("name", ["interrupt", "waiting"])
def test_an_image_ends_its_single_run(name: str, tmp_path: Path) -> None:
    """The program turns the converter off, and what it has sent is what the design sends."""
    workspace = design(*SINGLE[name], samples=150)
    elf = built(workspace, tmp_path / "c").elf
    with (
        record(workspace, 0.2, tmp_path / "image.h5", f"image:{elf}") as image,
        record(workspace, 0.2, tmp_path / "design.h5") as plain,
    ):
        assert image.item_count(0) == 150
        assert image.totals["converted.0"] - 150 in {0, 1}
        if name == "interrupt":
            assert np.array_equal(image.items(0), plain.items(0))
        proof = prove(workspace, image)
        assert [one.outcome for one in proof.verdicts] == ["holds", "holds"]


@needs_compiler
def test_a_wait_is_given_up_at_its_time(tmp_path: Path) -> None:
    """A wait with a time-out is passed over in leaps, and ends when it would have ended."""
    readout = 'kind = "polling"\ntimeout = "60 us"'
    workspace = design(TIMER, readout, 20)
    elf = built(workspace, tmp_path / "c").elf
    with record(workspace, 0.1, tmp_path / "image.h5", f"image:{elf}") as take:
        assert take.totals["converted.0"] in {1000, 1001}
        # It never waits for as long as a result takes, but for the few that come while it is
        # elsewhere.
        assert take.item_count(0) - take.lost_items(0) < 30
    longer = design(TIMER, readout.replace("60", "200"), 20)
    elf = built(longer, tmp_path / "longer").elf
    with record(longer, 0.1, tmp_path / "longer.h5", f"image:{elf}") as take:
        assert take.lost_items(0) == 0
        assert scan_timing(longer, longer.project.chains[0]).cycle_s == Fraction(1, 10_000)
        assert take.item_count(0) == 1000


CONTROL = """
[[reactions]]
name = "{name}"
[reactions.when]
{when}
[reactions.do]
kind = "converter"
converter = "ADC 1"
action = "{action}"
"""
OFF = CONTROL.format(name="Off", when='kind = "period"\nperiod = "30.05 ms"', action="stop")
ON = CONTROL.format(name="On", when='kind = "period"\nperiod = "70.03 ms"', action="start")


def on_at(at_s: float, seconds: float) -> bool:
    """Whether a converter is on that is stopped every 30.05 ms and started every 70.03 ms."""
    acts = [(number * 0.03005, False) for number in range(1, int(seconds / 0.03005) + 1)]
    acts += [(number * 0.07003, True) for number in range(1, int(seconds / 0.07003) + 1)]
    now = True
    for act_s, turns_on in sorted(acts):
        if act_s <= at_s:
            now = turns_on
    return now


@pytest.mark.parametrize("board", ["design", pytest.param("image", marks=needs_compiler)])
@pytest.mark.parametrize(
    "readout", ['kind = "dma"\nchannel = "DMA 1"', 'kind = "interrupt"'], ids=["dma", "interrupt"]
)
def test_reactions_stop_and_start_a_converter(board: str, readout: str, tmp_path: Path) -> None:
    """Samples come of just those instants at which it is on, each with its own."""
    workspace = design(TIMER, readout, 20, OFF + ON)
    assert not [one for one in find_all(workspace) if one.severity == "error"]
    address = "virtual"
    if board == "image":
        address = f"image:{built(workspace, tmp_path / 'c').elf}"
    with record(workspace, 0.5, tmp_path / "take.h5", address) as take:
        stamps = take.items(64).astype(np.int64)
        held_s = stamps / take.tick_hz
        wanted = [number for number in range(5000) if on_at(number * STEP_S, 0.5)]
        numbers = np.rint((held_s - held_s[0]) / STEP_S).astype(int).tolist()
        if board == "design":
            assert numbers == wanted
        else:  # the main loop comes to it as soon as it has sent a half
            acts = [0.3005 * number for number in range(1, 17)]
            acts += [0.7003 * number for number in range(1, 8)]
            for other in {*numbers} ^ {*wanted}:
                assert (
                    min(other + 0.01 - 1000 * act for act in acts if 1000 * act <= other + 0.01)
                    < 12
                )
        proof = prove(workspace, take)
        assert [one.outcome for one in proof.verdicts] == ["holds", "holds"]


def test_its_own_results_may_stop_a_converter(tmp_path: Path) -> None:
    """The half in which a threshold is crossed is the last, until it is started again."""
    threshold = (
        '[[signals.thresholds]]\nname = "high"\nlow = "0 V"\nhigh = "1.6 V"\n'
        'condition = "above"\nhysteresis = "100 mV"\n'
    )
    text = DESIGN.replace('pin = "A3"\n[[chains]]', f'pin = "A3"\n{threshold}[[chains]]')
    stop = CONTROL.format(name="Stop", when='kind = "threshold"\nsignal = "Ramp"', action="stop")
    workspace = workspace_from_text(
        text.format(trigger=TIMER, readout='kind = "interrupt"', samples=20) + stop, "here"
    )
    with record(workspace, 0.3, tmp_path / "take.h5") as take:
        # 1.5 V further at 30 V/s are 50 ms: the half that holds the 501st sample is the last.
        assert take.item_count(0) == 510
        assert len(take.events) == 1


def test_a_converter_that_converts_once_is_not_turned_on_and_off() -> None:
    with pytest.raises(WattigramError, match="converts only once"):
        design('kind = "software"\nrepeat = false', 'kind = "interrupt"', 20, OFF)


AGAIN = CONTROL.format(name="Again", when='kind = "period"\nperiod = "3.37 ms"', action="rearm")
ONE_RUN = {
    "dma": 'kind = "dma"\nchannel = "DMA 1"\ncircular = false\nsingle_run = true',
    "interrupt": 'kind = "interrupt"\nsingle_run = true',
    "scan": 'kind = "interrupt"\nper = "scan"\nsingle_run = true',
    "polling": 'kind = "polling"\nsingle_run = true',
}


@pytest.mark.parametrize("board", ["design", pytest.param("image", marks=needs_compiler)])
@pytest.mark.parametrize("name", ONE_RUN)
@pytest.mark.parametrize("trigger", [TIMER, 'kind = "free-running"'], ids=["timer", "free"])
def test_a_single_run_that_is_over_is_rearmed(
    board: str, name: str, trigger: str, tmp_path: Path
) -> None:
    """Each run has its whole buffer, from the first trigger after it was re-armed; a run that is not over
    goes on."""
    sampling = {TIMER: 64}.get(trigger, 768)
    workspace = design(trigger, ONE_RUN[name], 20, AGAIN)
    slots = tuple(
        slot.replaced(sampling_cycles=sampling) for slot in workspace.project.chains[0].slots
    )
    chain = workspace.project.chains[0].replaced(
        slots=slots, per_trigger="continuous" if sampling == 768 else "scan"
    )
    workspace = Workspace(workspace.project.replaced(chains=(chain,)), workspace.part)
    assert not [one for one in find_all(workspace) if one.severity == "error"]
    address = "virtual"
    if board == "image":
        address = f"image:{built(workspace, tmp_path / 'c').elf}"
    with record(workspace, 0.05, tmp_path / "take.h5", address) as take:
        assert take.lost_items(0) == 0
        held_s = take.items(64).astype(np.int64) / take.tick_hz
        volts = take.items(0) * 3.3 / 4096
        proof = prove(workspace, take)
    each_s = float(scan_timing(workspace, chain).cycle_s)
    assert np.max(np.abs(volts - 0.1 - 30.0 * held_s)) < 3e-3
    runs = held_s[: len(held_s) // 20 * 20].reshape(-1, 20)
    assert len(runs) == 15
    assert np.diff(runs, axis=1) == pytest.approx(each_s, abs=2e-6)
    begun_s = runs[1:, 0] - held_s[0]
    armed_s = np.arange(1, 15) * 3.37e-3
    wait_s = begun_s - armed_s
    assert wait_s.min() > -1e-6
    assert wait_s.max() < 1e-4 + 1.5e-4 * (board == "image")
    if trigger == TIMER:
        numbers = begun_s / STEP_S
        assert numbers == pytest.approx(np.rint(numbers), abs=0.01)
    assert [one.outcome for one in proof.verdicts] == ["holds", "holds"]


def test_what_is_rearmed_before_its_end_is_told(tmp_path: Path) -> None:
    """A run of 20 samples takes 2 ms: each third time of 0.9 ms one begins."""
    often = AGAIN.replace("3.37 ms", "0.9 ms")
    workspace = design(TIMER, ONE_RUN["interrupt"], 20, often)
    (found,) = (one for one in find_all(workspace) if one.code == "rearmed-too-early")
    assert "each third of them" in found.message
    assert found.remedy is not None
    longer = apply_edit(workspace, found.remedy)
    assert "rearmed-too-early" not in {one.code for one in find_all(longer)}
    with record(workspace, 0.05, tmp_path / "take.h5") as take:
        assert take.item_count(0) == pytest.approx(0.05 / 0.0027 * 20, abs=20)


def test_what_is_rearmed_has_an_end() -> None:
    with pytest.raises(WattigramError, match="filled again and again"):
        design(TIMER, 'kind = "interrupt"', 20, AGAIN)


ENDING = """
[[reactions]]
name = "That is all"
[reactions.when]
{when}
[reactions.do]
kind = "end"
"""
THRESHOLD = (
    '[[signals.thresholds]]\nname = "high"\nlow = "0 V"\nhigh = "0.7 V"\n'
    'condition = "above"\nhysteresis = "100 mV"\n'
)


@pytest.mark.parametrize("board", ["design", pytest.param("image", marks=needs_compiler)])
@pytest.mark.parametrize(
    ("when", "wanted"),
    [
        ('kind = "period"\nperiod = "12.34 ms"', 124),
        ('kind = "results"\nconverter = "ADC 1"\nmark = "full"', 20),
        ('kind = "threshold"\nsignal = "Ramp"', 210),  # of 201 the half that holds the last
    ],
    ids=["period", "results", "threshold"],
)
@pytest.mark.parametrize("readout", ['kind = "dma"\nchannel = "DMA 1"', 'kind = "interrupt"'])
def test_a_reaction_ends_the_run(
    board: str, when: str, wanted: int, readout: str, tmp_path: Path
) -> None:
    """It is as long as that, and nothing of it is missing."""
    text = DESIGN.replace('pin = "A3"\n[[chains]]', f'pin = "A3"\n{THRESHOLD}[[chains]]')
    workspace = workspace_from_text(
        text.format(trigger=TIMER, readout=readout, samples=20) + ENDING.format(when=when), "here"
    )
    address = "virtual"
    if board == "image":
        address = f"image:{built(workspace, tmp_path / 'c').elf}"
    with record(workspace, 0.08, tmp_path / "take.h5", address) as take:
        count = take.item_count(0)
        assert wanted <= count <= wanted + 1 + (board == "image")
        assert take.seconds == pytest.approx((wanted - 1) * STEP_S, abs=2.5e-4)
        assert take.lost_items(0) == 0
        assert [one.outcome for one in prove(workspace, take).verdicts].count("fails") == 0
