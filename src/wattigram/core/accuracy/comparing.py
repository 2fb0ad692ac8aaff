"""Comparators: where they trip, and how often they chatter."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from wattigram.core.bench import Driven, source_crossings, source_voltage
from wattigram.core.design.stage import Comparator
from wattigram.core.design.workspace import Workspace
from wattigram.core.pins import compared, input_noise_v

SIGMAS = 6.0
MOST_STEPS = 2_000


@dataclass(frozen=True)
class ComparatorFigures:
    """A comparator as it is set.

    Attributes
    ----------
    threshold_v : float
        The nearest that the part can set, for an internal threshold; what is wired to the pin, for one from a pin;
        the input's own level, while a DAC that is the threshold sweeps past it.
    rising_v, falling_v : float
        Trip points of what moves: level ± half the hysteresis.
    edges : float
        Mean number of edges that noise makes of one crossing; 1 is clean. 0 where the source never crosses.
    crossings_hz : float
        Crossings per second without noise, both directions.
    """

    name: str
    signal: str
    threshold_v: float
    step_v: float
    rising_v: float
    falling_v: float
    noise_v: float
    slope_v_s: float
    edges: float
    crossings_hz: float


def comparator_figures(workspace: Workspace, comparator: Comparator) -> ComparatorFigures:
    """Trip points of a comparator, and its chatter on the bench as wired."""
    key = (comparator_figures, comparator)
    if key not in workspace.known:
        workspace.known[key] = _figures(workspace, comparator)
    found: ComparatorFigures = workspace.known[key]
    return found


def _figures(workspace: Workspace, comparator: Comparator) -> ComparatorFigures:
    part = workspace.part.comparator(comparator.name)
    assert part is not None
    signal = workspace.project.signal(comparator.signal)
    what = compared(workspace, comparator)
    noise_v = input_noise_v(workspace, signal)
    found = source_crossings(what.source, what.level_v)
    edges, rate_hz, slope_v_s = 0.0, 0.0, 0.0
    if found is not None:
        period_s, crossings = found
        rate_hz = len(crossings) / float(period_s)
        near_s = float(part.response_s)
        moments = [float(at) for at, _rising in crossings]
        slopes = [abs(_slope(what.source, at, near_s)) for at in moments]
        slope_v_s = min(slopes)
        edges = sum(expected_edges(slope, noise_v, comparator.hysteresis_v, near_s) for slope in slopes) / len(slopes)
    return ComparatorFigures(
        comparator.name,
        signal.name,
        what.level_v,
        what.step_v,
        what.rising_v,
        what.falling_v,
        noise_v,
        slope_v_s,
        edges,
        rate_hz,
    )


def _slope(source: Driven, at_s: float, span_s: float) -> float:
    volts = source_voltage(source, np.array([at_s - span_s, at_s + span_s]))
    return float(volts[1] - volts[0]) / (2 * span_s)


@lru_cache(maxsize=512)
def expected_edges(slope_v_s: float, noise_v: float, hysteresis_v: float, response_s: float) -> float:
    """Mean number of output edges while an input with white noise crosses once.

    The comparator looks every ``response_s``; noise is independent from look to look. With p the
    probability of being high, each look goes up with probability u and down with d, and edges add up
    as (1 − p)·u + p·d. Without hysteresis and for slow slopes that is 2σ / (√π · slope · response).
    """
    if noise_v <= 0 or not math.isfinite(slope_v_s) or slope_v_s <= 0:
        return 1.0
    step_v = slope_v_s * response_s
    reach_v = SIGMAS * noise_v + hysteresis_v
    looks = math.ceil(2 * reach_v / step_v)
    # Very slow slopes: looks so near each other are alike, so fewer of them count for more.
    weight = max(1.0, looks / MOST_STEPS)
    looks = max(2, min(looks, MOST_STEPS))
    width_v = 2 * reach_v / looks
    high, edges = 0.0, 0.0
    for number in range(looks + 1):
        level_v = -reach_v + number * width_v
        up = 0.5 * math.erfc((hysteresis_v / 2 - level_v) / (noise_v * math.sqrt(2)))
        down = 0.5 * math.erfc((hysteresis_v / 2 + level_v) / (noise_v * math.sqrt(2)))
        if weight > 1:
            # Many looks at one level: the share of time high settles, and edges come at the rate of that.
            share = up / (up + down) if up + down > 0 else high
            edges += weight * (share * down + (1 - share) * up)
            high = share
            continue
        change = (1 - high) * up + high * down
        edges += change
        high = high * (1 - down) + (1 - high) * up
    return max(1.0, edges)
