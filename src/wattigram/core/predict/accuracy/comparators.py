"""Comparators: where they trip, and how often they chatter."""

from __future__ import annotations

import math
from functools import lru_cache

import msgspec
import numpy as np
from msgspec.structs import replace

from wattigram.core.model.bench import (
    DcSource,
    Driven,
    ShapeSource,
)
from wattigram.core.model.design.stage import Comparator
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.accuracy.edges import LONGEST_COMMON_S, walk_times, walked_edges
from wattigram.core.predict.pins import comparator_inputs, input_noise_v, input_poles_s

SIGMAS = 6.0
MOST_STEPS = 2_000
RAREST_HZ = 1 / 86_400
"""Noise that makes an edge less often than once a day makes none that one would wait for."""


class ComparatorMetrics(msgspec.Struct, frozen=True):
    """A comparator as it is set.

    Attributes
    ----------
    threshold_v : float
        The nearest that the part can set, for an internal threshold; what is wired to the pin, for
        one from a pin;
        the input's own level, while a DAC that is the threshold sweeps past it.
    rising_v, falling_v : float
        Trip points of what moves: level ± half the hysteresis.
    edges, edges_low : float
        Mean number of edges of one crossing of the source, noise, mains hum and other sines
        included; 1 is clean, and 0
        where nothing ever crosses. The larger is for noise that is another at each look of the
        comparator, the smaller
        for noise as slow as the pin's own low-pass lets it be: between them lies what the noise's
        bandwidth makes of it.
    crossings_hz : float
        Crossings per second, both directions: of the source as it is meant where that crosses, else
        of what hum makes
        of it, or noise.
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
    edges_low: float = 0.0

    @property
    def edges_text(self) -> str:
        """The range as text, such as "1" or "3 to 12"."""
        low, high = round(self.edges_low), round(self.edges)
        return f"{high}" if low >= high else f"{low} to {high}"


def comparator_metrics(workspace: Workspace, comparator: Comparator) -> ComparatorMetrics:
    """Trip points of a comparator, and its chatter on the bench as wired."""
    return workspace.known.answer(
        (comparator_metrics, comparator), lambda: _figures(workspace, comparator)
    )


def _figures(workspace: Workspace, comparator: Comparator) -> ComparatorMetrics:
    part = workspace.part.comparator(comparator.name)
    assert part is not None
    signal = workspace.project.signal(comparator.signal)
    what = comparator_inputs(workspace, comparator)
    noise_v = input_noise_v(workspace, signal)
    crossed = what.source.crossings(what.level_v)
    edges, edges_low, rate_hz, slope_v_s = 0.0, 0.0, 0.0, 0.0
    wiring = workspace.wiring(signal.pin)
    slow_s = max(
        float(part.response_s), sum(input_poles_s(workspace, wiring)) if wiring is not None else 0.0
    )
    if isinstance(what.source, ShapeSource):
        rate_hz, edges, edges_low = _walked(
            what.source,
            what.level_v,
            comparator.hysteresis_v,
            noise_v,
            float(part.response_s),
            slow_s,
        )
        slope_v_s = what.source.slope_v_s
    elif crossed is not None:
        period_s, crossings = crossed
        rate_hz = len(crossings) / float(period_s)
        near_s = float(part.response_s)
        moments = [float(at_s) for at_s, _rising in crossings]
        slopes = [abs(_slope(what.source, at_s, near_s)) for at_s in moments]
        slope_v_s = min(slopes)
        edges, edges_low = (
            sum(expected_edges(slope, noise_v, comparator.hysteresis_v, look_s) for slope in slopes)
            / len(slopes)
            for look_s in (near_s, slow_s)
        )
    elif noise_v > 0 and isinstance(what.source, DcSource):
        rate_hz, edges, edges_low = _of_noise(
            what.source.voltage_v - what.level_v,
            comparator.hysteresis_v,
            noise_v,
            float(part.response_s),
            slow_s,
        )
    return ComparatorMetrics(
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
        edges_low,
    )


def _walked(
    source: ShapeSource,
    level_v: float,
    hysteresis_v: float,
    noise_v: float,
    look_s: float,
    slow_s: float,
) -> tuple[float, float, float]:
    """(crossings per second, edges of each with fast and with slow noise) of a waveform with all
    that is on it."""
    course = source.course
    period_s = source.period_s if course.period_s else None
    begin_s = course.begin_s + (40 * course.period_s if course.period_s else 0.0)
    hertz = tuple(sine[1] for sine in source.sines)
    corners = (
        course.corners_s(begin_s, begin_s + float(LONGEST_COMMON_S)) if period_s else np.empty(0)
    )
    times = walk_times(period_s, hertz, corners, begin_s)
    if len(times) < 2:
        return 0.0, 0.0, 0.0
    span_s = float(times[-1] - times[0])
    meant = replace(source, sines=())
    # The crossings that are meant are those of the course; where it never crosses, hum or noise
    # alone does.
    crossings = walked_edges(meant.at, times, level_v, hysteresis_v, 0.0, look_s)
    if not crossings:
        crossings = walked_edges(source.at, times, level_v, hysteresis_v, 0.0, look_s)
    counts = [
        walked_edges(source.at, times, level_v, hysteresis_v, noise_v, each)
        for each in (look_s, slow_s)
    ]
    if not crossings:
        return _rarely(counts, span_s)
    return crossings / span_s, max(1.0, counts[0] / crossings), max(1.0, counts[1] / crossings)


def _of_noise(
    above_v: float, hysteresis_v: float, noise_v: float, look_s: float, slow_s: float
) -> tuple[float, float, float]:
    """The same where nothing but noise crosses."""
    times = np.array([0.0, 1.0])
    counts = [
        walked_edges(lambda at: np.full(at.shape, above_v), times, 0.0, hysteresis_v, noise_v, each)
        for each in (look_s, slow_s)
    ]
    return _rarely(counts, 1.0)


def _rarely(counts: list[float], span_s: float) -> tuple[float, float, float]:
    """Noise alone: every edge is a crossing of its own; none where it takes longer than a day."""
    if counts[0] / span_s < RAREST_HZ:
        return 0.0, 0.0, 0.0
    return counts[0] / span_s, 1.0, 1.0


def _slope(source: Driven, at_s: float, span_s: float) -> float:
    volts = source.at(np.array([at_s - span_s, at_s + span_s]))
    return float(volts[1] - volts[0]) / (2 * span_s)


@lru_cache(maxsize=512)
def expected_edges(
    slope_v_s: float, noise_v: float, hysteresis_v: float, response_s: float
) -> float:
    """Mean number of output edges while an input with white noise crosses once.

    The comparator looks every ``response_s``; noise is independent from look to look. With p the
    probability of being high, each look goes up with probability u and down with d, and edges add
    up
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
            # Many looks at one level: the share of time high settles, and edges come at the rate of
            # that.
            share = up / (up + down) if up + down > 0 else high
            edges += weight * (share * down + (1 - share) * up)
            high = share
            continue
        change = (1 - high) * up + high * down
        edges += change
        high = high * (1 - down) + (1 - high) * up
    return max(1.0, edges)
