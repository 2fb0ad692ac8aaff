"""A buffer that no interrupt tells of: DMA keeps it fresh, and the program reads the newest of it."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import record
from tests.core.firmware.compiled import built, needs_compiler
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import WattigramError
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.workspace_files import workspace_from_text
from wattigram.core.predict.timing import buffer_timing, retrieval_timing, scan_timing

FREE = 'kind = "free-running"'
TIMER = 'kind = "timer"\ntimer = "Timer 2"\nperiod = "70 us"'
EVERY = 'kind = "software"\nperiod = "700 us"'
SIGNAL = '[[signals]]\nname = "{name}"\npin = "{pin}"\n'
SLOT = '[[chains.slots]]\nsignal = "{name}"\nsampling_cycles = 64\n'
DESIGN = """
format = "wattigram-project"
version = 6
name = "newest"
part = "marten-m3"
reference = "supply"
{signals}
[[chains]]
converter = "ADC 1"
divider = 3
[chains.trigger]
{trigger}
[chains.readout]
kind = "dma"
channel = "DMA 1"
{read}
[chains.buffer]
name = "Newest"
samples = {samples}
isr_cycles = 100
{slots}
[[reactions]]
name = "Lamp"
[reactions.when]
kind = "threshold"
signal = "Lever"
change = "both"
[reactions.do]
kind = "pin"
pin = "B4"
level = "follows"
[[bench]]
pin = "A1"
source_resistance = "0 Ω"
[bench.source]
kind = "triangle"
from = "0.2 V"
to = "3 V"
period = "0.1 s"
[[bench]]
pin = "A2"
source_resistance = "0 Ω"
[bench.source]
kind = "dc"
voltage = "1 V"
[[expectations]]
kind = "waveform"
signal = "Lever"
within = "5 mV"
[[expectations]]
kind = "rate"
signal = "Lever"
within = "0.2 %"
"""
THRESHOLD = '[[signals.thresholds]]\nname = "pulled"\nlow = "0 V"\nhigh = "1.5 V"\ncondition = "above"\nhysteresis = "50 mV"\n'


def design(
    trigger: str, samples: int, slots: int = 2, read: str = 'read_period = "1 ms"'
) -> Workspace:
    names = ("Lever", "Load")[:slots]
    text = DESIGN.format(
        trigger=trigger,
        samples=samples,
        read=read,
        signals=SIGNAL.format(name="Lever", pin="A1")
        + THRESHOLD
        + SIGNAL.format(name="Load", pin="A2") * (slots > 1),
        slots="".join(SLOT.format(name=name) for name in names),
    )
    return workspace_from_text(text, "here")


def newest_held(workspace: Workspace, slot: int, instants_s: list[Fraction]) -> list[int]:
    """Ticks at which the newest result of a slot was held, by what timing says of even scans."""
    cycle = scan_timing(workspace, workspace.project.chains[0])
    timing, held = cycle.slots[slot], []
    for at_s in instants_s:
        scan = (at_s - timing.end_s) // cycle.cycle_s
        held.append(round((scan * cycle.cycle_s + timing.held_s) * workspace.bus_clock_hz))
    return held


@pytest.mark.parametrize(
    ("trigger", "samples", "slots"),
    [(FREE, 2, 2), (FREE, 8, 2), (TIMER, 1, 1), (TIMER, 4, 2)],
    ids=["free", "long", "one", "timer"],
)
def test_the_program_reads_the_newest_of_each_slot(
    trigger: str, samples: int, slots: int, tmp_path: Path
) -> None:
    """Each sample is the last that was ready when the program came, and says when it was held."""
    workspace = design(trigger, samples, slots)
    assert not find_all(workspace)
    with record(workspace, 0.25, tmp_path / "take.h5") as take:
        stamps = take.items(64).reshape(-1, slots).astype(np.int64)
        codes = take.items(0).reshape(-1, slots)
        instants = [Fraction(number, 1000) for number in range(1, 1 + len(stamps))]
        assert len(stamps) in {249, 250}
        for slot in range(slots):
            assert stamps[:, slot].tolist() == newest_held(workspace, slot, instants)
        at_s = stamps[:, 0] / float(workspace.bus_clock_hz)
        shape_v = 0.2 + 2.8 * (1 - np.abs(1 - at_s / 0.05 % 2))
        assert np.max(np.abs(codes[:, 0] * 3.3 / 4096 - shape_v)) < 0.003
        assert take.lost_items(0) == 0
        assert prove(workspace, take).all_hold
        assert len(take.events) == 5
    loop = buffer_timing(workspace, workspace.project.chains[0])
    oldest = max(
        float(at - held / workspace.bus_clock_hz)
        for slot in range(slots)
        for at, held in zip(instants, stamps[:, slot].tolist(), strict=True)
    )
    assert oldest <= float(loop.oldest_s)
    timing = retrieval_timing(workspace, workspace.project.chains[0])
    assert (timing.events_hz, timing.lost_hz) == (1000, 0)


@needs_compiler
@pytest.mark.parametrize(
    ("trigger", "samples", "slots"),
    [(FREE, 2, 2), (TIMER, 1, 1), (EVERY, 4, 2)],
    ids=["free", "one", "uneven"],
)
def test_an_image_reads_them_too(trigger: str, samples: int, slots: int, tmp_path: Path) -> None:
    """Without an ISR, a few clocks later; a buffer of one scan included, and scans that go by no
    even time."""
    workspace = design(trigger, samples, slots)
    elf = built(workspace, tmp_path / "c").elf
    with (
        record(workspace, 0.2, tmp_path / "image.h5", f"image:{elf}") as image,
        record(workspace, 0.2, tmp_path / "design.h5") as plain,
    ):
        assert image.item_count(0) == plain.item_count(0) > 190 * slots
        late = image.items(64).astype(np.int64) - plain.items(64).astype(np.int64)
        cycle = scan_timing(workspace, workspace.project.chains[0])
        scan_ticks = float(cycle.cycle_s * workspace.bus_clock_hz)
        assert late.min() >= -1000 * (trigger == EVERY)
        assert late.max() <= 4000 + scan_ticks
        assert image.totals["busy.isr"] < 0.001 * image.totals["ticks"]
        proof = prove(workspace, image)
        assert proof.all_hold, [verdict.note for verdict in proof.verdicts]
        assert len(image.events) == len(plain.events) == 4


def test_reading_more_often_than_it_converts_is_found() -> None:
    workspace = design(EVERY, 2, 2, 'read_period = "100 us"')
    finding = next(one for one in find_all(workspace) if one.code == "read-too-often")
    assert finding.remedy is not None
    mended = edited(workspace, finding.remedy)
    assert "read-too-often" not in {one.code for one in find_all(mended)}


@pytest.mark.parametrize(
    ("samples", "read", "words"),
    [
        (1, "", "holds one sample, which has no half"),
        (
            4,
            'read_period = "1 ms"\nsingle_run = true\ncircular = false',
            "A single run is handed over",
        ),
    ],
)
def test_what_cannot_be_is_refused(samples: int, read: str, words: str) -> None:
    with pytest.raises(WattigramError, match=words):
        design(TIMER, samples, 1, read)
