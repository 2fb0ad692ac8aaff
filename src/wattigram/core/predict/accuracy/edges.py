"""Edges of a comparator on a waveform of any shape, with noise on it, walked through step by step.

Between two looks noise takes the output up with probability u and down with d. With p the
probability of being high,
n looks at one level change it to p∞ + (p − p∞) · (1 − u − d)^n with p∞ = u / (u + d), and give

    n · 2ud / (u + d) + (p − p∞) · (d − u) · (1 − (1 − u − d)^n) / (u + d)

edges on average: exact for a level that stands still, and good for one that moves little from step
to step.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
FEWEST_STEPS = 4_000
MOST_STEPS = 40_000
STEPS_A_PERIOD = 200
LONGEST_COMMON_S = Fraction(60)
LAPS = 8
"""Periods of the slowest part that are walked through where the whole has no common period."""
NEGLIGIBLE = 1e-300


def walked_edges(
    voltage: Callable[[FloatArray], FloatArray],
    times_s: FloatArray,
    level_v: float,
    hysteresis_v: float,
    noise_v: float,
    look_s: float,
) -> float:
    """Mean number of edges in a stretch of time.

    Parameters
    ----------
    voltage : of (n,) instants, without noise
    times_s : (n,) ascending instants that resolve the waveform, its corners among them
    look_s : between two looks at which noise is independent
    """
    spans = np.diff(times_s)
    volts = voltage((times_s[:-1] + times_s[1:]) / 2) - level_v
    half_v = hysteresis_v / 2
    if noise_v <= 0:
        ups, downs = volts > half_v, volts < -half_v
        state, edges = bool(volts[0] > 0), 0
        for up, down in zip(ups.tolist(), downs.tolist(), strict=True):
            if (up and not state) or (down and state):
                state = not state
                edges += 1
        return float(edges)
    scale = 1 / (noise_v * math.sqrt(2))
    ups_p = [0.5 * math.erfc((half_v - volt) * scale) for volt in volts.tolist()]
    downs_p = [0.5 * math.erfc((half_v + volt) * scale) for volt in volts.tolist()]
    high = 1.0 if volts[0] > 0 else 0.0
    total = 0.0
    for up, down, looks in zip(ups_p, downs_p, (spans / look_s).tolist(), strict=True):
        both = up + down
        if both <= NEGLIGIBLE:
            continue
        settled = up / both
        left = (1 - both) ** looks if both < 1 else 0.0
        total += looks * 2 * up * down / both + (high - settled) * (down - up) * (1 - left) / both
        high = settled + (high - settled) * left
    return total


def walk_times(
    period_s: Fraction | None, sines_hz: tuple[float, ...], corners_s: FloatArray, begin_s: float
) -> FloatArray:
    """Instants that resolve one common period, or some of the slowest part where there is none.

    (n,) float64, seconds.
    """
    periods = ([period_s] if period_s else []) + [
        1 / Fraction(hertz).limit_denominator(10**6) for hertz in sines_hz if hertz > 0
    ]
    if not periods:
        return np.empty(0)
    span = _common(periods)
    shortest = float(min(periods))
    count = int(min(MOST_STEPS, max(FEWEST_STEPS, STEPS_A_PERIOD * float(span) / shortest)))
    grid = np.linspace(begin_s, begin_s + float(span), count)
    inside = corners_s[(corners_s > begin_s) & (corners_s < begin_s + float(span))][:MOST_STEPS]
    return np.unique(np.concatenate((grid, inside, inside + 1e-7)))


def _common(periods: list[Fraction]) -> Fraction:
    common = periods[0]
    for period in periods[1:]:
        denominator = math.lcm(common.denominator, period.denominator)
        common = Fraction(
            math.lcm(int(common * denominator), int(period * denominator)), denominator
        )
        if common > LONGEST_COMMON_S:
            return min(LONGEST_COMMON_S, LAPS * max(periods))
    return common
