"""Figures with stated uncertainties, of synthetic streams whose truth is known."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import brentq
from scipy.signal import lfilter

from tests.core.analysis.coverage import assert_covered
from wattigram.core.analysis import (
    Estimate,
    StatisticsGatherer,
    Stream,
    code_density_of_ramp,
    code_density_of_sine,
    dynamic,
    intervals,
    lag,
    spectrum,
    step_response,
    transfer_at,
)

Figures = dict[str, tuple[Estimate | None, float]]
Random = np.random.Generator


@pytest.mark.parametrize("kind", ["normal", "uniform", "neighbours depend on each other"])
def test_statistics(kind: str) -> None:
    def case(random: Random) -> Figures:
        count = 5000
        if kind == "normal":
            noise = random.standard_normal(count)
        elif kind == "uniform":
            noise = (random.random(count) - 0.5) * math.sqrt(12)
        else:
            noise = lfilter([1], [1, -0.9], random.standard_normal(count + 500))[500:]
            noise *= math.sqrt(1 - 0.81)
        values, times_s = 2 + 0.3 * noise, np.arange(count) * 1e-3
        gatherer = StatisticsGatherer()
        for part in np.array_split(np.arange(count), 7):
            gatherer.add(values[part], times_s[part])
        found = gatherer.result
        assert found is not None
        return {
            "mean": (found.mean, 2.0),
            "std": (found.std, 0.3),
            "rms": (found.rms, math.hypot(2, 0.3)),
            "drift": (found.drift_per_s, 0.0),
        }

    assert_covered(case)


@pytest.mark.parametrize(
    ("coherent", "noise", "third", "gap"),
    [
        (True, 1e-3, 1e-3, False),
        (False, 1e-3, 1e-3, False),
        (False, 1e-4, 1e-2, False),
        (False, 1e-2, 1e-4, False),
        (False, 1e-3, 1e-3, True),
    ],
    ids=["coherent", "not coherent", "much distortion", "much noise", "a gap"],
)
def test_a_distorted_sine(coherent: bool, noise: float, third: float, gap: bool) -> None:
    """Against what its parts come to; the third harmonic lies above half the rate and folds down."""

    def case(random: Random) -> Figures:
        count, rate_hz, amplitude = 8192, 100e3, 1.5
        tone_hz = rate_hz * 2531 / count if coherent else 31_234.567 + 50 * random.random()
        times_s = np.arange(count) / rate_hz
        if gap:
            times_s = np.delete(times_s, slice(3000, 3400))
        angle = 2 * np.pi * tone_hz * times_s + 6.28 * random.random()
        values = 1.65 + amplitude * (
            np.sin(angle) + third * np.sin(3 * angle + 0.3) + third / 3 * np.sin(2 * angle + 1)
        )
        values += noise * random.standard_normal(len(times_s))
        found = dynamic(values, times_s, 3.3)
        tone = amplitude**2 / 2
        distortion = tone * third**2 * (1 + 1 / 9)
        rest = distortion + noise**2
        return {
            "frequency": (found.frequency_hz, tone_hz),
            "amplitude": (found.amplitude, amplitude),
            "offset": (found.offset, 1.65),
            "sinad": (found.sinad_db, 10 * math.log10(tone / rest)),
            "snr": (found.snr_db, 10 * math.log10(tone / noise**2)),
            "enob": (found.enob_at_full_scale, math.log2(3.3 / math.sqrt(12 * rest))),
        } | (
            {}
            if noise > third
            else {
                "thd": (found.thd_db, 10 * math.log10(distortion / tone)),
                "sfdr": (found.sfdr_db, -20 * math.log10(third)),
            }
        )

    assert_covered(case)


@pytest.mark.parametrize("noise", [0.0, 0.2, 0.5, 1.0])
@pytest.mark.parametrize("stimulus", ["sine", "ramp"])
def test_code_density(stimulus: str, noise: float) -> None:
    """INL and DNL of any code of a converter with bent and scattered transitions, overdriven."""
    bend = 0.4 * np.sin(np.arange(257) / 20)

    def case(random: Random) -> Figures:
        count = 30_000
        edges = np.arange(257) + bend + 0.1 * random.standard_normal(257)
        times_s = np.arange(count) * 4e-5
        if stimulus == "sine":
            tone_hz = 2861 / (count * 4e-5)
            inputs = 128 + 132 * np.sin(2 * np.pi * tone_hz * times_s + random.random())
        else:
            inputs = -4 + 264 * times_s / times_s[-1]
        seen = inputs + noise * random.standard_normal(count)
        codes = np.clip(np.searchsorted(edges, seen) - 1, 0, 255)
        measure = code_density_of_sine if stimulus == "sine" else code_density_of_ramp
        found = measure(codes, times_s)
        assert found.noise_lsb == pytest.approx(noise, rel=0.25, abs=0.05)
        slope, offset = np.polyfit(found.transitions, edges[found.transitions], 1)
        true_lsb = (edges[found.transitions] - offset) / slope
        place = int(random.integers(len(found.codes)))
        return {
            "inl": (
                Estimate(found.inl_lsb[place], found.inl_sigma_lsb[place]),
                true_lsb[place] - found.transitions[place],
            ),
            "dnl": (
                Estimate(found.dnl_lsb[place], found.dnl_sigma_lsb[place]),
                true_lsb[place + 1] - true_lsb[place] - 1,
            ),
        }

    assert_covered(case, low=0.88, high=1.0, cases=100)


@pytest.mark.parametrize("even", [True, False], ids=["about even instants", "that add up"])
def test_jitter(even: bool) -> None:
    def case(random: Random) -> Figures:
        noise_s = 1e-6 * random.standard_normal(300)
        found = intervals(np.arange(300) * 1e-3 + noise_s if even else np.cumsum(1e-3 + noise_s))
        assert found is not None
        return {
            "mean": (found.mean_s, 1e-3),
            "jitter": (found.jitter_s, 1e-6 * math.sqrt(2 if even else 1)),
            "neighbours": (found.neighbour_jitter_s, 1e-6 * math.sqrt(6 if even else 2)),
        }

    assert_covered(case)


def test_gain_phase_and_delay_of_two_streams_with_instants_of_their_own() -> None:
    def case(random: Random) -> Figures:
        first_s = np.arange(2000) / 10e3
        second_s = first_s + 3.7e-5
        turn = 2 * np.pi * 123.4
        first = 1 + np.sin(turn * first_s + 0.5) + 0.01 * random.standard_normal(2000)
        second = 0.5 + 0.3 * np.sin(turn * second_s - 0.2) + 0.01 * random.standard_normal(2000)
        found = transfer_at(Stream(first, first_s), Stream(second, second_s))
        return {
            "gain": (found.gain, 0.3),
            "phase": (found.phase_rad, -0.7),
            "delay": (found.delay_s, 0.7 / turn),
        }

    assert_covered(case)


def test_lag_of_a_stream_behind_another() -> None:
    def course(times_s: np.ndarray) -> np.ndarray:
        return np.sin(44 * times_s) + 0.5 * np.sin(121.3 * times_s + 1)

    def case(random: Random) -> Figures:
        times_s, late_s = np.arange(4000) / 10e3, 5e-3 * random.random()
        first = course(times_s) + 0.02 * random.standard_normal(4000)
        second = 3 * course(times_s - late_s) + 0.02 * random.standard_normal(4000)
        return {"lag": (lag(Stream(first, times_s), Stream(second, times_s)), late_s)}

    assert_covered(case)


def test_a_step_that_rings() -> None:
    turn, damping = 3000.0, 0.4
    damped = turn * math.sqrt(1 - damping**2)

    def course(times_s: np.ndarray) -> np.ndarray:
        wave = np.cos(damped * times_s) + damping * turn / damped * np.sin(damped * times_s)
        return np.where(times_s > 0, 1 - np.exp(-damping * turn * times_s) * wave, 0.0)

    def when(level: float) -> float:
        return brentq(lambda at: float(course(np.array(at))) - level, 1e-9, math.pi / damped)

    fine_s = np.linspace(0, 14e-3, 1_400_001)
    settled = fine_s[np.flatnonzero(np.abs(course(fine_s) - 1) > 0.05)[-1]] - when(0.5)

    def case(random: Random) -> Figures:
        times_s = np.arange(2000) * 1e-5 + 1e-5 * random.random()
        values = 1 + 2 * course(times_s - 5e-3) + 0.004 * random.standard_normal(2000)
        found = step_response(values, times_s, 0.05)
        return {
            "half way": (found.at_s, 5e-3 + when(0.5)),
            "rise": (found.rise_s, when(0.9) - when(0.1)),
            "overshoot": (found.overshoot, math.exp(-damping * math.pi * turn / damped)),
            "settling": (found.settling_s, settled),
            "height": (found.height, 2.0),
        }

    assert_covered(case)


def test_noise_density_beside_a_line() -> None:
    def case(random: Random) -> Figures:
        count, rate_hz = 65_536, 1e5
        values = 0.01 * random.standard_normal(count)
        values += np.sin(2 * np.pi * 12_345 * np.arange(count) / rate_hz)
        found = spectrum(values, rate_hz, "hann", 4096)
        return {
            "density": (found.noise_density(1e3, 40e3), 0.01 / math.sqrt(rate_hz / 2)),
            "band": (found.band(20e3, 30e3), 1e-4 * 10e3 / (rate_hz / 2)),
        }

    assert_covered(case)
