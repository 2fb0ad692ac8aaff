"""The rows of the Chain page under mouse and keyboard."""

from __future__ import annotations

from PyQt6.QtCore import QRect, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QScrollArea

from wattigram.desktop.selection import FACETS, Selection, default_selection
from wattigram.desktop.widgets.chain_rows import ChainRows


class ChainView(ChainRows):
    """Emits what the user points at."""

    selected = pyqtSignal(object)
    """Selection"""
    opened = pyqtSignal(object, QRect)
    """Selection and the cell's place on this widget: Enter or double click."""
    menu_wanted = pyqtSignal(object, object)
    """Selection and the global point."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._hover: Selection | None = None

    def show_selection(self, selection: Selection) -> None:
        """Mark a cell, and bring it into view."""
        if selection != self._selection:
            super().show_selection(selection)
            self._scroll_to_selection()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Select what was clicked; a click on the pin's cell opens the bench."""
        if event is None or self._layout is None:
            return
        found = self._layout.at(event.position().x(), event.position().y())
        if found is None:
            return
        self.selected.emit(found)
        if event.button() == Qt.MouseButton.LeftButton and found.facet == "front end" and found.signal:
            self.opened.emit(found, self.cell_rect(found))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Open the cell."""
        if event is not None and self._layout is not None:
            found = self._layout.at(event.position().x(), event.position().y())
            if found is not None:
                self.opened.emit(found, self.cell_rect(found))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Say what a cell is about, and its finding."""
        if event is None or self._layout is None:
            return
        found = self._layout.at(event.position().x(), event.position().y())
        if found != self._hover:
            self._hover = found
            self.setToolTip(self._tip(found))
            pointing = found is not None
            self.setCursor(Qt.CursorShape.PointingHandCursor if pointing else Qt.CursorShape.ArrowCursor)

    def _tip(self, found: Selection | None) -> str:
        if found is None or not found.signal:
            return "Click to edit what these signals share" if found else ""
        finding = self._findings.get((found.signal, found.facet))
        if finding is not None:
            return f"{finding.title}\n{finding.message}"
        return {"front end": "Click to say what is wired to this pin"}.get(found.facet, "")

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer what can be done with a cell."""
        if event is not None and self._layout is not None:
            found = self._layout.at(event.pos().x(), event.pos().y())
            self.menu_wanted.emit(found, event.globalPos())

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
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers():
            self.opened.emit(self._selection, self.cell_rect(self._selection))
        else:
            super().keyPressEvent(event)

    def _stops(self) -> list[Selection]:
        """Everything that can be selected, from top to bottom."""
        layout = self._layout
        if layout is None:
            return []
        items: list[tuple[float, Selection]] = []
        for yoke in layout.yokes:
            if yoke.chain is not None:
                items.append((yoke.rect.top(), Selection(yoke.chain.converter, facet=self._selection.facet)))
        items += [(row.rect.top(), row.selection(self._selection.facet)) for row in layout.rows]
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
        facet = FACETS[max(0, min(len(FACETS) - 1, FACETS.index(self._selection.facet) + columns))]
        self.selected.emit(Selection(stop.converter, stop.place, stop.signal, facet))

    def _scroll_to_selection(self) -> None:
        parent = self.parentWidget()
        area = parent.parentWidget() if parent is not None else None
        rect = self.cell_rect(self._selection)
        if isinstance(area, QScrollArea) and not rect.isEmpty():
            area.ensureVisible(rect.center().x(), rect.center().y(), 0, rect.height())
