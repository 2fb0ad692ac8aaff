"""Kinds of measurement of two channels."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from wattigram.core.analysis import (
    Stream,
    against,
    lag,
    latencies,
    response,
    statistics,
    transfer_at,
)
from wattigram.core.capture.recording import Block, Channel
from wattigram.core.judge.measured.figures import Figure, Measured
from wattigram.core.judge.measured.wanted import (
    CURVE_POINTS,
    Wanted,
    crossing_instants,
    measured_of,
    middle,
    stretch_of,
)

FloatArray = NDArray[np.float64]


def _streams(channels: tuple[Channel, ...], wanted: Wanted) -> tuple[Block, Stream, Stream]:
    blocks = [stretch_of(channel, wanted) for channel in channels]
    came = [block.came for block in blocks]
    first, second = (Stream(one.values, one.times_s) for one in came)
    return blocks[0], first, second


def gain_of(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    """Gain and phase of the second channel against the first, at one frequency.

    Raises
    ------
    ValueError
        Where there is not enough in that stretch.
    """
    block, first, second = _streams(channels, wanted)
    found = transfer_at(first, second, wanted.frequency_hz)
    figures = [
        Figure("frequency", "Frequency", found.frequency_hz, math.nan, "Hz"),
        Figure.of("gain", "Gain", found.gain, ""),
        Figure.of("gain-db", "Gain", found.gain_db, "dB"),
        Figure.of("phase", "Phase", found.phase_rad.scaled(180 / math.pi), "°"),
        Figure.of("delay", "Delay", found.delay_s, "s"),
    ]
    return measured_of(wanted, block, figures, ["Each channel by its own sampling instants."])


def response_of(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    """Gain over frequency, and where it has fallen by 3 dB.

    Raises
    ------
    ValueError
        Where there is not enough in that stretch.
    """
    block, first, second = _streams(channels, wanted)
    found = response(first, second)
    fall_hz = found.fall_hz()
    figures = [
        Figure("points", "Frequencies", float(len(found.points)), 0.0, ""),
        Figure("lowest", "Lowest", found.points[0].frequency_hz, math.nan, "Hz"),
        Figure("highest", "Highest", found.points[-1].frequency_hz, math.nan, "Hz"),
    ]
    if fall_hz is not None:
        figures.append(Figure("fall", "−3 dB at", fall_hz, math.nan, "Hz"))
    curve = {
        "frequency_hz": [one.frequency_hz for one in found.points],
        "gain_db": [one.gain_db.value for one in found.points],
        "gain_db_sigma": [one.gain_db.sigma for one in found.points],
        "phase_deg": [math.degrees(one.phase_rad.value) for one in found.points],
        "phase_deg_sigma": [math.degrees(one.phase_rad.sigma) for one in found.points],
    }
    return measured_of(
        wanted,
        block,
        figures,
        ["A sine is fitted to each of 64 stretches; gain is against the lowest frequency."],
        curve,
    )


def against_of(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    """The second channel over the first, and the straight line through it.

    Raises
    ------
    ValueError
        Where there is not enough in that stretch.
    """
    block, first, second = _streams(channels, wanted)
    found = against(first, second)
    x_unit, y_unit = (channel.unit for channel in channels)
    slope_unit = "" if x_unit == y_unit else f"{y_unit or '1'}/{x_unit or '1'}"
    figures = [
        Figure("slope", "Slope", found.line.slope, math.nan, slope_unit),
        Figure("offset", "Offset", found.line.offset, math.nan, y_unit),
        Figure("correlation", "Correlation", found.line.r, math.nan, ""),
    ]
    step = max(1, len(found.x) // CURVE_POINTS)
    curve = {"x": found.x[::step].tolist(), "y": found.y[::step].tolist()}
    return measured_of(
        wanted,
        block,
        figures,
        ["The second channel is read between its samples at the instants of the first."],
        curve,
    )


def difference_of(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    """The first channel less the second, over time.

    Raises
    ------
    ValueError
        Where they have no time in common.
    """
    block, first, second = _streams(channels, wanted)
    inside = (first.times_s >= second.times_s[0]) & (first.times_s <= second.times_s[-1])
    times_s = first.times_s[inside]
    if len(times_s) < 2:
        raise ValueError("they have no time in common")
    apart = first.values[inside] - np.interp(times_s, second.times_s, second.values)
    found = statistics(apart, times_s)
    assert found is not None
    unit = channels[0].unit
    figures = [
        Figure.of("mean", "Mean", found.mean, unit),
        Figure.of("std", "Standard deviation", found.std, unit),
        Figure("minimum", "Least", found.low, 0.0, unit),
        Figure("maximum", "Greatest", found.high, 0.0, unit),
    ]
    if found.drift_per_s is not None:
        figures.append(
            Figure.of("drift", "Drift", found.drift_per_s, f"{unit}/s" if unit else "/s")
        )
    step = max(1, len(times_s) // CURVE_POINTS)
    curve = {"at_s": times_s[::step].tolist(), "difference": apart[::step].tolist()}
    notes = [
        "The first less the second, which is read between its samples at the instants of the first."
    ]
    return measured_of(wanted, block, figures, notes, curve)


def lag_of(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    """How long the second channel is behind the first.

    Raises
    ------
    ValueError
        Where there is not enough in that stretch.
    """
    block, first, second = _streams(channels, wanted)
    return measured_of(
        wanted, block, [Figure.of("lag", "The second is behind by", lag(first, second), "s")], []
    )


def latency_of(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    """From each crossing of the first channel to the next crossing of the second, whichever way that goes.

    Raises
    ------
    ValueError
        Where there is not enough in that stretch.
    """
    block, first, second = _streams(channels, wanted)
    level = wanted.level
    causes = crossing_instants(first, wanted.rising, level)
    effects = np.sort(np.concatenate([crossing_instants(second, way) for way in (True, False)]))
    found = latencies(causes, effects)
    told = statistics(found.seconds, found.instants_s)
    if told is None or len(found.seconds) < 2:
        raise ValueError("the first crosses its level, and is answered, fewer than twice")
    figures = [
        Figure("count", "Responses", float(len(found.seconds)), 0.0, ""),
        Figure.of("mean", "Mean", told.mean, "s"),
        Figure.of("jitter", "Jitter", told.std, "s"),
        Figure("shortest", "Shortest", told.low, 0.0, "s"),
        Figure("longest", "Longest", told.high, 0.0, "s"),
        Figure("unanswered", "Without response", float(found.unanswered), 0.0, ""),
    ]
    way = "rising" if wanted.rising else "falling"
    notes = [
        f"From {way} crossings of {middle(first.values) if level is None else level:.6g} by {channels[0].name} to the next "
        f"crossing of {middle(second.values):.6g} by {channels[1].name}, whichever way; each on straight lines between samples."
    ]
    return measured_of(wanted, block, figures, notes, {"latency_s": found.seconds.tolist()})
