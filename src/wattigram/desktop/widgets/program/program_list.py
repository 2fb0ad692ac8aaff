"""The rows of the Program page: when, what, where, how late, and what comes of it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFont,
    QFontMetricsF,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.capture.session import OutputPicture, Snapshot
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
from wattigram.desktop.widgets.drawing import draw_band, elide, polygon
from wattigram.desktop.widgets.program.output_lines import text_lines
from wattigram.desktop.widgets.program.row_text import ProgramRow

TITLES = ("WHEN", "DO", "WHERE", "AFTER", "TINT IS EXPECTED, LINE IS CAPTURED")
SHARES = (0.24, 0.23, 0.11, 0.14, 0.28)
SHOWN = 60
LAMP_PX, LAMPS_ABOVE = 13.0, 4
NUMBER = Qt.ItemDataRole.UserRole
EDGE = 10.0


def columns_of(width: float) -> list[tuple[float, float]]:
    """Left edge and width of each column."""
    lefts = np.concatenate(([0.0], np.cumsum(SHARES)[:-1])) * (width - 2 * EDGE) + EDGE
    return [
        (float(left), share * (width - 2 * EDGE)) for left, share in zip(lefts, SHARES, strict=True)
    ]


class ColumnTitles(QWidget):
    """Names of the columns."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(round(QFontMetricsF(heading_font()).height()) + 16)

    def paintEvent(self, _event: object) -> None:
        """Paint them."""
        painter = QPainter(self)
        painter.setFont(heading_font())
        painter.setPen(color(theme().faint))
        for title, (left, width) in zip(TITLES, columns_of(self.width()), strict=True):
            fits = painter.fontMetrics().horizontalAdvance(title) <= width - 14
            shown = title if fits else title.partition(",")[0]
            elide(painter, QRectF(left + 8, 8, width - 14, self.height() - 10.0), shown)


