"""Shapes of waves; ``docs/project-format.md`` describes them for people."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Literal

from msgspec import Meta

from wattigram.core.base.fields import Seconds, Share, Volts
from wattigram.core.base.models import StrictModel
from wattigram.core.contract.shapes.expression import parse_expression

LONGEST_TABLE = 16384


class SineShape(StrictModel):
    """One turn of a sine."""

    kind: Literal["sine"] = "sine"


class TriangleShape(StrictModel):
    """From the lowest value up to the highest at ``peak`` of the turn, and down again."""

    kind: Literal["triangle"] = "triangle"
    symmetry: Share = 0.5

    def __post_init__(self) -> None:
        if not 0 < self.symmetry < 1:
            raise ValueError("peak must lie between 0 % and 100 %. Write 50 % for equal flanks.")


class SawtoothShape(StrictModel):
    """From one end to the other, and back at once."""

    kind: Literal["sawtooth"] = "sawtooth"
    direction: Literal["rising", "falling"] = "rising"


class PulseShape(StrictModel):
    """High for the share ``duty`` of the turn, then low; a square where that is half."""

    kind: Literal["pulse"] = "pulse"
    duty: Share = 0.5

    def __post_init__(self) -> None:
        if not 0 < self.duty < 1:
            raise ValueError("duty must lie between 0 % and 100 %. Write 50 % for a square.")


class ShapeSegment(StrictModel):
    """A straight line to ``to_v``; a soak where that is where it stands already."""

    to_v: Volts
    lasting: Seconds


class SegmentsShape(StrictModel):
    """Straight lines one after the other, in volts; their times are in proportion."""

    kind: Literal["segments"] = "segments"
    start_v: Volts = 0.0
    segments: Annotated[tuple[ShapeSegment, ...], Meta(min_length=1, max_length=200)]

    @property
    def total_s(self) -> Fraction:
        """Time of all segments."""
        return sum((segment.lasting for segment in self.segments), Fraction(0))


class NoiseShape(StrictModel):
    """Normal noise of which the amplitude is three sigma, cut off there; the same for the same
    seed."""

    kind: Literal["noise"] = "noise"
    seed: Annotated[int, Meta(ge=0, le=1 << 32)] = 1


class ChirpShape(StrictModel):
    """A sine whose frequency goes evenly from ``begin`` to ``end`` turns a table."""

    kind: Literal["chirp"] = "chirp"
    start: Annotated[float, Meta(gt=0, le=10_000)] = 1.0
    stop: Annotated[float, Meta(gt=0, le=10_000)] = 16.0


class Tone(StrictModel):
    """A sine of ``number`` turns a table, with its share of the amplitude."""

    number: Annotated[int, Meta(ge=1, le=8192)]
    level: Share = 1.0
    phase: Share = 0.0


class MultitoneShape(StrictModel):
    """Several sines at once."""

    kind: Literal["multitone"] = "multitone"
    tones: Annotated[tuple[Tone, ...], Meta(min_length=1, max_length=64)]


class ExpressionShape(StrictModel):
    """Arithmetic on t, which goes from 0 to 1 within a turn; the result is in volts."""

    kind: Literal["expression"] = "expression"
    volts: Annotated[str, Meta(max_length=1000)]

    def __post_init__(self) -> None:
        parse_expression(self.volts)


class PointsShape(StrictModel):
    """Values in volts from elsewhere, brought to as many points as are wanted."""

    kind: Literal["points"] = "points"
    values: Annotated[tuple[float, ...], Meta(min_length=2, max_length=LONGEST_TABLE)]
    interpolation: Literal["straight", "band-limited"] = "straight"
    """Lines between values, or the only curve through them with no frequency above half their
    rate."""
    origin: Annotated[str, Meta(max_length=120)] = ""

    def __post_init__(self) -> None:
        if max(abs(value) for value in self.values) > 1e6:
            raise ValueError("a value lies beyond a million volts. Give volts.")


Shape = (
    SineShape
    | TriangleShape
    | SawtoothShape
    | PulseShape
    | SegmentsShape
    | NoiseShape
    | ChirpShape
    | MultitoneShape
    | ExpressionShape
    | PointsShape
)
IN_VOLTS = (SegmentsShape, ExpressionShape, PointsShape)
"""Shapes that say their volts themselves; the others have amplitude and offset."""
