"""Data rates on both sides of a route, to scale, and its newest bytes."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from wattigram.core.base.quantity import format_si
from wattigram.core.model.design import Route, UartDestination, Workspace
from wattigram.core.predict.timing import route_timing
from wattigram.desktop.inspector.routes import sink_text, source_text
from wattigram.desktop.theme import color, heading_font, signal_color, text_font, theme
from wattigram.desktop.widgets.drawing import elide

LABEL = 190.0


class RateBars(QWidget):
    """Bars for what the source makes, what DMA writes and what the sink takes; what is lost is
    hatched."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Data rates")
        self._workspace: Workspace | None = None
        self._route: Route | None = None
        self._index = 0

    def show_route(self, workspace: Workspace, route: Route | None, index: int) -> None:
        """Show a route's rates."""
        self._workspace, self._route, self._index = workspace, route, index
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(560, 150)

    def minimumSizeHint(self) -> QSize:
        return QSize(320, 130)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the bars."""
        painter = QPainter(self)
        t = theme()
        painter.fillRect(self.rect(), color(t.card))
        painter.setFont(heading_font())
        painter.setPen(color(t.faint))
        if self._workspace is None or self._route is None:
            painter.drawText(QRectF(12, 6, self.width() - 24.0, 20), "NO ROUTE")
            return
        route = self._route
        timing = route_timing(self._workspace, route)
        is_wire = isinstance(route.destination, UartDestination)
        unit = "B/s" if is_wire else "Hz"
        per_value = route.transfers if is_wire and route.source.kind != "received" else 1
        painter.drawText(
            QRectF(12, 6, self.width() - 24.0, 20),
            f"{route.name.upper()} · RATES TO SCALE, IN {unit.upper()}",
        )
        lost_hz = timing.overwritten_hz
        rows = [
            (source_text(route.source), float(timing.source_hz) * per_value, 0.0, "makes"),
            ("DMA", float(timing.transfers_hz), lost_hz, "writes"),
            (sink_text(route.destination), float(timing.sink_hz), 0.0, "destination rate"),
            ("throughput", timing.effective_hz, 0.0, ""),
        ]
        top = max((row[1] for row in rows), default=1.0) or 1.0
        height = min(30.0, (self.height() - 34.0) / len(rows))
        room = max(40.0, self.width() - LABEL - 220.0)
        for number, (name, rate, lost, verb) in enumerate(rows):
            y = 30 + number * height
            painter.setFont(text_font(-0.5))
            painter.setPen(color(t.ink))
            elide(painter, QRectF(12, y, LABEL - 18, height), f"{name} {verb}".strip())
            bar = QRectF(LABEL, y + 3, room * rate / top, height - 8)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.fillRect(bar, signal_color(self._index, 90))
            if lost:
                gone = QRectF(
                    bar.right() - room * lost / top, bar.top(), room * lost / top, bar.height()
                )
                painter.setBrush(Qt.BrushStyle.BDiagPattern)
                painter.fillRect(gone, color(t.bad, 70))
                painter.setPen(QPen(color(t.bad), 1))
                painter.drawRect(gone)
                painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(color(t.bad if lost else t.soft))
            text = format_si(rate, unit, 5) + (
                f", {format_si(lost, unit, 4)} overwritten" if lost else ""
            )
            painter.drawText(
                QRectF(bar.right() + 8, y, 260, height), Qt.AlignmentFlag.AlignVCenter, text
            )
