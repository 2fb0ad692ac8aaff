"""Waves as shapes, and voltages over time in pieces."""

from wattigram.core.contract.shapes.evaluate import shape_volts
from wattigram.core.contract.shapes.expression import evaluate_expression, parse_expression
from wattigram.core.contract.shapes.model import (
    IN_VOLTS,
    LONGEST_TABLE,
    AnyShape,
    ChirpShape,
    ExpressionShape,
    MultitoneShape,
    NoiseShape,
    PointsShape,
    PulseShape,
    SawtoothShape,
    Segment,
    SegmentsShape,
    Shape,
    SineShape,
    Tone,
    TriangleShape,
)
from wattigram.core.contract.shapes.piecewise import Course, held_steps, pulses, straight_lines

__all__ = [
    "IN_VOLTS",
    "LONGEST_TABLE",
    "AnyShape",
    "ChirpShape",
    "Course",
    "ExpressionShape",
    "MultitoneShape",
    "NoiseShape",
    "PointsShape",
    "PulseShape",
    "SawtoothShape",
    "Segment",
    "SegmentsShape",
    "Shape",
    "SineShape",
    "Tone",
    "TriangleShape",
    "evaluate_expression",
    "held_steps",
    "parse_expression",
    "pulses",
    "shape_volts",
    "straight_lines",
]
