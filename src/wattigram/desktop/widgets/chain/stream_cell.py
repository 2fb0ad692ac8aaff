"""The stream of a row: captured line on expected band."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from wattigram.core.base.quantity import format_si
from wattigram.core.capture.session import StreamPicture
from wattigram.core.model.design import Signal, Workspace, watched_levels
from wattigram.core.predict.pins import input_extent_v
from wattigram.desktop.theme import color, number_font, signal_color, signal_pen, text_font, theme
from wattigram.desktop.widgets.drawing import LineBuffer, draw_band, draw_verdict, elide, fill_trace

MARGIN_SHARE = 0.12
GRIP_PX = 4.0
RAW_ALPHA = 90


def value_span(
    workspace: Workspace, signal: Signal, picture: StreamPicture | None
) -> tuple[float, float]:
    """Lowest and highest value to be shown, in the signal's own volts; it does not jump with the
    noise."""
    low, high = input_extent_v(workspace, signal)
    bottom = -workspace.reference_v if signal.negative is not None else 0.0
    low, high = (
        signal.at_source(min(max(value, bottom), workspace.reference_v)) for value in (low, high)
    )
    half = picture.half_width_v if picture is not None else 0.0
    low, high = low - half, high + half
    if picture is not None and len(picture.low_v):
        low = min(low, float(np.nanmin(picture.low_v)))
        high = max(high, float(np.nanmax(picture.high_v)))
    smallest = max(6 * half, 1e-3)
    if high - low < smallest:
        middle = (low + high) / 2
        low, high = middle - smallest / 2, middle + smallest / 2
    margin = (high - low) * MARGIN_SHARE
    return low - margin, high + margin


class LimitLine(msgspec.Struct, frozen=True):
    """A window's limit, or a comparator's threshold, as it stands on a stream."""

    window: int
    is_high: bool
    y: float
    comparator: str = ""


class StreamPainter:
    """Paints one row's stream; keeps its buffers from frame to frame, and where limits stand."""

    def __init__(self) -> None:
        self._buffer = LineBuffer()
        self._raw = LineBuffer()
        self._span = (0.0, 1.0)
        self._graph = QRectF()
        self.limits: list[LimitLine] = []

    def limit_at(self, x: float, y: float) -> LimitLine | None:
        """The limit line under a point."""
        if not self._graph.adjusted(0, -GRIP_PX, 0, GRIP_PX).contains(x, y):
            return None
        near = [line for line in self.limits if abs(line.y - y) <= GRIP_PX]
        return min(near, key=lambda line: abs(line.y - y), default=None)

    def value_at(self, y: float) -> float:
        """Volts of the signal at a height, to the digits that a pixel can tell."""
        low, high = self._span
        if self._graph.height() <= 0:
            return low
        volts = low + (self._graph.bottom() - y) / self._graph.height() * (high - low)
        step = 10.0 ** math.floor(math.log10((high - low) / self._graph.height()))
        return round(round(volts / step) * step, 9)

    def paint(
        self,
        painter: QPainter,
        rect: QRectF,
        workspace: Workspace,
        signal: Signal,
        index: int,
        picture: StreamPicture | None,
    ) -> None:
        """Draw the stretch that ``picture`` holds, with limits, verdict and span."""
        t = theme()
        low, high = value_span(workspace, signal, picture)
        graph = rect.adjusted(4, 7, -82, -7)

        def y_of(values: np.ndarray) -> np.ndarray:
            clipped = np.clip(values, low - (high - low), high + (high - low))
            return np.asarray(graph.bottom() - (clipped - low) / (high - low) * graph.height())

        painter.save()
        painter.setClipRect(rect)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        self._span, self._graph = (low, high), graph
        self._paint_limits(painter, workspace, signal)
        if picture is not None:
            count = len(picture.expected_low_v)
            x = np.linspace(graph.left(), graph.right(), count) if count else np.empty(0)
            half = picture.half_width_v
            draw_band(
                painter,
                x,
                y_of(picture.expected_low_v - half),
                y_of(picture.expected_high_v + half),
                signal_color(index, t.tint_alpha),
            )
            if len(picture.raw_low_v):
                painter.setPen(QPen(signal_color(index, RAW_ALPHA), 1))
                across = np.linspace(graph.left(), graph.right(), len(picture.raw_low_v))
                fill_trace(self._raw, across, y_of(picture.raw_low_v), y_of(picture.raw_high_v))
                self._raw.draw(painter)
            if len(picture.low_v):
                painter.setPen(signal_pen(index))
                across = np.linspace(graph.left(), graph.right(), len(picture.low_v))
                lows = y_of(picture.low_v)
                highs = lows if picture.high_v is picture.low_v else y_of(picture.high_v)
                fill_trace(self._buffer, across, lows, highs)
                self._buffer.draw(painter)
        self._paint_labels(painter, rect, picture)
        painter.restore()

    def _paint_limits(self, painter: QPainter, workspace: Workspace, signal: Signal) -> None:
        """A line for each level in view."""
        low, high = self._span
        graph, t = self._graph, theme()
        self.limits = []
        for level in watched_levels(workspace, signal):
            if not low < level.volts < high:
                continue
            is_window = level.window >= 0
            painter.setPen(
                QPen(color(t.faint), 1, Qt.PenStyle.DotLine)
                if is_window
                else QPen(color(t.doubt), 1, Qt.PenStyle.DashLine)
            )
            at_y = graph.bottom() - (level.volts - low) / (high - low) * graph.height()
            painter.drawLine(QPointF(graph.left(), at_y), QPointF(graph.right(), at_y))
            comparator = "" if is_window else level.name
            self.limits.append(LimitLine(level.window, level.is_high, at_y, comparator))

    def _paint_labels(self, painter: QPainter, rect: QRectF, picture: StreamPicture | None) -> None:
        t = theme()
        side = QRectF(rect.right() - 76, rect.top() + 8, 72, 16)
        state = picture.in_band if picture is not None else None
        came = picture is not None and len(picture.low_v) > 0
        word = {True: "on band", False: "off band", None: "no band" if came else "not run"}[state]
        draw_verdict(
            painter,
            QRectF(side.left(), side.top() + 2.5, 11, 11),
            state,
            color(t.good),
            color(t.bad),
            color(t.faint),
        )
        painter.setFont(text_font(-1))
        painter.setPen(color({True: t.good, False: t.bad, None: t.faint}[state]))
        elide(painter, side.adjusted(16, 0, 4, 0), word)
        if picture is not None and picture.end_s > picture.begin_s:
            painter.setFont(number_font(-1.5))
            painter.setPen(color(t.faint))
            span = format_si(_round_span(picture.end_s - picture.begin_s), "s", 3)
            elide(painter, QRectF(side.left(), rect.bottom() - 22, 74, 16), span)


def _round_span(span_s: float) -> float:
    """A span of nearly a round length is called by the round length."""
    digits = 1 - math.floor(math.log10(span_s))
    return round(span_s, digits)
