"""A rectangle with two scales: mapping, grid and labels."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from wattigram.core.base.quantity import format_si, round_values
from wattigram.desktop.theme import color, number_font, theme

FloatArray = NDArray[np.float64]


HEX = "0x"
"""In the place of a unit."""


class Axes(msgspec.Struct, frozen=True):
    """Maps values to screen positions within ``rect``."""

    rect: QRectF
    x_span: tuple[float, float]
    y_span: tuple[float, float]

    def x(self, values: FloatArray | float) -> FloatArray:
        """Screen x of values."""
        low, high = self.x_span
        return np.asarray(
            self.rect.left() + (np.asarray(values) - low) / (high - low) * self.rect.width()
        )

    def y(self, values: FloatArray | float) -> FloatArray:
        """Screen y of values; larger ones stand higher."""
        low, high = self.y_span
        return np.asarray(
            self.rect.bottom() - (np.asarray(values) - low) / (high - low) * self.rect.height()
        )

    def value_at(self, x: float) -> float:
        """Value of the x scale at a screen position."""
        low, high = self.x_span
        return low + (x - self.rect.left()) / self.rect.width() * (high - low)

    def paint_grid(self, painter: QPainter, x_unit: str | None, y_unit: str | None) -> None:
        """Hairlines and labels; a unit of None leaves a scale out, :data:`HEX` has whole numbers in hexadecimal."""
        t = theme()
        painter.setFont(number_font(-2))
        metrics = painter.fontMetrics()
        height = metrics.height()
        if y_unit is not None:
            round_ones = hex_values if y_unit == HEX else round_values
            for value in round_ones(*self.y_span, max(1, int(self.rect.height() / (height * 1.9)))):
                at_y = float(self.y(value))
                painter.setPen(QPen(color(t.hairline, 150), 1))
                painter.drawLine(QPointF(self.rect.left(), at_y), QPointF(self.rect.right(), at_y))
                painter.setPen(color(t.soft))
                label = QRectF(self.rect.left() - 84, at_y - height / 2, 78, height)
                painter.drawText(
                    label,
                    Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                    _label(value, y_unit),
                )
        if x_unit is not None:
            width = metrics.horizontalAdvance("0000.000 ms") + 8
            for value in round_values(*self.x_span, max(1, int(self.rect.width() / width))):
                at_y = float(self.x(value))
                painter.setPen(QPen(color(t.hairline, 110), 1))
                painter.drawLine(QPointF(at_y, self.rect.top()), QPointF(at_y, self.rect.bottom()))
                painter.setPen(color(t.soft))
                label = QRectF(at_y - width / 2, self.rect.bottom() + 3, width, height)
                painter.drawText(label, Qt.AlignmentFlag.AlignHCenter, _label(value, x_unit))


def hex_values(low: float, high: float, most: int) -> list[float]:
    """Whole numbers that are round in hexadecimal, a power of two apart, about ``most`` of them."""
    if not (math.isfinite(low) and math.isfinite(high)) or high <= low:
        return []
    step = 2 ** max(0, math.ceil(math.log2((high - low) / max(1, most))))
    return [float(at * step) for at in range(math.ceil(low / step), math.floor(high / step) + 1)]


def _label(value: float, unit: str) -> str:
    if unit == HEX:
        return f"{'−' if value < 0 else ''}0x{abs(round(value)):03X}"
    return format_si(value, unit, 7) if unit else f"{value:g}"


def span_of(*parts: FloatArray, margin: float = 0.08) -> tuple[float, float]:
    """A span that holds all finite values, with a margin."""
    values = [part[np.isfinite(part)] for part in parts]
    held = np.concatenate(values) if values else np.empty(0)
    if not len(held):
        return 0.0, 1.0
    low, high = float(held.min()), float(held.max())
    extra = (high - low) * margin or max(abs(high) * 0.01, 1e-3)
    if not math.isfinite(extra):
        extra = 1.0
    return low - extra, high + extra
