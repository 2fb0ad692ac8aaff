from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.conftest import edited
from wattigram.core.board.settling import Node, sampled
from wattigram.core.model.design import (
    BlockAverage,
    LowPassFilter,
    MovingAverage,
    Scale,
    Stage,
    SumFilter,
    Workspace,
    chain_scale,
)
from wattigram.core.model.design.edits import SetAlignment, SetBits, SetFilter, SetSampling
from wattigram.core.predict.accuracy import (
    accumulator_bits,
    adequate_sampling_s,
    block_average_cutoff_hz,
    block_average_gain,
    carry_over,
    low_pass_cutoff_hz,
    settling_residue,
    signal_noise,
    slot_settling,
)
from wattigram.core.predict.accuracy.averaging import filter_truncation

SCALE = Scale(12, 3.3, 4096)


@pytest.mark.parametrize(
    ("volts", "code"), [(1.65, 2048), (3.2996, 4095), (5.0, 4095), (-1.0, 0), (0.0, 0)]
)
def test_worked_codes(volts: float, code: int) -> None:
    assert SCALE.codes(volts) == code


@pytest.mark.parametrize(("bits", "lsb"), [(12, 805.66e-6), (10, 3.2227e-3), (8, 12.891e-3)])
def test_worked_counts(bits: int, lsb: float) -> None:
    assert Scale(bits, 3.3, 1 << bits).lsb_v == pytest.approx(lsb, rel=1e-4)


@given(st.integers(0, 4095))
def test_code_to_volts_and_back(code: int) -> None:
    assert SCALE.codes(SCALE.volts(code)) == code


def test_left_alignment_is_undone(kiln: Workspace) -> None:
    design = edited(kiln, SetAlignment("ADC 1", "left"))
    scale = chain_scale(design, design.project.chains[0])
    assert scale.shift == 4
    assert scale.item_volts(np.array([2048 << 4], dtype=np.uint16)) == pytest.approx([1.65])


@pytest.mark.parametrize(("ohm", "needed_us"), [(4700, 0.851), (47_000, 6.949)])
def test_worked_settling(ohm: float, needed_us: float) -> None:
    assert adequate_sampling_s((ohm + 1200) * 16e-12, 12) * 1e6 == pytest.approx(
        needed_us, abs=5e-4
    )


@pytest.mark.parametrize(("cycles", "lsb"), [(128, 22.90), (384, 0.0007)])
def test_what_a_full_scale_step_leaves(kiln: Workspace, cycles: int, lsb: float) -> None:
    design = edited(kiln, SetSampling("ADC 1", 2, cycles))
    settling = slot_settling(design, design.project.chains[0], 2)
    assert settling.full_scale_error_lsb == pytest.approx(lsb, rel=0.03)
    assert settling.adequate == (cycles == 384)
    assert settling.neighbour == "Upper zone"


def test_the_first_slot_follows_the_last(kiln: Workspace) -> None:
    assert slot_settling(kiln, kiln.project.chains[0], 0).neighbour == "3.3 V rail"


def test_as_wired_the_error_is_what_the_sources_can_make(kiln: Workspace) -> None:
    settling = slot_settling(kiln, kiln.project.chains[0], 2)
    worst_v = max(3.28 - 1.2, 2.2 - 0.02)
    assert settling.wired_error_lsb == pytest.approx(
        math.exp(-1e-6 / (48_200 * 16e-12)) * worst_v * 4096 / 3.3
    )


@pytest.mark.parametrize(
    ("ohm", "farads", "sampling_s", "rate_hz", "share"),
    [
        (100, 1e-9, 2e-6, 10_000, 7.193e-11),
        (100, 1e-6, 93.75e-9, 10_000, 7.600e-3),
        (100, 1e-6, 2e-6, 10_000, 2.482e-5),
        (100, 1e-6, 2e-6, 1_000, 1.569e-5),
        (4_700, 100e-9, 1e-6, 10_000, 8.324e-4),
        (47_000, 1e-9, 4e-6, 10_000, 1.642e-2),
        (47_000, 0.0, 4e-6, 10_000, math.exp(-4e-6 / (48_200 * 16e-12))),
    ],
)
def test_worked_shares_with_an_external_capacitor(
    ohm: float, farads: float, sampling_s: float, rate_hz: float, share: float
) -> None:
    assert carry_over(sampling_s, ohm, 1200, 16e-12, farads, rate_hz) == pytest.approx(
        share, rel=2e-4
    )


