"""One place in an image's memory, painted: a number with its bar and its trace, an array as bars,
lines or numbers."""

from __future__ import annotations

import math
from collections import deque
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wattigram.core.base.quantity import format_volts
from wattigram.core.contract.image import MemoryLocation
from wattigram.core.firmware.memory_layout import BufferLayout, NumberScale
from wattigram.core.model.design import Workspace
from wattigram.desktop.theme import color, number_font, signal_color, signal_pen, theme
from wattigram.desktop.widgets.firmware.memory_text import (
    DECIMAL,
    VOLTS,
    in_base,
    loop_text,
    number_texts,
    span_text,
)

BARS, LINES, NUMBERS = "bars", "lines", "numbers"
KEPT = 240
"""Values of a trace."""
MOST_NUMBERS = 4096
CHART_HIGH, CAPTION_HIGH = 84.0, 36.0
NUMBER_HIGH, SCALAR_HIGH = 22.0, 56.0
TRACE_WIDE, BAR_HIGH, GAP = 180.0, 8.0, 14.0


class MemoryCanvas(QWidget):
    """Paints the newest numbers of a place; ``form`` and ``base`` say how."""

    def __init__(
        self, workspace: Workspace, place: MemoryLocation, look: BufferLayout | None
    ) -> None:
        super().__init__()
        self.place = place
        self.look = look
        self.form = BARS
        self.base = VOLTS if look is not None else DECIMAL
        self.scale: NumberScale | None = None
        self.values: NDArray[Any] | None = None
        self.next_index: int | None = None
        """Where DMA writes next, where that is known."""
        self._workspace = workspace
        self._trace: deque[float] = deque(maxlen=KEPT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"Value of {place.name}")

    def show_design(self, workspace: Workspace, look: BufferLayout | None) -> None:
        """The same place under another design."""
        self._workspace, self.look = workspace, look
        self.update()

    def show_values(self, values: NDArray[Any], next_index: int | None) -> None:
        """New numbers."""
        self.values, self.next_index = values, next_index
        if not self.place.is_array:
            self._trace.append(float(values[0]))
        self.update()

    def show_as(self, form: str, base: str, scale: NumberScale | None) -> None:
        """Paint in another form, or read the numbers otherwise."""
        self.form, self.base, self.scale = form, base, scale
        self._fit()
        self.update()

    @property
    def volts(self) -> NDArray[np.float64] | None:
        """The numbers in volts, where they are to be read so."""
        if self.values is None or self.base != VOLTS:
            return None
        if self.scale is not None:
            return self.scale.volts(self._workspace, self.values)
        return self.look.volts(self._workspace, self.values) if self.look is not None else None

    def text(self) -> str:
        """All numbers in the base that is shown, volts to six figures; one a line, with their
        index."""
        if self.values is None:
            return ""
        volts = self.volts
        lines = []
        for index, value in enumerate(self.values.tolist()):
            shown = (
                f"{volts[index]:.6g} V"
                if volts is not None
                else in_base(self.place, value, self.base)
            )
            lines.append(f"{index}\t{shown}" if self.place.is_array else shown)
        return "\n".join(lines)

    def sizeHint(self) -> QSize:
        """As high as the form needs."""
        if not self.place.is_array:
            return QSize(320, int(SCALAR_HIGH))
        if self.form == NUMBERS:
            columns = self._columns()
            rows = -(-min(self.place.count, MOST_NUMBERS) // columns)
            return QSize(320, int(rows * self._line_high() + CAPTION_HIGH))
        return QSize(320, int(CHART_HIGH + CAPTION_HIGH))

    def resizeEvent(self, event: object) -> None:
        """Numbers are put into as many columns as there is room for."""
        self._fit()

    def _fit(self) -> None:
        high = self.sizeHint().height()
        if self.minimumHeight() != high:
            self.setFixedHeight(high)

    @staticmethod
    def _line_high() -> float:
        return QFontMetricsF(number_font(-1)).height() + 3

    def _cell_wide(self) -> float:
        widest = 1
        if self.base == VOLTS:
            widest = len("-0.0000 mV")
        elif self.place.type.kind in {"unsigned", "signed", "pointer"}:
            widest = max(
                len(in_base(self.place, -1, self.base)),
                len(str(-(1 << (8 * self.place.type.size - 1)))),
            )
        else:
            widest = len("-1.23456789e-12")
        return QFontMetricsF(number_font(-1)).horizontalAdvance("0") * widest + GAP

    def _columns(self) -> int:
        """As many as there is room for; of a loop, whole passes."""
        label = QFontMetricsF(number_font(-1)).horizontalAdvance("00000") + GAP
        room = max(1, int((max(self.width(), 320) - label) / self._cell_wide()))
        slots = len(self.look.signals) if self.look is not None else 1
        for together in (math.lcm(slots, 4), slots):
            if room >= together:
                return room // together * together
        return room

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint what is known."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.place.is_array:
            self._paint_number(painter)
        elif self.values is None:
            self._paint_nothing(painter)
        elif self.form == NUMBERS:
            self._paint_numbers(painter, self.values)
        else:
            self._paint_chart(painter, self.values)
        painter.end()

    @staticmethod
    def _paint_nothing(painter: QPainter) -> None:
        painter.setFont(number_font(-1))
        painter.setPen(color(theme().faint))
        painter.drawText(QPointF(0, 16), "not read yet")

    # --- one number

    def _paint_number(self, painter: QPainter) -> None:
        if self.values is None:
            self._paint_nothing(painter)
            return
        volts = self.volts
        texts = number_texts(self.place, self.values[0], self.base)
        if volts is not None:
            texts.insert(0, format_volts(float(volts[0])))
        painter.setFont(number_font(0))
        painter.setPen(color(theme().ink))
        at = 0.0
        for text in texts:  # as many as there is room for
            long = painter.fontMetrics().horizontalAdvance(text)
            if at and at + long > self.width():
                break
            painter.drawText(QPointF(at, 15), text)
            at += long + 2 * GAP
        wide = self.width() - TRACE_WIDE - 2 * GAP
        self._paint_bar(painter, QRectF(0, NUMBER_HIGH + 8, max(40.0, wide), BAR_HIGH))
        self._paint_trace(
            painter,
            QRectF(
                self.width() - TRACE_WIDE, NUMBER_HIGH, TRACE_WIDE, SCALAR_HIGH - NUMBER_HIGH - 4
            ),
        )

    def _paint_bar(self, painter: QPainter, box: QRectF) -> None:
        """The newest number between the least and the greatest that were seen, zero among them."""
        low, high = min(0.0, *self._trace), max(0.0, *self._trace)
        span = high - low or 1.0
        painter.fillRect(box, color(theme().band))
        zero = box.left() + (0 - low) / span * box.width()
        at = box.left() + (self._trace[-1] - low) / span * box.width()
        shade = color(theme().action)
        if self.scale is not None:
            shade = self._signal_shade(self.scale.signal)
        painter.fillRect(
            QRectF(min(zero, at), box.top(), max(1.0, abs(at - zero)), box.height()), shade
        )

    def _paint_trace(self, painter: QPainter, box: QRectF) -> None:
        low, high = min(self._trace), max(self._trace)
        span = high - low or 1.0
        last = len(self._trace) - 1
        points = [
            QPointF(
                box.right() - (last - number) * box.width() / (KEPT - 1),
                box.bottom() - (value - low) / span * box.height(),
            )
            for number, value in enumerate(self._trace)
        ]
        painter.setPen(QPen(color(theme().action), 1.4))
        painter.drawPolyline(QPolygonF(points))

    # --- an array

    def _signal_place(self, name: str) -> int:
        names = [signal.name for signal in self._workspace.project.signals]
        return names.index(name) if name in names else 0

    def _signal_shade(self, name: str, alpha: int = 255) -> Any:
        return signal_color(self._signal_place(name), alpha)

    def _paint_chart(self, painter: QPainter, values: NDArray[Any]) -> None:
        t = theme()
        box = QRectF(0, 2, self.width(), CHART_HIGH)
        painter.fillRect(box, color(t.panel))
        volts = self.volts
        numbers = volts if volts is not None else values.astype(np.float64)
        usable = numbers[np.isfinite(numbers)]
        low = min(0.0, float(usable.min(initial=0.0)))
        high = max(1e-9 if volts is not None else 1.0, float(usable.max(initial=0.0)))
        heights = (np.nan_to_num(numbers, nan=0.0) - low) / (high - low) * box.height()
        zero = (0 - low) / (high - low) * box.height()
        if self.form == LINES:
            self._paint_lines(painter, heights, box)
        else:
            self._paint_bars(painter, heights, zero, box)
        if self.look is not None:
            painter.setPen(QPen(color(t.ink, 120), 1, Qt.PenStyle.DashLine))
            painter.drawLine(
                QPointF(box.center().x(), box.top()), QPointF(box.center().x(), box.bottom())
            )
            if self.next_index is not None:
                at = box.left() + self.next_index * box.width() / len(values)
                painter.setPen(QPen(color(t.ink), 2))
                painter.drawLine(QPointF(at, box.top() - 2), QPointF(at, box.bottom() + 3))
        self._paint_caption(painter, values, box.bottom() + 4)

    def _paint_bars(
        self, painter: QPainter, heights: NDArray[np.float64], zero: float, box: QRectF
    ) -> None:
        wide = box.width() / len(heights)
        drawn = max(0.6, wide - (0.8 if wide > 3 else 0))
        for index, high in enumerate(heights.tolist()):
            shade = color(theme().action, 190)
            if self.look is not None:
                shade = self._signal_shade(self.look.signal_at(index).name, 200)
            top = box.bottom() - max(high, zero)
            painter.fillRect(QRectF(box.left() + index * wide, top, drawn, abs(high - zero)), shade)

    def _paint_lines(self, painter: QPainter, heights: NDArray[np.float64], box: QRectF) -> None:
        """One line for all, or one for each signal of a loop."""
        step = len(self.look.signals) if self.look is not None else 1
        wide = box.width() / len(heights)
        for place in range(step):
            pen = QPen(color(theme().action), 1.4)
            if self.look is not None:
                pen = signal_pen(self._signal_place(self.look.signals[place].name))
            painter.setPen(pen)
            points = [
                QPointF(box.left() + (index + 0.5) * wide, box.bottom() - heights[index])
                for index in range(place, len(heights), step)
            ]
            painter.drawPolyline(QPolygonF(points))

    def _paint_caption(self, painter: QPainter, values: NDArray[Any], top: float) -> None:
        text = span_text(self.place, values, self.volts, self.base)
        if self.look is not None:
            text = loop_text(self._workspace, self.look, values, self.next_index or 0)
        painter.setFont(number_font(-1))
        painter.setPen(color(theme().soft))
        below = QRectF(0, top, self.width(), CAPTION_HIGH - 4)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, text)

    def _paint_numbers(self, painter: QPainter, values: NDArray[Any]) -> None:
        """As they lie in memory, with the index of the first in each row."""
        t = theme()
        painter.setFont(number_font(-1))
        metrics = QFontMetricsF(number_font(-1))
        label = metrics.horizontalAdvance("00000") + GAP
        wide, high, columns = self._cell_wide(), self._line_high(), self._columns()
        volts = self.volts
        for index, value in enumerate(values[:MOST_NUMBERS].tolist()):
            row, column = divmod(index, columns)
            box = QRectF(label + column * wide, row * high, wide - GAP, high)
            if column == 0:
                painter.setPen(color(t.faint))
                painter.drawText(
                    QRectF(0, box.top(), label - GAP, high), Qt.AlignmentFlag.AlignRight, str(index)
                )
            if index == self.next_index:
                painter.setPen(QPen(color(t.ink), 1.4))
                painter.drawRect(box.adjusted(-4, 0, 4, -2))
            painter.setPen(
                self._signal_shade(self.look.signal_at(index).name)
                if self.look is not None
                else color(t.ink)
            )
            text = (
                format_volts(float(volts[index]))
                if volts is not None
                else in_base(self.place, value, self.base)
            )
            painter.drawText(box, Qt.AlignmentFlag.AlignRight, text)
        if self.look is not None and len(values) // 2 % columns == 0:
            at = len(values) // 2 // columns * high - 1
            painter.setPen(QPen(color(t.ink, 120), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(0, at), QPointF(label + columns * wide, at))
        rows = -(-min(len(values), MOST_NUMBERS) // columns)
        self._paint_caption(painter, values, rows * high + 4)
