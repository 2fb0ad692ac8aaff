"""Waves as shapes, and voltages over time in pieces."""

from wattigram.core.shapes.course import Course, held_steps, pulses, straight_lines
from wattigram.core.shapes.evaluate import shape_volts
from wattigram.core.shapes.expression import evaluate_expression, parse_expression
from wattigram.core.shapes.model import (
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
