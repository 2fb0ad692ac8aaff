"""Times between things that happen: edges, events, samples."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.analysis.estimate import Estimate, root
from wattigram.core.analysis.stream_statistics import statistics

FloatArray = NDArray[np.float64]


class Intervals(msgspec.Struct, frozen=True):
    """Times from one to the next.

    Attributes
    ----------
    count : int
        Intervals.
    mean_s : Estimate
    jitter_s : Estimate
        Standard deviation of the intervals: period jitter.
    neighbour_jitter_s : Estimate or None
        Rms of the difference between neighbours (cycle to cycle); None of fewer than three intervals.
    accumulated_s : float
        Standard deviation of the instants about even ones: what is left of a straight line through them.
    low_s, high_s : float
    """

    count: int
    mean_s: Estimate
    jitter_s: Estimate
    neighbour_jitter_s: Estimate | None
    accumulated_s: float
    low_s: float
    high_s: float


def intervals(instants_s: FloatArray) -> Intervals | None:
    """Between (n,) float64 instants, ascending; None of fewer than three.

    The mean of n intervals depends on the first and the last instant alone; its uncertainty is taken from how the
    instants scatter about even ones, as of a straight line's slope.
    """
    if len(instants_s) < 3:
        return None
    steps = np.diff(instants_s)
    count = len(steps)
    found = statistics(steps, instants_s[1:])
    assert found is not None
    numbers = np.arange(count + 1) - count / 2
    slope = float((numbers * (instants_s - instants_s.mean())).sum() / (numbers**2).sum())
    left = instants_s - instants_s.mean() - slope * numbers
    scatter = math.sqrt(float((left**2).sum()) / max(1, count - 1))
    mean = (float(instants_s[-1]) - float(instants_s[0])) / count
    # Steps that do not depend on each other make the instants wander; even ones with jitter do not.
    wander = found.std.value / math.sqrt(count)
    still = scatter * math.sqrt(2) / count
    correlation = float(np.mean((steps[1:] - mean) * (steps[:-1] - mean))) if count > 2 else 0.0
    is_even = correlation < -0.25 * found.std.value**2
    neighbours = statistics(np.diff(steps) ** 2, instants_s[2:])
    return Intervals(
        count,
        Estimate(mean, still if is_even else max(wander, still)),
        found.std,
        None if neighbours is None else root(neighbours.mean),
        scatter,
        found.low,
        found.high,
    )


def crossings(
    values: FloatArray,
    times_s: FloatArray,
    level: float,
    hysteresis: float = 0.0,
    rising: bool = True,
) -> FloatArray:
    """Instants at which a stream crosses a level, (m,) float64 seconds, on the straight line between samples.

    Before it counts again the stream must have gone beyond the level by ``hysteresis`` to the other side.
    """
    if not rising:
        values, level = -values, -level
    state = np.where(values >= level, 1, np.where(values < level - hysteresis, 0, -1))
    known = np.maximum.accumulate(np.where(state >= 0, np.arange(len(state)), -1))
    held = np.where(known >= 0, state[np.maximum(known, 0)], -1)
    places = np.flatnonzero((held[1:] == 1) & (held[:-1] == 0)) + 1
    before, after = values[places - 1], values[places]
    share = (level - before) / (after - before)
    return np.asarray(times_s[places - 1] + share * (times_s[places] - times_s[places - 1]))


class Latencies(msgspec.Struct, frozen=True):
    """From causes to their effects, (n,) float64 seconds; ``instants_s`` are those of the answered causes."""

    seconds: FloatArray
    instants_s: FloatArray
    unanswered: int
    """Causes without an effect before the next one; the last, which may yet be answered, is none."""


def latencies(causes_s: FloatArray, effects_s: FloatArray) -> Latencies:
    """From each of some instants to the first of others that is not before it, as long as it comes before the
    next one; both (n,) float64 seconds, ascending."""
    places = np.searchsorted(effects_s, causes_s, side="left")
    following = np.append(effects_s, np.inf)[places]
    ends = np.append(causes_s[1:], np.inf)
    answered = np.isfinite(following) & (following < ends)
    open_end = bool(len(causes_s)) and not answered[-1]
    return Latencies(
        (following - causes_s)[answered],
        causes_s[answered],
        int(np.count_nonzero(~answered)) - int(open_end),
    )
