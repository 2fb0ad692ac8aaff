"""Measures over arrays, by values worked out by hand or by another way."""

from __future__ import annotations

import math
from statistics import median

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wattigram.core.analysis import line_share
from wattigram.core.analysis.gaps import longest_stretch
from wattigram.core.analysis.levels import TwoLevels, two_levels
from wattigram.core.analysis.regress import explained_share, fit_line
from wattigram.core.analysis.sine import (
    SineFit,
    fit_sine,
    fit_sine_known,
    phase_count,
    quantised_amplitude_bias,
    quantised_bias,
)


def bias_by_sum(amplitude: float, step: float, noise: float, phases: int) -> float:
    """The formula of the docstring, term by term in plain Python."""
    everywhere = sum(
        2
        / (math.pi * k)
        * math.sqrt(2 / (math.pi * 2 * math.pi * k * amplitude / step))
        * math.exp(-2 * (math.pi * k * noise / step) ** 2)
        for k in range(1, 257)
    )
    few = min(2 / math.pi, 4 * math.sqrt(2 / phases / 12)) * math.exp(
        -2 * (math.pi * noise / step) ** 2
    )
    return step * max(everywhere, few if phases < 8 * amplitude / step else 0.0)


@pytest.mark.parametrize("amplitude", [1.5, 10.0, 900.0])
@pytest.mark.parametrize("noise", [0.0, 0.1, 0.5])
@pytest.mark.parametrize("phases", [4, 20, 1024])
@pytest.mark.parametrize("step", [1.0, 0.5])
def test_bias_of_steps(amplitude: float, noise: float, phases: int, step: float) -> None:
    mine = quantised_amplitude_bias(amplitude, step, noise, phases)
    assert mine == pytest.approx(bias_by_sum(amplitude, step, noise, phases), rel=1e-12)


def test_bias_of_nothing_and_of_a_fit() -> None:
    assert quantised_amplitude_bias(0.0, 1.0) == 0.0
    assert quantised_amplitude_bias(1.0, 0.0) == 0.0
    assert quantised_amplitude_bias(1e-9, 1.0) > 0.0
    times_s = np.arange(1000) / 1000
    fit = SineFit(10.0, 50.0, 0.0, 0.0, math.hypot(0.3, 1 / math.sqrt(12)), 0.0, 1000)
    assert quantised_bias(fit, 1.0, times_s) == pytest.approx(
        bias_by_sum(50.0, 1.0, 0.3, phase_count(times_s, 10.0)), rel=1e-9
    )
    quiet = SineFit(10.0, 50.0, 0.0, 0.0, 0.01, 0.0, 1000)  # less than steps alone would leave
    assert quantised_bias(quiet, 1.0, times_s) == pytest.approx(
        bias_by_sum(50.0, 1.0, 0.0, phase_count(times_s, 10.0)), rel=1e-9
    )


def test_places_of_a_period_are_counted() -> None:
    assert phase_count(np.arange(1000) / 1000 + 3e-4, 100.0) == 10
    assert phase_count(np.arange(4096) / 1024, 0.25) == 1024
    assert phase_count(np.zeros(5), 3.0) == 1


def test_figures_of_a_fit() -> None:
    fit = SineFit(50.0, 2.0, 0.1, 1.0, 0.02, 0.001, 200)
    assert fit.rms == pytest.approx(math.sqrt(2))
    assert fit.amplitude_sigma == pytest.approx(0.002)
    assert fit.sinad_db == pytest.approx(20 * math.log10(math.sqrt(2) / 0.02))
    assert fit.has_converged
    assert not SineFit(50.0, 0.01, 0.0, 0.0, 0.02, 0.0, 200).has_converged
    assert SineFit(50.0, 1.0, 0.0, 0.0, 0.0, 0.0, 200).sinad_db == math.inf


@given(st.floats(0.1, 5.0), st.floats(-3.0, 3.0), st.floats(-2.0, 2.0), st.floats(3.0, 40.0))
def test_all_parameters_of_a_sine(
    amplitude: float, phase: float, offset: float, hertz: float
) -> None:
    times_s = 7.0 + np.arange(2000) / 1000
    values = offset + amplitude * np.sin(2 * np.pi * hertz * times_s + phase)
    known = fit_sine_known(values, times_s, hertz)
    free = fit_sine(values, times_s, hertz * 1.001)
    for fit in (known, free):
        assert fit.amplitude == pytest.approx(amplitude, rel=1e-6)
        assert fit.offset == pytest.approx(offset, abs=1e-6)
        assert math.remainder(fit.phase - phase, 2 * math.pi) == pytest.approx(0.0, abs=1e-4)
        assert fit.residual_rms < 1e-6
        assert fit.samples == 2000
    assert free.frequency_hz == pytest.approx(hertz, rel=1e-9)
    assert known.frequency_sigma_hz == 0.0


