"""Sources as courses: what has no closed form of its own, and whatever goes through a low-pass."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.shapes import (
    PiecewiseWaveform,
    PointsShape,
    PulseShape,
    SawtoothShape,
    SegmentsShape,
    TriangleShape,
    piecewise_linear,
    shape_volts,
)
from wattigram.core.model.bench.sources import (
    Battery,
    Bridge,
    SignalGenerator,
    SquareSource,
    Thermistor,
    TriangleSource,
)
from wattigram.core.model.bench.waveform_source import ShapeSource

FloatArray = NDArray[np.float64]
_BENDS = 64
_DRAWN = 4096
Coursed = Battery | Bridge | TriangleSource | SignalGenerator | SquareSource | Thermistor


def source_waveform(source: Coursed) -> ShapeSource:
    """The source as pieces of straight lines and exponentials, without what the wire adds."""
    match source:
        case TriangleSource():
            corners = [source.from_v, source.to_v, source.from_v]
            return _lines([0.0, 0.5, 1.0], corners, source.period_s, source.noise_v)
        case SquareSource():
            since = 1 - source.duty
            corners = [source.low_v, source.low_v, source.high_v, source.high_v]
            return _lines([0.0, since, since, 1.0], corners, source.period_s, source.noise_v)
        case Thermistor():
            ways = np.linspace(0, 1, _BENDS + 1)
            there = [
                source.voltage_at(source.from_degc + (source.to_degc - source.from_degc) * way)
                for way in ways
            ]
            turns = np.concatenate((ways / 2, 0.5 + ways[1:] / 2))
            return _lines(turns, [*there, *there[-2::-1]], source.period_s, source.noise_v)
        case Bridge():
            low_v, high_v = source.voltage_at(source.from_load), source.voltage_at(source.to_load)
            return _lines([0.0, 0.5, 1.0], [low_v, high_v, low_v], source.period_s, source.noise_v)
        case Battery():
            return _battery(source)
        case SignalGenerator():
            return _generator(source)


def _lines(
    turns: FloatArray | list[float], volts: list[float], period_s: Fraction, noise_v: float
) -> ShapeSource:
    times = np.asarray(turns, dtype=np.float64) * float(period_s)
    return ShapeSource(
        piecewise_linear(times, np.array(volts), float(period_s)), period_s, noise_v=noise_v
    )


def _battery(source: Battery) -> ShapeSource:
    """The load is there for the last share of each period; both ways take the time constant."""
    period_s = float(source.period_s)
    free_s = period_s * (1 - source.loaded)
    levels = np.array([source.voltage_v, source.voltage_v - source.drop_v])
    flat = PiecewiseWaveform(
        np.array([0.0, free_s]), levels, np.zeros(2), np.zeros(2), 0.0, period_s, always=True
    )
    return ShapeSource(
        flat.filtered(float(source.recovery_s)), source.period_s, noise_v=source.noise_v
    )


def _generator(source: SignalGenerator) -> ShapeSource:
    """Shapes with corners by their corners, the others by many short lines."""
    period_s = 1 / source.frequency_hz
    low_v, high_v = source.offset_v - source.amplitude_v, source.offset_v + source.amplitude_v
    shape = source.shape
    turns: list[float]
    match shape:
        case TriangleShape():
            turns, volts = [0.0, shape.symmetry, 1.0], [low_v, high_v, low_v]
        case SawtoothShape():
            turns, volts = (
                [0.0, 1.0],
                [low_v, high_v] if shape.direction == "rising" else [high_v, low_v],
            )
        case PulseShape():
            turns, volts = [0.0, shape.duty, shape.duty, 1.0], [high_v, high_v, low_v, low_v]
        case SegmentsShape():
            total = float(shape.total_s)
            ends = np.cumsum([float(segment.lasting) for segment in shape.segments]) / total
            turns, volts = (
                [0.0, *ends.tolist()],
                [shape.start_v, *(one.to_v for one in shape.segments)],
            )
        case _:
            count = max(_DRAWN, len(shape.values)) if isinstance(shape, PointsShape) else _DRAWN
            drawn = shape_volts(shape, count, 1, source.amplitude_v, source.offset_v, 0.0)
            turns, volts = np.linspace(0, 1, count + 1).tolist(), [*drawn.tolist(), float(drawn[0])]
    played = _lines(turns, volts, period_s, source.noise_v)
    if not source.phase % 1:
        return played
    moved = played.course
    begin_s = -(source.phase % 1) * moved.period_s
    return ShapeSource(replace(moved, begin_s=begin_s), period_s, noise_v=source.noise_v)
