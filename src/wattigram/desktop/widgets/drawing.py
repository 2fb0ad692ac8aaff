"""Bands, captured lines and marks, painted from arrays without a Python loop over points."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6 import sip
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QFontMetricsF,
    QPaintEngine,
    QPainter,
    QPainterPath,
    QPen,
    QPolygonF,
)

from wattigram.desktop.theme import MARKERS, color, signal_color, theme

FloatArray = NDArray[np.float64]
THINNEST_BAND_PX = 7.0
DENSE_PX = 2.0
"""From column to column."""


class LineBuffer:
    """Line segments in memory that NumPy fills and QPainter draws."""

    def __init__(self) -> None:
        self._capacity = 0
        self._segments: Any = sip.array(QLineF, 0)  # type: ignore[call-arg]
        self._view: FloatArray = np.empty((0, 4))

    def segments(self, count: int) -> FloatArray:
        """(count, 4) float64 to fill with x1, y1, x2, y2."""
        if count != self._capacity:
            self._capacity = count
            self._segments = sip.array(QLineF, count)  # type: ignore[call-arg]
            self._view = (
                np.frombuffer(self._segments, dtype=np.float64).reshape(count, 4)
                if count
                else np.empty((0, 4))
            )
        return self._view

    def draw(self, painter: QPainter) -> None:
        """Draw all segments with the painter's pen."""
        if self._capacity:
            painter.drawLines(self._segments)


def fill_trace(buffer: LineBuffer, x: FloatArray, low: FloatArray, high: FloatArray) -> None:
    """Segments for columns of extremes: one upright segment a column, each touching the one before.

    Where low and high are the same array the points are joined instead. NaN leaves a gap.
    """
    if len(x) < 2:
        buffer.segments(0)
        return
    if low is high:
        view = buffer.segments(len(x) - 1)
        view[:, 0], view[:, 2] = x[:-1], x[1:]
        view[:, 1], view[:, 3] = low[:-1], low[1:]
    else:
        view = buffer.segments(len(x))
        view[:, 0] = view[:, 2] = x
        # Screen y runs downwards, so "low" may be the larger number.
        top, bottom = np.minimum(low, high), np.maximum(low, high)
        view[1:, 1] = np.fmin(top[1:], bottom[:-1])
        view[1:, 3] = np.fmax(bottom[1:], top[:-1])
        view[0, 1], view[0, 3] = top[0], bottom[0]
        # A segment shorter than a pixel may not be drawn at all.
        view[:, 3] = np.maximum(view[:, 3], view[:, 1] + 1.0)
    if not np.isfinite(view.sum()):
        view[~np.isfinite(view).all(axis=1)] = -1e6


def polygon(x: FloatArray, y: FloatArray) -> QPolygonF:
    """A polygon of (n,) points."""
    shape = QPolygonF()
    shape.fill(QPointF(), len(x))
    if len(x):
        memory: Any = shape.data()
        memory.setsize(len(x) * 16)
        view = np.frombuffer(memory, dtype=np.float64).reshape(-1, 2)
        view[:, 0], view[:, 1] = x, y
    return shape


def _uprights(x: FloatArray, top: FloatArray, bottom: FloatArray) -> Any:
    """A rectangle for each column, side by side on whole pixels, each as high as to touch the one before."""
    edges = np.empty(len(x) + 1)
    edges[1:-1] = np.rint((x[1:] + x[:-1]) / 2)
    edges[0], edges[-1] = np.rint(x[0] - 0.5), np.rint(x[-1] + 0.5)
    rectangles: Any = sip.array(QRectF, len(x))  # type: ignore[call-arg]
    view = np.frombuffer(rectangles, dtype=np.float64).reshape(-1, 4)
    upper, lower = top.copy(), bottom.copy()
    upper[1:], lower[1:] = np.fmin(top[1:], bottom[:-1]), np.fmax(bottom[1:], top[:-1])
    view[:, 0], view[:, 1] = edges[:-1], upper
    view[:, 2], view[:, 3] = np.diff(edges), lower - upper
    view[~np.isfinite(view).all(axis=1)] = 0.0
    return rectangles


