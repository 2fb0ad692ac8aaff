"""Expected values of stages, repeats, differences and stamped instants, against the board without
noise."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import edited
from tests.core.board.test_synth import without_noise
from tests.paths import EXAMPLES
from wattigram.core.board import Run
from wattigram.core.capture.transport import Decoder, SampleRun
from wattigram.core.contract.link import REDUCED_STREAM, STAMP_STREAM
from wattigram.core.model.design import (
    BlockAverage,
    LowPassFilter,
    MovingAverage,
    SumFilter,
    Threshold,
    Watch,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import AddThreshold, Edit, SetFilter, SetSampling
from wattigram.core.predict.expected import (
    SteadyTimes,
    TimestampedTimes,
    expected_events,
    expected_filtered,
    expected_raw,
    unwrap_stamps,
)
from wattigram.core.predict.timing import scan_timing
from wattigram.core.silicon.deploy import effective_config


def board_streams(workspace: Workspace, seconds: float) -> dict[int, np.ndarray]:
    """All items that a board without noise, offset and gain error sends."""
    run = Run(without_noise(effective_config(workspace)))
    data = b"".join(run.advance(int(seconds * run.config.tick_hz)) + run.finish())
    found: dict[int, list[np.ndarray]] = {}
    for one in Decoder().feed(data):
        if isinstance(one, SampleRun):
            found.setdefault(one.stream, []).append(one.items)
    return {stream: np.concatenate(parts) for stream, parts in found.items()}


@pytest.mark.parametrize(
    "stage",
    [
        BlockAverage(count=8, shift=3),
        SumFilter(count=8),
        MovingAverage(count=8, shift=3),
        LowPassFilter(shift=3),
        LowPassFilter(shift=6),
    ],
    ids=lambda stage: f"{stage.kind} {stage.count}",
)
@pytest.mark.parametrize("signal", ["Upper zone", "Coil current"])
def test_stages_are_expected_as_the_board_has_them(
    cured: Workspace, stage: BlockAverage, signal: str
) -> None:
    workspace = edited(cured, SetFilter(signal, stage))
    taps = [tap.name for tap in effective_config(workspace).taps]
    items = board_streams(workspace, 0.6)[REDUCED_STREAM + taps.index(signal)]
    count = len(items) - 2
    found = expected_filtered(((0, workspace),), "ADC 1", signal, 0, count)
    volts = items[:count] * (3.3 / 4096) / stage.assumed_gain
    # Integer shifts cut off up to a count, a low-pass that starts from its first sample twice.
    assert np.abs(volts - found.predicted_v).max() < 2.1 * 3.3 / 4096


@given(st.integers(0, 4000), st.integers(1, 300))
def test_a_stretch_from_the_middle_is_the_same(begin: int, count: int) -> None:
    workspace = open_workspace(EXAMPLES / "wheel-pedal")
    whole = expected_filtered(((0, workspace),), "ADC", "Motor current", 0, begin + count)
    part = expected_filtered(((0, workspace),), "ADC", "Motor current", begin, begin + count)
    assert part.settled_v == pytest.approx(whole.settled_v[begin:], abs=1e-8)
    assert part.times_s == pytest.approx(whole.times_s[begin:])


def test_hardware_means_and_differences_are_expected_as_the_board_has_them() -> None:
    safety = open_workspace(EXAMPLES / "kiln-safety")
    items = board_streams(safety, 0.5)[0].reshape(-1, 4)
    lsb_v = 3.3 / 4096
    zone = expected_raw(((0, safety),), "ADC 1", "Upper zone", 0, len(items))
    assert np.abs(items[:, 0] * lsb_v - zone.predicted_v).max() < 1.6 * lsb_v
    coil = expected_raw(((0, safety),), "ADC 1", "Coil current", 0, len(items))
    signed = items[:, 2].astype(np.int16).astype(np.float64)
    assert np.abs(signed * 2 * lsb_v - coil.predicted_v).max() < 2.1 * lsb_v
    assert signed.min() < -300 < 300 < signed.max()


def test_stamped_items_are_expected_where_they_were_held() -> None:
    pedal = open_workspace(EXAMPLES / "wheel-pedal")
    streams = board_streams(pedal, 0.5)
    items, stamps = streams[0].reshape(-1, 2), streams[STAMP_STREAM].astype(np.int64).reshape(-1, 2)
    chain = pedal.project.chains[0]
    instants = TimestampedTimes(pedal, chain, stamps, 16_000_000)
    found = expected_raw(((0, pedal),), "ADC", "Motor current", 0, len(items), instants)
    assert found.times_s == pytest.approx(stamps[:, 1] / 16e6)
    assert np.abs(items[:, 1] * 5 / 1024 - found.predicted_v).max() < 1.1 * 5 / 1024
    assert len(np.unique(np.diff(stamps[:, 1] - stamps[:, 0]))) > 2


@given(
    st.lists(st.integers(0, 1 << 31), min_size=1, max_size=50),
    st.integers(0, 1 << 40),
    st.integers(1, 9),
)
def test_stamps_are_unwrapped(gaps: list[int], start: int, frame: int) -> None:
    ticks = start + np.cumsum(np.array(gaps, dtype=np.int64))
    firsts = np.arange(0, len(ticks), frame)
    again = unwrap_stamps((ticks % (1 << 32)).astype(np.uint32), firsts, ticks[firsts])
    assert again.tolist() == ticks.tolist()


def test_cycles_beyond_the_stamps_go_on_evenly(kiln: Workspace) -> None:
    chain = kiln.project.chains[0]
    even = SteadyTimes(kiln, chain)
    ticks = np.rint(even.held_s(10, 20) * 96e6).astype(np.int64) + 960_000
    found = TimestampedTimes(kiln, chain, ticks, 96_000_000, first=10)
    late = found.held_s(8, 23) - even.held_s(8, 23)
    assert late == pytest.approx(0.01, abs=1e-7)
    lead = round(float(even.held_s(0, 1)[0, 0]) * 96e6)
    begins = int(ticks[3, 0]) - lead
    assert [found.cycle_at(at, 0) for at in (begins, begins + 1)] == [13, 14]
    assert float(scan_timing(kiln, chain).cycle_s) == pytest.approx(1e-4)


@pytest.mark.parametrize(
    ("window", "entered"),
    [
        (Threshold(low=-0.2, high=0.2, input="raw", minus_v=1.7), [True, False, True]),
        (Threshold(low=1.0, high=2.0, input="raw", consecutive=5, hysteresis_v=0.01), [True]),
        (Threshold(low=1.0, high=2.0, input="raw", rearm=False), [True]),
        (Threshold(low=1.0, high=2.0, input="raw", interrupt_enabled=False), []),
    ],
)
def test_windows_of_every_kind_are_expected(
    kiln: Workspace, window: Threshold, entered: list[bool]
) -> None:
    edits: tuple[Edit, ...] = (SetFilter("Upper zone", None), AddThreshold("Upper zone", window))
    workspace = edited(kiln, *edits)
    events = expected_events(
        ((0, workspace),), Watch("window", "Upper zone", 1), lambda chain: 23_000
    )
    assert [event.entered for event in events][: len(entered)] == entered
    assert len(events) <= 4


def test_a_deviation_from_another_signal_is_expected(kiln: Workspace) -> None:
    window = Threshold(low=-0.3, high=0.3, input="raw", minus_signal="Upper zone")
    workspace = edited(kiln, SetSampling("ADC 1", 2, 384), AddThreshold("Door latch", window))
    events = expected_events(((0, workspace),), Watch("window", "Door latch"), lambda chain: 5_000)
    assert [event.entered for event in events] == [True]
    assert events[0].value_v == pytest.approx(0.02 - 1.2, abs=0.01)
