"""ISRs of two converters, of which none interrupts the other: what one loses while the other runs."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.core.emulator.test_image import record, with_measured_handlers
from tests.core.emulator.test_stopping import AGAIN
from tests.core.firmware.compiled import built, needs_compiler, rebuilt
from wattigram.core.advise.findings import find_all
from wattigram.core.capture.session.board_process import ImageBoardProcess
from wattigram.core.capture.take import Take
from wattigram.core.capture.transport import open_transport
from wattigram.core.emulator.board_setup import board_setup
from wattigram.core.firmware import write_firmware
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.workspace_files import workspace_from_text
from wattigram.core.predict.timing import HELD_UP, is_contended, retrieval_timing

pytestmark = needs_compiler
SECONDS = 0.2
CHAIN = """
[[chains]]
converter = "{converter}"
divider = 3
trigger = {{ kind = "timer", timer = "{timer}", period = "{period}" }}
readout = {{ {readout} }}
buffer = {{ name = "{buffer}", samples = {samples}, isr_cycles = 150 }}
slots = [{slots}]
"""
RAMP = """
[[bench]]
pin = "{pin}"
source_resistance = "0 Ω"
source = {{ kind = "triangle", from = "0.1 V", to = "3.1 V", period = "0.2 s" }}
[[expectations]]
kind = "rate"
signal = "{signal}"
within = "0.5 %"
"""
HEAD = """
format = "wattigram-project"
version = 6
name = "turns"
part = "marten-m3"
reference = "supply"
signals = [{signals}]
"""


def turns(period: str, sampling: int, signals: dict[str, str]) -> str:
    """A converter whose results an ISR fetches one by one, and one whose halves DMA fills every 1.6 ms; the
    first ``signals``, with their pins, are the first one's."""
    *first, last = signals
    slots = ", ".join(f'{{ signal = "{name}", sampling_cycles = {sampling} }}' for name in first)
    return (
        HEAD.format(
            signals=", ".join(
                f'{{ name = "{name}", pin = "{pin}" }}' for name, pin in signals.items()
            )
        )
        + CHAIN.format(
            converter="ADC 1",
            timer="Timer 2",
            period=period,
            readout='kind = "interrupt"',
            buffer="Loop A",
            samples=100,
            slots=slots,
        )
        + CHAIN.format(
            converter="ADC 2",
            timer="Timer 3",
            period="50 us",
            readout='kind = "dma", channel = "DMA 1"',
            buffer="Loop B",
            samples=64,
            slots=f'{{ signal = "{last}", sampling_cycles = 64 }}',
        )
        + RAMP.format(pin=signals["Quick"], signal="Quick")
        + RAMP.format(pin=signals["Slow"], signal="Slow")
    )


DESIGN = turns("20 us", 64, {"Quick": "A3", "Slow": "A4"})
TWO_SLOTS = turns("40 us", 384, {"Quick": "A3", "Still": "A5", "Slow": "A4"})
OWN = """
#include "wg_hooks.h"
void wg_isr_half_adc_2(bool is_second)
{
    (void)is_second;
    for (volatile unsigned n = 0u; n < ROUNDSu; n++) {
    }
}
"""


def busy(folder: Path, rounds: int, design: str = DESIGN) -> tuple[Workspace, str]:
    """The design with an ISR of its own that takes so many rounds at each half, and its image."""
    workspace = workspace_from_text(design, "here")
    write_firmware(workspace, folder)
    (folder / "own.c").write_text(OWN.replace("ROUNDS", str(rounds)), "utf-8")
    return workspace, str(rebuilt(workspace, folder).elf)


