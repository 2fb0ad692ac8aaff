"""Two streams of a redundant pair, brought to the same instants."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wattigram.core.accuracy.averaging import stage_delay
from wattigram.core.take import SignalSamples, Take
from wattigram.core.timing import cycle_timing

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Pairs:
    """Differences of two signals at equal times.

    Attributes
    ----------
    times_s, difference_v : (n,) float64
    """

    times_s: FloatArray
    difference_v: FloatArray


def paired(take: Take, ours: SignalSamples, theirs: SignalSamples) -> Pairs:
    """Values of one signal less those of the other at the instants that they stand for.

    A value of a stage stands for the middle of what it averages, and not for its last sample. The slower of the two
    gives the instants, and the faster one is interpolated there between neighbours that both came; where both come
    alike, values that are less than half a period apart are paired as they are, for the skew between them is real.
    """
    first, second = _centred(take, ours), _centred(take, theirs)
    if min(len(first[0]), len(second[0])) < 2:
        return Pairs(np.empty(0), np.empty(0))
    our_period_s, their_period_s = _period_s(first[0]), _period_s(second[0])
    if our_period_s == 0 or their_period_s == 0:
        return Pairs(np.empty(0), np.empty(0))
    ratio = our_period_s / their_period_s
    if 0.999 < ratio < 1.001:
        return _one_to_one(first, second, our_period_s)
    if ratio > 1:
        times_s, other = _interpolated(first[0], second, their_period_s)
        return Pairs(first[0][times_s], first[1][times_s] - other)
    times_s, other = _interpolated(second[0], first, our_period_s)
    return Pairs(second[0][times_s], other - second[1][times_s])


def _centred(take: Take, samples: SignalSamples) -> tuple[FloatArray, FloatArray]:
    """(instants, volts) of the values that came."""
    signal = samples.signal
    chain = take.workspace.project.chain_of(signal.name)
    delay_s = 0.0
    if samples.is_reduced and chain is not None:
        rate_hz = float(cycle_timing(take.workspace, chain).cycle_rate_hz) * len(chain.places_of(signal.name))
        delay_s = stage_delay(signal.later_stage) / rate_hz
    return samples.times_s[samples.valid] - delay_s, samples.volts[samples.valid]


def _period_s(times_s: FloatArray) -> float:
    return float(np.median(np.diff(times_s)))


def _one_to_one(first: tuple[FloatArray, FloatArray], second: tuple[FloatArray, FloatArray], period_s: float) -> Pairs:
    """The nearest value of the other within half a period."""
    places = np.searchsorted(second[0], first[0])
    places = np.clip(places, 1, len(second[0]) - 1)
    earlier = first[0] - second[0][places - 1] < second[0][places] - first[0]
    places = places - earlier
    near = np.abs(second[0][places] - first[0]) <= period_s / 2
    return Pairs(first[0][near], (first[1] - second[1][places])[near])


def _interpolated(
    at_s: FloatArray, other: tuple[FloatArray, FloatArray], period_s: float
) -> tuple[NDArray[np.bool_], FloatArray]:
    """(which instants lie between two neighbours that came, the other's value there)."""
    times_s, volts = other
    places = np.searchsorted(times_s, at_s, side="right")
    inside = (places > 0) & (places < len(times_s))
    after = np.clip(places, 1, len(times_s) - 1)
    inside &= times_s[after] - times_s[after - 1] < 1.5 * period_s
    return inside, np.interp(at_s[inside], times_s, volts)
