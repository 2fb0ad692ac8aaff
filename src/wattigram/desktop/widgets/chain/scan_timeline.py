"""One cycle, to scale: slots, edges and triggers to drag."""

from __future__ import annotations

import math
from fractions import Fraction

import msgspec
from PyQt6.QtCore import QEvent, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QMenu

from wattigram.core.model.design import sampled_alike
from wattigram.core.model.design.edits import Edit, MoveSlot, SetPeriod, SetSampling, SetSamplings
from wattigram.desktop.state.selection import Selection
from wattigram.desktop.widgets.chain.scan_timeline_view import ScanTimelineView

EDGE_PX = 5
LONGEST_VIEW_CYCLES = 2000


class _Spot(msgspec.Struct, frozen=True):
    """Something that can be dragged."""

    kind: str
    """slot, edge, trigger or nothing."""
    converter: str = ""
    place: int = -1


class ScanTimeline(ScanTimelineView):
    """Turns drags into edits while the mouse moves."""

    edited = pyqtSignal(object)
    selected = pyqtSignal(object)
    drag_began = pyqtSignal()
    drag_ended = pyqtSignal()
    why_wanted = pyqtSignal(object, str)
    """(Selection, label): the fact of a panel that says what is drawn under the mouse."""

    def __init__(self) -> None:
        super().__init__()
        self._drag: _Spot | None = None
        self._drag_from = QPointF()
        self._drag_begin_s = 0.0

    def _spot(self, point: QPointF) -> _Spot:
        if not self._cycles:
            return _Spot("nothing")
        trigger = self.trigger_point()
        if (
            self._cycles[0].timer is not None
            and abs(point.x() - trigger.x()) <= 8
            and self._lane(0).contains(
                point.x() if point.x() < self._graph().right() else self._graph().right() - 1,
                point.y(),
            )
        ):
            return _Spot("trigger", self._cycles[0].converter)
        for number, cycle in enumerate(self._cycles):
            lane = self._lane(number + 1)
            if not lane.top() <= point.y() <= lane.bottom():
                continue
            for slot in cycle.slots:
                if abs(point.x() - self.x_of(float(slot.start_s + slot.sampling_s))) <= EDGE_PX:
                    return _Spot("edge", cycle.converter, slot.place)
            for slot in cycle.slots:
                if self.slot_rect(cycle.converter, slot.place).contains(point):
                    return _Spot("slot", cycle.converter, slot.place)
        return _Spot("nothing")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin a drag."""
        if event is None or event.button() != Qt.MouseButton.LeftButton or self._workspace is None:
            return
        spot = self._spot(event.position())
        self._is_dragged = True
        self._drag, self._drag_from, self._drag_begin_s = spot, event.position(), self._begin_s
        if spot.kind != "nothing":
            self.drag_began.emit()
        chain = self._workspace.project.chain(spot.converter)
        if chain is not None:
            if spot.place >= 0:
                self.selected.emit(
                    Selection(spot.converter, spot.place, chain.slots[spot.place].signal, "sample")
                )
            else:
                self.selected.emit(Selection(spot.converter))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Follow the mouse with edits, or show what can be dragged."""
        if event is None:
            return
        if self._drag is None:
            shape = {
                "edge": Qt.CursorShape.SplitHCursor,
                "trigger": Qt.CursorShape.SizeHorCursor,
                "slot": Qt.CursorShape.OpenHandCursor,
            }
            self.setCursor(shape.get(self._spot(event.position()).kind, Qt.CursorShape.ArrowCursor))
            return
        edit: Edit | None = None
        if self._drag.kind == "nothing":
            moved = (
                (event.position().x() - self._drag_from.x()) / self._graph().width() * self._span_s
            )
            self._begin_s = max(-0.02 * self._span_s, self._drag_begin_s - moved)
            self._is_fitted = False
            self.update()
        elif self._drag.kind == "trigger":
            edit = self._period_edit(event.position().x())
        elif self._drag.kind == "edge":
            edit = self._sampling_edit(event.position().x())
        elif self._drag.kind == "slot":
            edit = self._move_edit(event.position().x())
        if edit is not None:
            self.edited.emit(edit)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """End a drag; the view fits itself again where it did before."""
        if self._drag is None:
            return
        was, self._drag = self._drag, None
        self._is_dragged = False
        if was.kind != "nothing":
            self.drag_ended.emit()
        if self._is_fitted:
            self._fit()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Back to one whole cycle."""
        self.fit()

    def _period_edit(self, x: float) -> Edit | None:
        seconds = max(self._seconds_at(x), 1e-7)
        step = Fraction(10) ** math.floor(math.log10(self._span_s / self._graph().width() * 4))
        every_s = max(step, round(Fraction(seconds) / step) * step)
        return SetPeriod(self._cycles[0].converter, every_s) if every_s != self._period_s else None

    def _sampling_edit(self, x: float) -> Edit | None:
        assert self._workspace is not None
        assert self._drag is not None
        chain = self._workspace.project.chain(self._drag.converter)
        cycle = next(
            (cycle for cycle in self._cycles if cycle.converter == self._drag.converter), None
        )
        if chain is None or cycle is None:
            return None
        slot = cycle.slots[self._drag.place]
        wanted = max(1.0, (self._seconds_at(x) - float(slot.start_s)) * float(cycle.clock_hz))
        legal = self._workspace.converter(chain).sampling_cycles
        nearest = min(legal, key=lambda cycles: abs(math.log(cycles / wanted)))
        if nearest == chain.slots[self._drag.place].sampling_cycles:
            return None
        alike = sampled_alike(
            self._workspace.project, self._workspace.part, chain, self._drag.place
        )
        if len(alike) > 1:
            return SetSamplings(chain.converter, nearest, alike)
        return SetSampling(chain.converter, self._drag.place, nearest, slot.signal)

    def _move_edit(self, x: float) -> Edit | None:
        assert self._drag is not None
        cycle = next(
            (cycle for cycle in self._cycles if cycle.converter == self._drag.converter), None
        )
        if cycle is None:
            return None
        place = self._drag.place
        seconds = self._seconds_at(x)
        target = place
        for slot in cycle.slots:
            middle = float(slot.start_s + slot.end_s) / 2
            if slot.place > place and seconds > middle:
                target = slot.place
            elif slot.place < place and seconds < middle:
                target = min(target, slot.place)
        if target == place:
            return None
        self._drag = _Spot("slot", self._drag.converter, target)
        return MoveSlot(cycle.converter, place, target)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom about the mouse, from one converter clock to many cycles."""
        if event is None or not self._cycles:
            return
        self.zoom(0.8 ** (event.angleDelta().y() / 120), event.position().x())
        event.accept()

    def zoom(self, factor: float, x: float | None = None) -> None:
        """Make the view ``factor`` times as long about a screen position."""
        if not self._cycles:
            return
        at = self._graph().center().x() if x is None else x
        anchor_s = self._seconds_at(at)
        shortest = 1 / float(self._cycles[0].clock_hz)
        longest = float(self._cycles[0].period_s) * LONGEST_VIEW_CYCLES
        span_s = min(longest, max(shortest, self._span_s * factor))
        share = (anchor_s - self._begin_s) / self._span_s
        self._span_s = span_s
        self._begin_s = max(-0.02 * span_s, anchor_s - share * span_s)
        self._is_fitted = False
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """+ and − zoom, arrows move along, Home shows one cycle."""
        if event is None:
            return
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom(0.7)
        elif key == Qt.Key.Key_Minus:
            self.zoom(1 / 0.7)
        elif key == Qt.Key.Key_Home:
            self.fit()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = self._span_s * (0.1 if key == Qt.Key.Key_Right else -0.1)
            self._begin_s = max(-0.02 * self._span_s, self._begin_s + step)
            self._is_fitted = False
            self.update()
        else:
            super().keyPressEvent(event)

    def number_at(self, point: QPointF) -> tuple[Selection, str] | None:
        """Where the number stands that is drawn at a point to scale: a panel, and the label of a fact."""
        if self._workspace is None or not self._cycles:
            return None
        lane = int((point.y() - self._graph().top()) // self._lane_height)
        if point.y() < self._graph().top() or not 0 <= lane < len(self._cycles) + 3:
            return None
        paced = self._cycles[0].trigger.pace == "pattern"
        if lane == 0:
            label = "triggers" if paced else "scan rate"
            return Selection(self._cycles[0].converter, facet="start"), label
        if lane > len(self._cycles):
            is_processor = lane == len(self._cycles) + 2
            number = self._call_at(self._seconds_at(point.x())) if is_processor else 0
            chain = self._workspace.project.chains[number]
            word = "ISR" if chain.read_period_s is None else "read"
            label = word if is_processor else f"{word} rate"
            return Selection(chain.converter, 0, chain.slots[0].signal, "transfer"), label
        cycle = self._cycles[lane - 1]
        after_s = self._seconds_at(point.x()) % float(cycle.cycle_s)
        for slot in cycle.slots:
            start_s, end_s, _sampling_s = slot.drawn_s
            if start_s <= after_s <= end_s:
                within_s = (after_s - start_s) % float(slot.each_s)
                label = "sampling" if within_s <= float(slot.sampling_s) else "conversion"
                return Selection(cycle.converter, slot.place, slot.signal, "sample"), label
        label = "slack" if cycle.trigger.pace == "pattern" else "scan time"
        return Selection(cycle.converter, facet="start"), label

    def _call_at(self, seconds: float) -> int:
        """Number of the chain whose ISR runs then, or is the next before; the first where none is drawn."""
        assert self._workspace is not None
        begun = [
            (start_s, number)
            for number, calls in enumerate(self._handler_calls(self._workspace))
            for start_s, _length_s in calls
            if start_s <= seconds
        ]
        return max(begun, default=(0.0, 0))[1]

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer where the number comes from that is drawn here."""
        found = self.number_at(QPointF(event.pos())) if event is not None else None
        if event is None or found is None:
            return
        selection, label = found
        menu = QMenu(self)
        slot = f", slot {selection.place + 1}" if label in {"sampling", "conversion"} else ""
        action = menu.addAction(f"Where does it come from? {selection.converter}{slot}: {label}")
        assert action is not None
        action.triggered.connect(lambda: self.why_wanted.emit(selection, label))
        menu.popup(event.globalPos())

    def leaveEvent(self, event: QEvent | None) -> None:
        """Let the cursor go."""
        self.unsetCursor()
