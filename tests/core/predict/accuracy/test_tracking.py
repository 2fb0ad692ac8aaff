"""Converters whose capacitor is at the next input between conversions, and sampling times of no
clock at all."""

from __future__ import annotations

import math
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from wattigram.core.advise.findings import find_all
from wattigram.core.capture.take import Take
from wattigram.core.judge.compared_streams import Compared, compared_blocks
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.edits import SetPeriod, SetSampling
from wattigram.core.model.part import copy_part
from wattigram.core.predict.accuracy import slot_settling
from wattigram.core.predict.timing import scan_timing

PROJECT = """
format = "wattigram-project"
version = 6
name = "latch"
part = "tracking.toml"
reference = "supply"

[[signals]]
name = "Latch"
pin = "A4"

[[signals]]
name = "Level"
pin = "A2"

[[chains]]
converter = "ADC 1"
divider = 3
bits = 12
calibrate = true

[chains.trigger]
kind = "timer"
timer = "Timer 2"
period = "{period}"

[chains.readout]
kind = "{readout}"
{rest}

[chains.buffer]
name = "Loop A"
samples = 64
element_bits = 16
{slots}
[[bench]]
pin = "A4"
source_resistance = "100 kΩ"

[bench.source]
kind = "square"
low = "200 mV"
high = "3 V"
period = "20 ms"
duty = "50 %"

[[bench]]
pin = "A2"
source_resistance = "100 Ω"

[bench.source]
kind = "dc"
voltage = "1 V"
"""
SLOT = '\n[[chains.slots]]\nsignal = "{}"\nsampling_cycles = {}\n'
CAPACITOR_F, SWITCH_OHM, SOURCE_OHM = 16e-12, 1.2e3, 100e3


@pytest.fixture
def latch_on(tmp_path: Path) -> Callable[..., Workspace]:
    """A latch behind 100 kΩ on a part whose converter tracks, or does not."""

    def opened(
        slots: tuple[tuple[str, float], ...],
        period: str,
        tracks: bool = True,
        readout: str = "dma",
    ) -> Workspace:
        part = tmp_path / "tracking.toml"
        part.unlink(missing_ok=True)
        copy_part("marten-m3", part, "Tracking")
        text = part.read_text().replace("sampling_cycles = [3,", "sampling_cycles = [0, 3,")
        if tracks:
            text = text.replace("sampling_cycles = [", "tracks = true\nsampling_cycles = [")
        part.write_text(text)
        path = tmp_path / "latch.wattigram.toml"
        path.write_text(
            PROJECT.format(
                period=period,
                readout=readout,
                rest='channel = "DMA 1"' if readout == "dma" else "",
                slots="".join(SLOT.format(*slot) for slot in slots),
            )
        )
        return open_workspace(path)

    return opened


def all_of(take: Take, name: str) -> Compared:
    """A short take's samples of a signal beside what was expected of them."""
    (block,) = compared_blocks(take, name)
    return block


def off_v(both: Compared) -> float:
    """The farthest that what came is from what was predicted of the circuit."""
    return float(np.abs(both.error_v - both.expected.error_v[both.samples.valid]).max())


def left(connected_s: float) -> float:
    """Share of a step that a source behind 100 kΩ leaves."""
    return math.exp(-connected_s / ((SOURCE_OHM + SWITCH_OHM) * CAPACITOR_F))


def test_the_time_between_conversions_charges_the_capacitor(
    latch_on: Callable[..., Workspace],
) -> None:
    """Sampled for no clock, it is at its input from the end of a conversion to the next trigger."""
    workspace = latch_on((("Latch", 0),), "5 us")
    chain = workspace.project.chains[0]
    timing = scan_timing(workspace, chain).slots[0]
    settling = slot_settling(workspace, chain, 0)
    connected_s = 5e-6 - float(timing.conversion_s)
    assert timing.sampling_s == 0
    assert settling.sampling_s == pytest.approx(connected_s)
    assert settling.carry == pytest.approx(left(connected_s))
    longer = slot_settling(workspace, chain, 0, 32)
    assert longer.sampling_s == pytest.approx(connected_s), "it waits less for its trigger"


@pytest.mark.parametrize("readout", ["dma", "interrupt"])
def test_board_and_prediction_agree(
    latch_on: Callable[..., Workspace], take_of: Callable[..., Take], readout: str
) -> None:
    period_us = 5 if readout == "dma" else 8
    workspace = latch_on((("Latch", 0),), f"{period_us} us", readout=readout)
    take = take_of(workspace, 0.05)
    latch = all_of(take, "Latch")
    share = slot_settling(workspace, workspace.project.chains[0], 0).carry
    assert share > 0.005
    assert off_v(latch) < 3e-3
    steps = np.flatnonzero(np.abs(np.diff(latch.expected.settled_v)) > 1)
    steps = steps[latch.samples.valid[steps + 1]]
    assert len(steps)
    missing = latch.samples.volts[steps + 1] - latch.expected.settled_v[steps + 1]
    jump = latch.expected.settled_v[steps] - latch.expected.settled_v[steps + 1]
    assert missing / jump == pytest.approx(share, abs=1.5e-3)


def test_only_what_a_trigger_starts_has_waited(latch_on: Callable[..., Workspace]) -> None:
    workspace = latch_on((("Level", 16), ("Latch", 0)), "50 us")
    chain = workspace.project.chains[0]
    assert slot_settling(workspace, chain, 0).sampling_s > 40e-6
    second = slot_settling(workspace, chain, 1)
    assert second.sampling_s == 0
    assert second.carry == 1.0
    turned = latch_on((("Latch", 0), ("Level", 16)), "50 us")
    assert slot_settling(turned, turned.project.chains[0], 0).adequate


def test_a_conversion_with_no_sampling_reads_the_slot_before(
    latch_on: Callable[..., Workspace], take_of: Callable[..., Take]
) -> None:
    workspace = latch_on((("Level", 16), ("Latch", 0)), "50 us", tracks=False)
    chain = workspace.project.chains[0]
    assert slot_settling(workspace, chain, 1).carry == 1.0
    found = [one for one in find_all(workspace) if one.code == "sampling-too-short"]
    assert [one.signal for one in found] == ["Latch"]
    assert found[0].severity == "error"
    take = take_of(workspace, 0.03)
    latch = all_of(take, "Latch")
    assert np.abs(latch.samples.volts - 1.0).max() < 5e-3
    assert off_v(latch) < 5e-3


def test_a_tracking_converter_needs_no_longer_sampling(
    latch_on: Callable[..., Workspace],
) -> None:
    """What helps is a slower trigger, or a sampling time that reaches beyond the period's rest."""
    workspace = latch_on((("Latch", 0),), "5 us")
    slower = edited(workspace, SetPeriod("ADC 1", Fraction(30, 10**6)))
    assert not slot_settling(workspace, workspace.project.chains[0], 0).adequate
    assert slot_settling(slower, slower.project.chains[0], 0).adequate
    longest = edited(workspace, SetSampling("ADC 1", 0, 64, "Latch"))
    assert slot_settling(longest, longest.project.chains[0], 0).sampling_s < 5e-6
