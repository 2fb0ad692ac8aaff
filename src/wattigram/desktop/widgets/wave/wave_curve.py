"""The curve of a table: what was meant, the held steps that leave the pin, and handles to drag."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import format_percent, format_si, format_volts, round_values
from wattigram.core.model.design import WaveTable, Workspace
from wattigram.core.model.design.edits import SetTable
from wattigram.core.predict.waveform import (
    DacPlayback,
    dac_playback,
    output_range_v,
    table_player,
    table_volts,
)
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
from wattigram.desktop.widgets.drawing import draw_band, polygon
from wattigram.desktop.widgets.seen_table import SeenTable
from wattigram.desktop.widgets.wave.wave_handles import Handle, moved_table, table_handles
from wattigram.desktop.widgets.wave.wave_tables import course_table

FloatArray = NDArray[np.float64]
LOOKS = 2400
GRIP = 9.0
NARROWEST = 1e-4
HANDLE = 5.0
CODES = 38.0


class WaveCurve(QWidget):
    """Paints one lap of a table, or a part of it, and emits edits while a handle is dragged."""

    edited = pyqtSignal(object)
    drag_began = pyqtSignal()
    drag_ended = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Curve of the table")
        self._workspace: Workspace | None = None
        self._table: WaveTable | None = None
        self._made: DacPlayback | None = None
        self._reach: tuple[float, float] | None = None
        self._index = 0
        self._view = (0.0, 1.0)
        self._held: Handle | None = None
        self._begun: WaveTable | None = None
        self._axes: Axes | None = None

    def show_table(self, workspace: Workspace, table: WaveTable | None, index: int) -> None:
        """Show a table as it is played, if it is."""
        if table is None or self._table is None or table.name != self._table.name:
            self._view = (0.0, 1.0)
        self._workspace, self._table, self._index = workspace, table, index
        self._made = self._reach = None
        generator = table_player(workspace, table) if table is not None else None
        dac = workspace.part.dac(generator.dac) if generator is not None else None
        if generator is not None and dac is not None:
            self._made = dac_playback(workspace, generator)
            self._reach = output_range_v(workspace, dac, generator.buffered)
        self.update()

    @property
    def view(self) -> tuple[float, float]:
        """The part of the lap that is shown, as shares of it."""
        return self._view

    def set_view(self, begin: float, end: float) -> None:
        """Show another part of the lap."""
        width = min(1.0, max(NARROWEST, end - begin))
        begin = min(max(0.0, begin), 1.0 - width)
        self._view = (begin, begin + width)
        self.update()

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """The curve in words."""
        return (course_table(self._table, self._made),) if self._table is not None else ()

    def sizeHint(self) -> QSize:
        return QSize(640, 300)

    def minimumSizeHint(self) -> QSize:
        return QSize(320, 160)

    # --- what is shown

    def handles(self) -> list[Handle]:
        """What can be dragged on the present table."""
        return table_handles(self._table) if self._table is not None else []

    def handle_place(self, handle: Handle) -> QPointF:
        """Where a handle stands on this widget."""
        axes = self._axes or self._make_axes()
        return QPointF(float(axes.x(handle.turn)), float(axes.y(handle.volts)))

    def _make_axes(self) -> Axes:
        rect = QRectF(
            96, 30, max(50.0, self.width() - 106.0 - CODES), max(40.0, self.height() - 62.0)
        )
        parts = [np.array([0.0])]
        if self._table is not None:
            parts.append(table_volts(self._table))
        if self._reach is not None:
            parts.append(np.array(self._reach))
        return Axes(rect, self._view, span_of(*parts))

    def _lap_s(self) -> float | None:
        return float(self._made.lap_s) if self._made is not None and self._made.lap_s else None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the lap."""
        painter = QPainter(self)
        t = theme()
        painter.fillRect(self.rect(), color(t.card))
        if self._table is None:
            painter.setPen(color(t.soft))
            painter.setFont(text_font(1))
            text = "No table yet. “Add a table” makes one, and Ctrl+K lists all that can be done with it."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
            return
        if self._held is None or self._axes is None:
            self._axes = self._make_axes()
        else:
            self._axes = Axes(self._make_axes().rect, self._view, self._axes.y_span)
        axes = self._axes
        self._paint_scales(painter, axes)
        painter.save()
        painter.setClipRect(axes.rect.adjusted(-6, -6, 6, 6))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        self._paint_reach(painter, axes)
        self._paint_course(painter, axes)
        self._paint_handles(painter, axes)
        painter.restore()
        self._paint_title(painter)

    def _paint_title(self, painter: QPainter) -> None:
        t = theme()
        assert self._table is not None
        painter.setFont(heading_font())
        painter.setPen(color(t.faint))
        shown = (
            "ONE PERIOD"
            if self._view == (0.0, 1.0)
            else f"{format_percent(self._view[1] - self._view[0])} OF A PERIOD"
        )
        text = f"{self._table.name.upper()} · {shown} · TINT IS MEANT, LINE LEAVES THE PIN"
        painter.drawText(QPointF(12, 18), text)

    def _paint_scales(self, painter: QPainter, axes: Axes) -> None:
        lap_s = self._lap_s()
        if lap_s is not None:
            timed = Axes(axes.rect, (axes.x_span[0] * lap_s, axes.x_span[1] * lap_s), axes.y_span)
            timed.paint_grid(painter, "s", "V")
        else:
            axes.paint_grid(painter, "", "V")
        if self._made is not None:
            self._paint_codes(painter, axes, self._made.lsb_v)

    def _paint_codes(self, painter: QPainter, axes: Axes, lsb_v: float) -> None:
        """The DAC's codes beside its volts."""
        painter.setFont(number_font(-2))
        painter.setPen(color(theme().faint))
        height = painter.fontMetrics().height()
        for volts in round_values(*axes.y_span, max(1, int(axes.rect.height() / (height * 1.9)))):
            if volts >= 0:
                place = QRectF(
                    axes.rect.right() + 4, float(axes.y(volts)) - height / 2, CODES, height
                )
                flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
                painter.drawText(place, flags, str(round(volts / lsb_v)))

    def _paint_reach(self, painter: QPainter, axes: Axes) -> None:
        """What the output reaches."""
        if self._reach is None:
            return
        painter.setPen(QPen(color(theme().doubt), 1, Qt.PenStyle.DashLine))
        painter.setFont(text_font(-1.5))
        for volts, word, below in (
            (self._reach[0], "output swing from", False),
            (self._reach[1], "output swing to", True),
        ):
            at = float(axes.y(volts))
            painter.drawLine(QPointF(axes.rect.left(), at), QPointF(axes.rect.right(), at))
            text = f"{word} {format_volts(volts)}"
            width = painter.fontMetrics().horizontalAdvance(text)
            painter.drawText(
                QPointF(axes.rect.right() - width - 4, at + (12 if below else -4)), text
            )

    def _paint_course(self, painter: QPainter, axes: Axes) -> None:
        """What was meant as a tint, the pin's voltage as a line, and a mark wherever the two
        differ."""
        assert self._table is not None
        table = self._table
        wanted = self._made.wanted_v if self._made is not None else table_volts(table)
        begin, end = self._view
        looks = np.linspace(begin, end, LOOKS)
        places = np.minimum((looks * len(wanted)).astype(np.int64), len(wanted) - 1)
        half = abs(float(axes.y_span[1] - axes.y_span[0])) * 0.008
        draw_band(
            painter,
            axes.x(looks),
            axes.y(wanted[places] - half),
            axes.y(wanted[places] + half),
            signal_color(self._index, theme().tint_alpha + 40),
        )
        made = self._made
        if made is None:
            return
        volts = self._pin_volts(looks)
        painter.setPen(signal_pen(self._index, 1.6))
        painter.drawPolyline(polygon(axes.x(looks), axes.y(volts)))
        if made.clipped and made.skipped == 1:
            off = np.abs(made.levels_v - wanted[: len(made.levels_v)]) > 0.75 * made.lsb_v
            painter.setPen(QPen(color(theme().bad), 3))
            for number in np.flatnonzero(off)[:: max(1, int(off.sum()) // 400)].tolist():
                x = float(axes.x((number + 0.5) / len(wanted)))
                painter.drawPoint(QPointF(x, float(axes.y(made.levels_v[number]))))

    def _pin_volts(self, looks: FloatArray) -> FloatArray:
        """The pin's voltage at shares of a lap, once it has been going for a while."""
        made = self._made
        assert made is not None
        lap_s = float(made.lap_s)
        since = float(made.begin_s + made.late_s)
        laps = 8 if made.repeat else 0
        return made.course.at(since + (laps + looks) * lap_s)

    def _paint_handles(self, painter: QPainter, axes: Axes) -> None:
        t = theme()
        for handle in self.handles():
            place = self.handle_place(handle)
            painter.setPen(QPen(color(t.action), 2))
            painter.setBrush(color(t.card) if handle != self._held else color(t.action))
            painter.drawRect(QRectF(place.x() - HANDLE, place.y() - HANDLE, 2 * HANDLE, 2 * HANDLE))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._held is not None:
            place = self.handle_place(self._held)
            painter.setFont(number_font(0))
            painter.setPen(color(t.ink))
            painter.drawText(QPointF(place.x() + 12, place.y() - 8), self._held_text())

    def _held_text(self) -> str:
        assert self._held is not None
        assert self._table is not None
        lap_s = self._lap_s()
        match self._held.kind:
            case "duty" | "peak":
                return format_percent(self._held.turn * self._table.periods)
            case "corner" if lap_s is not None:
                return f"{format_volts(self._held.volts)} at {format_si(self._held.turn * lap_s, 's', 4)}"
            case "amplitude":
                return f"± {format_volts(self._table.amplitude_v)}"
            case _:
                return format_volts(self._held.volts)

    # --- mouse and keys

    def handle_at(self, x: float, y: float) -> Handle | None:
        """The handle under a point."""
        best, nearest = GRIP, None
        for handle in self.handles():
            place = self.handle_place(handle)
            distance = max(abs(place.x() - x), abs(place.y() - y))
            if distance <= best:
                best, nearest = distance, handle
        return nearest

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take a handle."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._held = self.handle_at(event.position().x(), event.position().y())
        self._begun = self._table
        if self._held is not None:
            self.drag_began.emit()
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag it; or say that there is one."""
        if event is None or self._axes is None:
            return
        if self._held is None:
            over = self.handle_at(event.position().x(), event.position().y())
            shapes = {"corner": Qt.CursorShape.SizeAllCursor, "duty": Qt.CursorShape.SizeHorCursor}
            shapes["peak"] = Qt.CursorShape.SizeHorCursor
            self.setCursor(
                shapes.get(over.kind, Qt.CursorShape.SizeVerCursor)
                if over
                else Qt.CursorShape.ArrowCursor
            )
            return
        self._drag(event.position().x(), event.position().y())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let it go."""
        if self._held is not None:
            self._held = None
            self.drag_ended.emit()
            self.update()

    def _drag(self, x: float, y: float) -> None:
        assert self._axes is not None
        assert self._held is not None
        rect, (low, high) = self._axes.rect, self._axes.y_span
        step = 10.0 ** np.floor(np.log10((high - low) / max(1.0, rect.height())))
        volts = float(
            round(
                round((low + (rect.bottom() - y) / rect.height() * (high - low)) / step) * step, 6
            )
        )
        turn = min(1.0, max(0.0, self._axes.value_at(x)))
        try:
            fresh = (
                moved_table(self._table, self._begun or self._table, self._held, volts, turn)
                if self._table
                else None
            )
        except (QuantityError, ValueError):
            return
        if fresh is not None and self._table is not None and fresh != self._table:
            self._held = Handle(self._held.kind, turn, volts, self._held.number)
            self.edited.emit(SetTable(fresh.name, fresh))
            self._held = self._follow(self._held)

    def _follow(self, held: Handle) -> Handle:
        """The handle that is held, where the edit has put it."""
        for handle in self.handles():
            if (handle.kind, handle.number) == (held.kind, held.number):
                return handle
        return held

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom about the pointer."""
        if event is None or self._axes is None:
            return
        at = self._axes.value_at(event.position().x())
        factor = 0.8 if event.angleDelta().y() > 0 else 1.25
        begin, end = self._view
        self.set_view(at - (at - begin) * factor, at + (end - at) * factor)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Plus and minus zoom, arrows move along, Home shows the whole lap."""
        if event is None:
            return
        begin, end = self._view
        width = end - begin
        middle = (begin + end) / 2
        match event.key():
            case Qt.Key.Key_Plus | Qt.Key.Key_Equal:
                self.set_view(middle - width * 0.35, middle + width * 0.35)
            case Qt.Key.Key_Minus:
                self.set_view(middle - width * 0.7, middle + width * 0.7)
            case Qt.Key.Key_Left:
                self.set_view(begin - width * 0.2, end - width * 0.2)
            case Qt.Key.Key_Right:
                self.set_view(begin + width * 0.2, end + width * 0.2)
            case Qt.Key.Key_Home:
                self.set_view(0.0, 1.0)
            case _:
                super().keyPressEvent(event)