def draw_band(
    painter: QPainter, x: FloatArray, low: FloatArray, high: FloatArray, tint: QColor
) -> None:
    """The expected band: a tint without outline."""
    if len(x) < 2:
        return
    # A band thinner than the line on it could not be seen; larger y is further down.
    thin = np.maximum(0.0, THINNEST_BAND_PX - np.abs(low - high)) / 2
    low, high = np.maximum(low, high) + thin, np.minimum(low, high) - thin
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QBrush(tint))
    smooth = painter.testRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setRenderHint(
        QPainter.RenderHint.Antialiasing, False
    )  # a tint has no edge to be smooth
    engine = painter.paintEngine()
    on_screen = engine is not None and engine.type() == QPaintEngine.Type.Raster
    if on_screen and (x[-1] - x[0]) / (len(x) - 1) <= DENSE_PX:
        # A polygon with a tooth at each pixel takes Qt longer than all the rest of a picture.
        painter.drawRects(_uprights(x, np.minimum(low, high), np.maximum(low, high)))
    else:
        outline = np.concatenate((low, high[::-1]))
        painter.drawPolygon(polygon(np.concatenate((x, x[::-1])), outline))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, smooth)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def draw_marker(painter: QPainter, center: QPointF, index: int, size: float = 9.0) -> None:
    """A signal's mark: its colour, and a form of its own for those who do not see the
    difference."""
    shade = signal_color(index)
    kind = MARKERS[index % len(MARKERS)]
    half = size / 2
    x, y = center.x(), center.y()
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(shade)
    if kind == "square":
        painter.drawRoundedRect(QRectF(x - half, y - half, size, size), 1.5, 1.5)
    elif kind == "disc":
        painter.drawEllipse(center, half, half)
    elif kind == "up":
        painter.drawPolygon(
            QPolygonF(
                [QPointF(x, y - half), QPointF(x + half, y + half), QPointF(x - half, y + half)]
            )
        )
    elif kind == "down":
        painter.drawPolygon(
            QPolygonF(
                [QPointF(x, y + half), QPointF(x + half, y - half), QPointF(x - half, y - half)]
            )
        )
    elif kind == "diamond":
        points = [
            QPointF(x, y - half),
            QPointF(x + half, y),
            QPointF(x, y + half),
            QPointF(x - half, y),
        ]
        painter.drawPolygon(QPolygonF(points))
    elif kind == "bar":
        painter.drawRect(QRectF(x - half, y - half / 2, size, half))
    else:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(shade, 2.2))
        if kind == "ring":
            painter.drawEllipse(center, half - 1, half - 1)
        else:
            painter.drawLine(QPointF(x - half, y - half), QPointF(x + half, y + half))
            painter.drawLine(QPointF(x - half, y + half), QPointF(x + half, y - half))
    painter.restore()


def draw_event(painter: QPainter, x: float, top: float, began: bool) -> None:
    """A mark that points at an instant: filled where a condition began, open where it ended."""
    ink = color(theme().ink)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(ink, 1.2))
    painter.setBrush(ink if began else color(theme().card))
    painter.drawPolygon(QPolygonF([QPointF(x - 4, top), QPointF(x + 4, top), QPointF(x, top + 7)]))
    painter.setBrush(Qt.BrushStyle.NoBrush)


def draw_verdict(
    painter: QPainter,
    rect: QRectF,
    good: bool | None,
    good_color: QColor,
    bad_color: QColor,
    dull: QColor,
) -> None:
    """✓, ✕ or ○ drawn as lines, so that no font has to have them."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if good is None:
        painter.setPen(QPen(dull, 1.6))
        painter.drawEllipse(rect.adjusted(1, 1, -1, -1))
    elif good:
        painter.setPen(QPen(good_color, 2.0))
        path = QPainterPath(QPointF(rect.left() + 1, rect.center().y()))
        path.lineTo(rect.center().x() - 1, rect.bottom() - 1.5)
        path.lineTo(rect.right(), rect.top() + 1)
        painter.drawPath(path)
    else:
        painter.setPen(QPen(bad_color, 2.0))
        inner = rect.adjusted(1, 1, -1, -1)
        painter.drawLine(inner.topLeft(), inner.bottomRight())
        painter.drawLine(inner.bottomLeft(), inner.topRight())
    painter.restore()


def elide(
    painter: QPainter, rect: QRectF, text: str, flags: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft
) -> None:
    """One line of text, shortened where it does not fit; in the middle of the rectangle's
    height."""
    font = painter.font()
    shown, width, drop = _measured(font.key(), text, max(0, int(rect.width())))
    left = rect.left()
    if flags & Qt.AlignmentFlag.AlignRight:
        left = rect.right() - width
    elif flags & Qt.AlignmentFlag.AlignHCenter:
        left = rect.center().x() - width / 2
    painter.drawText(QPointF(left, rect.center().y() + drop), shown)


@lru_cache(maxsize=4096)
def _measured(font_key: str, text: str, room: int) -> tuple[str, float, float]:
    """(text that fits, its width, baseline below the middle).

    The same texts are painted thirty times a second; measuring and laying them out is what takes
    the time.
    """
    font = QFont()
    font.fromString(font_key)
    metrics = QFontMetricsF(font)
    shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, room)
    return shown, metrics.horizontalAdvance(shown), (metrics.ascent() - metrics.descent()) / 2