class _RowPainter(QStyledItemDelegate):
    """Paints a row, or a heading."""

    def __init__(self, rows: ProgramList) -> None:
        super().__init__(rows)
        self._list = rows

    def sizeHint(self, _option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """Two lines of text, or one of a heading."""
        line = QFontMetricsF(text_font(0)).height()
        row = self._list.row_at(index)
        return QSize(300, round(line + 12 if not row.section else 2 * line + 22))

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        """Paint one."""
        if painter is None:
            return
        painter.save()
        row, rect, t = self._list.row_at(index), QRectF(option.rect), theme()
        if row.section:
            is_chosen = bool(option.state & QStyle.StateFlag.State_Selected)
            self._paint_row(painter, row, rect, index.row(), is_chosen)
        else:
            painter.fillRect(rect.adjusted(0, 2, 0, -2), color(t.band))
            inner = rect.adjusted(EDGE + 8, 0, -EDGE - 8, 0)
            painter.setFont(text_font(0, QFont.Weight.DemiBold))
            painter.setPen(color(t.ink))
            elide(painter, inner, row.name)
            offset = (
                QFontMetricsF(text_font(0, QFont.Weight.DemiBold)).horizontalAdvance(row.name) + 16
            )
            painter.setFont(text_font(-1))
            painter.setPen(color(t.soft))
            elide(painter, inner.adjusted(offset, 0, 0, 0), row.note)
        painter.restore()

    def _paint_row(
        self, painter: QPainter, row: ProgramRow, rect: QRectF, number: int, is_chosen: bool
    ) -> None:
        t = theme()
        if is_chosen:
            painter.fillRect(rect, color(t.card))
        line = QFontMetricsF(text_font(0)).height()
        columns = columns_of(rect.width())
        for place, ((left, width), texts) in enumerate(zip(columns, row.cells, strict=False)):
            cell = QRectF(rect.left() + left + 8, rect.top() + 8, width - 14, line)
            for depth, text in enumerate(texts):
                is_figure = place == 3 and depth == 0
                is_typed = text.startswith("“")
                painter.setFont(
                    number_font(-0.5)
                    if is_figure or is_typed
                    else text_font(0 if depth == 0 else -1)
                )
                painter.setPen(color(t.ink if depth == 0 else t.soft))
                elide(painter, cell, text)
                cell.translate(0, line + 2)
            if place:
                painter.setPen(QPen(color(t.hairline), 1, Qt.PenStyle.DotLine))
                x = rect.left() + left
                painter.drawLine(
                    round(x), round(rect.top() + 6), round(x), round(rect.bottom() - 6)
                )
        left, width = columns[-1]
        self._paint_stream(
            painter,
            row,
            QRectF(rect.left() + left + 8, rect.top() + 8, width - 16, rect.height() - 16),
            number,
        )
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if is_chosen:
            painter.setPen(QPen(color(t.action if self._list.hasFocus() else t.faint), 2))
            painter.drawRect(rect.adjusted(1, 1, -1, -1))
        painter.setPen(QPen(color(t.hairline), 1))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())

    def _paint_stream(self, painter: QPainter, row: ProgramRow, graph: QRectF, number: int) -> None:
        t = theme()
        picture = self._list.snapshot.outputs.get(row.stream) if row.stream else None
        painter.setClipRect(graph.adjusted(-2, -2, 2, 2))
        if picture is None or not len(picture.values):
            painter.setFont(text_font(-1))
            painter.setPen(color(t.faint))
            elide(painter, graph, "not seen yet" if row.stream else "")
        elif row.as_text:
            painter.setFont(number_font(-1))
            painter.setPen(color(t.ink))
            line = QFontMetricsF(number_font(-1)).height()
            room = max(1, int(graph.height() // line))
            for depth, said in enumerate([one for one in text_lines(picture) if one][-room:]):
                elide(
                    painter,
                    QRectF(graph.left(), graph.top() + depth * line, graph.width(), line),
                    said,
                )
        else:
            if row.lamps:
                taken = paint_lamps(painter, int(picture.values[-1]), row.lamps, graph)
                graph = graph.adjusted(taken, 0, 0, 0)
            paint_steps(painter, picture, graph, number)
        painter.setClipping(False)


def paint_lamps(painter: QPainter, levels: int, count: int, graph: QRectF) -> float:
    """A lamp for each pin, the first at the bottom, lit where it is high; gives the room taken."""
    t = theme()
    rows = min(count, LAMPS_ABOVE)
    size = min(LAMP_PX, graph.height() / rows)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    for number in range(count):
        column, row = divmod(number, rows)
        spot = QRectF(
            graph.left() + column * (size + 2),
            graph.bottom() - (row + 1) * size,
            size,
            size,
        ).adjusted(1, 1, -1, -1)
        is_lit = bool(levels >> number & 1)
        painter.setPen(QPen(color(t.ink if is_lit else t.faint), 1))
        painter.setBrush(color(t.doubt) if is_lit else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(spot)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    return (count + rows - 1) // rows * (size + 2) + 6


def paint_steps(painter: QPainter, picture: OutputPicture, graph: QRectF, number: int) -> None:
    """The newest values of an output, each held until the next, on what they should be."""
    count = len(picture.expected_low) or min(SHOWN, len(picture.values))
    values, times = picture.values[-count:].astype(np.float64), picture.times_s[-count:]
    bands = [picture.expected_low, picture.expected_high] if len(picture.expected_low) else []
    low, high = span_of(values, *bands)
    span = max(float(times[-1] - times[0]), 1e-12)
    scale = Axes(graph, (float(times[0]), float(times[0]) + span), (low, high))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    if bands:
        tint = signal_color(number, theme().tint_alpha + 30)
        draw_band(painter, scale.x(times), scale.y(bands[0]), scale.y(bands[1]), tint)
    x = np.append(np.repeat(scale.x(times), 2)[1:], graph.right())
    painter.setPen(signal_pen(number))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(polygon(x, np.repeat(scale.y(values), 2)))


class ProgramList(QListWidget):
    """The rows; headings cannot be chosen."""

    chosen = pyqtSignal(str, str)
    """Section and name"""
    removal_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[ProgramRow] = []
        self.snapshot = Snapshot()
        self.setItemDelegate(_RowPainter(self))
        self.setAccessibleName("What the program does")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setObjectName("rows")
        self.currentRowChanged.connect(self._tell)

    def row_at(self, index: QModelIndex) -> ProgramRow:
        """The row that an index stands for."""
        return self.rows[int(index.data(NUMBER))]

    def show_rows(self, rows: list[ProgramRow], section: str, name: str) -> None:
        """Show rows, one of them chosen, without telling anybody."""
        self.blockSignals(True)
        if [(row.section, row.name) for row in rows] != [
            (row.section, row.name) for row in self.rows
        ]:
            self.clear()
            for number, row in enumerate(rows):
                fresh = QListWidgetItem()
                fresh.setData(NUMBER, number)
                if not row.section:
                    fresh.setFlags(Qt.ItemFlag.NoItemFlags)
                self.addItem(fresh)
        self.rows = rows
        for number, row in enumerate(rows):
            item = self.item(number)
            if item is not None:
                said = ", ".join(text for cell in row.cells for text in cell if text)
                item.setText(f"{row.name}: {said}" if said else row.name)
                if (row.section, row.name) == (section, name):
                    self.setCurrentRow(number)
        self.blockSignals(False)
        self.viewport().update()  # type: ignore[union-attr]

    def show_snapshot(self, snapshot: Snapshot) -> None:
        """Show what the board has sent."""
        self.snapshot = snapshot
        self.viewport().update()  # type: ignore[union-attr]

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Delete takes the chosen one away; arrows move."""
        if event is not None and event.matches(QKeySequence.StandardKey.Delete):
            self.removal_wanted.emit()
        elif event is not None:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Columns are as wide as the list."""
        super().resizeEvent(event)
        self.scheduleDelayedItemsLayout()

    def _tell(self, number: int) -> None:
        if 0 <= number < len(self.rows) and self.rows[number].section:
            self.chosen.emit(self.rows[number].section, self.rows[number].name)


class TitledList(QWidget):
    """The list under the names of its columns."""

    def __init__(self, rows: ProgramList) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(ColumnTitles())
        column.addWidget(rows, 1)
