"""What can be dragged on the curve of a table, and the table that dragging it makes."""

from __future__ import annotations

from fractions import Fraction

import msgspec
import numpy as np

from wattigram.core.contract.shapes import PulseShape, SegmentsShape, ShapeSegment, TriangleShape
from wattigram.core.model.design import WaveTable
from wattigram.core.predict.waveform import table_volts

LEAST_SHARE, MOST_SHARE = 0.001, 0.999


class Handle(msgspec.Struct, frozen=True):
    """Something on the curve that can be dragged; ``turn`` is a share of the lap."""

    kind: str
    turn: float
    volts: float
    number: int = 0


def table_handles(table: WaveTable) -> list[Handle]:
    """Corners of segments; offset, amplitude, and the duty or peak of other shapes."""
    shape = table.shape
    if isinstance(shape, SegmentsShape):
        total = float(shape.total_s)
        ends = np.cumsum([float(segment.lasting) for segment in shape.segments]) / total
        corners = zip(ends.tolist(), shape.segments, strict=True)
        handles = [Handle("corner", 0.0, shape.start_v, -1)]
        return handles + [
            Handle("corner", end, corner.to_v, number)
            for number, (end, corner) in enumerate(corners)
        ]
    if table.in_volts:
        return []
    turn = 1 / table.periods
    highest = float(np.argmax(table_volts(table))) / table.points
    handles = [
        Handle("offset", 0.0, table.offset_v),
        Handle("amplitude", highest, table.offset_v + table.amplitude_v),
    ]
    if isinstance(shape, PulseShape):
        handles.append(Handle("duty", (shape.duty - table.phase) % 1 * turn, table.offset_v))
    elif isinstance(shape, TriangleShape):
        handles.append(
            Handle(
                "peak",
                (shape.symmetry - table.phase) % 1 * turn,
                table.offset_v - table.amplitude_v,
            )
        )
    return handles


def moved_table(
    table: WaveTable, begun: WaveTable, held: Handle, volts: float, turn: float
) -> WaveTable | None:
    """The table with a handle elsewhere; ``begun`` is how it was when the handle was taken."""
    shape = table.shape
    match held.kind:
        case "offset":
            return table.replaced(offset_v=volts)
        case "amplitude":
            return table.replaced(amplitude_v=round(max(0.0, volts - table.offset_v), 6))
        case "duty" | "peak":
            share = (turn * table.periods + table.phase) % 1
            share = round(min(MOST_SHARE, max(LEAST_SHARE, share)), 4)
            return table.replaced(shape=shape.replaced(**{held.kind: share}))
        case "corner" if isinstance(shape, SegmentsShape):
            scale = begun.shape if isinstance(begun.shape, SegmentsShape) else shape
            return table.replaced(
                shape=_moved_corner(shape, float(scale.total_s), held.number, volts, turn)
            )
    return None


def _moved_corner(
    shape: SegmentsShape, total_s: float, number: int, volts: float, turn: float
) -> SegmentsShape:
    """One corner elsewhere; the one after it stays where it is."""
    if number < 0:
        return shape.replaced(start_v=volts)
    segments = list(shape.segments)
    if number + 1 == len(segments):
        segments[number] = segments[number].replaced(to_v=volts)
        return shape.replaced(segments=tuple(segments))
    before_s = sum(float(segment.lasting) for segment in segments[:number])
    shortest_s = total_s / 1000
    both = segments[number].lasting + segments[number + 1].lasting
    length_s = min(max(turn * total_s - before_s, shortest_s), float(both) - shortest_s)
    mine = _round_time(length_s, total_s)
    segments[number] = ShapeSegment(to_v=volts, lasting=mine)
    segments[number + 1] = ShapeSegment(to_v=segments[number + 1].to_v, lasting=both - mine)
    return shape.replaced(segments=tuple(segments))


def _round_time(length_s: float, total_s: float) -> Fraction:
    """A time to about a thousandth of the whole, as an exact number."""
    exponent = int(np.floor(np.log10(total_s / 1000)))
    step = Fraction(10) ** exponent
    return max(1, round(length_s / float(step))) * step
