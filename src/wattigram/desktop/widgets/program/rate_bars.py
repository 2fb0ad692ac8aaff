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
from wattigram.desktop.widgets.seen_table import SeenTable

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

    def _rates(self) -> list[tuple[str, float, float]]:
        """(who does what, rate, what is lost of it)."""
        assert self._workspace is not None
        assert self._route is not None
        route, timing = self._route, route_timing(self._workspace, self._route)
        source_hz = float(timing.source_hz)
        if _unit(route) == "B/s" and route.source.kind != "received":
            source_hz *= route.transfers
        return [
            (f"{source_text(route.source)} makes", source_hz, 0.0),
            ("DMA writes", float(timing.transfers_hz), timing.overwritten_hz),
            (f"{sink_text(route.destination)} destination rate", float(timing.sink_hz), 0.0),
            ("throughput", timing.effective_hz, 0.0),
        ]

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """The bars in words."""
        if self._workspace is None or self._route is None:
            return ()
        unit = _unit(self._route)
        rows = tuple((name, _said(rate, lost, unit)) for name, rate, lost in self._rates())
        return (SeenTable(f"Rates of {self._route.name}", ("What", "Rate"), rows),)

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
        unit = _unit(route)
        painter.drawText(
            QRectF(12, 6, self.width() - 24.0, 20),
            f"{route.name.upper()} · RATES TO SCALE, IN {unit.upper()}",
        )
        rows = self._rates()
        top = max((row[1] for row in rows), default=1.0) or 1.0
        height = min(30.0, (self.height() - 34.0) / len(rows))
        room = max(40.0, self.width() - LABEL - 220.0)
        for number, (name, rate, lost) in enumerate(rows):
            y = 30 + number * height
            painter.setFont(text_font(-0.5))
            painter.setPen(color(t.ink))
            elide(painter, QRectF(12, y, LABEL - 18, height), name)
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
            text = _said(rate, lost, unit)
            painter.drawText(
                QRectF(bar.right() + 8, y, 260, height), Qt.AlignmentFlag.AlignVCenter, text
            )


def _unit(route: Route) -> str:
    return "B/s" if isinstance(route.destination, UartDestination) else "Hz"


def _said(rate: float, lost: float, unit: str) -> str:
    text = format_si(rate, unit, 5)
    return f"{text}, {format_si(lost, unit, 4)} overwritten" if lost else text
