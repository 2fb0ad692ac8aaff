"""Waves as shapes, and voltages over time in pieces."""

from wattigram.core.contract.shapes.evaluate import shape_volts
from wattigram.core.contract.shapes.expression import evaluate_expression, parse_expression
from wattigram.core.contract.shapes.model import (
    IN_VOLTS,
    LONGEST_TABLE,
    ChirpShape,
    ExpressionShape,
    MultitoneShape,
    NoiseShape,
    PointsShape,
    PulseShape,
    SawtoothShape,
    SegmentsShape,
    Shape,
    ShapeSegment,
    SineShape,
    Tone,
    TriangleShape,
)
from wattigram.core.contract.shapes.piecewise import (
    PiecewiseWaveform,
    piecewise_linear,
    pulse_train,
    zero_order_hold,
)

__all__ = [
    "IN_VOLTS",
    "LONGEST_TABLE",
    "ChirpShape",
    "ExpressionShape",
    "MultitoneShape",
    "NoiseShape",
    "PiecewiseWaveform",
    "PointsShape",
    "PulseShape",
    "SawtoothShape",
    "SegmentsShape",
    "Shape",
    "ShapeSegment",
    "SineShape",
    "Tone",
    "TriangleShape",
    "evaluate_expression",
    "parse_expression",
    "piecewise_linear",
    "pulse_train",
    "shape_volts",
    "zero_order_hold",
]
