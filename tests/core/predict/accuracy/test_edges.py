"""Edges of a comparator held against a simulation that draws noise at each look."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np
import pytest
from numpy.typing import NDArray

from wattigram.core.predict.accuracy.edges import walk_times, walked_edges

FloatArray = NDArray[np.float64]


def simulated(
    volts: FloatArray, level_v: float, hysteresis_v: float, noise_v: float, seed: int
) -> int:
    rng = np.random.default_rng(seed)
    seen = volts + rng.normal(0, noise_v, len(volts)) - level_v
    state, edges = bool(volts[0] > level_v), 0
    for value in seen.tolist():
        if (not state and value > hysteresis_v / 2) or (state and value < -hysteresis_v / 2):
            state = not state
            edges += 1
    return edges


@pytest.mark.parametrize("hysteresis_v", [0.0, 0.01, 0.03])
@pytest.mark.parametrize("shape", ["ramp", "sine-with-hum", "staircase"])
def test_edges_are_those_of_a_simulation(hysteresis_v: float, shape: str) -> None:
    look_s, noise_v, span_s = 1e-5, 0.005, 0.2
    shapes = {
        "ramp": lambda at: at / span_s,
        "sine-with-hum": lambda at: (
            0.5 + 0.4 * np.sin(2 * math.pi * 10 * at + 0.7) + 0.02 * np.sin(2 * math.pi * 1000 * at)
        ),
        "staircase": lambda at: np.floor(at / span_s * 100) / 100 + 0.001,
    }
    times_s = np.linspace(0, span_s, 40_001)  # 200 steps of the fastest part, as designs are walked
    found = walked_edges(shapes[shape], times_s, 0.5, hysteresis_v, noise_v, look_s)
    looks_v = shapes[shape](np.arange(0, span_s, look_s))
    drawn = [simulated(looks_v, 0.5, hysteresis_v, noise_v, seed) for seed in range(20)]
    sigma = float(np.std(drawn)) / math.sqrt(len(drawn))
    assert found == pytest.approx(
        np.mean(drawn), abs=max(0.15, 4 * sigma, 0.03 * float(np.mean(drawn)))
    )


def test_without_noise_each_crossing_counts_once() -> None:
    times_s = np.linspace(0, 1, 4001)
    sine = lambda at: np.sin(2 * math.pi * 7 * at)  # noqa: E731
    assert walked_edges(sine, times_s, 0.0, 0.2, 0.0, 1e-5) == 13
    assert walked_edges(sine, times_s, 2.0, 0.0, 0.0, 1e-5) == 0


def test_a_walk_covers_the_common_period() -> None:
    times_s = walk_times(Fraction(1, 10), (50.0, 15.0), np.array([0.031]), 0.0)
    assert times_s[-1] == pytest.approx(0.2)
    assert 0.031 in times_s
    assert len(walk_times(None, (), np.empty(0), 0.0)) == 0
