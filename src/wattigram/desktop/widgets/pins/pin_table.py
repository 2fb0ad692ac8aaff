"""Signals against inputs, painted: who is where, and who could be."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wattigram.core.model.design import Workspace
from wattigram.core.model.design.pin_assignment import (
    InputOption,
    all_inputs,
    input_options,
    other_uses,
)
from wattigram.desktop.theme import color, heading_font, number_font, signal_color, text_font, theme
from wattigram.desktop.widgets.drawing import draw_marker, elide
from wattigram.desktop.widgets.seen_table import SeenTable

NAME_WIDTH = 208.0
NARROWEST, WIDEST = 25.0, 62.0
SIDE = 10.0


class PinTable(QWidget):
    """A row for each signal, a column for each input; a signal is dragged along its row.

    ``pointed`` tells the cell under mouse or keyboard, ``dropped`` the one that a signal is put on.
    """

    pointed = pyqtSignal(int, int)
    dropped = pyqtSignal(int, int)
    """Row and column."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Signals on pins")
        self._workspace: Workspace | None = None
        self._options: list[tuple[InputOption, ...]] = []
        self._uses: list[tuple[str, ...]] = []
        self._labels: list[str] = []
        self.cursor_cell = (0, 0)
        self._drag_row: int | None = None

    def show_workspace(self, workspace: Workspace) -> None:
        """Show a design."""
        first = self._workspace is None
        self._workspace = workspace
        self._options = [input_options(workspace, signal) for signal in workspace.project.signals]
        inputs = all_inputs(workspace)
        self._labels = [
            pin if negative is None else f"{pin}−{negative}" for pin, negative in inputs
        ]
        self._uses = [other_uses(workspace, pin) for pin, _negative in inputs]
        row, column = self.cursor_cell
        self.cursor_cell = (
            min(row, max(0, len(self._options) - 1)),
            min(column, max(0, len(inputs) - 1)),
        )
        if first and self._options:
            self.cursor_cell = (0, self._current_column(0))
        self.updateGeometry()
        self.update()

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """A row for each input that a signal is on or could be on."""
        if self._workspace is None:
            return ()
        rows = []
        for signal, options in zip(self._workspace.project.signals, self._options, strict=True):
            for label, option in zip(self._labels, options, strict=True):
                if not option.channels and not option.is_current:
                    continue
                channels = ", ".join(f"{name} channel {number}" for name, number in option.channels)
                rows.append(
                    (
                        signal.name,
                        label,
                        "is on it" if option.is_current else "could be on it",
                        channels or "no channel",
                        "another converter's" if option.elsewhere else "",
                        ", ".join((*option.signals, *option.others)),
                    )
                )
        head = ("Signal", "Input", "Signal here", "Would become", "Note", "In use by")
        return (SeenTable("Signals on pins", head, tuple(rows)),)

    def option(self, row: int, column: int) -> InputOption | None:
        """The input of a column, as a place for the signal of a row."""
        if 0 <= row < len(self._options) and 0 <= column < len(self._options[row]):
            return self._options[row][column]
        return None

    def _current_column(self, row: int) -> int:
        return next((number for number, one in enumerate(self._options[row]) if one.is_current), 0)

    @property
    def _head(self) -> float:
        return self.fontMetrics().height() * 5.8

    @property
    def _lowest_row(self) -> float:
        return self.fontMetrics().height() * 2 + 12.0

    @property
    def _row_height(self) -> float:
        """As high as there is room for, up to four lines."""
        room = (self.height() - self._head - 20) / max(1, len(self._options))
        return max(self._lowest_row, min(room, self.fontMetrics().height() * 4 + 14.0))

    @property
    def _column_width(self) -> float:
        count = max(1, len(self._labels))
        return max(NARROWEST, min(WIDEST, (self.width() - NAME_WIDTH - 2 * SIDE) / count))

    def cell_rect(self, row: int, column: int) -> QRectF:
        """Where a cell is."""
        width, height = self._column_width, self._row_height
        return QRectF(SIDE + NAME_WIDTH + column * width, self._head + row * height, width, height)

    def sizeHint(self) -> QSize:
        """All of it."""
        width = SIDE * 2 + NAME_WIDTH + max(1, len(self._labels)) * 32
        return QSize(
            int(width), int(self._head + self._lowest_row * max(1, len(self._options)) + 20)
        )

    def minimumSizeHint(self) -> QSize:
        """Columns do not get narrower than this."""
        width = SIDE * 2 + NAME_WIDTH + max(1, len(self._labels)) * NARROWEST
        return QSize(
            int(width), int(self._head + self._lowest_row * max(1, len(self._options)) + 20)
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint heads, rows, and the cell that is pointed at."""
        t = theme()
        painter = QPainter(self)
        painter.fillRect(self.rect(), color(t.paper))
        workspace = self._workspace
        if workspace is None:
            return
        if not self._options:
            painter.setPen(color(t.soft))
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, "No signal yet. Ctrl+Shift+N adds one."
            )
            return
        self._paint_heads(painter)
        for row in range(len(self._options)):
            self._paint_row(painter, workspace, row)
        rect = self.cell_rect(*self.cursor_cell)
        painter.setPen(QPen(color(t.action if self.hasFocus() else t.faint), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(rect.adjusted(1, 1, -1, -1))

    def _paint_heads(self, painter: QPainter) -> None:
        t = theme()
        painter.setFont(heading_font())
        painter.setPen(color(t.faint))
        elide(painter, QRectF(SIDE + 8, self._head - 24, NAME_WIDTH, 18), "SIGNAL")
        for column, label in enumerate(self._labels):
            rect = self.cell_rect(0, column)
            is_used = bool(self._uses[column])
            painter.save()
            painter.translate(rect.center().x(), self._head - 8)
            painter.rotate(-90)
            painter.setFont(number_font(-0.5) if label[0].isupper() else text_font(-1))
            painter.setPen(color(t.ink if column == self.cursor_cell[1] else t.soft))
            height = float(painter.fontMetrics().height())
            elide(painter, QRectF(0, -height / 2, self._head - 22, height), label)
            painter.restore()
            if is_used:
                painter.setBrush(color(t.doubt))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.drawRect(QRectF(rect.center().x() - 5, self._head - 5, 10, 3))
                painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_row(self, painter: QPainter, workspace: Workspace, row: int) -> None:
        t = theme()
        signal = workspace.project.signals[row]
        chain = workspace.project.chain_of(signal.name)
        line = float(self.fontMetrics().height())
        left = QRectF(SIDE, self._head + row * self._row_height, NAME_WIDTH, self._row_height)
        full = QRectF(
            left.left(),
            left.top(),
            self.cell_rect(row, len(self._labels) - 1).right() - left.left(),
            left.height(),
        )
        if row == self.cursor_cell[0]:
            painter.fillRect(full, color(t.card))
        draw_marker(painter, QPointF(left.left() + 13, left.top() + 6 + line / 2), row)
        painter.setFont(text_font(0, QFont.Weight.DemiBold))
        painter.setPen(color(t.ink))
        elide(
            painter, QRectF(left.left() + 24, left.top() + 6, left.width() - 30, line), signal.name
        )
        painter.setFont(text_font(-1))
        painter.setPen(color(t.soft if chain else t.bad))
        place = (
            f"{chain.converter}, {len(chain.places_of(signal.name))} slot"
            if chain
            else "in no slot"
        )
        wiring = workspace.wiring(signal.pin)
        told = [place]
        if self._row_height >= 3 * line + 12:
            told.append(f"on {self._labels[self._current_column(row)]}")
            told.append(
                wiring.label or wiring.source.kind
                if wiring is not None
                else "nothing is wired to it"
            )
        if self._row_height < 4 * line + 12 and len(told) > 2:
            told[1:] = [f"{told[1]}: {told[2]}"]
        for number, text in enumerate(told, start=1):
            elide(
                painter,
                QRectF(left.left() + 24, left.top() + 6 + number * line, left.width() - 30, line),
                text,
            )
        for column, option in enumerate(self._options[row]):
            self._paint_cell(painter, self.cell_rect(row, column), option, row)
        painter.setPen(QPen(color(t.hairline), 1))
        painter.drawLine(full.bottomLeft(), full.bottomRight())

    def _paint_cell(self, painter: QPainter, rect: QRectF, option: InputOption, row: int) -> None:
        """A filled cell is where the signal is; a number is the channel it would become."""
        t = theme()
        painter.setPen(QPen(color(t.hairline), 1, Qt.PenStyle.DotLine))
        painter.drawLine(rect.topLeft(), rect.bottomLeft())
        inner = rect.adjusted(3, 6, -3, -6)
        text = "/".join(dict.fromkeys(str(channel) for _name, channel in option.channels))
        painter.setFont(number_font(-1))
        if option.is_current:
            painter.fillRect(inner, signal_color(row))
            painter.setPen(color(t.card))
            painter.drawText(inner, Qt.AlignmentFlag.AlignCenter, text or "✕")
            if option.signals or option.others or not option.channels:
                painter.setPen(QPen(color(t.bad), 2))
                painter.drawRect(inner)
            return
        if option.elsewhere:
            painter.setPen(color(t.faint))
            painter.drawText(inner, Qt.AlignmentFlag.AlignCenter, "–")
        elif option.channels:
            taken = bool(option.signals or option.others)
            painter.setPen(color(t.faint if taken else t.ink))
            painter.drawText(inner, Qt.AlignmentFlag.AlignCenter, text)
            if taken:
                painter.setPen(QPen(color(t.hairline), 1))
                painter.drawLine(inner.bottomLeft(), inner.topRight())

    def _cell_at(self, point: QPointF) -> tuple[int, int] | None:
        if not self._options or point.x() < SIDE + NAME_WIDTH or point.y() < self._head:
            return None
        row = int((point.y() - self._head) / self._row_height)
        column = int((point.x() - SIDE - NAME_WIDTH) / self._column_width)
        return (row, column) if self.option(row, column) is not None else None

    def _point_at(self, row: int, column: int) -> None:
        if (row, column) != self.cursor_cell:
            self.cursor_cell = (row, column)
            self.update()
            self.pointed.emit(row, column)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of a signal."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        cell = self._cell_at(event.position())
        if cell is not None:
            self._point_at(*cell)
            option = self.option(*cell)
            self._drag_row = cell[0] if option is not None and option.is_current else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Show what a place would mean; a signal that is held stays in its row."""
        if event is None:
            return
        cell = self._cell_at(event.position())
        if self._drag_row is not None:
            column = int((event.position().x() - SIDE - NAME_WIDTH) / self._column_width)
            if self.option(self._drag_row, column) is not None:
                self._point_at(self._drag_row, column)
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            return
        option = self.option(*cell) if cell is not None else None
        hand = option is not None and option.is_current
        self.setCursor(Qt.CursorShape.OpenHandCursor if hand else Qt.CursorShape.ArrowCursor)
        if cell is not None:
            self._point_at(*cell)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Put the signal down."""
        row, self._drag_row = self._drag_row, None
        self.unsetCursor()
        if row is None:
            return
        option = self.option(*self.cursor_cell)
        if option is not None and self.cursor_cell[0] == row and not option.is_current:
            self.dropped.emit(*self.cursor_cell)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Put the row's signal there."""
        option = self.option(*self.cursor_cell)
        if option is not None and not option.is_current:
            self.dropped.emit(*self.cursor_cell)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move, Enter puts the row's signal where one is."""
        if event is None or not self._options:
            return
        row, column = self.cursor_cell
        steps = {
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
        }
        key = Qt.Key(event.key())
        if key in steps:
            row = max(0, min(len(self._options) - 1, row + steps[key][0]))
            column = max(0, min(len(self._labels) - 1, column + steps[key][1]))
            if steps[key][0]:
                column = self._current_column(row)
            self._point_at(row, column)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            option = self.option(row, column)
            if option is not None and not option.is_current:
                self.dropped.emit(row, column)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: object) -> None:
        """The frame of the cell says who has the keys."""
        super().focusInEvent(event)  # type: ignore[arg-type]
        self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        """Let the cursor go."""
        self.unsetCursor()
