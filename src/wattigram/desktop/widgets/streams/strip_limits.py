"""The value scale of each strip: all that there is, or limits of one's own."""

from __future__ import annotations

import math
import re

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import parse_value, value_text
from wattigram.desktop.widgets.axes import span_of
from wattigram.desktop.widgets.streams.stream_data import LaidUnder
from wattigram.desktop.widgets.streams.strips import Strip, Strips

Key = tuple[str, str]
"""Name and stage of a trace."""
Span = tuple[float, float]
COLUMNS = 400
SEPARATORS = re.compile(r"\s+to\s+|…|\.\.\.?|;")
LEAST_SHARE = 1e-6
"""Of the largest limit: a scale that is finer shows only how numbers are rounded."""


class StripLimits(QObject):
    """Limits by trace; they outlast a recording, so that the next one is seen on the same scale."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.own: dict[Key, Span] = {}
        self._whole: dict[Key, Span] = {}

    def forget_data(self) -> None:
        """Another recording is shown: what all of it spans is found anew."""
        self._whole.clear()

    def span(self, data: Strips, trace: Strip, below: LaidUnder | None) -> Span:
        """Lowest and highest value of a strip."""
        own = self.own.get((trace.name, trace.stage))
        return own if own is not None else self.whole(data, trace, below)

    def whole(self, data: Strips, trace: Strip, below: LaidUnder | None) -> Span:
        """All that came, what lies below, and what is expected."""
        key = (trace.name, trace.stage)
        if data.grows:
            return self._grown(data, trace)
        if key not in self._whole:
            _times, low, high = data.band(trace, data.begin_s, data.end_s, COLUMNS)
            other = below.trace_like(trace) if below is not None else None
            extremes = [*trace.span(), *(other.span() if other is not None else ())]
            self._whole[key] = span_of(np.array(extremes), low, high)
        return self._whole[key]

    def _grown(self, data: Strips, trace: Strip) -> Span:
        """What has come, wider each time that something lies beyond, and never narrower: a scale that moves all the
        time is no scale."""
        key = (trace.name, trace.stage)
        before = self._whole.get(key)
        lowest, highest = trace.span()
        if before is not None and not (lowest < before[0] or highest > before[1]):
            return before
        _times, low, high = data.band(trace, data.begin_s, data.end_s, COLUMNS)
        found = span_of(np.array([lowest, highest]), low, high)
        if math.isfinite(lowest):
            self._whole[key] = found
        return found

    def fit(self, data: Strips, trace: Strip, view: Span, below: LaidUnder | None) -> None:
        """Just what is in sight, with what is expected there."""
        _times, low, high = trace.columns(*view, COLUMNS)
        if not np.isfinite(low).any():
            return
        _at, band_low, band_high = data.band(trace, *view, COLUMNS)
        parts = [low, high, band_low, band_high]
        other = below.trace_like(trace) if below is not None else None
        if other is not None and below is not None:
            shift_s = below.shift_s
            parts += other.columns(view[0] - shift_s, view[1] - shift_s, COLUMNS)[1:]
        self.set(trace, span_of(*parts))

    def set(self, trace: Strip, span: Span | None) -> None:
        """Limits of one's own; None for all that there is."""
        key = (trace.name, trace.stage)
        if span is None:
            self.own.pop(key, None)
        elif _is_span(span):
            self.own[key] = span
        else:
            return
        self.changed.emit()

    def use(self, own: dict[Key, Span]) -> None:
        """Those of a project."""
        self.own = {key: span for key, span in own.items() if _is_span(span)}


def _is_span(span: Span) -> bool:
    low, high = span
    least = LEAST_SHARE * max(abs(low), abs(high))
    return math.isfinite(low) and math.isfinite(high) and high - low > least


def span_text(span: Span, unit: str) -> str:
    """As :func:`parse_span` reads it."""
    return " to ".join(value_text(limit, unit, 5) for limit in span)


CODE = re.compile(r"(0[xX][0-9a-fA-F]{1,8})|([+\-−]?\d+)\s*codes?")


def _limit(text: str, unit: str, step: float | None) -> float:
    code = CODE.fullmatch(text.strip()) if step is not None else None
    if code is None or step is None:
        return parse_value(text, unit)
    return (int(code[1], 16) if code[1] else int(code[2].replace("−", "-"))) * step


def parse_span(text: str, unit: str, step: float | None = None) -> Span:
    """Two limits, such as ``1.2 V to 1.8 V``; of what has codes, worth ``step`` each, also ``0x200 to 0x800`` and
    ``512 codes to 2048 codes``.

    Raises
    ------
    QuantityError
        When they are not two, or span nothing.
    """
    parts = SEPARATORS.split(text)
    if len(parts) != 2:
        raise QuantityError(f"“{text[:40]}” is no two limits.", cure="Write “1.2 to 1.8”.")
    low, high = (_limit(part, unit, step) for part in parts)
    if not _is_span((low, high)):
        raise QuantityError(
            f"From {value_text(low, unit)} to {value_text(high, unit)} is no span.",
            cure="Write the lower limit first.",
        )
    return low, high
