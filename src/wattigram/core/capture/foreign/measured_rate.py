"""How fast rows come, where nobody says it: told from when they arrive at this computer."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Sequence

import msgspec
import numpy as np

from wattigram.core.base.errors import LinkError
from wattigram.core.capture.foreign.byte_source import ByteSource
from wattigram.core.capture.foreign.stream_reader import ForeignStream, Format

FEWEST_ARRIVALS = 8
LEAST_SPAN_S = 0.5
USUAL_S = 10.0


class MeasuredRate(msgspec.Struct, frozen=True):
    """Rows a second with its standard uncertainty, by this computer's clock."""

    rate_hz: float
    sigma_hz: float
    rows: int
    span_s: float


def rate_of(arrivals: Sequence[tuple[float, int]]) -> MeasuredRate | None:
    """The slope of rows over time, least squares; None of too little.

    Rows come in lots, so each count is behind by part of one: the uncertainty is never less than what lots of
    that size leave open at both ends.

    Parameters
    ----------
    arrivals : (instant in seconds, rows that have come by then) in the order of time
    """
    if len(arrivals) < FEWEST_ARRIVALS:
        return None
    times, rows = (np.array(column, dtype=np.float64) for column in zip(*arrivals, strict=True))
    span_s = float(times[-1] - times[0])
    count = int(rows[-1] - rows[0])
    if span_s < LEAST_SPAN_S or count < FEWEST_ARRIVALS:
        return None
    centred = times - times.mean()
    spread = float((centred**2).sum())
    slope = float((centred * (rows - rows.mean())).sum()) / spread
    left = rows - rows.mean() - slope * centred
    scatter = math.sqrt(float((left**2).sum()) / (len(rows) - 2) / spread)
    lot = float(np.diff(rows).max())
    ends = lot * math.sqrt(2 / 12) / span_s
    return MeasuredRate(slope, max(scatter, ends), count, span_s)


def measure_rate(
    source: ByteSource,
    form: Format,
    seconds: float,
    is_ended: Callable[[float], bool],
    clock: Callable[[], float] = time.monotonic,
) -> MeasuredRate:
    """Listen for so long; ``is_ended`` is told the share that is over, and ends it where it says so.

    Raises
    ------
    LinkError
        When too few rows come to tell their rate.
    """
    reader = ForeignStream(form)
    arrivals: list[tuple[float, int]] = []
    rows, begun = 0, clock()
    while True:
        now = clock()
        if now - begun >= seconds or is_ended(min(1.0, (now - begun) / seconds)):
            break
        data = source.read()
        if data is None:
            break
        came = len(reader.feed(data, is_end=False).values) if data else 0
        if came:
            rows += came
            arrivals.append((clock(), rows))
    found = rate_of(arrivals)
    if found is None:
        raise LinkError(
            f"{rows} rows in {clock() - begun:.3g} s are too few, or too many at once, to tell their rate.",
            cure="Listen for longer, or say it. A file has no rate but its own column of time.",
        )
    return found
