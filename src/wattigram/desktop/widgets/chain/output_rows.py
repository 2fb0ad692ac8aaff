"""Rows of what goes out: source, DMA, trigger, pin, and where the jumper takes it."""

from __future__ import annotations

import msgspec
import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QWidget

from wattigram.core.advise.findings import Finding
from wattigram.core.capture.session import Snapshot
from wattigram.core.model.design import Workspace
from wattigram.core.predict.pins import output_waveform
from wattigram.desktop.state.selection import Selection
from wattigram.desktop.theme import (
    color,
    heading_font,
    number_font,
    signal_color,
    signal_pen,
    text_font,
    theme,
)
from wattigram.desktop.widgets.axes import Axes, span_of
from wattigram.desktop.widgets.chain.output_text import OutputText, output_texts
from wattigram.desktop.widgets.drawing import draw_band, draw_marker, draw_verdict, elide, polygon
from wattigram.desktop.widgets.finding_mark import paint_finding

TITLES = (
    "OUTPUT",
    "FROM",
    "TRANSFER",
    "TRIGGER",
    "AT THE PIN",
    "GOES TO",
    "OUTPUT: TINT IS EXPECTED, LINE IS CAPTURED",
)
LOOKS = 700
LAPS = 2.5
SIDE = 82


class OutputRow(msgspec.Struct, frozen=True):
    """One output and where it is painted."""

    text: OutputText
    rect: QRectF
    index: int

    @property
    def selection(self) -> Selection:
        return Selection(section=self.text.section, output=self.text.name, facet="output")


