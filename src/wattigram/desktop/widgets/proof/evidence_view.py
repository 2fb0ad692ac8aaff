"""Evidence of a verdict, painted as cards."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from wattigram.core.judge import Evidence
from wattigram.core.judge.evidence import HistogramPanel, Panel, ScatterPanel, TracePanel
from wattigram.desktop.theme import color, heading_font, signal_color, signal_pen, text_font, theme
from wattigram.desktop.widgets.axes import Axes, span_of
from wattigram.desktop.widgets.drawing import (
    LineBuffer,
    draw_band,
    draw_event,
    elide,
    fill_trace,
    polygon,
)
from wattigram.desktop.widgets.proof.evidence_tables import evidence_tables
from wattigram.desktop.widgets.proof.limit_drag import Drag, DrawnLimit, limit_at
from wattigram.desktop.widgets.seen_table import SeenTable

GAP = 10.0


class EvidenceView(QWidget):
    """One panel across, the others side by side below it; what is allowed is moved on them."""

    limit_moved = pyqtSignal(str, str)
    """The fact of the expectation's sentence, and what it says from now on."""

    def __init__(self) -> None:
        super().__init__()
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName("Evidence")
        self.evidence: Evidence | None = None
        """What is shown."""
        self._index = 0
        self._buffer = LineBuffer()
        self.limits: list[DrawnLimit] = []
        """Where limits were painted last."""
        self.drag: Drag | None = None
        self.setMouseTracking(True)

    def show_evidence(self, evidence: Evidence | None, signal_index: int) -> None:
        """Show what a verdict rests on, in the signal's colour."""
        self.evidence = evidence
        self._index = signal_index
        self.drag = None
        self.update()

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """What is drawn, in words."""
        return evidence_tables(self.evidence) if self.evidence is not None else ()

    def sizeHint(self) -> QSize:
        """As large as there is room."""
        return QSize(800, 560)

    def minimumSizeHint(self) -> QSize:
        """Readable down to this."""
        return QSize(360, 300)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the cards."""
        t = theme()
        painter = QPainter(self)
        painter.fillRect(self.rect(), color(t.paper))
        self.limits = []
        if self.evidence is None or not self.evidence.panels:
            painter.setPen(color(t.soft))
            text = "Choose an expectation to see what its verdict rests on."
            if self.evidence is not None:
                text = f"Nothing to draw: {self.evidence.verdict.note}."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
            return
        panels = self.evidence.panels
        below = panels[1:]
        top_height = self.height() * (0.52 if below else 1.0) - GAP / 2
        self._paint_card(painter, QRectF(0, 0, self.width(), top_height), panels[0])
        width = (self.width() - GAP * (len(below) - 1)) / max(1, len(below))
        for number, panel in enumerate(below):
            rect = QRectF(
                number * (width + GAP), top_height + GAP, width, self.height() - top_height - GAP
            )
            self._paint_card(painter, rect, panel)

    def _paint_card(self, painter: QPainter, rect: QRectF, panel: Panel) -> None:
        t = theme()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(color(t.hairline), 1))
        painter.setBrush(color(t.card))
        painter.drawRoundedRect(rect.adjusted(0.5, 0.5, -0.5, -0.5), 6, 6)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setFont(heading_font())
        painter.setPen(color(t.faint))
        line = float(painter.fontMetrics().height())
        elide(
            painter,
            QRectF(rect.left() + 12, rect.top() + 8, rect.width() - 24, line),
            panel.title.upper(),
        )
        graph = rect.adjusted(84, 8 + line + 12, -14, -28)
        if graph.width() < 20 or graph.height() < 20:
            return
        match panel:
            case TracePanel():
                self._paint_trace(painter, graph, panel)
            case ScatterPanel():
                self._paint_scatter(painter, graph, panel)
            case HistogramPanel():
                self._paint_histogram(painter, graph, panel)

    def _paint_trace(self, painter: QPainter, graph: QRectF, panel: TracePanel) -> None:
        t = theme()
        allowed = [limit.value for limit in panel.limits]
        marks = np.array([value for value, _label in (*panel.lines, *panel.levels)] + allowed)
        axes = Axes(
            graph,
            span_of(panel.times_s, margin=0.0),
            span_of(panel.low_v, panel.high_v, panel.band_low_v, panel.band_high_v, marks),
        )
        axes.paint_grid(painter, panel.x_unit, panel.unit)
        painter.save()
        painter.setClipRect(graph)
        draw_band(
            painter,
            axes.x(panel.times_s),
            axes.y(panel.band_low_v),
            axes.y(panel.band_high_v),
            signal_color(self._index, t.tint_alpha + 12),
        )
        painter.setPen(signal_pen(self._index))
        lows = axes.y(panel.low_v)
        fill_trace(
            self._buffer,
            axes.x(panel.times_s),
            lows,
            lows if panel.high_v is panel.low_v else axes.y(panel.high_v),
        )
        self._buffer.draw(painter)
        painter.setFont(text_font(-1))
        for value, label in panel.levels:
            self._paint_line(painter, axes, value, label, is_mark=False)
        for limit in panel.limits:
            self._paint_limit(painter, DrawnLimit(limit, axes))
        for number, (value, label) in enumerate(panel.lines):
            self._paint_line(painter, axes, value, label, is_mark=number == 0)
        for at, began in panel.events:
            draw_event(painter, float(axes.x(at)), graph.top() + 1, began)
        painter.restore()

    def _paint_limit(self, painter: QPainter, drawn: DrawnLimit) -> None:
        """Where it is; while it is moved, where it was, and where it will be."""
        self.limits.append(drawn)
        drag = self.drag
        is_moved = drag is not None and drag.drawn.limit == drawn.limit
        limit = drawn.limit
        self._paint_line(
            painter, drawn.axes, limit.value, limit.label, is_mark=False, is_at_left=True
        )
        if drag is None or not is_moved:
            return
        self._paint_line(painter, drawn.axes, drag.value, drag.text, is_mark=True)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of a limit."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        drawn = limit_at(self.limits, event.position().x(), event.position().y())
        if drawn is not None:
            self.setFocus()
            self.drag = Drag(drawn, drawn.limit.value)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Move it, or say that it can be moved."""
        if event is None:
            return
        at = event.position()
        if self.drag is not None:
            self.drag.move(at.y())
            self.update()
            return
        drawn = limit_at(self.limits, at.x(), at.y())
        if drawn is None:
            self.unsetCursor()
            self.setToolTip("")
        else:
            self.setCursor(Qt.CursorShape.SizeVerCursor)
            self.setToolTip("Drag to change what is allowed; Esc leaves it as it is.")

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go: the sentence says it from now on."""
        drag, self.drag = self.drag, None
        if drag is not None:
            self.update()
            if drag.value != drag.drawn.limit.value:
                self.limit_moved.emit(drag.drawn.limit.fact, drag.text)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Esc leaves a limit that is being moved where it was."""
        if event is not None and event.key() == Qt.Key.Key_Escape and self.drag is not None:
            self.drag = None
            self.update()
        elif event is not None:
            super().keyPressEvent(event)

    def _paint_line(
        self,
        painter: QPainter,
        axes: Axes,
        value: float,
        label: str,
        *,
        is_mark: bool,
        is_at_left: bool = False,
    ) -> None:
        """A value across, with its label; the mark is what was measured, and what is allowed is told at the other end."""
        t, graph = theme(), axes.rect
        y, height = float(axes.y(value)), painter.fontMetrics().height()
        shade = t.bad if is_mark else t.soft
        painter.setPen(
            QPen(color(shade), 1.2, Qt.PenStyle.DashLine if is_mark else Qt.PenStyle.DotLine)
        )
        painter.drawLine(QPointF(graph.left(), y), QPointF(graph.right(), y))
        if not label:
            return
        width = painter.fontMetrics().horizontalAdvance(label) + 12
        left = graph.left() + 2 if is_at_left else graph.right() - width
        above = QRectF(left, y - height - 3, width, height + 2)
        painter.fillRect(above, color(t.card, 225))
        painter.setPen(color(shade))
        painter.drawText(above, Qt.AlignmentFlag.AlignCenter, label)

    def _paint_scatter(self, painter: QPainter, graph: QRectF, panel: ScatterPanel) -> None:
        t = theme()
        x_span = span_of(panel.x_v)
        ends = np.array(x_span)
        axes = Axes(graph.adjusted(0, 0, 0, -14), x_span, span_of(panel.y_v, panel.slope * ends))
        axes.paint_grid(painter, "V", "V")
        painter.setPen(
            QPen(
                signal_color(self._index, 150), 3.2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap
            )
        )
        painter.drawPoints(polygon(axes.x(panel.x_v), axes.y(panel.y_v)))
        painter.setPen(QPen(color(t.ink), 1.3, Qt.PenStyle.DashLine))
        x, y = axes.x(ends), axes.y(panel.slope * ends)
        painter.drawLine(QPointF(x[0], y[0]), QPointF(x[1], y[1]))
        painter.setFont(text_font(-1))
        painter.setPen(color(t.ink))
        elide(
            painter, QRectF(graph.left() + 8, graph.top(), graph.width() - 12, 18), panel.line_label
        )
        painter.setPen(color(t.soft))
        elide(
            painter,
            QRectF(graph.left(), graph.bottom() + 8, graph.width(), 16),
            panel.x_label,
            Qt.AlignmentFlag.AlignHCenter,
        )

    def _paint_histogram(self, painter: QPainter, graph: QRectF, panel: HistogramPanel) -> None:
        axes = Axes(
            graph,
            (float(panel.edges[0]), float(panel.edges[-1])),
            (0.0, float(panel.counts.max()) * 1.08 or 1.0),
        )
        axes.paint_grid(painter, "", "")
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(signal_color(self._index))
        left, right = axes.x(panel.edges[:-1]), axes.x(panel.edges[1:])
        top = axes.y(panel.counts.astype(np.float64))
        for a, b, y in zip(left.tolist(), right.tolist(), top.tolist(), strict=True):
            if graph.bottom() - y > 0.05:
                painter.drawRect(QRectF(a, y, max(0.8, b - a - 1), graph.bottom() - y))
        painter.setBrush(Qt.BrushStyle.NoBrush)
