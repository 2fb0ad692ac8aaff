from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wattigram.core.analysis import (
    explained_share,
    fit_line,
    fit_sine,
    fit_sine_known,
    line_share,
    phase_count,
    quantised_amplitude_bias,
    quantised_bias,
    two_levels,
)

TIMES = np.arange(20_000) * 1e-4


def sine(
    hertz: float, amplitude: float = 0.75, phase: float = 0.4, offset: float = 1.65
) -> np.ndarray:
    return offset + amplitude * np.sin(2 * np.pi * hertz * TIMES + phase)


@settings(max_examples=30, deadline=None)
@given(st.floats(3.0, 4500.0), st.floats(0.01, 2.0), st.floats(-3.0, 3.0))
def test_any_sine_is_found_again(hertz: float, amplitude: float, phase: float) -> None:
    fit = fit_sine(sine(hertz, amplitude, phase), TIMES)
    assert fit.frequency_hz == pytest.approx(hertz, abs=1e-6)
    assert fit.amplitude == pytest.approx(amplitude, rel=1e-6)
    assert math.remainder(fit.phase - phase, 2 * math.pi) == pytest.approx(0, abs=1e-4)
    assert fit.offset == pytest.approx(1.65, abs=1e-6)


def test_noise_gives_its_own_uncertainty() -> None:
    found = []
    for seed in range(40):
        noise = np.random.default_rng(seed).normal(0, 0.02, len(TIMES))
        fit = fit_sine(sine(50.0) + noise, TIMES)
        found.append(fit.frequency_hz)
    assert np.std(found) == pytest.approx(fit.frequency_sigma_hz, rel=0.4)
    assert fit.residual_rms == pytest.approx(0.02, rel=0.05)
    assert fit.sinad_db == pytest.approx(20 * math.log10(0.75 / math.sqrt(2) / 0.02), abs=0.3)


def test_a_known_frequency_needs_three_parameters() -> None:
    fit = fit_sine_known(sine(50.0), TIMES, 50.0)
    assert (fit.rms, fit.offset) == (pytest.approx(0.75 / math.sqrt(2)), pytest.approx(1.65))


def test_the_fit_does_not_mind_where_time_begins() -> None:
    late = fit_sine(sine(50.0), TIMES + 5000.0)
    assert late.frequency_hz == pytest.approx(50.0, abs=1e-7)


@pytest.mark.parametrize("values", [np.ones(100), np.ones(3), np.empty(0)])
def test_what_does_not_alternate_is_refused(values: np.ndarray) -> None:
    with pytest.raises(ValueError, match="eight samples"):
        fit_sine(values, np.arange(len(values)) * 1e-3)


def test_two_levels_are_medians() -> None:
    levels = two_levels(np.array([0.0, 0.1, 0.2, 3.0, 3.2, 3.1, 3.1]), 1.6)
    assert (levels.low, levels.high, levels.low_count, levels.high_count) == (0.1, 3.1, 3, 4)
    assert math.isnan(two_levels(np.ones(3), 2.0).high)


def test_lines_are_fitted() -> None:
    x = np.linspace(-1, 1, 50)
    line = fit_line(x, 3 * x + 1)
    assert (line.slope, line.offset, line.share, line.r) == pytest.approx((3, 1, 1, 1))
    assert fit_line(x, -x).r == pytest.approx(-1)
    assert fit_line(np.ones(5), np.arange(5.0)).share == 0
    assert fit_line(np.ones(1), np.ones(1)).slope == 0


def test_explained_share_is_between_nothing_and_all() -> None:
    measured = np.array([1.0, 2.0, 3.0])
    assert explained_share(measured, measured + 1, measured) == 1
    assert explained_share(measured, measured + 1, measured - 1) == 0
    assert explained_share(measured, measured, measured) == 0


def test_a_line_in_the_spectrum_is_seen() -> None:
    noise = np.random.default_rng(1).normal(0, 0.1, len(TIMES))
    assert line_share(sine(50.0) + noise, 1e4, 50.0) > 0.9
    assert line_share(noise, 1e4, 50.0) < 0.01
    assert line_share(np.ones(4), 1e4, 50.0) == 0


@pytest.mark.parametrize("amplitude", [1.3, 2.2, 4.4, 4.6, 10.3, 40.2])
def test_steps_move_an_amplitude_by_no_more_than_said(amplitude: float) -> None:
    off = [
        abs(
            fit_sine(np.floor(sine(20.0123, amplitude, offset=at) + 0.5), TIMES).amplitude
            - amplitude
        )
        for at in np.linspace(0, 1, 21)
    ]
    bound = quantised_amplitude_bias(amplitude, 1.0)
    assert max(off) < bound
    assert bound < 12 * max(off)


def test_noise_takes_the_effect_of_steps() -> None:
    rounded = np.floor(
        sine(20.0123, 4.4, offset=0.1) + np.random.default_rng(1).normal(0, 0.6, len(TIMES)) + 0.5
    )
    fit = fit_sine(rounded, TIMES)
    assert quantised_bias(fit, 1.0, TIMES) < 0.01 < 0.1 < quantised_amplitude_bias(4.4, 1.0)
    assert fit.amplitude == pytest.approx(4.4, abs=4 * fit.amplitude_sigma)


@pytest.mark.parametrize("hertz", [3.3, 20.0, 61.7])
@pytest.mark.parametrize("places", [(0.0, 0.35), (0.0, 0.1, 0.2, 0.55), (0.0, 0.11, 0.5, 0.52)])
def test_a_sine_in_unequal_places_of_a_sequence_is_found(
    hertz: float, places: tuple[float, ...]
) -> None:
    times_s = (np.arange(400)[:, None] * 3e-3 + np.array(places) * 3e-3).ravel()
    fit = fit_sine(0.75 + 0.2 * np.sin(2 * np.pi * hertz * times_s + 0.3), times_s)
    assert fit.frequency_hz == pytest.approx(hertz, abs=1e-6)
    assert fit.amplitude == pytest.approx(0.2, rel=1e-6)


def test_a_sine_of_which_every_other_block_is_lost_is_found() -> None:
    kept = (np.arange(len(TIMES)) // 5) % 2 == 0
    fit = fit_sine(sine(412.7)[kept], TIMES[kept])
    assert fit.frequency_hz == pytest.approx(412.7, abs=1e-4)


@pytest.mark.parametrize("places", [5, 10, 16])
def test_a_sine_sampled_at_few_places_is_off_by_no_more_than_said(places: int) -> None:
    """The same errors come again in each period, however long it is looked at."""
    times_s = np.arange(200 * places) / (20.0 * places)
    assert phase_count(times_s + 1e-5, 20.0) == places
    off = [
        abs(
            fit_sine_known(
                np.floor(at + 14.0 * np.sin(2 * np.pi * 20.0 * times_s + turn) + 0.5), times_s, 20.0
            ).amplitude
            - 14.0
        )
        for at in np.linspace(0, 1, 15)
        for turn in np.linspace(0, 1, 9)
    ]
    bound = quantised_amplitude_bias(14.0, 1.0, phases=places)
    assert max(off) > quantised_amplitude_bias(14.0, 1.0) or places == 16
    assert max(off) < bound
