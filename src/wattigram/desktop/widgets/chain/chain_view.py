"""The rows of the Chain page under mouse and keyboard."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QRect, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QScrollArea

from wattigram.core.model.design import limit_like
from wattigram.core.model.design.edits import SetComparator, SetThreshold
from wattigram.desktop.state.selection import FACETS, Selection, default_selection
from wattigram.desktop.widgets.chain.chain_layout import RowItem
from wattigram.desktop.widgets.chain.chain_rows import ChainRows
from wattigram.desktop.widgets.chain.stream_cell import LimitLine


class ChainView(ChainRows):
    """Emits what the user points at."""

    selected = pyqtSignal(object)
    """Selection"""
    opened = pyqtSignal(object, QRect)
    """Selection and the cell's place on this widget: Enter or double click."""
    menu_wanted = pyqtSignal(object, object)
    """Selection and the global point."""
    edited = pyqtSignal(object)
    """Edit: a limit that is dragged."""
    drag_began = pyqtSignal()
    drag_ended = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._hover: Selection | None = None
        self._grip: tuple[RowItem, LimitLine] | None = None

    def show_selection(self, selection: Selection) -> None:
        """Mark a cell, and bring it into view."""
        if selection != self._selection:
            super().show_selection(selection)
            self._scroll_to_selection()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Select what was clicked; a click on the pin's cell opens the bench."""
        if event is None or self._layout is None:
            return
        under = self._layout.at(event.position().x(), event.position().y())
        if under is None:
            return
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        self.selected.emit(self._extended(under) if shift else under)
        self._grip = self._grip_at(event.position().x(), event.position().y())
        if self._grip is not None and event.button() == Qt.MouseButton.LeftButton:
            self.drag_began.emit()
            return
        if (
            event.button() == Qt.MouseButton.LeftButton
            and under.facet == "front end"
            and under.signal
        ):
            self.opened.emit(under, self.cell_rect(under))

    def _extended(self, selection: Selection) -> Selection:
        """What is selected already, with one more slot of the same converter, or without it."""
        mine = self._selection
        if (
            not selection.signal
            or selection.converter != mine.converter
            or mine.place < 0
            or selection.place == mine.place
        ):
            return selection
        return replace(mine, also=mine.also ^ {selection.place})

    def _grip_at(self, x: float, y: float) -> tuple[RowItem, LimitLine] | None:
        """A row's limit line under a point."""
        if self._layout is None:
            return None
        for row in self._layout.rows:
            if row.rect.contains(x, y):
                line = self.stream_painter(row).limit_at(x, y)
                return (row, line) if line is not None else None
        return None

    def _drag_limit(self, y: float) -> None:
        """Move the limit that is held to a height."""
        assert self._grip is not None
        row, line = self._grip
        if self._workspace is None:
            return
        signal = self._workspace.project.signal(row.signal.name)
        volts = self.stream_painter(row).value_at(y)
        comparator = self._workspace.project.comparator(line.comparator)
        if comparator is not None:
            threshold_v = round(max(0.0, signal.at_pin(volts)), 9)
            self.edited.emit(SetComparator(comparator.replaced(threshold_v=threshold_v)))
            return
        window = signal.thresholds[line.window]
        name = "high" if line.is_high else "low"
        volts -= window.minus_v or 0.0
        value = limit_like(self._workspace, signal, window, getattr(window, name), round(volts, 9))
        if value != getattr(window, name):
            self.edited.emit(
                SetThreshold(signal.name, line.window, window.replaced(**{name: value}))
            )

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let a limit go."""
        if self._grip is not None:
            self._grip = None
            self.drag_ended.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Open the cell."""
        if event is not None and self._layout is not None:
            under = self._layout.at(event.position().x(), event.position().y())
            if under is not None:
                self.opened.emit(under, self.cell_rect(under))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Say what a cell is about, and its finding."""
        if event is None or self._layout is None:
            return
        if self._grip is not None:
            self._drag_limit(event.position().y())
            return
        if self._grip_at(event.position().x(), event.position().y()) is not None:
            self.setCursor(Qt.CursorShape.SizeVerCursor)
            self._hover = None
            return
        under = self._layout.at(event.position().x(), event.position().y())
        if under != self._hover:
            self._hover = under
            self.setToolTip(self._tip(under))
            pointing = under is not None
            self.setCursor(
                Qt.CursorShape.PointingHandCursor if pointing else Qt.CursorShape.ArrowCursor
            )

    def _tip(self, under: Selection | None) -> str:
        if under is None or not under.signal:
            return "Click to edit what these signals share" if under else ""
        finding = self._findings.get((under.signal, under.facet))
        if finding is not None:
            return f"{finding.title}\n{finding.message}"
        return {"front end": "Click to say what is wired to this pin"}.get(under.facet, "")

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer what can be done with a cell."""
        if event is not None and self._layout is not None:
            under = self._layout.at(event.pos().x(), event.pos().y())
            self.menu_wanted.emit(under, event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move, Enter opens."""
        if event is None or self._workspace is None:
            return
        moves = {
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
        }
        key = Qt.Key(event.key())
        if key in moves and event.modifiers() == Qt.KeyboardModifier.NoModifier:
            self._move(*moves[key])
        elif (
            key in (Qt.Key.Key_Up, Qt.Key.Key_Down)
            and event.modifiers() == Qt.KeyboardModifier.ShiftModifier
        ):
            self._extend(-1 if key == Qt.Key.Key_Up else 1)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers():
            self.opened.emit(self._selection, self.cell_rect(self._selection))
        else:
            super().keyPressEvent(event)

    def _column(self) -> str:
        """The column of the selection; a yoke has none of its own."""
        return self._selection.column if self._selection.column in FACETS else "sample"

    def _stops(self) -> list[Selection]:
        """Everything that can be selected, from top to bottom."""
        layout = self._layout
        if layout is None:
            return []
        items: list[tuple[float, Selection]] = []
        for yoke in layout.yokes:
            if yoke.chain is not None:
                items.append(
                    (yoke.rect.top(), Selection(yoke.chain.converter, facet=self._selection.facet))
                )
        items += [(row.rect.top(), row.selection(self._column())) for row in layout.rows]
        return [selection for _top, selection in sorted(items, key=lambda item: item[0])]

    def _move(self, rows: int, columns: int) -> None:
        stops = self._stops()
        if not stops or self._workspace is None:
            return
        keys = [(stop.converter, stop.place, stop.signal) for stop in stops]
        mine = (self._selection.converter, self._selection.place, self._selection.signal)
        if mine not in keys:
            self.selected.emit(default_selection(self._workspace))
            return
        stop = stops[max(0, min(len(stops) - 1, keys.index(mine) + rows))]
        facet = FACETS[max(0, min(len(FACETS) - 1, FACETS.index(self._column()) + columns))]
        self.selected.emit(Selection(stop.converter, stop.place, stop.signal, facet))

    def _extend(self, step: int) -> None:
        """Select one more slot of the converter, next to those that are."""
        mine = self._selection
        chain = self._workspace.project.chain(mine.converter) if self._workspace else None
        if chain is None or mine.place < 0:
            return
        places = mine.places
        more = places[0] - 1 if step < 0 else places[-1] + 1
        if 0 <= more < len(chain.slots):
            self.selected.emit(replace(mine, also=mine.also | {more}))

    def _scroll_to_selection(self) -> None:
        parent = self.parentWidget()
        area = parent.parentWidget() if parent is not None else None
        rect = self.cell_rect(self._selection)
        if isinstance(area, QScrollArea) and not rect.isEmpty():
            area.ensureVisible(rect.center().x(), rect.center().y(), 0, rect.height())
