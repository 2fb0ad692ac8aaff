"""Converters that reactions start: each time a scan, with firmware and without."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import record
from tests.core.firmware.compiled import built, needs_compiler
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import ProjectError
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.workspace_files import workspace_from_text

DESIGN = """
format = "wattigram-project"
version = 6
name = "asked"
part = "{part}"
reference = "supply"
[[signals]]
name = "Tank"
pin = "{pins[0]}"
[[signals]]
name = "Valve"
pin = "{pins[1]}"
[[chains]]
converter = "{converter}"
divider = {divider}
bits = {bits}
[chains.trigger]
kind = "software"
asked = true
[chains.readout]
{readout}
[chains.buffer]
name = "Loop A"
samples = 8
isr_cycles = 200
[[chains.slots]]
signal = "Tank"
sampling_cycles = {sampling}
[[chains.slots]]
signal = "Valve"
sampling_cycles = {sampling}
[[bench]]
pin = "{pins[0]}"
source_resistance = "1 kΩ"
[bench.source]
kind = "triangle"
from = "0.2 V"
to = "3 V"
period = "1.7 s"
[[bench]]
pin = "{pins[1]}"
source_resistance = "1 kΩ"
[bench.source]
kind = "dc"
voltage = "1 V"
{more}
[[expectations]]
kind = "waveform"
signal = "Tank"
within = "40 mV"
[[expectations]]
kind = "reaction"
signal = "Ask"
within = "200 us"
"""
ASK = """
[[reactions]]
name = "Ask"
[reactions.when]
{when}
[reactions.do]
kind = "converter"
converter = "{converter}"
action = "start"
"""
UART = """
[[uarts]]
name = "UART 1"
baud = 19200
[[bench]]
pin = "B11"
source_resistance = "100 Ω"
[bench.source]
kind = "serial"
baud = 19200
interval = "7 ms"
bits = 5
period = "1 s"
"""
MARTEN = {
    "part": "marten-m3",
    "pins": ("A1", "A2"),
    "converter": "ADC 1",
    "sampling": 64,
    "bits": 12,
    "divider": 4,
}
QUILL = {
    "part": "quill-q8",
    "pins": ("C0", "C1"),
    "converter": "ADC",
    "sampling": 8,
    "bits": 10,
    "divider": 16,
}
READOUTS = {
    "dma": 'kind = "dma"\nchannel = "DMA 1"',
    "interrupt": 'kind = "interrupt"\nper = "conversion"',
    "polling": 'kind = "polling"',
}


def design(readout: str, when: str, part: dict[str, object] = MARTEN, more: str = "") -> Workspace:
    ask = ASK.format(when=when, converter=part["converter"]) if when else ""
    text = DESIGN.format(readout=readout, more=more + ask, **part)
    if not when:
        text = text[: text.rindex("[[expectations]]")]
    return workspace_from_text(text, "here")


@pytest.mark.parametrize("board", ["design", pytest.param("image", marks=needs_compiler)])
@pytest.mark.parametrize("readout", READOUTS)
def test_each_asking_brings_a_scan(readout: str, board: str, tmp_path: Path) -> None:
    """A byte every 7 ms asks for a scan of two; each comes at its time, and no other."""
    workspace = design(READOUTS[readout], 'kind = "byte"\nuart = "UART 1"', more=UART)
    assert not [one for one in find_all(workspace) if one.severity == "error"]
    address, late = "virtual", 2
    if board == "image":
        address, late = f"image:{built(workspace, tmp_path / 'c').elf}", 6000
    with record(workspace, 2, tmp_path / "take.h5", address) as take:
        asked = take.events["ticks"].astype(np.int64)
        tank = take.raw("Tank")
        assert tank is not None
        assert len(asked) == 286
        assert len(asked) - 4 <= tank.count <= len(asked)  # what is not half a buffer yet
        held = np.rint(tank.times_s * take.tick_hz).astype(np.int64)
        apart = held - asked[: tank.count]
        sampling = 64 * 4
        assert apart.min() >= sampling - 1
        assert apart.max() <= sampling + late
        proof = prove(workspace, take)
        assert proof.all_hold, [(one.outcome, one.note) for one in proof.verdicts]


@pytest.mark.parametrize("board", ["design", pytest.param("image", marks=needs_compiler)])
def test_a_period_asks_too_and_the_program_points_from_slot_to_slot(
    board: str, tmp_path: Path
) -> None:
    """On a part whose program points the converter, one asking brings a whole scan."""
    workspace = design(
        'kind = "interrupt"\nper = "conversion"', 'kind = "period"\nperiod = "11 ms"', QUILL
    )
    address = "virtual"
    if board == "image":
        address = f"image:{built(workspace, tmp_path / 'c').elf}"
    with record(workspace, 1, tmp_path / "take.h5", address) as take:
        tank, valve = take.raw("Tank"), take.raw("Valve")
        assert tank is not None
        assert valve is not None
        assert 86 <= tank.count <= 90
        assert tank.count == valve.count
        apart_ms = np.diff(tank.times_s) * 1000
        assert np.all(np.abs(apart_ms - 11) < 0.2)
        assert tank.times_s[0] * 1000 == pytest.approx(11, abs=0.3)
        assert np.all(valve.times_s > tank.times_s)
        assert prove(workspace, take).all_hold


def test_what_nobody_asks_is_found_and_goes_on_by_itself() -> None:
    workspace = design(READOUTS["dma"], "")
    finding = next(one for one in find_all(workspace) if one.code == "never-triggered")
    assert "no reaction starts it" in finding.message
    assert finding.remedy is not None
    mended = edited(workspace, finding.remedy)
    assert "never-triggered" not in {one.code for one in find_all(mended)}


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ('action = "start"', 'action = "stop"', "is off unless it is asked"),
        ("asked = true", 'asked = true\nperiod = "5 ms"', "has no period of its own"),
    ],
)
def test_what_contradicts_itself_is_refused(old: str, new: str, said: str) -> None:
    text = DESIGN.format(
        readout=READOUTS["dma"],
        more=ASK.format(when='kind = "period"\nperiod = "11 ms"', converter="ADC 1"),
        **MARTEN,
    )
    assert old in text
    with pytest.raises(ProjectError, match=said):
        workspace_from_text(text.replace(old, new), "here")