def test_the_frequencys_spread_is_that_of_many_fits() -> None:
    """Against the bound of Cramér and Rao: σ · sqrt(6) / (π · A · T · sqrt(n))."""
    dice = np.random.default_rng(3)
    times_s = np.arange(1000) / 1000
    fits = [
        fit_sine(np.sin(2 * np.pi * 20 * times_s) + dice.normal(0, 0.1, 1000), times_s, 20.0)
        for _ in range(60)
    ]
    bound = 0.1 * math.sqrt(6) / (math.pi * math.sqrt(1000))
    said = fits[0].frequency_sigma_hz
    assert said == pytest.approx(bound, rel=0.1)
    assert np.std([fit.frequency_hz for fit in fits]) == pytest.approx(bound, rel=0.35)


def test_a_line_and_its_share() -> None:
    x, y = np.array([0.0, 1.0, 2.0, 3.0]), np.array([1.0, 2.0, 2.0, 5.0])
    fit = fit_line(x, y)
    assert (fit.slope, fit.offset) == (pytest.approx(1.2), pytest.approx(0.7))
    assert fit.share == pytest.approx(0.8)
    assert fit.r == pytest.approx(math.sqrt(0.8))
    assert fit_line(x, -y).r == pytest.approx(-math.sqrt(0.8))
    assert fit_line(x, np.full(4, 2.0)) == fit_line(np.zeros(4), np.full(4, 2.0))
    assert fit_line(x[:2], y[:2]).offset == 1.5
    assert fit_line(x[:0], y[:0]).offset == 0.0


def test_what_an_explanation_takes_away() -> None:
    measured = np.array([1.0, 2.0, 3.0])
    assert explained_share(measured, np.zeros(3), measured) == 1.0
    assert explained_share(measured, np.zeros(3), measured / 2) == pytest.approx(0.75)
    assert explained_share(measured, measured, np.zeros(3)) == 0.0
    assert explained_share(measured, measured / 2, np.zeros(3)) == 0.0


def test_the_longest_stretch_lies_between_gaps() -> None:
    times_s = np.array([0, 1, 2, 5, 6, 7, 8, 12, 13, 14.0])
    assert longest_stretch(times_s) == slice(3, 7)
    assert longest_stretch(np.array([0.0, 1.0, 2.4, 3.8])) == slice(0, 4)
    assert longest_stretch(np.array([0.0, 9.0])) == slice(0, 2)
    assert longest_stretch(np.array([0.0, 1.0, 2.0, 3.0, 9.0])) == slice(0, 4)


@given(
    st.lists(st.integers(-20, 20), min_size=1, max_size=30),
    st.lists(st.integers(1, 4), min_size=30, max_size=30),
)
def test_two_levels_of_values_that_came_often(values: list[int], times: list[int]) -> None:
    often = times[: len(values)]
    levels = two_levels(np.array(values, dtype=float), 0.5, np.array(often))
    each = [value for value, count in zip(values, often, strict=True) for _ in range(count)]
    low, high = [v for v in each if v <= 0], [v for v in each if v > 0]
    assert (levels.low_count, levels.high_count) == (len(low), len(high))
    for part, middle, spread in (
        (low, levels.low, levels.low_std),
        (high, levels.high, levels.high_std),
    ):
        if part:
            assert middle == median(part)
            assert spread == pytest.approx(np.std(part), abs=1e-12)
        else:
            assert math.isnan(middle)
            assert math.isnan(spread)


def test_a_median_is_less_sure_than_a_mean() -> None:
    assert TwoLevels.median_sigma(2.0, 50) == pytest.approx(2 / math.sqrt(50) * 1.2533141)


def test_share_of_a_line() -> None:
    times_s = np.arange(1000) / 1000
    both = np.sin(2 * np.pi * 50 * times_s) + 0.5 * np.sin(2 * np.pi * 200 * times_s) + 3.0
    assert line_share(both, 1000.0, 50.0) == pytest.approx(0.8, rel=1e-3)
    assert line_share(both, 1000.0, 200.0) == pytest.approx(0.2, rel=1e-3)
    assert line_share(both, 1000.0, 120.0) < 1e-6
    assert line_share(both, 1000.0, 45.0, width_hz=10.0) == pytest.approx(0.8, rel=1e-3)
    assert line_share(both[:10], 1000.0, 50.0) == 0.0
    assert line_share(np.full(100, 2.0), 1000.0, 50.0) == 0.0
