"""Reactions that let a signal be read at another pin: expected, run with and without an image, and
judged."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import record
from tests.core.firmware.compiled import built, needs_compiler
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import EditError, ProjectError
from wattigram.core.capture.take import Take
from wattigram.core.capture.take.signal_samples import OutputSamples
from wattigram.core.judge import prove
from wattigram.core.judge.compared_streams import compared_blocks
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import (
    BlockAverage,
    PeriodElapsed,
    PointAction,
    ProgramOutput,
    Reaction,
    Workspace,
    output_of,
    program_outputs,
)
from wattigram.core.model.design.edits import RemoveWiring, SetFilter, SetReaction, SetWiring
from wattigram.core.model.design.workspace_files import workspace_from_text

DESIGN = """
format = "wattigram-project"
version = 6
name = "two-tanks"
part = "{part}"
reference = "supply"
[[signals]]
name = "Tank"
pin = "{pins[0]}"
[[signals.thresholds]]
low = "0 V"
high = "2.4 V"
condition = "above"
hysteresis = "50 mV"
{other}
[[chains]]
converter = "{converter}"
divider = {divider}
bits = {bits}
[chains.trigger]
kind = "timer"
timer = "{timer}"
period = "500 us"
[chains.readout]
{readout}
[chains.buffer]
name = "Loop A"
samples = 16
isr_cycles = 200
[[chains.slots]]
signal = "Tank"
sampling_cycles = {sampling}
{slot}
[[bench]]
pin = "{pins[0]}"
source_resistance = "1 kΩ"
[bench.source]
kind = "triangle"
from = "0.2 V"
to = "2.9 V"
period = "0.3 s"
[[bench]]
pin = "{pins[1]}"
source_resistance = "1 kΩ"
[bench.source]
kind = "dc"
voltage = "1 V"
[[bench]]
pin = "{pins[2]}"
source_resistance = "1 kΩ"
[bench.source]
kind = "sine"
offset = "1.6 V"
amplitude = "1 V"
frequency = "31 Hz"
[[reactions]]
name = "Look away"
cycles = 400
[reactions.when]
kind = "period"
period = "47 ms"
[reactions.do]
kind = "point"
signal = "Tank"
pin = "{pins[2]}"
[[reactions]]
name = "Look back"
cycles = 400
[reactions.when]
kind = "period"
period = "71 ms"
[reactions.do]
kind = "point"
signal = "Tank"
pin = "{pins[0]}"
[[reactions]]
name = "Too high"
cycles = 400
[reactions.when]
kind = "threshold"
signal = "Tank"
threshold = 1
change = "enters"
[reactions.do]
kind = "point"
signal = "Tank"
pin = "{pins[1]}"
[[expectations]]
kind = "waveform"
signal = "Tank"
within = "20 mV"
[[expectations]]
kind = "reaction"
signal = "Look away"
within = "100 us"
[[expectations]]
kind = "reaction"
signal = "Too high"
within = "20 ms"
"""
OTHER = '[[signals]]\nname = "Valve"\npin = "{}"\n'
SLOT = '[[chains.slots]]\nsignal = "Valve"\nsampling_cycles = {}\n'
DMA = 'kind = "dma"\nchannel = "DMA 1"'
INTERRUPT = 'kind = "interrupt"'
MARTEN = {
    "part": "marten-m3",
    "pins": ("A1", "A2", "A3"),
    "converter": "ADC 1",
    "sampling": 64,
    "bits": 12,
    "divider": 4,
    "timer": "Timer 2",
}
OSPREY = {
    "part": "osprey-x2",
    "pins": ("A1", "A2", "A3"),
    "converter": "ADC 1",
    "sampling": 20,
    "bits": 12,
    "divider": 4,
    "timer": "Timer 1",
}


def tanks(of: dict[str, object] = MARTEN, readout: str = DMA, is_alone: bool = False) -> Workspace:
    pins = of["pins"]
    assert isinstance(pins, tuple)
    text = DESIGN.format(
        **of,
        readout=readout,
        other="" if is_alone else OTHER.format(pins[1]),
        slot="" if is_alone else SLOT.format(of["sampling"]),
    )
    return workspace_from_text(text, "tanks")


def pointings(take: Take) -> list[tuple[int, int]]:
    """Ticks and channels of the input that the signal is read at."""
    moved = program_outputs(take.workspace.project.reactions)
    assert moved == (ProgramOutput("input", ("Tank",)),)
    seen = take.output(0)
    ticks = np.rint(seen.times_s * take.tick_hz).astype(int)
    return list(zip(ticks.tolist(), seen.values.tolist(), strict=True))


def assert_expected(take: Take) -> None:
    """Every sample is what the pin had that the signal was read at then."""
    (both,) = compared_blocks(take, "Tank")
    assert np.nanmax(both.beyond_v) < 3e-3
    proof = prove(take.workspace, take)
    assert [one.outcome for one in proof.verdicts] == ["holds"] * 3, proof.verdicts


@pytest.mark.parametrize("readout", [DMA, INTERRUPT])
def test_what_is_expected_follows_the_pin(tmp_path: Path, readout: str) -> None:
    take = record(tanks(readout=readout), 0.6, tmp_path / "take.h5")
    with take:
        seen = pointings(take)
        assert len({channel for _ticks, channel in seen}) == 3
        assert len(seen) > 10
        assert len(take.history) == len(seen)
        assert_expected(take)
        volts = take.raw("Tank").volts  # type: ignore[union-attr]
        (both,) = compared_blocks(take, "Tank")
        at_first = take.as_of(take.workspace).history
        assert len(at_first) == len(seen), "another design is pointed as this one was"
        assert np.abs(volts - both.expected.settled_v).max() < 0.02


@needs_compiler
@pytest.mark.parametrize(
    ("of", "readout", "is_alone"),
    [(MARTEN, DMA, False), (MARTEN, INTERRUPT, False), (OSPREY, DMA, True)],
)
def test_firmware_points_as_designed(
    tmp_path: Path, of: dict[str, object], readout: str, is_alone: bool
) -> None:
    """The image's take has the same pointings, each at its own clocks, and what is expected follows
    those."""
    workspace = tanks(of, readout, is_alone)
    image = built(workspace, tmp_path / "c").elf
    design = record(workspace, 0.4, tmp_path / "design.h5")
    real = record(workspace, 0.4, tmp_path / "real.h5", f"image:{image}")
    with design, real:
        assert [channel for _at, channel in pointings(real)] == [
            channel for _at, channel in pointings(design)
        ]
        late = [
            mine - due
            for (mine, _one), (due, _other) in zip(pointings(real), pointings(design), strict=True)
        ]
        assert max(map(abs, late)) < 30_000
        assert_expected(real)
        assert not real.late_writes


def test_values_and_stages_follow(tmp_path: Path) -> None:
    mean = edited(tanks(), SetFilter("Tank", BlockAverage(count=4, shift=2)))
    take = record(mean, 0.4, tmp_path / "take.h5")
    with take:
        blocks = list(compared_blocks(take, "Tank", reduced=True))
        assert blocks
        for both in blocks:
            assert np.nanmax(both.beyond_v) < 5e-3


def test_who_may_be_pointed() -> None:
    workspace = tanks()

    def pointed(signal: str, pin: str) -> Workspace:
        reaction = Reaction(
            name="Other",
            when=PeriodElapsed(period_s="1 s"),
            do=PointAction(signal=signal, pin=pin),
        )
        return edited(workspace, SetReaction("Other", reaction))

    assert output_of(pointed("Valve", "A4").project.reactions[-1]) == ProgramOutput(
        "input", ("Valve",)
    )
    with pytest.raises(EditError, match="A99"):
        pointed("Valve", "A99")
    with pytest.raises(EditError, match="not there"):
        pointed("Kettle", "A4")
    hardware = BlockAverage(count=4, shift=2, done_in="hardware")
    with pytest.raises(EditError, match="knows it by its channel"):
        edited(workspace, SetFilter("Tank", hardware))


def test_what_goes_up_by_channel_keeps_its_places() -> None:
    with pytest.raises(ProjectError, match="goes up by channel"):
        tanks(OSPREY)


def test_findings_know_every_input() -> None:
    """One that is pointed to is an input like any other: it must not float, and settles or does not."""
    workspace = tanks()
    assert {one.code for one in find_all(workspace)} == set()
    slow = Wiring(pin="A3", source_resistance_ohm=200_000, source=DcSource(voltage_v=1.0))
    found = find_all(edited(workspace, SetWiring(slow)))
    short = [one for one in found if one.code == "sampling-too-short"]
    assert [one.title for one in short] == ["Tank reads its neighbour at A3"]
    assert short[0].remedy is not None
    cured = edited(workspace, SetWiring(slow), short[0].remedy)
    assert "sampling-too-short" not in {one.code for one in find_all(cured)}
    loose = find_all(edited(workspace, RemoveWiring("A3")))
    assert any("A3" in one.where or "A3" in one.title for one in loose), loose


def test_nothing_is_expected_where_nobody_tells(tmp_path: Path) -> None:
    """A board that does not tell where a signal was read is not judged by where it may have been."""
    with record(tanks(), 0.3, tmp_path / "take.h5") as take:
        assert not take.unforeseen("Tank")
        take.output = lambda number: OutputSamples(np.empty(0), np.empty(0, dtype=np.int64))  # type: ignore[method-assign]
        assert "nobody tells when" in take.unforeseen("Tank")
        verdict = prove(take.workspace, take).verdicts[0]
        assert verdict.outcome == "open"