class OutputRows(QWidget):
    """Paints a row for each generator, PWM output, route and reporting UART."""

    selected = pyqtSignal(object)
    """Selection"""
    opened = pyqtSignal(object)
    left_upwards = pyqtSignal()
    """The keyboard goes back to the rows above."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Outputs")
        self._workspace: Workspace | None = None
        self._rows: list[OutputRow] = []
        self._columns: tuple[float, ...] = ()
        self._findings: dict[str, Finding] = {}
        self._snapshot = Snapshot()
        self._selection = Selection()

    def show_workspace(
        self, workspace: Workspace, findings: tuple[Finding, ...], columns: tuple[float, ...]
    ) -> None:
        """Show the outputs of a design; ``columns`` are those of the rows above."""
        self._workspace, self._columns = workspace, columns
        self._findings = {}
        for finding in findings:
            self._findings.setdefault(finding.signal, finding)
        self._lay_out()
        self.update()

    def _lay_out(self) -> None:
        assert self._workspace is not None
        line = float(self.fontMetrics().height())
        height = 3 * line + 18
        top = line + 12
        self._rows = []
        first = len(self._workspace.project.signals)
        for number, text in enumerate(output_texts(self._workspace)):
            self._rows.append(
                OutputRow(text, QRectF(0, top, float(self.width()), height), first + number)
            )
            top += height
        wanted = int(top + 4) if self._rows else 0
        if wanted != self.minimumHeight():
            self.setMinimumHeight(wanted)
            self.setMaximumHeight(wanted or 1)
            self.updateGeometry()
        self.setVisible(bool(self._rows))

    def sizeHint(self) -> QSize:
        return QSize(700, self.minimumHeight())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Rows are as wide as the widget."""
        if self._workspace is not None:
            self._lay_out()

    @property
    def rows(self) -> list[OutputRow]:
        """Rows as they are painted."""
        return self._rows

    def show_columns(self, columns: tuple[float, ...]) -> None:
        """Follow the columns of the rows above."""
        if columns != self._columns and self._workspace is not None:
            self._columns = columns
            self._lay_out()
            self.update()

    def show_snapshot(self, snapshot: Snapshot) -> None:
        """Show what the board has sent."""
        self._snapshot = snapshot
        for row in self._rows:
            self.update(self._cell(row, 6).toAlignedRect())
            self.update(self._cell(row, 0).toAlignedRect())

    def show_selection(self, selection: Selection) -> None:
        """Mark a row."""
        if selection != self._selection:
            self._selection = selection
            self.update()

    def _cell(self, row: OutputRow, column: int) -> QRectF:
        edges = self._columns
        left = edges[column] if column < len(edges) else 0.0
        right = edges[column + 1] if column + 1 < len(edges) else float(self.width())
        return QRectF(left, row.rect.top(), right - left, row.rect.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint all rows."""
        painter = QPainter(self)
        t = theme()
        painter.fillRect(self.rect(), color(t.paper))
        if self._workspace is None or not self._rows or len(self._columns) < 8:
            return
        painter.setFont(heading_font())
        painter.setPen(color(t.faint))
        line = float(self.fontMetrics().height())
        for column, title in enumerate(TITLES):
            left = self._columns[column] + 8
            width = self._columns[column + 1] - left - 4
            if painter.fontMetrics().horizontalAdvance(title) > width:
                title = title.partition(":")[0]
            elide(painter, QRectF(left, 6, width, line + 4), title)
        for row in self._rows:
            self._paint_row(painter, row, line)

    def _paint_row(self, painter: QPainter, row: OutputRow, line: float) -> None:
        t = theme()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        mine = (self._selection.section, self._selection.output) == (
            row.text.section,
            row.text.name,
        )
        if mine:
            painter.fillRect(row.rect, color(t.card))
        finding = self._findings.get(row.text.name)
        if finding is not None:
            paint_finding(painter, self._cell(row, 0), finding)
        self._paint_name(painter, row, line)
        for column, texts in enumerate(row.text.cells, start=1):
            cell = self._cell(row, column)
            rect = QRectF(cell.left() + 8, cell.top() + 7, cell.width() - 14, line)
            for number, text in enumerate(texts):
                painter.setFont(text_font(0 if number == 0 else -1))
                painter.setPen(color(t.ink if number == 0 else t.soft))
                elide(painter, rect, text)
                rect.translate(0, line)
            painter.setPen(QPen(color(t.hairline), 1, Qt.PenStyle.DotLine))
            painter.drawLine(cell.topLeft(), cell.bottomLeft())
        self._paint_stream(painter, row)
        if mine:
            painter.setPen(QPen(color(t.action if self.hasFocus() else t.faint), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(row.rect.adjusted(2, 2, -2, -2))
        painter.setPen(QPen(color(t.hairline), 1))
        painter.drawLine(row.rect.bottomLeft(), row.rect.bottomRight())

    def _paint_name(self, painter: QPainter, row: OutputRow, line: float) -> None:
        t = theme()
        cell = self._cell(row, 0)
        top = cell.top() + 7
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        draw_marker(
            painter, QRectF(cell.left() + 8.5, top + line / 2 - 4.5, 9, 9).center(), row.index
        )
        painter.setFont(text_font(0))
        painter.setPen(color(t.ink))
        elide(painter, QRectF(cell.left() + 23, top, cell.width() - 27, line), row.text.name)
        painter.setFont(text_font(-1))
        painter.setPen(color(t.soft))
        elide(painter, QRectF(cell.left() + 8, top + line, cell.width() - 12, line), row.text.where)
        painter.setFont(number_font(0.5))
        painter.setPen(color(t.ink))
        elide(
            painter,
            QRectF(cell.left() + 8, top + 2 * line + 2, cell.width() - 12, line),
            self._newest(row),
        )

    def _newest(self, row: OutputRow) -> str:
        """The newest value at the end of a route; what is designed of the others."""
        picture = self._snapshot.outputs.get(row.text.stream)
        if picture is not None and len(picture.values):
            return f"{int(picture.values[-1])}"
        return row.text.figure

    def _paint_stream(self, painter: QPainter, row: OutputRow) -> None:
        cell = self._cell(row, 6)
        graph = cell.adjusted(4, 7, -SIDE, -7)
        painter.save()
        painter.setClipRect(cell)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        state = self._paint_route(painter, row, graph) if row.text.stream else None
        if not row.text.stream:
            state = self._paint_wave(painter, row, graph)
        painter.restore()
        self._paint_state(painter, cell, state)

    def _paint_state(self, painter: QPainter, cell: QRectF, state: bool | None) -> None:
        t = theme()
        side = QRectF(cell.right() - 76, cell.top() + 8, 72, 16)
        word = {True: "on band", False: "off band", None: "not seen"}[state]
        spot = QRectF(side.left(), side.top() + 2.5, 11, 11)
        draw_verdict(painter, spot, state, color(t.good), color(t.bad), color(t.faint))
        painter.setFont(text_font(-1))
        painter.setPen(color({True: t.good, False: t.bad, None: t.faint}[state]))
        elide(painter, side.adjusted(16, 0, 4, 0), word)

    def _paint_wave(self, painter: QPainter, row: OutputRow, graph: QRectF) -> bool | None:
        """What a jumper brings back on what it should bring; the pin's own voltage where there is
        none."""
        assert self._workspace is not None
        picture = self._snapshot.pictures.get(row.text.looped) if row.text.looped else None
        tint = signal_color(row.index, theme().tint_alpha + 30)
        if picture is not None and len(picture.expected_low_v):
            half = picture.half_width_v
            bottom, top = picture.expected_low_v - half, picture.expected_high_v + half
            seen = np.isfinite(picture.low_v) & np.isfinite(picture.high_v)
            low, high = span_of(bottom, top, picture.low_v[seen], picture.high_v[seen])
            scale = Axes(graph, (0.0, 1.0), (low, high))
            draw_band(
                painter,
                scale.x(np.linspace(0, 1, len(bottom))),
                scale.y(bottom),
                scale.y(top),
                tint,
            )
            across = scale.x(np.linspace(0, 1, len(picture.low_v)))
            painter.setPen(signal_pen(row.index))
            middle = (picture.low_v + picture.high_v) / 2
            painter.drawPolyline(polygon(across[seen], scale.y(middle[seen])))
            return picture.in_band
        played = output_waveform(self._workspace, row.text.pin)
        if played is None:
            return None
        begin = played.course.begin_s
        times = np.linspace(begin, begin + LAPS * played.span_s, LOOKS)
        volts = played.at(times)
        low, high = span_of(volts, np.array([0.0]))
        scale = Axes(graph, (float(times[0]), float(times[-1])), (low, high))
        half = (high - low) * 0.02
        draw_band(painter, scale.x(times), scale.y(volts - half), scale.y(volts + half), tint)
        return None

    def _paint_route(self, painter: QPainter, row: OutputRow, graph: QRectF) -> bool | None:
        """The newest values at the end of a route on what they should be."""
        picture = self._snapshot.outputs.get(row.text.stream)
        if picture is None or len(picture.values) < 2:
            return None
        count = len(picture.expected_low) or min(400, len(picture.values))
        values, times = picture.values[-count:].astype(np.float64), picture.times_s[-count:]
        lost = picture.overwritten[-count:]
        parts = (
            [values, picture.expected_low, picture.expected_high]
            if len(picture.expected_low)
            else [values]
        )
        low, high = span_of(*parts)
        span = max(float(times[-1] - times[0]), 1e-12)
        x = graph.left() + (times - times[0]) / span * graph.width()

        def y_of(numbers: np.ndarray) -> np.ndarray:
            return np.asarray(graph.bottom() - (numbers - low) / (high - low) * graph.height())

        if len(picture.expected_low):
            half = (high - low) * 0.01
            tint = signal_color(row.index, theme().tint_alpha + 30)
            draw_band(
                painter,
                x,
                y_of(picture.expected_low - half),
                y_of(picture.expected_high + half),
                tint,
            )
        painter.setPen(signal_pen(row.index))
        painter.drawPolyline(polygon(x[~lost], y_of(values[~lost])))
        painter.setPen(QPen(color(theme().bad), 3))
        for at in np.flatnonzero(lost)[-200:].tolist():
            painter.drawPoint(int(x[at]), int(y_of(values[at : at + 1])[0]))
        if not len(picture.expected_low):
            return None
        right = (values >= picture.expected_low - 0.5) & (values <= picture.expected_high + 0.5)
        return bool(np.mean(right) > 0.99 and not lost.any())

    # --- mouse and keys

    def _row_at(self, y: float) -> OutputRow | None:
        return next((row for row in self._rows if row.rect.top() <= y < row.rect.bottom()), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Select a row."""
        row = self._row_at(event.position().y()) if event is not None else None
        if row is not None:
            self.selected.emit(row.selection)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Open a row."""
        row = self._row_at(event.position().y()) if event is not None else None
        if row is not None:
            self.opened.emit(row.selection)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move, Enter opens; up from the first row leads back to the rows above."""
        if event is None or not self._rows:
            return
        names = [(row.text.section, row.text.name) for row in self._rows]
        now = (self._selection.section, self._selection.output)
        place = names.index(now) if now in names else -1
        match event.key():
            case Qt.Key.Key_Down:
                self.selected.emit(self._rows[min(place + 1, len(names) - 1)].selection)
            case Qt.Key.Key_Up if place <= 0:
                self.left_upwards.emit()
            case Qt.Key.Key_Up:
                self.selected.emit(self._rows[place - 1].selection)
            case Qt.Key.Key_Return | Qt.Key.Key_Enter if place >= 0:
                self.opened.emit(self._rows[place].selection)
            case _:
                super().keyPressEvent(event)
