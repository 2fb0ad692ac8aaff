"""Registers bit by bit, painted: a row for each, a cell for each bit, a name under each field."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFont,
    QFontMetricsF,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from wattigram.core.model.part import Part
from wattigram.core.silicon.registers import SheetField, SheetRow, field_meaning
from wattigram.desktop.theme import color, heading_font, number_font, text_font, theme
from wattigram.desktop.widgets.drawing import elide
from wattigram.desktop.widgets.seen_table import SeenTable

SIDE = 18.0
ROW = 72.0
HEAD = 46.0
CELL_HIGH = 18.0
WIDEST_CELL = 26.0


class RegisterView(QWidget):
    """Shows what a design leaves in registers; the fields of the chosen step are tinted, the chosen
    field is framed."""

    field_chosen = pyqtSignal(int, int)
    """Row and place of a field."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setObjectName("page")
        self.setAccessibleName("Registers, bit by bit")
        self.rows: tuple[SheetRow, ...] = ()
        self.part: Part | None = None
        self.chosen: tuple[int, int] | None = None
        self.lit: frozenset[int] = frozenset()

    def show_rows(self, part: Part, rows: tuple[SheetRow, ...]) -> None:
        """Show registers; the chosen field stays, where it is still there."""
        self.part, self.rows = part, rows
        if self.chosen is not None and self.field(*self.chosen) is None:
            self.chosen = None
        self.setMinimumHeight(int(self.sizeHint().height()))
        bits = max([32, *(row.at.register.width for row in rows)])
        self.setMinimumWidth(int(2 * SIDE + bits * self._narrowest_cell) + 1)
        self.updateGeometry()
        self.update()

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """A row for each field."""
        part = self.part
        if part is None:
            return ()
        rows = tuple(
            (
                row.at.owner,
                row.at.name,
                row.hex_text,
                field.field.name,
                field_text(part, row, field),
            )
            for row in self.rows
            for field in row.fields
        )
        return (SeenTable("Registers", ("Of", "Register", "Value", "Field", "Meaning"), rows),)

    def light(self, writes: frozenset[int]) -> None:
        """Tint the fields that some writes are for."""
        self.lit = writes
        self.update()

    def sizeHint(self) -> QSize:
        """All rows, with a heading for each peripheral."""
        height = self._tops[-1] + ROW + 8 if self.rows else 60.0
        return QSize(640, int(height))

    @property
    def _tops(self) -> list[float]:
        """Upper edge of each register's row."""
        tops: list[float] = []
        top, owner = 8.0, ""
        for row in self.rows:
            if row.at.owner != owner:
                owner = row.at.owner
                top += HEAD
            tops.append(top)
            top += ROW
        return tops

    def top_of(self, row: int) -> float:
        """Where a register's row begins."""
        return self._tops[row]

    def field(self, row: int, place: int) -> SheetField | None:
        """The field at a place of a row, counted from the highest bit."""
        if 0 <= row < len(self.rows) and 0 <= place < len(self.rows[row].fields):
            return self.rows[row].fields[place]
        return None

    def choose(self, row: int, place: int) -> None:
        """Frame a field."""
        self.chosen = (row, place)
        self.update()
        self.field_chosen.emit(row, place)

    def _cell(self, width_bits: int) -> float:
        room = (self.width() - 2 * SIDE) / max(32, width_bits)
        return min(WIDEST_CELL, max(self._narrowest_cell, room))

    @property
    def _narrowest_cell(self) -> float:
        """A digit and its frame."""
        return QFontMetricsF(number_font(-1)).horizontalAdvance("0") + 3

    def field_rect(self, row: int, place: int) -> QRectF:
        """Where a field's cells are."""
        register = self.rows[row].at.register
        bit_field = self.rows[row].fields[place].field
        cell = self._cell(register.width)
        left = SIDE + (register.width - bit_field.low - bit_field.width) * cell
        return QRectF(left, self._tops[row] + 22, bit_field.width * cell, CELL_HIGH)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the rows that are seen."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.rows:
            painter.setFont(text_font())
            painter.setPen(color(theme().soft))
            painter.drawText(
                QPointF(SIDE, 34),
                "This part has no registers in its file, so there is nothing to show.",
            )
        seen = self.visibleRegion().boundingRect()
        owner = ""
        for number, (row, top) in enumerate(zip(self.rows, self._tops, strict=True)):
            if row.at.owner != owner:
                owner = row.at.owner
                painter.setFont(heading_font())
                painter.setPen(color(theme().faint))
                painter.drawText(QPointF(SIDE, top - 24), owner.upper())
                self._paint_scale(painter, row.at.register.width, top - 8)
            if top + ROW >= seen.top() and top <= seen.bottom():
                self._paint_row(painter, number, row, top)
        painter.end()

    def _paint_scale(self, painter: QPainter, bits: int, bottom: float) -> None:
        """Numbers of bits above their columns."""
        cell = self._cell(bits)
        painter.setFont(number_font(-2))
        for bit in sorted({bits - 1, *range(0, bits, 8)}):
            box = QRectF(SIDE + (bits - 1 - bit) * cell - 6, bottom - 12, cell + 12, 14)
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, str(bit))

    def _paint_row(self, painter: QPainter, number: int, row: SheetRow, top: float) -> None:
        t = theme()
        painter.setFont(text_font(0, QFont.Weight.DemiBold))
        painter.setPen(color(t.ink))
        painter.drawText(QPointF(SIDE, top + 14), row.at.name)
        wide = painter.fontMetrics().horizontalAdvance(row.at.name)
        painter.setFont(text_font(-1))
        painter.setPen(color(t.soft))
        title = f"{row.at.address:#010x}   {row.at.register.title}".strip()
        cell = self._cell(row.at.register.width)
        end = SIDE + max(32, row.at.register.width) * cell
        value, value_font = row.symbol or row.hex_text, number_font(0, QFont.Weight.DemiBold)
        taken = QFontMetricsF(value_font).horizontalAdvance(value) + 10
        left = SIDE + wide + 10
        elide(painter, QRectF(left, top, end - taken - left, 18), title)
        painter.setFont(value_font)
        painter.setPen(color(t.ink))
        painter.drawText(QRectF(end - 320, top, 320, 18), Qt.AlignmentFlag.AlignRight, value)
        middle = top + 22 + CELL_HIGH / 2
        painter.setPen(QPen(color(t.hairline), 1))
        painter.drawLine(
            QPointF(SIDE, middle), QPointF(SIDE + row.at.register.width * cell, middle)
        )
        for place, bit_field in enumerate(row.fields):
            self._paint_field(painter, number, place, row, bit_field)

    def _paint_field(
        self, painter: QPainter, number: int, place: int, row: SheetRow, field: SheetField
    ) -> None:
        t = theme()
        rect = self.field_rect(number, place)
        is_set = field.last is not None
        is_lit = bool(self.lit & set(field.writes))
        painter.fillRect(rect, color(t.card if is_set else t.band))
        if is_lit:
            painter.fillRect(rect, color(t.action, 70))
        # What is only given, and does not stay, has a broken outline: the value beside the name is
        # without it.
        painter.setPen(
            QPen(
                color(t.faint),
                1,
                Qt.PenStyle.DashLine if field.is_command else Qt.PenStyle.SolidLine,
            )
        )
        painter.drawRect(rect)
        cell = self._cell(row.at.register.width)
        painter.setFont(number_font(-1))
        for bit in range(field.field.width):
            box = QRectF(rect.left() + bit * cell, rect.top(), cell, rect.height())
            if bit:
                painter.setPen(QPen(color(t.hairline), 1))
                painter.drawLine(box.topLeft(), box.bottomLeft())
            is_one = field.code >> (field.field.width - 1 - bit) & 1
            painter.setPen(color(t.ink if is_one and not field.is_command else t.faint))
            text = "·" if row.symbol and field.field.coded == "pointer" else str(is_one)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        if self.chosen == (number, place):
            painter.setPen(QPen(color(t.action), 2))
            painter.drawRect(rect.adjusted(-1, -1, 1, 1))
        painter.setFont(text_font(-2))
        painter.setPen(color(t.ink if is_set else t.faint))
        # Names of narrow neighbours stand in two lines, so that each has room.
        is_narrow = field.field.width <= 2
        wide = 2.6 * cell if is_narrow else rect.width()
        down = 13 if self._is_lower(row, place) else 1
        label = QRectF(rect.center().x() - wide / 2, rect.bottom() + down, wide, 14)
        elide(painter, label, field.field.name, Qt.AlignmentFlag.AlignHCenter)

    def _is_lower(self, row: SheetRow, place: int) -> bool:
        """The name stands in the second line, for the narrow neighbour on its left has the
        first."""
        bit_field = row.fields[place].field
        if bit_field.width > 2 or place == 0:
            return False
        left = row.fields[place - 1].field
        touches = left.low == bit_field.low + bit_field.width and left.width <= 2
        return touches and not self._is_lower(row, place - 1)

    def place_at(self, point: QPointF) -> tuple[int, int] | None:
        """Row and field under a point."""
        for number, top in enumerate(self._tops):
            if not top <= point.y() < top + ROW:
                continue
            for place in range(len(self.rows[number].fields)):
                if self.field_rect(number, place).adjusted(0, -2, 0, 26).contains(point):
                    return number, place
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose the field under the mouse."""
        place = self.place_at(event.position()) if event is not None else None
        if place is not None:
            self.choose(*place)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows go from field to field."""
        steps = {
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
        }
        if event is None or event.key() not in steps or not self.rows:
            super().keyPressEvent(event)
            return
        down, right = steps[Qt.Key(event.key())]
        row, place = self.chosen or (0, -1)
        row = min(len(self.rows) - 1, max(0, row + down))
        place = min(len(self.rows[row].fields) - 1, max(0, place + right))
        self.choose(row, place)

    def event(self, event: QEvent | None) -> bool:
        """Say of a field what set it."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            place = self.place_at(QPointF(event.pos()))
            bit_field = self.field(*place) if place is not None else None
            if place is not None and bit_field is not None and self.part is not None:
                QToolTip.showText(
                    event.globalPos(), field_text(self.part, self.rows[place[0]], bit_field), self
                )
            else:
                QToolTip.hideText()
            return True
        return super().event(event)


def field_text(part: Part, row: SheetRow, field: SheetField) -> str:
    """A field in a sentence: its bits, what they mean, and which setting made them."""
    where = f"{row.at.owner} {row.at.name}.{field.field.name}, bits {field.field.bits_text}"
    if field.field.coded == "pointer":
        means = row.symbol or f"{field.code:#010x}"
    else:
        meaning = field_meaning(part, field.field, field.code)
        if isinstance(meaning, frozenset):
            meaning = " ".join(str(number) for number in sorted(meaning)) or "none"
        elif isinstance(meaning, bool):
            meaning = "yes" if meaning else "no"
        means = f"{field.code:#x} = {meaning}"
    if field.last is None:
        return f"{where}: {means} ({field.field.sets}). Nothing sets it; it is as after a reset."
    if field.is_command:
        return f"{where}: {field.code:#x} is given as “{field.field.sets}” of {field.last.setting.owner}; it does not stay."
    return f"{where}: {means}. Set by “{field.field.sets}” of {field.last.setting.owner}."