@pytest.mark.parametrize("rounds", [2, 800])
def test_what_an_image_loses_is_predicted_with_its_clocks(tmp_path: Path, rounds: int) -> None:
    workspace, elf = busy(tmp_path / "c", rounds)
    with record(workspace, SECONDS, tmp_path / "i.h5", f"image:{elf}") as image:
        counted = with_measured_handlers(workspace, image)
        lost = image.lost_items(0)
        assert image.lost_items(1) == 0
    timing = retrieval_timing(counted, counted.project.chains[0])
    codes = {finding.code for finding in find_all(counted)}
    with record(counted, SECONDS, tmp_path / "d.h5") as same:
        share = same.totals["lost.0"] / same.totals["converted.0"]
        due = [cause.cause for cause in prove(counted, same).causes]
    assert (timing.reason == HELD_UP) == ("isr-held-up" in codes) == (rounds > 100)
    if rounds > 100:
        assert lost > 150
        assert share == pytest.approx(float(timing.lost_hz / timing.items_hz), rel=0.05)
        assert lost / (SECONDS * float(timing.items_hz)) == pytest.approx(share, rel=0.05)
        assert due[0] == "isr-held-up"
    else:
        assert (lost, share, due) == (0, 0, [])


@pytest.mark.parametrize("rounds", [500, 800])
def test_each_signal_keeps_its_place_with_an_image_and_without(tmp_path: Path, rounds: int) -> None:
    """As many results of each are lost, and none is taken for another. Where both buffers are half full at
    once, every 8 ms, the image's ISR takes longer than it does else."""
    workspace, elf = busy(tmp_path / "c", rounds, TWO_SLOTS)
    came = []
    with record(workspace, SECONDS, tmp_path / "i.h5", f"image:{elf}") as image:
        counted = with_measured_handlers(workspace, image)
        came.append(quick_and_still(image))
    with record(counted, SECONDS, tmp_path / "d.h5") as same:
        came.append(quick_and_still(same))
    assert sum(came[0]) < 0.99 * SECONDS / 40e-6 * 2
    assert came[0] == pytest.approx(came[1], abs=SECONDS / 0.008 + 2)


def quick_and_still(take: Take) -> tuple[int, int]:
    """How many came of two signals, of which one stands still."""
    counts = []
    for name, most_v in (("Quick", 3.2), ("Still", 0.01)):
        curve = take.raw(name)
        assert curve is not None
        found_v = curve.volts[curve.valid]
        assert found_v.max() < most_v
        counts.append(len(found_v))
    return counts[0], counts[1]


def test_with_an_isr_as_long_as_stated_nothing_waits(tmp_path: Path) -> None:
    workspace = workspace_from_text(DESIGN, "here")
    elf = built(workspace, tmp_path / "c").elf
    with record(workspace, 0.1, tmp_path / "i.h5", f"image:{elf}") as image:
        assert image.lost_items(0) == image.lost_items(1) == 0


@pytest.mark.parametrize("more", ["", AGAIN])
def test_a_converter_that_is_through_holds_up_nobody(more: str, tmp_path: Path) -> None:
    """Halves of the other are fetched as long as the board runs, though there is nothing more of the first."""
    text = DESIGN.replace('kind = "interrupt"', 'kind = "interrupt", single_run = true')
    workspace = workspace_from_text(
        text.replace("isr_cycles = 150", "isr_cycles = 1500") + more, "here"
    )
    assert is_contended(workspace)
    with record(workspace, 0.1, tmp_path / "d.h5") as take:
        assert take.item_count(1) == 2000
        runs = take.item_count(0) / 100
        assert runs == 1 if not more else 25 <= runs <= 30


@needs_compiler
def test_who_asks_takes_nothing_of_the_firmware_s_time(tmp_path: Path) -> None:
    """A host that is slow asks how far a run is, as often as it likes: the run is the same."""
    workspace = workspace_from_text(DESIGN, "here")
    elf = built(workspace, tmp_path / "c").elf
    assert elf is not None
    ends = []
    for asks in (False, True):
        with ImageBoardProcess(board_setup(workspace, 1), elf) as board:
            transport = open_transport(board.address)
            transport.command(f"start fast ticks={workspace.bus_clock_hz // 10}")
            said = b""
            while b"stopped ticks" not in said:
                if asks:
                    transport.command("query")
                said += transport.read()
            transport.close()
        counts = re.compile(rb"(?:stopped|silicon)(?: [\w.]+=\d+)+")
        ends.append(
            counts.findall(said)[-2:]
        )  # what the silicon counted, busy clocks too, and the firmware
        assert (b"running ticks" in said) == asks
    assert ends[0] == ends[1]
    assert any(b"busy.main" in one for one in ends[0])
