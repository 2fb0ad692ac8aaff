"""Traces of a take above each other, from the whole take to single samples."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QCursor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PyQt6.QtWidgets import QMenu, QWidget

from wattigram.desktop.theme import color, number_font, signal_color, text_font, theme
from wattigram.desktop.widgets.axes import HEX, Axes
from wattigram.desktop.widgets.drawing import LineBuffer, fill_trace
from wattigram.desktop.widgets.streams.changing_strip import ChangingStrip
from wattigram.desktop.widgets.streams.limits_field import LimitsField
from wattigram.desktop.widgets.streams.stream_data import LaidUnder
from wattigram.desktop.widgets.streams.strip_limits import StripLimits
from wattigram.desktop.widgets.streams.strip_painting import StripPainter
from wattigram.desktop.widgets.streams.strips import Strip, Strips

LEFT, RIGHT, BOTTOM, GAP = 80.0, 34.0, 24.0, 6.0
STRIP = 40.0
NOW_S = 10.0
"""So much of a board that runs is shown at first."""
FOLLOWS_SHARE = 0.002
"""Of the view, by which its end may be off the newest and still follow it."""
FEWEST_SAMPLES = 8
NEAR_SAMPLES, FAR = 200, 25.0
"""A place that was found is shown among so many samples, where the view was so much longer."""


class TracePlot(QWidget):
    """A lane for each trace, one time scale, and the whole take as a strip below."""

    cursor_moved = pyqtSignal(object)
    """Seconds, or None when the mouse has left."""
    mark_moved = pyqtSignal(object)
    """Seconds of the mark set by a click."""
    stretch_changed = pyqtSignal()
    """What is between the marks, or in sight without them, is something else."""
    place_wanted = pyqtSignal(bool)
    """To the next place that is looked for, or to the one before."""

    freeze_wanted = pyqtSignal()
    """What comes is to stand still; or, where it does, to go on."""
    extremes_unwanted = pyqtSignal()
    """Lowest and highest are to be those from now on."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName("Traces")
        self._data: Strips | None = None
        self._traces: tuple[Strip, ...] = ()
        self.below: LaidUnder | None = None
        self.limits = StripLimits()
        self.limits.changed.connect(self.update)
        self.limits_field = LimitsField(self)
        self.limits_field.taken.connect(self.limits.set)
        self.limits_field.ended.connect(self.setFocus)
        self.scales: dict[tuple[str, str], str] = {}
        """How the scales of strips are read that are in codes, by name and stage."""
        self._drag_strip: int | None = None
        self._drag_y, self._drag_span = 0.0, (0.0, 1.0)
        self._strips = StripPainter()
        self._whole = LineBuffer()
        self.view = (0.0, 1.0)
        self.cursor_s: float | None = None
        self.mark_s: float | None = None
        self.other_s: float | None = None
        """The other end of a stretch."""
        self._drag_from: float | None = None
        self._drag_view = (0.0, 1.0)
        self._is_drag_in_strip = False
        self._moved = False
        self._follows = False
        """The view moves along with what comes."""
        self._mouse_x: float | None = None

    def show_take(self, data: Strips | None, shown: frozenset[tuple[str, str]]) -> None:
        """Show some traces of a take; the view starts with all of it."""
        is_new = data is not self._data
        self._data = data
        self._traces = (
            tuple(trace for trace in data.traces if (trace.name, trace.stage) in shown)
            if data
            else ()
        )
        if is_new:
            self.limits.forget_data()
            self.limits_field.leave()
            self.cursor_s = self.mark_s = self.other_s = None
            self._follows = data is not None and data.grows
            if self._follows and data is not None:
                self.view = (data.end_s - NOW_S, data.end_s)
            elif data is not None:
                self.view = (data.begin_s, data.begin_s + data.span_s)
        self.update()

    def advance(self) -> None:
        """More has come: show the newest, where the view was at it; the cursor stays under the mouse."""
        if self._data is None or not self._data.grows:
            return
        if self._follows:
            end_s = self._data.end_s
            self.view = (end_s - (self.view[1] - self.view[0]), end_s)
            if self._mouse_x is not None and self._traces:
                self.cursor_s = self.axes(0).value_at(self._mouse_x)
                self.cursor_moved.emit(self.cursor_s)
        self.update()

    @property
    def follows(self) -> bool:
        """The newest is in sight, and stays so."""
        return self._follows

    def follow(self) -> None:
        """Go to the newest, and stay there."""
        if self._data is not None and self._data.grows:
            self._follows = True
            self.advance()

    def lay_under(self, below: LaidUnder | None) -> None:
        """Show another recording below, or none."""
        self.below = below
        self.limits.forget_data()
        self.update()

    @property
    def is_marked(self) -> bool:
        """Both ends of a stretch are marked."""
        return self.mark_s is not None and self.other_s is not None and self.mark_s != self.other_s

    @property
    def stretch(self) -> tuple[float, float]:
        """Between the marks, or what is in sight."""
        if self.mark_s is not None and self.other_s is not None and self.is_marked:
            return min(self.mark_s, self.other_s), max(self.mark_s, self.other_s)
        return self.view

    def mark_stretch(self, begin_s: float, end_s: float) -> None:
        """Mark both ends."""
        self.mark_s, self.other_s = begin_s, end_s
        self.mark_moved.emit(begin_s)
        self.stretch_changed.emit()
        self.update()

    def go_to(self, begin_s: float, end_s: float) -> None:
        """Set the mark where a place begins, and bring the place into sight, near enough to be seen."""
        self.mark_s, self.other_s = begin_s, None
        self.mark_moved.emit(begin_s)
        rate_hz = max((trace.rate_hz for trace in self._traces), default=1.0)
        near_s = max(4 * (end_s - begin_s), NEAR_SAMPLES / rate_hz)
        begin, end = self.view
        span = end - begin
        if span > FAR * near_s or span < 2 * (end_s - begin_s):
            span = near_s
        middle = (begin_s + end_s) / 2
        self.set_view(middle - span / 2, middle + span / 2)
        self.stretch_changed.emit()

    def clear_marks(self) -> None:
        """No stretch is marked."""
        self.mark_s = self.other_s = None
        self.mark_moved.emit(None)
        self.stretch_changed.emit()
        self.update()

    @property
    def data(self) -> Strips | None:
        """What they are of."""
        return self._data

    @property
    def traces(self) -> tuple[Strip, ...]:
        """What is shown."""
        return self._traces

    def sizeHint(self) -> QSize:
        """As large as there is room."""
        return QSize(800, 500)

    def _lane(self, number: int) -> QRectF:
        weights = [trace.weight for trace in self._traces]
        unit = (self.height() - STRIP - 2 * BOTTOM - 6) / max(1.0, sum(weights))
        top = 4 + unit * sum(weights[:number])
        return QRectF(LEFT, top, self.width() - LEFT - RIGHT, unit * weights[number] - GAP)

    def _strip(self) -> QRectF:
        return QRectF(
            LEFT, self.height() - STRIP - BOTTOM + 6, self.width() - LEFT - RIGHT, STRIP - 10
        )

    def axes(self, number: int) -> Axes:
        """Scales of a lane."""
        trace = self._traces[number]
        return Axes(self._lane(number).adjusted(0, 3, 0, -1), self.view, self._value_span(trace))

    def _value_span(self, trace: Strip) -> tuple[float, float]:
        assert self._data is not None
        return self.limits.span(self._data, trace, self.below)

    def strip_at(self, y: float) -> int | None:
        """Number of the strip at a height; None of none."""
        for number in range(len(self._traces)):
            lane = self._lane(number)
            if lane.top() <= y < lane.bottom() + GAP:
                return number
        return None

    def fit_values(self, numbers: Iterable[int] | None = None) -> None:
        """Limits of strips to what is in sight; of all without numbers."""
        assert self._data is not None or not self._traces
        for number in range(len(self._traces)) if numbers is None else numbers:
            if self._data is not None:
                self.limits.fit(self._data, self._traces[number], self.view, self.below)

    def all_values(self, numbers: Iterable[int] | None = None) -> None:
        """Strips show all that there is again."""
        for number in range(len(self._traces)) if numbers is None else numbers:
            self.limits.set(self._traces[number], None)

    def ask_limits(self, number: int) -> None:
        """Have the limits of a strip typed, in it."""
        trace = self._traces[number]
        self.limits_field.ask(trace, self._value_span(trace), self._lane(number))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """What a strip's limits can be."""
        if event is None:
            return
        number = self.strip_at(event.pos().y())
        if number is None:
            return
        menu = self.limits_menu(number)
        menu.popup(event.globalPos())

    def limits_menu(self, number: int) -> QMenu:
        """For a strip."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Limits…", lambda: self.ask_limits(number))
        menu.addAction("Fit to what is in sight", lambda: self.fit_values([number]))
        menu.addAction("Show all values", lambda: self.all_values([number]))
        if self._traces[number].step is not None:
            menu.addSeparator()
            menu.addAction("Scale in volts", lambda: self.read_scale(number, None))
            menu.addAction("Scale in codes", lambda: self.read_scale(number, ""))
            menu.addAction("Scale in hexadecimal codes", lambda: self.read_scale(number, HEX))
        return menu

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint all lanes from their overviews."""
        t = theme()
        painter = QPainter(self)
        painter.fillRect(self.rect(), color(t.card))
        if self._data is None or not self._traces:
            painter.setPen(color(t.soft))
            text = (
                "Choose a take, or record one with Ctrl+R."
                if self._data is None
                else "Tick a signal to see it."
            )
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
            return
        for number, trace in enumerate(self._traces):
            key = (trace.name, trace.stage)
            self._strips.paint(
                painter,
                self.axes(number),
                self._data,
                trace,
                below=self.below,
                scale=self.scales.get(key),
                has_time=number == len(self._traces) - 1,
                is_own=key in self.limits.own,
            )
        self._paint_strip(painter)
        self._paint_cursors(painter)
        if self.hasFocus():
            painter.setPen(QPen(color(t.action), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def read_scale(self, number: int, how: str | None) -> None:
        """Have a strip's scale in codes (""), in hexadecimal (:data:`HEX`), or in its unit (None)."""
        trace = self._traces[number]
        if trace.step is None:
            return
        self.scales.pop((trace.name, trace.stage), None)
        if how is not None:
            self.scales[trace.name, trace.stage] = how
        self.update()

    def next_scale(self, number: int) -> None:
        """From the unit to codes, to hexadecimal, and back."""
        trace = self._traces[number]
        after: dict[str | None, str | None] = {None: "", "": HEX, HEX: None}
        self.read_scale(number, after[self.scales.get((trace.name, trace.stage))])

    def _paint_strip(self, painter: QPainter) -> None:
        assert self._data is not None
        t = theme()
        strip = self._strip()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.fillRect(strip, color(t.paper))
        trace = self._traces[0]
        axes = Axes(
            strip.adjusted(0, 3, 0, -3),
            (self._data.begin_s, self._data.begin_s + self._data.span_s),
            self.limits.whole(self._data, trace, self.below),
        )
        times, low, high = trace.columns(self._data.begin_s, self._data.end_s, int(strip.width()))
        painter.setPen(QPen(signal_color(trace.index, 150), 1))
        fill_trace(self._whole, axes.x(times), axes.y(low), axes.y(high))
        self._whole.draw(painter)
        left, right = float(axes.x(self.view[0])), float(axes.x(self.view[1]))
        window = QRectF(left, strip.top(), max(3.0, right - left), strip.height()).intersected(
            strip
        )
        painter.fillRect(window, color(t.action, 40))
        painter.setPen(QPen(color(t.action), 1.5))
        painter.drawRect(window)
        painter.setFont(text_font(-1.5))
        painter.setPen(color(t.faint))
        painter.drawText(
            QRectF(4, strip.top(), LEFT - 10, strip.height()),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            "all of it",
        )

    def _paint_cursors(self, painter: QPainter) -> None:
        t = theme()
        axes = self.axes(0)
        bottom = self._lane(len(self._traces) - 1).bottom()
        painter.setFont(number_font(-1.5))
        if self.is_marked:
            begin, end = (float(axes.x(at)) for at in self.stretch)
            area = QRectF(begin, axes.rect.top(), end - begin, bottom - axes.rect.top())
            lanes = QRectF(axes.rect.left(), axes.rect.top(), axes.rect.width(), area.height())
            painter.fillRect(area.intersected(lanes), color(t.doubt, 28))
        for seconds, shade, style in (
            (self.mark_s, t.doubt, Qt.PenStyle.SolidLine),
            (self.other_s, t.doubt, Qt.PenStyle.SolidLine),
            (self.cursor_s, t.ink, Qt.PenStyle.DashLine),
        ):
            if seconds is None or not self.view[0] <= seconds <= self.view[1]:
                continue
            x = float(axes.x(seconds))
            painter.setPen(QPen(color(shade), 1, style))
            painter.drawLine(QPointF(x, axes.rect.top()), QPointF(x, bottom))
        if self.cursor_s is None:
            return
        for number, trace in enumerate(self._traces):
            if isinstance(trace, ChangingStrip):
                continue  # it stands between its changes
            lane = self.axes(number)
            sample = trace.number_at(self.cursor_s)
            at = trace.samples(sample, sample + 1)
            x, y = float(lane.x(at.times_s[0])), float(lane.y(at.values[0]))
            if lane.rect.contains(x, y) and at.valid[0]:
                painter.setPen(QPen(color(t.ink), 1.4))
                painter.drawEllipse(QPointF(x, y), 3.5, 3.5)

    def set_view(self, begin_s: float, end_s: float) -> None:
        """Show a stretch, kept within what there is and no shorter than a few samples. Where more comes, a view that
        reaches to the newest follows it."""
        if self._data is None:
            return
        rate_hz = max((trace.rate_hz for trace in self._traces), default=1.0)
        shortest = FEWEST_SAMPLES / rate_hz
        longest = max(self._data.span_s, NOW_S) if self._data.grows else self._data.span_s
        span = min(max(end_s - begin_s, shortest), longest)
        # more may have come since the view went along last
        newest_s = min(self.view[1], self._data.end_s) if self._follows else self._data.end_s
        self._follows = self._data.grows and end_s >= newest_s - FOLLOWS_SHARE * span
        middle = (begin_s + end_s) / 2
        first_s = self._data.begin_s
        last_s = first_s + self._data.span_s - span
        begin_s = last_s if self._follows else min(max(first_s, middle - span / 2), last_s)
        self.view = (begin_s, begin_s + span)
        if not self.is_marked:
            self.stretch_changed.emit()
        self.update()

    def zoom(self, factor: float, about_s: float | None = None) -> None:
        """Make the view ``factor`` times as long about an instant; about its end while it follows what comes."""
        begin, end = self.view
        if self._follows:
            about_s = end
        about = (begin + end) / 2 if about_s is None else about_s
        self.set_view(about - (about - begin) * factor, about + (end - about) * factor)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom about the mouse: the time, or on a strip's scale its values."""
        if event is None or not self._traces:
            return
        at = event.position()
        number = self.strip_at(at.y()) if at.x() < LEFT else None
        if number is not None:
            self._zoom_values(number, 0.75 ** (event.angleDelta().y() / 120), at.y())
            event.accept()
        else:
            self.zoom(
                0.75 ** (event.angleDelta().y() / 120), self.axes(0).value_at(event.position().x())
            )
            event.accept()

    def _zoom_values(self, number: int, factor: float, y: float) -> None:
        """A strip's scale ``factor`` times as wide about a height."""
        axes = self.axes(number)
        low, high = axes.y_span
        about = low + (axes.rect.bottom() - y) / axes.rect.height() * (high - low)
        span = about - (about - low) * factor, about + (high - about) * factor
        self.limits.set(self._traces[number], span)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin to move along, in the lanes or in the strip; on a strip's scale, its values."""
        if event is None or not self._traces or event.button() != Qt.MouseButton.LeftButton:
            return
        self.limits_field.leave()
        if event.position().x() < LEFT:
            self._drag_strip = self.strip_at(event.position().y())
            if self._drag_strip is not None:
                self._drag_y = event.position().y()
                self._drag_span = self.axes(self._drag_strip).y_span
            return
        self._moved = False
        self._drag_from = event.position().x()
        self._drag_view = self.view
        self._is_drag_in_strip = event.position().y() >= self._strip().top() - 4
        if self._is_drag_in_strip:
            self._center_strip(event.position().x())

    def _center_strip(self, x: float) -> None:
        assert self._data is not None
        strip = self._strip()
        at = self._data.begin_s + (x - strip.left()) / strip.width() * self._data.span_s
        half = (self.view[1] - self.view[0]) / 2
        self.set_view(at - half, at + half)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Move along, or show values under the cursor."""
        if event is None or not self._traces:
            return
        x = event.position().x()
        if self._drag_strip is not None:
            axes, (low, high) = self.axes(self._drag_strip), self._drag_span
            shift = (event.position().y() - self._drag_y) / axes.rect.height() * (high - low)
            if shift:
                self.limits.set(self._traces[self._drag_strip], (low + shift, high + shift))
            return
        if self._drag_from is not None:
            if self._is_drag_in_strip:
                self._center_strip(x)
                return
            if abs(x - self._drag_from) > 3:
                self._moved = True
            begin, end = self._drag_view
            shift = (self._drag_from - x) / self._lane(0).width() * (end - begin)
            self.set_view(begin + shift, end + shift)
            return
        seconds = self.axes(0).value_at(x)
        self._mouse_x = x if self.view[0] <= seconds <= self.view[1] else None
        self.cursor_s = seconds if self.view[0] <= seconds <= self.view[1] else None
        self.cursor_moved.emit(self.cursor_s)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """A click without a move sets the mark."""
        self._drag_strip = None
        if (
            event is not None
            and self._drag_from is not None
            and not self._moved
            and not self._is_drag_in_strip
            and self._traces
        ):
            at_s = self.axes(0).value_at(event.position().x())
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and self.mark_s is not None:
                self.mark_stretch(self.mark_s, at_s)
            else:
                self.mark_s, self.other_s = at_s, None
                self.mark_moved.emit(self.mark_s)
                self.stretch_changed.emit()
                self.update()
        self._drag_from = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """The whole take again; on a strip's scale its values in sight, or all of them."""
        if self._data is None or event is None:
            return
        number = self.strip_at(event.position().y()) if event.position().x() < LEFT else None
        if number is None:
            self.set_view(self._data.begin_s, self._data.end_s)
        elif (self._traces[number].name, self._traces[number].stage) in self.limits.own:
            self.all_values([number])
        else:
            self.fit_values([number])

    def leaveEvent(self, event: QEvent | None) -> None:
        """No cursor without a mouse."""
        self.cursor_s = self._mouse_x = None
        self.cursor_moved.emit(None)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """+ and − zoom about the mark, or the middle; arrows move along, Home shows all, End the newest; M marks both
        ends of what is in sight, Escape takes marks away; N goes to the next place that is looked for, Shift+N to the
        one before; F fits all strips to what is in sight, A shows all values, L has the limits of the strip under the
        mouse typed, C has its scale in codes, in hexadecimal and in volts again; Space freezes what comes, R has the
        meters hold extremes anew."""
        if event is None:
            return
        key = Qt.Key(event.key())
        begin, end = self.view
        mark_s = self.mark_s
        about_s = mark_s if mark_s is not None and begin <= mark_s <= end else None
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom(0.6, about_s)
        elif key == Qt.Key.Key_Minus:
            self.zoom(1 / 0.6, about_s)
        elif key == Qt.Key.Key_N:
            self.place_wanted.emit(not event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = (end - begin) * (0.2 if key == Qt.Key.Key_Right else -0.2)
            self.set_view(begin + step, end + step)
        elif key == Qt.Key.Key_Space:
            self.freeze_wanted.emit()
        elif key == Qt.Key.Key_R:
            self.extremes_unwanted.emit()
        elif key == Qt.Key.Key_F:
            self.fit_values()
        elif key == Qt.Key.Key_A:
            self.all_values()
        elif key in (Qt.Key.Key_L, Qt.Key.Key_C) and self._traces:
            under = self.strip_at(self.mapFromGlobal(QCursor.pos()).y())
            number = under if under is not None and self.underMouse() else 0
            (self.ask_limits if key == Qt.Key.Key_L else self.next_scale)(number)
        elif key == Qt.Key.Key_Home and self._data is not None:
            self.set_view(self._data.begin_s, self._data.end_s)
        elif key == Qt.Key.Key_End and self._data is not None:
            self.follow() if self._data.grows else self.set_view(
                begin - end + self._data.end_s, self._data.end_s
            )
        elif key == Qt.Key.Key_M and self._data is not None:
            self.mark_stretch(*self.view)
        elif key == Qt.Key.Key_Escape and (self.mark_s is not None or self.other_s is not None):
            self.clear_marks()
        else:
            super().keyPressEvent(event)
