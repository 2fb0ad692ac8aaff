"""Two streams against each other: phase and gain at a frequency or over a sweep, X against Y, and how far one is
behind the other. Each stream has instants of its own."""

from __future__ import annotations

import math
from itertools import pairwise

import msgspec
import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import CubicSpline
from scipy.signal import correlate

from wattigram.core.analysis.estimate import Estimate
from wattigram.core.analysis.regress import LineFit, fit_line
from wattigram.core.analysis.sine import SineFit, fit_sine, fit_sine_known

FloatArray = NDArray[np.float64]
_WINDOW_PERIODS = 5.0
_MOST_EVEN = 1 << 20
_ROUNDS = 12
FEWEST = 16
"""Samples of a stream that is to be found in another."""


class Stream(msgspec.Struct, frozen=True):
    """(n,) float64 values at (n,) float64 seconds, ascending."""

    values: FloatArray
    times_s: FloatArray

    def between(self, begin_s: float, end_s: float) -> Stream:
        """A part of it."""
        first, last = np.searchsorted(self.times_s, [begin_s, end_s])
        return Stream(self.values[first:last], self.times_s[first:last])


class Transfer(msgspec.Struct, frozen=True):
    """What becomes of a sine between two streams.

    Attributes
    ----------
    frequency_hz : float
    gain : Estimate
        Amplitude of the second over that of the first.
    phase_rad : Estimate
        By which the second is ahead, from −π to π.
    """

    frequency_hz: float
    gain: Estimate
    phase_rad: Estimate

    @property
    def gain_db(self) -> Estimate:
        """20 log₁₀ of the gain."""
        value = self.gain.value
        if value <= 0:
            return Estimate(-math.inf, math.inf)
        return Estimate(20 * math.log10(value), 20 / math.log(10) * self.gain.sigma / value)

    @property
    def delay_s(self) -> Estimate:
        """By which the second is behind, less than half a period either way."""
        return self.phase_rad.scaled(-1 / (2 * math.pi * self.frequency_hz))


def transfer_at(first: Stream, second: Stream, frequency_hz: float | None = None) -> Transfer:
    """Gain and phase at the frequency of a sine that is in both, or at one that is given.

    Raises
    ------
    ValueError
        When there are too few samples, or no sine in the first.
    """
    if min(len(first.values), len(second.values)) < 8:
        raise ValueError("gain and phase need eight samples of each stream")
    since = max(first.times_s[0], second.times_s[0])
    if frequency_hz is None:
        fit = fit_sine(first.values, first.times_s - since)
        if not fit.has_converged:
            raise ValueError("no sine stands above the rest in the first stream")
        frequency_hz = fit.frequency_hz
    one = fit_sine_known(first.values, first.times_s - since, frequency_hz)
    other = fit_sine_known(second.values, second.times_s - since, frequency_hz)
    if one.amplitude <= 0:
        raise ValueError("the first stream does not move at that frequency")
    gain = other.amplitude / one.amplitude
    relative = math.hypot(
        _relative(one), other.amplitude_sigma / one.amplitude / gain if gain else 0.0
    )
    return Transfer(
        frequency_hz,
        Estimate(gain, gain * relative if gain else other.amplitude_sigma / one.amplitude),
        Estimate(
            math.remainder(other.phase - one.phase, 2 * math.pi),
            math.hypot(_relative(one), _relative(other)),
        ),
    )


def _relative(fit: SineFit) -> float:
    """Uncertainty of a fitted amplitude as a share of it, and of its phase in radians."""
    return fit.amplitude_sigma / fit.amplitude if fit.amplitude > 0 else math.pi


class Response(msgspec.Struct, frozen=True):
    """Gain and phase over frequency, in the order of frequency."""

    points: tuple[Transfer, ...]

    def fall_hz(self, by_db: float = 3.0103) -> float | None:
        """Where the gain has fallen by so much below that of the lowest frequency, on a straight line between
        points in dB over the logarithm of frequency; None where it does not."""
        levels = [point.gain_db.value for point in self.points]
        for place in range(1, len(levels)):
            limit = levels[0] - by_db
            if levels[place] <= limit < levels[place - 1]:
                share = (levels[place - 1] - limit) / (levels[place - 1] - levels[place])
                low, high = (math.log(self.points[n].frequency_hz) for n in (place - 1, place))
                return math.exp(low + share * (high - low))
        return None


def response(first: Stream, second: Stream, windows: int = 64) -> Response:
    """Gain and phase of a sweep, stepped or gliding: a sine is fitted to each of so many stretches of the first
    stream, and what the second does at that frequency meanwhile.

    Stretches with less than five periods, or in which no sine stands above the rest, are left out. Where a sweep
    glides so fast that a sine does not fit, nothing is left; take more windows, or sweep more slowly.

    Raises
    ------
    ValueError
        When nothing is left.
    """
    begin = max(first.times_s[0], second.times_s[0])
    end = min(first.times_s[-1], second.times_s[-1])
    edges = np.linspace(begin, end, windows + 1)
    points = []
    for since, until in pairwise(edges.tolist()):
        one, other = first.between(since, until), second.between(since, until)
        try:
            fit = fit_sine(one.values, one.times_s)
            if not fit.has_converged or fit.frequency_hz * (until - since) < _WINDOW_PERIODS:
                continue
            points.append(transfer_at(one, other, fit.frequency_hz))
        except ValueError:
            continue
    if not points:
        raise ValueError("no stretch of the first stream holds five periods of a sine")
    return Response(tuple(sorted(points, key=lambda point: point.frequency_hz)))


