"""What is to be measured, and what kinds of measurement have in common."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.analysis import Stream, WindowName, crossings
from wattigram.core.capture.recording import Block, Channel
from wattigram.core.judge.measured.figures import Figure, Measured

CURVE_POINTS = 4096
"""Of a curve over time; more are not drawn."""
GONE_BACK = 0.1
"""Share of its span by which a stream must go back before a crossing counts again."""


class Wanted(msgspec.Struct, frozen=True):
    """What is measured, and with what.

    Attributes
    ----------
    kind : str
        One of :data:`KINDS`.
    channels : tuple of str
        One, or two for those that set one against another.
    begin_s, end_s : float or None
        The stretch; all where nothing is said.
    window, segment : of a spectrum
    stimulus : str
        Of a histogram: what was put in, "sine" or "ramp"; "" for neither.
    level, rising : of intervals
    period_s : float or None
        At which a stream is folded.
    frequency_hz : float or None
        Of gain and phase.
    band : float
        Of a step, as a share of it.
    """

    kind: str
    channels: tuple[str, ...]
    begin_s: float | None = None
    end_s: float | None = None
    window: WindowName = "hann"
    segment: int | None = None
    stimulus: str = ""
    level: float | None = None
    rising: bool = True
    period_s: float | None = None
    frequency_hz: float | None = None
    band: float = 0.01


def measured_of(
    wanted: Wanted,
    block: Block,
    figures: list[Figure],
    notes: list[str],
    curve: dict[str, list[float]] | None = None,
) -> Measured:
    """Figures of a stretch that was read as a whole."""
    begin_s = float(block.times_s[0]) if len(block) else 0.0
    end_s = float(block.times_s[-1]) if len(block) else 0.0
    came = int(np.count_nonzero(block.valid))
    return Measured(
        wanted.kind,
        wanted.channels,
        begin_s,
        end_s,
        came,
        len(block) - came,
        tuple(figures),
        tuple(notes),
        curve or {},
    )


def stretch_of(channel: Channel, wanted: Wanted) -> Block:
    """All of the stretch that is wanted.

    Raises
    ------
    ValueError
        Where nothing came in it.
    """
    block = channel.stretch(wanted.begin_s, wanted.end_s)
    if not block.valid.any():
        raise ValueError("nothing came in that stretch")
    return block


def middle(values: NDArray[np.float64]) -> float:
    """Half way between the lowest and the highest of (n,) float64."""
    return (float(values.min()) + float(values.max())) / 2


def crossing_instants(
    stream: Stream, rising: bool, level: float | None = None
) -> NDArray[np.float64]:
    """Instants at which a stream crosses a level, its middle where none is given, (m,) float64 seconds; before one
    counts again it must have gone back by :data:`GONE_BACK` of its span."""
    at = middle(stream.values) if level is None else level
    span = float(np.ptp(stream.values))
    return crossings(stream.values, stream.times_s, at, GONE_BACK * span, rising)