@given(
    st.floats(1, 1e5),
    st.floats(1e-11, 1e-5),
    st.floats(5e-8, 1e-5),
    st.floats(1.2e-5, 1e-2),
    st.floats(1e-12, 1e-10),
)
@settings(deadline=None)
def test_the_steady_share_is_what_many_scans_come_to(
    ohm: float, farads: float, sampling_s: float, period_s: float, sample_f: float
) -> None:
    """The closed form against the circuit stepped scan by scan, with a matrix exponential made
    otherwise."""
    assume(ohm * farads < 300 * period_s)
    step = sampled((Node("A0", ohm, farads),), sampling_s, 1200.0, sample_f)
    off, seen = 0.0, 1.0
    for _ in range(20_000):
        off, before = (float(value) for value in step @ np.array([off, 1.0]))
        if abs(before - seen) < 1e-15:
            break
        seen = before
        off *= math.exp(-(period_s - sampling_s) / (ohm * farads))
    assert carry_over(sampling_s, ohm, 1200.0, sample_f, farads, 1 / period_s) == pytest.approx(
        seen, rel=1e-3, abs=1e-9
    )


@given(st.floats(1, 1e7), st.floats(1e-8, 1e-3))
def test_longer_sampling_never_leaves_more(ohm: float, seconds: float) -> None:
    tau = (ohm + 1200) * 16e-12
    assert settling_residue(1.0, 2 * seconds, tau) <= settling_residue(1.0, seconds, tau) <= 1.0


@pytest.mark.parametrize(("count", "hertz"), [(16, 277.3), (64, 69.2)])
def test_worked_cutoff_of_a_mean(count: int, hertz: float) -> None:
    assert block_average_cutoff_hz(count, 10_000) == pytest.approx(hertz, abs=0.06)


def test_a_mean_has_nulls_at_multiples_of_its_rate() -> None:
    for multiple in range(1, 8):
        assert block_average_gain(16, multiple * 625.0, 10_000) == pytest.approx(0, abs=1e-12)
    assert block_average_gain(16, 0.0, 10_000) == 1.0


@pytest.mark.parametrize(("shift", "hertz"), [(4, 102.8), (6, 25.06)])
def test_worked_cutoff_of_a_low_pass(shift: int, hertz: float) -> None:
    assert low_pass_cutoff_hz(shift, 10_000) == pytest.approx(hertz, abs=0.06)


@pytest.mark.parametrize(
    ("count", "bits"), [(512, 21), (1, 12), (2, 13), (3, 14), (16, 16), (17, 17)]
)
def test_a_sum_needs_room(count: int, bits: int) -> None:
    assert accumulator_bits(count, 12) == bits


def test_noise_is_source_converter_and_quantisation(kiln: Workspace) -> None:
    chain = kiln.project.chains[0]
    noise = signal_noise(kiln, chain, kiln.project.signal("Upper zone"))
    lsb = 3.3 / 4096
    assert noise.input_lsb == pytest.approx(math.hypot(2e-3 / lsb, 0.35))
    assert noise.raw_lsb == pytest.approx(math.hypot(noise.input_lsb, 1 / math.sqrt(12)))
    # the mean's own last place is quantised once more
    assert noise.reduced_lsb == pytest.approx(math.hypot(noise.raw_lsb / 4, 1 / math.sqrt(12)))
    assert noise.bias_lsb == pytest.approx(-15 / 32)


@pytest.mark.parametrize(
    ("stage", "bias"),
    [
        (BlockAverage(count=4, shift=2), -0.375),
        (BlockAverage(count=16, shift=4), -0.46875),
        (MovingAverage(count=16, shift=4), -0.46875),
        (SumFilter(count=16, shift=2), -0.375 / 4),
        (SumFilter(count=16), 0.0),
        (LowPassFilter(shift=4), 0.0),
    ],
)
def test_a_shift_truncates(stage: Stage, bias: float) -> None:
    assert filter_truncation(stage).bias_lsb == pytest.approx(bias)


def test_quantisation_does_not_average_without_noise(kiln: Workspace) -> None:
    design = edited(
        kiln, SetBits("ADC 1", 8), SetFilter("3.3 V rail", BlockAverage(count=64, shift=6))
    )
    noise = signal_noise(design, design.project.chains[0], design.project.signal("3.3 V rail"))
    assert noise.input_lsb < 0.5
    assert noise.reduced_lsb >= 1 / math.sqrt(12)