class Against(msgspec.Struct, frozen=True):
    """One stream over another at the same instants.

    Attributes
    ----------
    x, y : (n,) float64
        The first stream's values, and the second's at their instants, on the straight line between its samples.
    line : LineFit
        Y over X, with their correlation.
    """

    x: FloatArray
    y: FloatArray
    line: LineFit


def against(first: Stream, second: Stream) -> Against:
    """The second stream over the first.

    Raises
    ------
    ValueError
        When they have fewer than three instants in common, or the first does not move.
    """
    inside = (first.times_s >= second.times_s[0]) & (first.times_s <= second.times_s[-1])
    x, times_s = first.values[inside], first.times_s[inside]
    if len(x) < 3 or float(np.ptp(x)) == 0:
        raise ValueError("the first stream does not move, or they have no time in common")
    y = np.interp(times_s, second.times_s, second.values)
    return Against(x, y, fit_line(x, y))


def lag(first: Stream, second: Stream, most_s: float | None = None) -> Estimate:
    """By how much the second stream is behind the first, where both have the same course: the highest place of
    their correlation, and from there by least squares.

    Raises
    ------
    ValueError
        When one of them does not move, or has fewer than sixteen samples.
    """
    if min(len(first.values), len(second.values)) < FEWEST:
        raise ValueError("sixteen samples of each stream are needed")
    step = min(float(np.median(np.diff(stream.times_s))) for stream in (first, second))
    span = max(stream.times_s[-1] - stream.times_s[0] for stream in (first, second))
    step = max(step, span / _MOST_EVEN)
    one, other = _even(first, step), _even(second, step)
    if not one.any() or not other.any():
        raise ValueError("a stream that does not move has no place in time")
    found = correlate(other, one, mode="full", method="fft")
    shifts = np.arange(len(found)) - (len(one) - 1)
    base = float(second.times_s[0] - first.times_s[0])
    if most_s is not None:
        near = np.abs(shifts * step + base) <= most_s
        if not near.any():
            raise ValueError("they are farther apart than allowed")
        found, shifts = found[near], shifts[near]
    place = int(np.argmax(found))
    return _laid_over(first, second, float(shifts[place]) * step + base, step)


def _laid_over(first: Stream, second: Stream, at_s: float, step_s: float) -> Estimate:
    """The lag that leaves least of the second stream when the first is laid over it, with any gain and offset:
    in rounds (Gauss and Newton), by how steep the first is."""
    course = CubicSpline(second.times_s, second.values)
    steep = _slope(first)
    sigma = step_s
    for _ in range(_ROUNDS):
        times_s = first.times_s + at_s
        inside = (times_s >= second.times_s[0]) & (times_s <= second.times_s[-1])
        if np.count_nonzero(inside) < FEWEST:
            break
        laid = course(times_s[inside])
        columns = np.stack((np.ones(len(laid)), first.values[inside], steep[inside]), axis=1)
        found, *_ = np.linalg.lstsq(columns, laid, rcond=None)
        left = laid - columns @ found
        gain = float(found[1])
        if gain == 0:
            break
        change = float(found[2]) / gain
        noise_square = float((left**2).sum()) / (len(left) - 3)
        square = float((steep[inside] ** 2).sum())
        sigma = math.sqrt(noise_square / square) / abs(gain) if square > 0 else step_s
        at_s -= max(-step_s, min(step_s, change))
        if abs(change) < 1e-6 * step_s:
            break
    return Estimate(at_s, sigma)


def _slope(stream: Stream) -> FloatArray:
    """How steep a stream is at each sample, over as many to either side as it takes for noise not to matter, (n,)
    float64 a second."""
    values, times_s = stream.values, stream.times_s
    noise_square = float(np.median(np.diff(values, 2) ** 2)) / 0.455 / 6  # of normal noise
    reach, count = 1, len(values)
    while True:
        after = np.minimum(np.arange(count) + reach, count - 1)
        before = np.maximum(np.arange(count) - reach, 0)
        slope = (values[after] - values[before]) / (times_s[after] - times_s[before])
        by_noise = float((2 * noise_square / (times_s[after] - times_s[before]) ** 2).mean())
        if by_noise < 0.05 * float((slope**2).mean()) or reach > count // 32:
            return np.asarray(slope)
        reach *= 2


def _even(stream: Stream, step_s: float) -> FloatArray:
    """At even instants, without its mean, (n,) float64."""
    count = max(2, int((stream.times_s[-1] - stream.times_s[0]) / step_s) + 1)
    at_s = stream.times_s[0] + np.arange(count) * step_s
    values = np.interp(at_s, stream.times_s, stream.values)
    return np.asarray(values - values.mean())
