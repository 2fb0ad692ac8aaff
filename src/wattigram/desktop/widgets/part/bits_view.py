"""A register's bits in a row, one field of it filled."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wattigram.core.model.part.sheet.register_matches import (
    Candidate,
)
from wattigram.desktop.theme import color, number_font, theme


class BitsView(QWidget):
    """Where a field lies in its register, highest bit at the left."""

    def __init__(self, candidate: Candidate) -> None:
        super().__init__()
        self.setObjectName("plain")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._candidate = candidate
        field = candidate.field
        high = field.low + field.width - 1
        self.text = f"bit {field.low}" if field.width == 1 else f"bits {high}–{field.low}"
        self.setAccessibleName(f"{candidate.place}, {self.text} of {candidate.register.width}")

    def sizeHint(self) -> QSize:
        """Cells, and the name under the field."""
        return QSize(240, 38)

    def minimumSizeHint(self) -> QSize:
        """Cells can be narrow."""
        return QSize(120, 38)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw the cells."""
        t = theme()
        painter = QPainter(self)
        bits, field = self._candidate.register.width, self._candidate.field
        cell = (self.width() - 2) / max(32, bits)
        left = 1 + (max(32, bits) - bits) * cell
        for bit in range(bits):
            x = left + (bits - 1 - bit) * cell
            is_mine = field.low <= bit < field.low + field.width
            painter.setPen(QPen(color(t.ink if is_mine else t.hairline), 1))
            painter.setBrush(color(t.action, 110) if is_mine else color(t.card))
            painter.drawRect(QRectF(x, 2, cell, 15))
        painter.setFont(number_font(-2))
        painter.setPen(color(t.soft))
        middle = left + (bits - field.low - field.width / 2) * cell
        wide = painter.fontMetrics().horizontalAdvance(field.name) + 4
        start = min(max(0.0, middle - wide / 2), self.width() - wide)
        painter.drawText(QRectF(start, 19, wide, 16), Qt.AlignmentFlag.AlignHCenter, field.name)
        painter.end()
