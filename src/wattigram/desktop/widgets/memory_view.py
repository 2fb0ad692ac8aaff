"""Variables of the running image, painted: numbers in several bases, bars of arrays, traces of what they were."""

from __future__ import annotations

from collections import deque
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wattigram.core.design import Workspace
from wattigram.core.firmware.looked import LoopLook, loop_look
from wattigram.core.image import Place
from wattigram.core.quantity import show_volts
from wattigram.desktop.theme import color, number_font, signal_color, text_font, theme

SIDE = 18.0
NUMBER_HIGH, ARRAY_HIGH = 58.0, 158.0
TRACE_WIDE, KEPT = 180.0, 240


class MemoryView(QWidget):
    """A row for each place that is looked at."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Variables of the running image")
        self._workspace: Workspace | None = None
        self.places: tuple[Place, ...] = ()
        self.values: dict[str, NDArray[Any]] = {}
        self._traces: dict[str, deque[float]] = {}
        self._loops: dict[str, LoopLook | None] = {}

    def show_places(self, workspace: Workspace, places: tuple[Place, ...]) -> None:
        """Show other variables; what is known of those that stay is kept."""
        self._workspace = workspace
        self.places = places
        self._loops = {one.name: loop_look(workspace, one.name) for one in places}
        names = {one.name for one in places}
        self.values = {name: value for name, value in self.values.items() if name in names}
        self._traces = {name: trace for name, trace in self._traces.items() if name in names}
        self.setMinimumHeight(self.sizeHint().height())
        self.updateGeometry()
        self.update()

    @property
    def wanted(self) -> tuple[Place, ...]:
        """What must be read for it: the variables, and the write places of loops."""
        found = list(self.places)
        for look in self._loops.values():
            if look is not None and look.place is not None and look.place not in found:
                found.append(look.place)
        return tuple(found)

    def show_memory(self, memory: dict[str, bytes]) -> None:
        """New bytes, by name."""
        for one in self.wanted:
            data = memory.get(one.name)
            if data is None:
                continue
            try:
                self.values[one.name] = one.numbers(data)
            except ValueError:
                continue
            if not one.is_array:
                self._traces.setdefault(one.name, deque(maxlen=KEPT)).append(float(self.values[one.name][0]))
        self.update()

    def sizeHint(self) -> QSize:
        """All rows."""
        return QSize(640, int(sum(self._high(one) for one in self.places) + 24) or 60)

    @staticmethod
    def _high(one: Place) -> float:
        return ARRAY_HIGH if one.is_array else NUMBER_HIGH

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint each row."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top = 10.0
        if not self.places:
            painter.setPen(color(theme().soft))
            painter.drawText(QPointF(SIDE, 30), "Choose variables on the left, and run the image on the virtual board.")
        for one in self.places:
            self._paint_head(painter, one, top)
            if one.is_array:
                self._paint_array(painter, one, QRectF(SIDE, top + 24, self.width() - 2 * SIDE, 84))
            else:
                self._paint_number(painter, one, top)
            top += self._high(one)
        painter.end()

    def _paint_head(self, painter: QPainter, one: Place, top: float) -> None:
        t = theme()
        painter.setFont(text_font(0, QFont.Weight.DemiBold))
        painter.setPen(color(t.ink))
        painter.drawText(QPointF(SIDE, top + 14), one.name)
        wide = painter.fontMetrics().horizontalAdvance(one.name)
        painter.setFont(text_font(-1))
        painter.setPen(color(t.soft))
        kind = f"{one.type.name}[{one.count}]" if one.is_array else one.type.name
        painter.drawText(QPointF(SIDE + wide + 10, top + 14), f"{kind}   {one.address:#010x}")
        painter.setPen(QPen(color(t.hairline), 1))
        bottom = top + self._high(one) - 6
        painter.drawLine(QPointF(SIDE, bottom), QPointF(self.width() - SIDE, bottom))

    def _paint_number(self, painter: QPainter, one: Place, top: float) -> None:
        t = theme()
        values = self.values.get(one.name)
        painter.setFont(number_font(0))
        painter.setPen(color(t.ink if values is not None else t.faint))
        painter.drawText(QPointF(SIDE, top + 38), number_text(one, values))
        trace = self._traces.get(one.name)
        if trace and len(trace) > 1:
            self._paint_trace(painter, list(trace), QRectF(self.width() - SIDE - TRACE_WIDE, top + 4, TRACE_WIDE, 40))

    @staticmethod
    def _paint_trace(painter: QPainter, trace: list[float], box: QRectF) -> None:
        low, high = min(trace), max(trace)
        span = high - low or 1.0
        points = [
            QPointF(
                box.right() - (len(trace) - 1 - number) * box.width() / (KEPT - 1),
                box.bottom() - (value - low) / span * box.height(),
            )
            for number, value in enumerate(trace)
        ]
        painter.setPen(QPen(color(theme().action), 1.4))
        painter.drawPolyline(QPolygonF(points))

    def _paint_array(self, painter: QPainter, one: Place, box: QRectF) -> None:
        t = theme()
        painter.fillRect(box, color(t.panel))
        values = self.values.get(one.name)
        if values is None:
            return
        look = self._loops.get(one.name)
        numbers = values.astype(np.float64)
        low, high = min(0.0, float(numbers.min())), max(1.0, float(numbers.max()))
        wide = box.width() / len(numbers)
        names = [signal.name for signal in self._workspace.project.signals] if self._workspace is not None else []
        zero = box.bottom() - (0 - low) / (high - low) * box.height()
        for index, value in enumerate(numbers.tolist()):
            at = box.bottom() - (value - low) / (high - low) * box.height()
            shade = color(t.action, 190)
            if look is not None:
                shade = signal_color(names.index(look.signal_at(index).name), 200)
            left = box.left() + index * wide
            painter.fillRect(
                QRectF(left, min(at, zero), max(0.6, wide - (0.8 if wide > 3 else 0)), abs(zero - at)), shade
            )
        painter.setFont(number_font(-1))
        painter.setPen(color(t.soft))
        text = f"{numbers.min():g} to {numbers.max():g}"
        if look is not None and self._workspace is not None:
            half = box.left() + box.width() / 2
            painter.setPen(QPen(color(t.ink, 120), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(half, box.top()), QPointF(half, box.bottom()))
            place = self._paint_place(painter, look, len(numbers), box)
            text = loop_text(self._workspace, look, values, place)
        painter.setPen(color(t.soft))
        below = QRectF(box.left(), box.bottom() + 4, box.width(), 36)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, text)

    def _paint_place(self, painter: QPainter, look: LoopLook, count: int, box: QRectF) -> int:
        """Where DMA writes next; gives the index, 0 where it is not known."""
        value = self.values.get(look.place.name) if look.place is not None else None
        if value is None:
            return 0
        place = int(value[0]) % count
        at = box.left() + place * box.width() / count
        painter.setPen(QPen(color(theme().ink), 2))
        painter.drawLine(QPointF(at, box.top() - 3), QPointF(at, box.bottom() + 3))
        return place


def number_text(one: Place, values: NDArray[Any] | None) -> str:
    """A number in decimal, hexadecimal and binary."""
    if values is None:
        return "not read yet"
    value = values[0]
    if one.type.kind == "float":
        return f"{float(value):.9g}"
    if one.type.kind == "bool":
        return "true" if int(value) else "false"
    number, bits = int(value), 8 * one.type.size
    code = number & ((1 << bits) - 1)
    text = f"{number}   0x{code:0{bits // 4}x}"
    if bits <= 32:
        digits = f"{code:0{bits}b}"
        text += "   " + " ".join(digits[at : at + 4] for at in range(0, bits, 4))
    return text


def loop_text(workspace: Workspace, look: LoopLook, values: NDArray[Any], place: int) -> str:
    """The newest item of each signal in volts, behind the place where the next one goes."""
    parts = []
    seen: set[str] = set()
    for back in range(1, len(values) + 1):
        index = (place - back) % len(values)
        signal = look.signal_at(index)
        if signal.name not in seen:
            seen.add(signal.name)
            volts = show_volts(look.volts(workspace, index, int(values[index])))
            parts.append(f"{signal.name} {volts}".replace(" ", "\u00a0"))
        if len(seen) == len({one.name for one in look.signals}):
            break
    return "   ".join([*reversed(parts), f"next\u00a0item\u00a0at\u00a0{place}"])
