"""Curves over a logarithmic axis, the present one in full strength among what else could be."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from wattigram.core.base.quantity import format_si
from wattigram.desktop.inspector import Curves
from wattigram.desktop.theme import color, number_font, text_font, theme
from wattigram.desktop.widgets.drawing import polygon

LOWEST = 0.01


class CurveChart(QWidget):
    """Draws curves; both axes are logarithmic."""

    def __init__(self) -> None:
        super().__init__()
        self._data: Curves | None = None

    def show_data(self, data: Curves) -> None:
        """Show other curves."""
        self._data = data
        self.setAccessibleName(data.title)
        self.update()

    def sizeHint(self) -> QSize:
        """As wide as the inspector."""
        return QSize(220, 108)

    def minimumSizeHint(self) -> QSize:
        """Readable down to this."""
        return QSize(160, 92)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint all curves, the line across, and both ends of the axis."""
        data = self._data
        if data is None or not data.courses:
            return
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(number_font(-2))
        foot = painter.fontMetrics().height() + 4
        area = QRectF(1, 3, self.width() - 2, self.height() - foot - 4)
        x_values = [x for x, _y in data.courses[0].points]
        low, high = math.log(x_values[0]), math.log(x_values[-1])
        floor = math.log(LOWEST)

        def across(x: np.ndarray) -> np.ndarray:
            return np.asarray(area.left() + (np.log(x) - low) / (high - low) * area.width())

        def down(y: np.ndarray) -> np.ndarray:
            return np.asarray(area.top() + np.log(np.maximum(y, LOWEST)) / floor * area.height())

        painter.setPen(QPen(color(t.hairline), 1))
        painter.drawRect(area)
        for course in sorted(data.courses, key=lambda one: one.is_current):
            points = np.array(course.points)
            shade = color(t.action, 255 if course.is_current else 70)
            painter.setPen(QPen(shade, 2.0 if course.is_current else 1.0))
            painter.drawPolyline(polygon(across(points[:, 0]), down(points[:, 1])))
        if data.line is not None:
            y = float(down(np.array([data.line]))[0])
            painter.setPen(QPen(color(t.ink), 1.0, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setFont(text_font(-2))
            painter.drawText(QRectF(area.left() + 3, y + 1, 60, 14), data.line_label)
        painter.setFont(number_font(-2))
        painter.setPen(color(t.soft))
        line = QRectF(area.left(), area.bottom() + 2, area.width(), foot)
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft, format_si(x_values[0], data.x_unit, 3))
        painter.drawText(line, Qt.AlignmentFlag.AlignRight, format_si(x_values[-1], data.x_unit, 3))
