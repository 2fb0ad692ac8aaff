"""Values of shapes."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.shapes.expression import evaluate_expression
from wattigram.core.contract.shapes.model import (
    IN_VOLTS,
    ChirpShape,
    ExpressionShape,
    MultitoneShape,
    NoiseShape,
    PointsShape,
    PulseShape,
    SawtoothShape,
    SegmentsShape,
    Shape,
    SineShape,
    TriangleShape,
)

FloatArray = NDArray[np.float64]
_NOISE_SIGMAS = 3.0


def shape_volts(
    shape: Shape, points: int, cycles: int, amplitude_v: float, offset_v: float, phase: float
) -> FloatArray:
    """Voltage at each of ``points`` that hold ``cycles`` turns of a shape.

    Returns
    -------
    (points,) float64, volts

    Raises
    ------
    QuantityError
        When an expression has no finite value somewhere.
    """
    turns = (
        np.mod((np.arange(points) * (cycles % points) % points) / points + phase, 1.0)
        if cycles
        else np.zeros(1)
    )
    if cycles >= points:
        turns = np.mod(np.arange(points) * cycles / points + phase, 1.0)
    values = _values(shape, turns, points)
    return values if isinstance(shape, IN_VOLTS) else offset_v + amplitude_v * values


def _values(shape: Shape, turns: FloatArray, points: int) -> FloatArray:
    """Between −1 and 1, or volts where the shape gives them."""
    match shape:
        case SineShape():
            return np.asarray(np.sin(2 * math.pi * turns))
        case TriangleShape():
            rising = turns / shape.symmetry
            return np.where(
                turns < shape.symmetry,
                2 * rising - 1,
                1 - 2 * (turns - shape.symmetry) / (1 - shape.symmetry),
            )
        case SawtoothShape():
            return 2 * turns - 1 if shape.direction == "rising" else 1 - 2 * turns
        case PulseShape():
            return np.where(turns < shape.duty, 1.0, -1.0)
        case SegmentsShape():
            corners = np.concatenate(
                ([0.0], np.cumsum([float(segment.lasting) for segment in shape.segments]))
            )
            levels = [shape.start_v, *(segment.to_v for segment in shape.segments)]
            return np.asarray(np.interp(turns * corners[-1], corners, levels))
        case NoiseShape():
            generator = np.random.Generator(np.random.PCG64(shape.seed))
            drawn = generator.standard_normal(points) / _NOISE_SIGMAS
            return np.clip(drawn[np.rint(turns * points).astype(np.int64) % points], -1, 1)
        case ChirpShape():
            swept = shape.start * turns + (shape.stop - shape.start) * turns**2 / 2
            return np.asarray(np.sin(2 * math.pi * swept))
        case MultitoneShape():
            total = np.zeros(len(turns))
            for tone in shape.tones:
                total += tone.level * np.sin(2 * math.pi * (tone.number * turns + tone.phase))
            return total
        case ExpressionShape():
            return evaluate_expression(shape.volts, turns)
        case PointsShape():
            return _resampled(shape, turns)


def _resampled(shape: PointsShape, turns: FloatArray) -> FloatArray:
    given = np.array(shape.values)
    count = len(given)
    if shape.interpolation == "straight":
        return np.asarray(
            np.interp(turns * count, np.arange(count + 1), np.append(given, given[0]))
        )
    lines = np.fft.rfft(given) / count
    numbers = np.arange(len(lines))
    # At half the rate of the values only the cosine is known; each other line stands for two.
    weight = np.where((numbers == 0) | ((count % 2 == 0) & (numbers == count // 2)), 1.0, 2.0)
    total = np.zeros(len(turns))
    for number in numbers[np.abs(lines) > 1e-12 * np.abs(lines).max(initial=1e-300)]:
        line = lines[number] * weight[number]
        angle = 2 * math.pi * np.mod(number * turns, 1.0)
        total += line.real * np.cos(angle) - line.imag * np.sin(angle)
    return total
