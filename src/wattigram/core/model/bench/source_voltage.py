"""The voltage of a source at given instants, without its noise."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from wattigram.core.model.bench.sources import (
    DcSource,
    FloatingInput,
    SineSource,
    SquareSource,
    SweptSource,
    TriangleSource,
)
from wattigram.core.model.bench.waveform_source import ShapeSource

Driven = (
    DcSource
    | SineSource
    | TriangleSource
    | SquareSource
    | FloatingInput
    | SweptSource
    | ShapeSource
)
"""What drives a pin in the end, everything on the way to it counted in."""

FloatArray = NDArray[np.float64]
WANDER_HZ = (0.13, 0.31)
"""Two slow sines make the wandering level of a floating pin; the virtual board has the same."""
WANDER_V = 0.3
FLOATING_CENTRE_V = 0.9


def source_voltage(source: Driven, times_s: FloatArray) -> FloatArray:
    """Noise-free open-circuit voltage.

    Parameters
    ----------
    times_s : (n,) float64, seconds since the board's start

    Returns
    -------
    (n,) float64, volts
    """
    match source:
        case DcSource():
            return np.full(times_s.shape, source.voltage_v)
        case SineSource():
            turns = times_s * float(source.frequency_hz) + source.phase
            return source.offset_v + source.amplitude_v * np.sin(
                2 * math.pi * (turns - np.floor(turns))
            )
        case TriangleSource():
            turns = times_s / float(source.period_s)
            triangle = 1 - np.abs(1 - 2 * (turns - np.floor(turns)))
            return source.from_v + (source.to_v - source.from_v) * triangle
        case SquareSource():
            turns = times_s / float(source.period_s)
            return np.where(turns - np.floor(turns) < 1 - source.duty, source.low_v, source.high_v)
        case FloatingInput():
            wander = sum(np.sin(2 * math.pi * rate * times_s) for rate in WANDER_HZ)
            mains = np.sin(2 * math.pi * float(source.mains_hz) * times_s)
            return np.asarray(FLOATING_CENTRE_V + WANDER_V * wander + source.hum_v * mains)
        case SweptSource():
            lasting_s, first_hz = float(source.lasting_s), float(source.from_hz)
            into = np.mod(times_s, lasting_s)
            swept = first_hz * into + (float(source.to_hz) - first_hz) * into**2 / (2 * lasting_s)
            return np.asarray(
                source.offset_v + source.amplitude_v * np.sin(2 * math.pi * np.mod(swept, 1.0))
            )
        case ShapeSource():
            return source.at(times_s)


def source_extent_v(source: Driven) -> tuple[float, float]:
    """Lowest and highest noise-free voltage."""
    match source:
        case DcSource():
            return source.voltage_v, source.voltage_v
        case ShapeSource():
            return source.extent_v
        case SineSource() | SweptSource():
            return source.offset_v - source.amplitude_v, source.offset_v + source.amplitude_v
        case TriangleSource():
            return min(source.from_v, source.to_v), max(source.from_v, source.to_v)
        case SquareSource():
            return min(source.low_v, source.high_v), max(source.low_v, source.high_v)
        case FloatingInput():
            reach = len(WANDER_HZ) * WANDER_V + source.hum_v
            return FLOATING_CENTRE_V - reach, FLOATING_CENTRE_V + reach


def source_span_s(source: Driven) -> float:
    """A stretch of time in which the source shows what it does."""
    match source:
        case DcSource():
            return 0.5
        case SineSource():
            return 3 / float(source.frequency_hz)
        case TriangleSource() | SquareSource():
            return float(source.period_s)
        case FloatingInput():
            return 0.1
        case SweptSource():
            return float(source.lasting_s)
        case ShapeSource():
            return source.span_s


Crossing = tuple[Fraction, bool]
"""Instant within the source's period, and whether it rises there."""


def source_crossings(
    source: Driven, level_v: float
) -> tuple[Fraction, tuple[Crossing, ...]] | None:
    """Period of a source and where it crosses a level, without noise; None where it never does.

    What floats or stands still crosses nothing that could be relied on.
    """
    match source:
        case SineSource() if abs(level_v - source.offset_v) < source.amplitude_v:
            period_s = 1 / source.frequency_hz
            rise = math.asin((level_v - source.offset_v) / source.amplitude_v) / (2 * math.pi)
            found = [(rise - source.phase, True), (0.5 - rise - source.phase, False)]
        case TriangleSource() if (
            min(source.from_v, source.to_v) < level_v < max(source.from_v, source.to_v)
        ):
            period_s = source.period_s
            place = (level_v - source.from_v) / (source.to_v - source.from_v) / 2
            up = source.to_v > source.from_v
            found = [(place, up), (1 - place, not up)]
        case SquareSource() if (
            min(source.low_v, source.high_v) < level_v < max(source.low_v, source.high_v)
        ):
            period_s = source.period_s
            up = source.high_v > source.low_v
            found = [(1 - source.duty, up), (0.0, not up)]
        case ShapeSource():
            return source.crossings(level_v)
        case _:
            return None
    placed = [
        (Fraction(turn % 1).limit_denominator(10**12) * period_s, rising) for turn, rising in found
    ]
    return period_s, tuple(sorted(placed))


def source_slope_v_s(source: Driven) -> float:
    """Steepest slope of a source without noise, in volts per second; infinite for steps."""
    match source:
        case SineSource():
            return 2 * math.pi * float(source.frequency_hz) * source.amplitude_v
        case TriangleSource():
            return 2 * abs(source.to_v - source.from_v) / float(source.period_s)
        case SquareSource():
            return math.inf if source.low_v != source.high_v else 0.0
        case FloatingInput():
            slow = 2 * math.pi * sum(WANDER_HZ) * WANDER_V
            return slow + 2 * math.pi * float(source.mains_hz) * source.hum_v
        case SweptSource():
            return 2 * math.pi * float(max(source.from_hz, source.to_hz)) * source.amplitude_v
        case ShapeSource():
            return source.slope_v_s
        case _:
            return 0.0
