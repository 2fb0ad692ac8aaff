"""A recording of another tool as a take: proved like any other, and what it cannot tell is not judged."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording import (
    EvenChannel,
    Recording,
    export_recording,
    open_recording,
)
from wattigram.core.capture.recording.exporting import EXPORT_FORMATS
from wattigram.core.capture.recording.into_take import bring_in
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import open_take
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.workspace_files import workspace_from_text

DESIGN = """
format = "wattigram-project"
version = 6
name = "logged"
part = "marten-m3"
reference = "supply"
[[signals]]
name = "Ramp"
pin = "A3"
[[signals]]
name = "Level"
pin = "A4"
[[chains]]
converter = "ADC 1"
divider = 3
[chains.trigger]
kind = "timer"
timer = "Timer 2"
period = "1 ms"
[chains.readout]
kind = "dma"
channel = "DMA 1"
[chains.buffer]
name = "Loop A"
samples = 200
[[chains.slots]]
signal = "Ramp"
sampling_cycles = 64
[[chains.slots]]
signal = "Level"
sampling_cycles = 64
[[bench]]
pin = "A4"
source_resistance = "0 Ω"
[bench.source]
kind = "dc"
voltage = "1 V"
[[expectations]]
kind = "level"
signal = "Level"
level = "1 V"
within = "5 mV"
[[expectations]]
kind = "rate"
signal = "Level"
within = "100 ppm"
"""


def logged() -> Workspace:
    return workspace_from_text(DESIGN, "here")


def recorded(level: np.ndarray, rate_hz: float = 1000.0) -> Recording:
    ramp = np.linspace(0, 3.5, len(level))
    return Recording(
        "log.csv",
        "made",
        tuple(
            EvenChannel(
                name, "V", len(data), rate_hz, lambda begin, end, data=data: data[begin:end]
            )
            for name, data in (("one", ramp), ("two", level))
        ),
    )


MAP = {"Ramp": "one", "Level": "two"}


def test_values_and_instants_are_those_of_the_recording(tmp_path: Path) -> None:
    level = 1 + 1e-4 * np.random.default_rng(1).standard_normal(5000)
    level[100:110] = np.nan
    brought = bring_in(recorded(level), logged(), MAP, tmp_path / "t.h5")
    assert brought.scans == 5000
    assert any("beyond its range" in note for note in brought.notes)
    with open_take(tmp_path / "t.h5") as take:
        samples = take.raw("Level")
        assert samples is not None
        lsb = 3.3 / 4096
        came = samples.valid
        assert np.flatnonzero(~came).tolist() == list(range(100, 110))
        assert np.max(np.abs(samples.volts[came] - level[came])) <= lsb / 2 + 1e-9
        assert samples.times_s[came] == pytest.approx(np.arange(5000)[came] / 1000, abs=1e-7)
        ramp = take.raw("Ramp")
        assert ramp is not None
        assert ramp.volts.max() == pytest.approx(3.3 - lsb)
        assert take.complete
        proof = prove(logged(), take)
    outcomes = {verdict.kind: verdict.outcome for verdict in proof.verdicts}
    assert outcomes["level"] == "holds"
    assert outcomes["rate"] == "fails"  # ten scans are missing


def test_another_rate_than_the_designs_is_seen(tmp_path: Path) -> None:
    bring_in(recorded(np.ones(5000), 1001.0), logged(), MAP, tmp_path / "t.h5")
    with open_take(tmp_path / "t.h5") as take:
        verdicts = {verdict.kind: verdict for verdict in prove(logged(), take).verdicts}
    assert verdicts["level"].outcome == "holds"
    assert verdicts["rate"].outcome == "fails"
    assert "+1000 ppm" in verdicts["rate"].note


def test_what_a_recording_cannot_tell_is_not_judged(kiln: Workspace, tmp_path: Path) -> None:
    """A take, taken out and brought in again, is judged alike but for events and filtered values."""
    record_run(kiln, 2.0, tmp_path / "t.h5", fast=True)
    arrays = next(kind for kind in EXPORT_FORMATS if kind.name == "npz")
    with open_recording(tmp_path / "t.h5") as recording:
        export_recording(recording, tmp_path / "t.npz", arrays)
    names = {signal.name: signal.name for signal in kiln.project.signals}
    with open_recording(tmp_path / "t.npz") as recording:
        bring_in(recording, kiln, names, tmp_path / "u.h5")
    with open_take(tmp_path / "t.h5") as first, open_take(tmp_path / "u.h5") as second:
        before, after = prove(kiln, first).verdicts, prove(kiln, second).verdicts
        for name in names:
            one, other = first.raw(name), second.raw(name)
            assert one is not None
            assert other is not None
            assert np.array_equal(one.items, other.items)
    for one, other in zip(before, after, strict=True):
        assert other.outcome in {one.outcome, "open"}
        if other.outcome == "open":
            assert one.outcome == "open" or "recording of another tool" in other.note


@pytest.mark.parametrize(
    ("channels", "match"),
    [
        ({}, "which channel is which"),
        ({"Ramp": "one"}, "converts “Level” too"),
        ({"Ramp": "one", "Level": "three"}, "no channel “three”"),
        ({"Lamp": "one"}, "converts “Lamp”"),
    ],
)
def test_what_does_not_fit_is_said(channels: dict[str, str], match: str, tmp_path: Path) -> None:
    with pytest.raises(TakeError, match=match):
        bring_in(recorded(np.ones(100)), logged(), channels, tmp_path / "t.h5")
    assert not (tmp_path / "t.h5").exists()
