"""Converters that have the trigger of one which software starts, with an image and without."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import ELF, measured_and_built, record
from tests.core.firmware.compiled import needs_compiler
from tests.paths import EXAMPLES
from wattigram.core.capture.take import Take
from wattigram.core.model.design import FollowTrigger, Polling, SoftwareTrigger, open_workspace
from wattigram.core.model.design.edits import (
    Edit,
    SetIsrCost,
    SetPerTrigger,
    SetRetrieval,
    SetSampling,
    SetTrigger,
)
from wattigram.core.predict.timing import scan_timing

STAMPS = 64
"""Streams of instants come after those of results."""
RUN_S = 0.03


def held_ticks(take: Take, converter: int, slots: int) -> np.ndarray:
    """When the first slot of each scan was held, (n,) ticks."""
    return np.asarray(take.items(STAMPS + converter)[::slots].astype(np.int64))


@needs_compiler
@pytest.mark.parametrize(
    ("edits", "within"),
    [
        ((), 0.01),
        ((SetRetrieval("ADC 2", Polling()),), 0.02),  # its looks move those for the other
        ((SetPerTrigger("ADC 2", "conversion"),), 0.01),
        ((SetTrigger("ADC 1", SoftwareTrigger(period_s=Fraction(1, 2000))),), 1e-3),
    ],
)
def test_a_follower_is_started_whenever_its_leader_is(
    edits: tuple[Edit, ...], within: float, tmp_path: Path
) -> None:
    workspace = edited(
        open_workspace(EXAMPLES / "studio-kiln"),
        SetTrigger("ADC 1", SoftwareTrigger()),
        SetTrigger("ADC 2", FollowTrigger(follows="ADC 1")),
        *edits,
    )
    measured = measured_and_built(workspace, tmp_path, 2e-3)
    leader, follower = measured.project.chains[:2]
    slots = len(leader.slots)
    cycle = scan_timing(measured, leader)
    assert scan_timing(measured, follower).cycle_s == cycle.cycle_s
    with (
        record(measured, RUN_S, tmp_path / "image.h5", f"image:{tmp_path / ELF}") as image,
        record(measured, RUN_S, tmp_path / "design.h5") as design,
    ):
        for take in (image, design):
            assert take.item_count(1) == pytest.approx(RUN_S * cycle.cycle_rate_hz, rel=within)
            theirs, mine = held_ticks(take, 0, slots), held_ticks(take, 1, 1)
            count = min(len(theirs), len(mine))
            assert count > 40
            clocks = float(measured.bus_clock_hz)
            first = [
                round(float(scan_timing(measured, chain).slots[0].held_s) * clocks)
                for chain in (leader, follower)
            ]
            apart = mine[:count] - theirs[:count] - (first[1] - first[0])
            assert np.abs(apart).max() <= 1  # instants are whole clocks


def test_a_follower_that_is_longer_than_most_passes_misses_their_starts(tmp_path: Path) -> None:
    """Though it is shorter than the mean of all, which are longer where a half is full."""
    workspace = edited(
        open_workspace(EXAMPLES / "studio-kiln"),
        SetTrigger("ADC 1", SoftwareTrigger()),
        SetTrigger("ADC 2", FollowTrigger(follows="ADC 1")),
        SetSampling("ADC 1", 1, 32),
        SetSampling("ADC 2", 0, 384),
        SetIsrCost("ADC 1", 217, 14_591, 316, 4),
        SetIsrCost("ADC 2", 217, 4_610),
    )
    leader, follower = (scan_timing(workspace, one) for one in workspace.project.chains[:2])
    assert follower.busy_s < leader.cycle_s
    assert follower.slack_s < 0
    assert follower.missed_hz == pytest.approx(float(leader.cycle_rate_hz) / 2)
    with record(workspace, RUN_S, tmp_path / "take.h5") as take:
        assert take.totals["missed.1"] == pytest.approx(RUN_S * follower.missed_hz, rel=0.05)
        assert take.item_count(1) == pytest.approx(RUN_S * follower.cycle_rate_hz, rel=0.05)
