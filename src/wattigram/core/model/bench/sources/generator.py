"""A signal generator."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal, Self

import numpy as np
from msgspec.structs import replace

from wattigram.core.base.fields import Hertz, Share, Volts, VoltsOrZero
from wattigram.core.contract.shapes import (
    ChirpShape,
    NoiseShape,
    PointsShape,
    PulseShape,
    SawtoothShape,
    SegmentsShape,
    Shape,
    SineShape,
    TriangleShape,
    shape_volts,
)
from wattigram.core.model.bench.sources.shaped import ShapeSource, straight_lines
from wattigram.core.model.bench.sources.source import (
    Choice,
    Driven,
    SourceModel,
    Surroundings,
)

DRAWN = 4096
"""Points of a shape that has no corners."""
SHAPES = (
    SineShape(),
    TriangleShape(),
    SawtoothShape(),
    PulseShape(),
    NoiseShape(),
    ChirpShape(),
)


class SignalGenerator(SourceModel):
    """A generator with any shape; a recorded file is one of them."""

    title: ClassVar[str] = "signal generator"
    labels: ClassVar[Mapping[str, str]] = {
        "amplitude_v": "amplitude",
        "offset_v": "offset",
        "frequency_hz": "frequency",
        "phase": "phase",
        "noise_v": "noise rms",
    }
    kind: Literal["generator"] = "generator"
    shape: Shape
    amplitude_v: VoltsOrZero = 1.0
    offset_v: Volts = 0.0
    frequency_hz: Hertz
    phase: Share = 0.0
    noise_v: VoltsOrZero = 0.0

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        return cls(
            shape=TriangleShape(),
            offset_v=around.reference_v / 2,
            amplitude_v=around.reference_v / 4,
            frequency_hz="50 Hz",
            noise_v=noise_v,
        )

    def choices(self, around: Surroundings) -> tuple[Choice, ...]:
        shapes: dict[str, Shape] = {self.shape.kind: self.shape}
        for shape in SHAPES:
            shapes.setdefault(shape.kind, shape)
        return (Choice("shape", "shape", shapes),)

    def opened(self, around: Surroundings) -> Driven:
        """Shapes with corners by their corners, the others by many short lines."""
        turns, volts = self._corners()
        played = straight_lines(turns, volts, 1 / self.frequency_hz, self.noise_v)
        if not self.phase % 1:
            return played
        moved = played.course
        begin_s = -(self.phase % 1) * moved.period_s
        return ShapeSource(
            replace(moved, begin_s=begin_s), 1 / self.frequency_hz, noise_v=self.noise_v
        )

    def _corners(self) -> tuple[list[float], list[float]]:
        low_v, high_v = self.offset_v - self.amplitude_v, self.offset_v + self.amplitude_v
        match self.shape:
            case TriangleShape(symmetry=symmetry):
                return [0.0, symmetry, 1.0], [low_v, high_v, low_v]
            case SawtoothShape(direction=direction):
                return [0.0, 1.0], [low_v, high_v] if direction == "rising" else [high_v, low_v]
            case PulseShape(duty=duty):
                return [0.0, duty, duty, 1.0], [high_v, high_v, low_v, low_v]
            case SegmentsShape() as shape:
                lengths = [float(segment.lasting) for segment in shape.segments]
                ends = np.cumsum(lengths) / float(shape.total_s)
                corners = [shape.start_v, *(segment.to_v for segment in shape.segments)]
                return [0.0, *ends.tolist()], corners
            case shape:
                count = max(DRAWN, len(shape.values)) if isinstance(shape, PointsShape) else DRAWN
                drawn = shape_volts(shape, count, 1, self.amplitude_v, self.offset_v, 0.0)
                turns = np.linspace(0, 1, count + 1).tolist()
                return turns, [*drawn.tolist(), float(drawn[0])]
