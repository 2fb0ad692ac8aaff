"""Reduce stages, comparators and twins: worked values, and experiments with random numbers."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.model.bench import (
    SineSource,
    SquareSource,
    TriangleSource,
    Wiring,
)
from wattigram.core.model.design import (
    BlockAverage,
    Comparator,
    LowPassFilter,
    MovingAverage,
    SumFilter,
    Threshold,
    TimerTrigger,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import (
    AddThreshold,
    RemoveSlot,
    SetBufferLength,
    SetClock,
    SetComparator,
    SetFilter,
    SetTrigger,
    SetWiring,
)
from wattigram.core.predict.accuracy import (
    ComparedPair,
    comparator_metrics,
    compared_pairs,
    expected_edges,
    filter_gain,
    filter_metrics,
    filter_noise_share,
    kept_values,
    pair_metrics,
    signal_noise,
    threshold_latency_s,
    waiting_values,
)


@pytest.mark.parametrize(
    ("stage", "cutoff_hz", "out_hz", "bits"),
    [
        (BlockAverage(count=16, shift=4), 277.3, 625.0, 16),
        (BlockAverage(count=64, shift=6), 69.2, 156.25, 18),
        (SumFilter(count=512), 8.65, 19.53125, 21),
        (MovingAverage(count=16, shift=4), 277.3, 10_000.0, 16),
        (LowPassFilter(shift=4), 102.8, 10_000.0, 16),
        (LowPassFilter(shift=6), 25.06, 10_000.0, 18),
    ],
)
def test_worked_stages(stage: BlockAverage, cutoff_hz: float, out_hz: float, bits: int) -> None:
    found = filter_metrics(stage, 10_000.0, 12)
    assert found.cutoff_hz == pytest.approx(cutoff_hz, rel=2e-3)
    assert found.rate_hz == out_hz
    assert found.bits == bits
    assert filter_gain(stage, found.cutoff_hz, 10_000.0) == pytest.approx(math.sqrt(0.5), rel=1e-3)
    assert filter_gain(stage, 1e-6, 10_000.0) == pytest.approx(1.0, abs=1e-9)


@pytest.mark.parametrize("shift", [1, 3, 6])
def test_what_a_low_pass_leaves_of_white_noise(shift: int) -> None:
    rng = np.random.default_rng(1)
    share, total, state = 2.0**-shift, [], 0.0
    for value in rng.standard_normal(60_000).tolist():
        state += (value - state) * share
        total.append(state)
    assert float(np.std(total[2000:])) == pytest.approx(
        filter_noise_share(LowPassFilter(shift=shift)), rel=0.05
    )


@given(st.integers(2, 300))
def test_a_mean_leaves_one_over_the_root(count: int) -> None:
    assert filter_noise_share(SumFilter(count=count)) == pytest.approx(1 / math.sqrt(count))


def experiment(
    slope: float, noise: float, hysteresis: float, response: float, runs: int = 200
) -> float:
    """Mean number of edges of a crossing, by trying."""
    rng = np.random.default_rng(2)
    reach = 7 * noise + hysteresis
    course = np.arange(-reach, reach, slope * response)
    edges = 0
    for _ in range(runs):
        high = False
        for value in course + rng.normal(0, noise, len(course)):
            if (not high and value > hysteresis / 2) or (high and value < -hysteresis / 2):
                high = not high
                edges += 1
    return edges / runs


@pytest.mark.parametrize(
    ("slope", "noise", "hysteresis"),
    [(1.0, 1e-3, 0.0), (4.0, 1e-3, 0.0), (1.0, 1e-3, 2e-3), (1.0, 1e-3, 8e-3), (20.0, 1e-3, 0.0)],
)
def test_chatter_is_what_an_experiment_finds(slope: float, noise: float, hysteresis: float) -> None:
    found = expected_edges(slope, noise, hysteresis, 4e-5)
    assert found == pytest.approx(experiment(slope, noise, hysteresis, 4e-5), rel=0.12)


def test_slow_slopes_chatter_by_the_closed_form() -> None:
    assert expected_edges(0.5, 1e-3, 0.0, 1e-6) == pytest.approx(
        2e-3 / (math.sqrt(math.pi) * 0.5 * 1e-6), rel=0.01
    )
    assert expected_edges(1.0, 0.0, 0.0, 1e-6) == 1.0
    assert expected_edges(math.inf, 1e-3, 0.0, 1e-6) == 1.0


def test_a_comparator_trips_half_the_hysteresis_beside(kiln: Workspace) -> None:
    watched = edited(
        kiln,
        SetComparator(
            Comparator(
                name="Comparator 1", signal="Upper zone", threshold_v=1.7, hysteresis_v=0.015
            )
        ),
    )
    found = comparator_metrics(watched, watched.project.comparators[0])
    assert found.step_v == pytest.approx(3.3 / 32)
    assert found.threshold_v == pytest.approx(16 * 3.3 / 32)
    assert found.rising_v - found.falling_v == pytest.approx(0.015)
    assert found.crossings_hz == pytest.approx(0.5)
    assert found.slope_v_s == pytest.approx(0.5, rel=1e-3)


def test_a_source_that_never_gets_there_is_told(kiln: Workspace) -> None:
    high = edited(
        kiln, SetComparator(Comparator(name="Comparator 1", signal="Upper zone", threshold_v=3.0))
    )
    found = comparator_metrics(high, high.project.comparators[0])
    assert (found.edges, found.crossings_hz) == (0.0, 0.0)


@pytest.mark.parametrize(
    ("source", "level", "places"),
    [
        (
            SineSource(offset_v=1, amplitude_v=1, frequency_hz="1 Hz"),
            1.5,
            [(1 / 12, True), (5 / 12, False)],
        ),
        (TriangleSource(from_v=0, to_v=2, period_s="1 s"), 0.5, [(0.125, True), (0.875, False)]),
        (
            SquareSource(low_v=0, high_v=2, period_s="1 s", duty=0.25),
            1.0,
            [(0.0, False), (0.75, True)],
        ),
    ],
)
def test_crossings_of_sources(
    source: SineSource, level: float, places: list[tuple[float, bool]]
) -> None:
    found = source.crossings(level)
    assert found is not None
    assert [(pytest.approx(float(at)), rises) for at, rises in found[1]] == places
    assert source.crossings(5.0) is None
    assert source.slope_v_s > 1


def test_a_twin_differs_by_offset_gain_noise_skew_and_settling() -> None:
    safety = open_workspace(EXAMPLES / "kiln-safety")
    found = pair_metrics(safety, safety.project.signal("Upper zone, twin"))
    assert found is not None
    lsb_v = 3.3 / 4096
    assert found.offset_v == pytest.approx(0.8 * lsb_v)
    assert found.gain_v == pytest.approx(190e-6 * 2.2)
    assert found.skew_s == 0
    noise = signal_noise(safety, safety.project.chains[0], safety.project.signal("Upper zone"))
    assert found.noise_v == pytest.approx(math.sqrt(2) * noise.reduced_lsb * lsb_v, rel=0.02)
    assert found.worst_v < 0.012


def test_skew_counts_what_the_source_moves_meanwhile(kiln: Workspace) -> None:
    found = pair_metrics(kiln, kiln.project.signal("Upper zone, twin"))
    assert found is not None
    assert found.skew_s == pytest.approx(1.40625e-6)
    fast = edited(
        kiln,
        SetWiring(
            Wiring(
                pin="A3",
                source_resistance_ohm=4700.0,
                source=SineSource(offset_v=1.6, amplitude_v=1.0, frequency_hz="10 kHz"),
            )
        ),
    )
    moved = pair_metrics(fast, fast.project.signal("Upper zone, twin"))
    assert moved is not None
    assert moved.skew_v == pytest.approx(2 * math.pi * 1e4 * 1.40625e-6, rel=1e-3)
    assert pair_metrics(kiln, kiln.project.signal("Coil current")) is None


def test_a_fast_clock_costs_noise(kiln: Workspace) -> None:
    chain = kiln.project.chains[0]
    calm = signal_noise(kiln, chain, kiln.project.signal("Coil current")).input_lsb
    fast = edited(kiln, SetClock("ADC 1", "bus", 2))
    loud = signal_noise(fast, fast.project.chains[0], fast.project.signal("Coil current")).input_lsb
    assert loud == pytest.approx(math.hypot(calm, 0.5 * 8.0), rel=1e-9)


def test_hardware_means_are_quieter_from_the_start() -> None:
    safety = open_workspace(EXAMPLES / "kiln-safety")
    chain, signal = safety.project.chains[0], safety.project.signal("Upper zone")
    found = signal_noise(safety, chain, signal)
    assert found.raw_lsb == found.reduced_lsb
    bare = edited(safety, SetFilter("Upper zone", None))
    assert (
        signal_noise(bare, bare.project.chains[0], bare.project.signal("Upper zone")).raw_lsb
        > 3 * found.raw_lsb
    )


def test_latency_adds_stage_repetitions_and_hand_over(kiln: Workspace) -> None:
    signal = kiln.project.signal("Upper zone")
    soft = threshold_latency_s(kiln, signal, signal.thresholds[0])
    assert soft == pytest.approx(16e-4 + 13 / 32e6 + 6.4e-3 + 2026 / 96e6)
    thrice = threshold_latency_s(kiln, signal, signal.thresholds[0].replaced(consecutive=3))
    assert thrice == pytest.approx(soft + 2 * 16e-4)
    hard = threshold_latency_s(
        kiln, signal, signal.thresholds[0].replaced(done_in="hardware", input="raw")
    )
    assert hard == pytest.approx(1e-4 + 13 / 32e6)


def test_a_value_that_is_held_against_another_waits_for_it(kiln: Workspace) -> None:
    signal = kiln.project.signal("Upper zone")
    window = signal.thresholds[0].replaced(input="raw", minus_signal="Upper zone, twin")
    alone = threshold_latency_s(kiln, signal, signal.thresholds[0].replaced(input="raw"))
    assert threshold_latency_s(kiln, signal, window) == alone
    slower = edited(kiln, SetBufferLength("ADC 2", 512))  # a half of 25.6 ms instead of 6.4 ms
    assert alone is not None
    assert threshold_latency_s(slower, signal, window) == pytest.approx(alone - 6.4e-3 + 25.6e-3)


def test_what_waits_is_a_half_with_as_much_again(kiln: Workspace) -> None:
    zone, twin = (kiln.project.signal(name) for name in ("Upper zone", "Upper zone, twin"))
    raw, reduced = ComparedPair(zone, twin, False), ComparedPair(zone, twin, True)
    assert compared_pairs(kiln.project) == (ComparedPair(twin, zone, True),)
    assert waiting_values(kiln, raw) == 2 * 64 + 4
    assert waiting_values(kiln, reduced) == 2 * 4 + 4
    slower = edited(kiln, SetBufferLength("ADC 2", 2560))
    assert (
        waiting_values(slower, raw)
        == waiting_values(slower, ComparedPair(twin, zone, False))
        == 2 * 1280 + 4
    )
    assert waiting_values(edited(kiln, RemoveSlot("ADC 2", 0)), raw) == 0


def test_the_faster_of_two_waits_most(kiln: Workspace) -> None:
    zone, twin = (kiln.project.signal(name) for name in ("Upper zone", "Upper zone, twin"))
    fast = edited(kiln, SetTrigger("ADC 2", TimerTrigger(timer="Timer 3", period_s="10 us")))
    for pair in (ComparedPair(zone, twin, False), ComparedPair(twin, zone, False)):
        assert waiting_values(fast, pair) == 2 * 640 + 4


def test_a_share_of_memory_is_for_what_waits(kiln: Workspace) -> None:
    assert kept_values(kiln) == 512  # 98304 bytes / 4 / 32 = 768
    around = Threshold(low="-1 V", high="1 V", minus_signal="Upper zone")
    two = edited(kiln, AddThreshold("Door latch", around))
    assert len(compared_pairs(two.project)) == 2
    assert kept_values(two) == 256
    judged = [
        signal.replaced(thresholds=(around.replaced(done_in="hardware"),))
        if signal.name == "Door latch"
        else signal
        for signal in kiln.project.signals
    ]
    assert (
        len(compared_pairs(kiln.project.replaced(signals=tuple(judged)))) == 1
    )  # hardware keeps nothing
    assert kept_values(Workspace(kiln.project, kiln.part.replaced(memory=None, blocks=()))) == 4096
