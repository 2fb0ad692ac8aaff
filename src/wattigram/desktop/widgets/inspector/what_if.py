"""All choices at once with their consequence, so that choosing is looking and not trying."""

from __future__ import annotations

import math

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from wattigram.desktop.inspector import Choice, WhatIf
from wattigram.desktop.theme import color, number_font, text_font, theme

DECADES_SHOWN = 5.0


class WhatIfChart(QWidget):
    """Bars, one a choice; click one, or move with the arrows."""

    chosen = pyqtSignal(object)
    """Edit"""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._data: WhatIf | None = None

    def show_data(self, data: WhatIf) -> None:
        """Show other choices."""
        self._data = data
        self.setAccessibleName(data.title)
        self.update()

    def sizeHint(self) -> QSize:
        """As wide as the inspector."""
        return QSize(220, 126)

    def minimumSizeHint(self) -> QSize:
        """Readable down to this."""
        return QSize(160, 110)

    def bar_rect(self, number: int) -> QRectF:
        """Where a choice can be clicked."""
        count = len(self._data.choices) if self._data else 1
        width = self.width() / max(1, count)
        return QRectF(number * width, 0, width, self.height())

    def _level(self, value: float, highest: float) -> float:
        """Height of a value, 0 to 1."""
        assert self._data is not None
        if value <= 0 or highest <= 0:
            return 0.0
        if not self._data.logarithmic:
            return value / highest
        return max(0.0, 1 + math.log10(value / highest) / DECADES_SHOWN)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint bars, the limit and the labels."""
        if self._data is None:
            return
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(number_font(-2))
        foot = painter.fontMetrics().height() + 6
        area = QRectF(0, 12, self.width(), self.height() - foot - 12)
        values = [choice.value for choice in self._data.choices]
        if self._data.limit is not None:
            values.append(self._data.limit)
        highest = max(values, default=1.0)
        for number, choice in enumerate(self._data.choices):
            cell = self.bar_rect(number)
            height = max(2.0, self._level(choice.value, highest) * area.height())
            bar = QRectF(
                cell.left() + cell.width() * 0.12,
                area.bottom() - height,
                cell.width() * 0.76,
                height,
            )
            shade = color(t.action if choice.good else t.bad, 255 if choice.is_current else 105)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(shade)
            painter.drawRect(bar)
            if choice.is_current:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(color(t.ink), 1.5))
                painter.drawRect(bar.adjusted(-1.5, -1.5, 1.5, 1.5))
            painter.setPen(color(t.ink if choice.is_current else t.soft))
            painter.drawText(
                QRectF(cell.left() - 3, area.bottom() + 3, cell.width() + 6, foot),
                Qt.AlignmentFlag.AlignHCenter,
                choice.label,
            )
        if self._data.limit is not None:
            y = area.bottom() - self._level(self._data.limit, highest) * area.height()
            painter.setPen(QPen(color(t.ink), 1.2, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(0, y), QPointF(self.width(), y))
            painter.setFont(text_font(-2))
            painter.drawText(
                QRectF(0, y - 14, self.width() - 2, 13),
                Qt.AlignmentFlag.AlignRight,
                self._data.limit_label,
            )
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(color(t.action), 1))
            painter.drawRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1))

    def _at(self, x: float) -> Choice | None:
        if self._data is None or not self._data.choices:
            return None
        number = int(x / self.width() * len(self._data.choices))
        return self._data.choices[max(0, min(len(self._data.choices) - 1, number))]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            choice = self._at(event.position().x())
            if choice is not None and choice.edit is not None:
                self.chosen.emit(choice.edit)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Say what a choice would bring."""
        if event is not None:
            choice = self._at(event.position().x())
            if choice is not None:
                QToolTip.showText(event.globalPosition().toPoint(), choice.tip, self)

    def leaveEvent(self, event: QEvent | None) -> None:
        """Take the hint away."""
        QToolTip.hideText()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Left and right take the next choice."""
        if event is None or self._data is None:
            return
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        current = [number for number, choice in enumerate(self._data.choices) if choice.is_current]
        if step is None:
            super().keyPressEvent(event)
        elif self._data.choices:
            target = max(0, min(len(self._data.choices) - 1, (current[0] if current else 0) + step))
            edit = self._data.choices[target].edit
            if edit is not None:
                self.chosen.emit(edit)
