"""How a strip is painted: its scale, what is expected, what lies below, the trace, events, gaps, and what it is called."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from wattigram.desktop.theme import color, number_font, signal_color, signal_pen, text_font, theme
from wattigram.desktop.widgets.axes import Axes
from wattigram.desktop.widgets.drawing import (
    LineBuffer,
    draw_band,
    draw_event,
    draw_marker,
    elide,
    fill_trace,
)
from wattigram.desktop.widgets.streams.changing_strip import STAGE as OUTPUT
from wattigram.desktop.widgets.streams.changing_strip import ChangingStrip
from wattigram.desktop.widgets.streams.stream_data import LaidUnder
from wattigram.desktop.widgets.streams.strips import Strip, Strips

DOTS_BELOW = 200
MOST_EVENTS = 400
"""In sight; more are no marks."""


class StripPainter:
    """Keeps the memory that traces are drawn from."""

    def __init__(self) -> None:
        self._buffers: dict[tuple[str, str], LineBuffer] = {}

    def paint(
        self,
        painter: QPainter,
        axes: Axes,
        data: Strips,
        trace: Strip,
        *,
        below: LaidUnder | None,
        scale: str | None,
        has_time: bool,
        is_own: bool,
    ) -> None:
        """A strip within ``axes``; ``scale`` as of a unit of :class:`Axes`, None for the strip's own."""
        t, view = theme(), axes.x_span
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        has_scale = not isinstance(trace, ChangingStrip) or trace.kind == "word"
        shown = trace.unit if scale is None else scale
        _scale_axes(axes, trace, scale).paint_grid(
            painter, "s" if has_time else None, shown if has_scale else None
        )
        painter.setPen(QPen(color(t.hairline), 1))
        painter.drawLine(axes.rect.bottomLeft(), axes.rect.bottomRight())
        painter.save()
        painter.setClipRect(axes.rect)
        count = max(2, int(axes.rect.width()))
        times, low, high = data.band(trace, *view, count)
        draw_band(
            painter,
            axes.x(times),
            axes.y(low),
            axes.y(high),
            signal_color(trace.index, t.tint_alpha),
        )
        self._paint_below(painter, axes, trace, below, count)
        times, low, high = trace.columns(*view, count)
        painter.setPen(signal_pen(trace.index, 1.0 if high is not low else 1.4))
        buffer = self._buffers.setdefault((trace.name, trace.stage), LineBuffer())
        lows = axes.y(low)
        fill_trace(buffer, axes.x(times), lows, lows if high is low else axes.y(high))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, high is low)
        buffer.draw(painter)
        if isinstance(trace, ChangingStrip):
            _paint_texts(painter, axes, trace)
        elif high is low and len(times) <= DOTS_BELOW:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(signal_color(trace.index))
            for x, y in zip(axes.x(times).tolist(), lows.tolist(), strict=True):
                if math.isfinite(y):
                    painter.drawEllipse(QPointF(x, y), 2.4, 2.4)
            painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.restore()
        _paint_gaps(painter, axes, trace)
        _paint_events(painter, axes, data, trace)
        painter.setFont(text_font(-0.5))
        label = trace.name
        if trace.stage not in {"raw", OUTPUT}:
            label += f" · {trace.stage}"
        if is_own:
            label += " · own limits"
        width = painter.fontMetrics().horizontalAdvance(label) + 26
        height = painter.fontMetrics().height() + 2
        top = axes.rect.top() + min(2.0, axes.rect.height() - height)  # clear of the scale below
        back = QRectF(axes.rect.left() + 6, top, width, height)
        painter.fillRect(back, color(t.card, 215))
        draw_marker(painter, QPointF(back.left() + 9, back.center().y()), trace.index)
        painter.setPen(color(t.ink))
        elide(painter, back.adjusted(19, 0, 0, 0), label)

    def _paint_below(
        self, painter: QPainter, axes: Axes, trace: Strip, laid: LaidUnder | None, count: int
    ) -> None:
        """The same channel of the recording that lies below, in ink that is no signal's."""
        other = laid.trace_like(trace) if laid is not None else None
        if other is None or laid is None:
            return
        shift_s = laid.shift_s
        times, low, high = other.columns(axes.x_span[0] - shift_s, axes.x_span[1] - shift_s, count)
        painter.setPen(QPen(color(theme().soft), 1.2))
        buffer = self._buffers.setdefault((trace.name, f"{trace.stage} below"), LineBuffer())
        lows = axes.y(low)
        fill_trace(buffer, axes.x(times + shift_s), lows, lows if high is low else axes.y(high))
        buffer.draw(painter)


def _scale_axes(axes: Axes, trace: Strip, scale: str | None) -> Axes:
    """Those that the scale's numbers are of: volts, or codes."""
    if trace.step is None or scale is None:
        return axes
    low, high = axes.y_span
    return Axes(axes.rect, axes.x_span, (low / trace.step, high / trace.step))


def _paint_gaps(painter: QPainter, axes: Axes, trace: Strip) -> None:
    """Where data never came: hatched, with a word."""
    t = theme()
    for begin_s, end_s in trace.missing_s:
        left, right = float(axes.x(begin_s)), float(axes.x(end_s))
        rect = QRectF(
            left, axes.rect.top(), max(2.0, right - left), axes.rect.height()
        ).intersected(axes.rect)
        if not rect.isEmpty():
            painter.fillRect(rect, color(t.bad, 60))


def _paint_texts(painter: QPainter, axes: Axes, trace: ChangingStrip) -> None:
    """What was sent, where it began; what would lie over another is left out."""
    painter.setFont(number_font(-1.5))
    metrics, free = painter.fontMetrics(), axes.rect.left()
    painter.setPen(color(theme().ink))
    for at_s, line in trace.texts(*axes.x_span):
        x = max(axes.rect.left(), float(axes.x(at_s)))
        if x < free:
            continue
        painter.drawLine(QPointF(x, axes.rect.center().y() - 2), QPointF(x, axes.rect.bottom()))
        painter.drawText(QPointF(x + 4, axes.rect.bottom() - 4), line)
        free = x + metrics.horizontalAdvance(line) + 14


def _paint_events(painter: QPainter, axes: Axes, data: Strips, trace: Strip) -> None:
    """Above the trace: filled where a condition began, open where it ended."""
    times, began = data.events(trace)
    inside = (times >= axes.x_span[0]) & (times <= axes.x_span[1])
    if not inside.any() or np.count_nonzero(inside) > MOST_EVENTS:
        return
    for x, is_begin in zip(axes.x(times[inside]).tolist(), began[inside].tolist(), strict=True):
        draw_event(painter, x, axes.rect.top() + 1, is_begin)
