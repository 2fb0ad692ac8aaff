"""Choosing variables of the image by name, and what they are."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.contract.image import MemoryLocation
from wattigram.core.model.design import Workspace
from wattigram.desktop.theme import text_font
from wattigram.desktop.widgets.firmware.memory_view import MemoryView

MOST_LISTED = 400
MOST_CHOSEN = 24


class MemoryPanel(QWidget):
    """A list to choose from, and the view of what was chosen."""

    wanted = pyqtSignal(object)
    """tuple of Place"""

    def __init__(self) -> None:
        super().__init__()
        self._all: tuple[MemoryLocation, ...] = ()
        self._workspace: Workspace | None = None
        self.chosen: list[str] = []
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("part of a name")
        self.filter.setAccessibleName("Part of a variable's name")
        self.list = QListWidget()
        self.list.setAccessibleName("Variables of the image")
        self.list.setFont(text_font(-1))
        self.list.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.view = MemoryView()
        side = QVBoxLayout()
        side.addWidget(self.filter)
        side.addWidget(self.list, 1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.view)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 0, 12)
        left = QWidget()
        left.setFixedWidth(216)
        left.setLayout(side)
        side.setContentsMargins(0, 0, 0, 0)
        row.addWidget(left)
        row.addWidget(area, 1)
        self.filter.textChanged.connect(self._list)
        self.list.itemChanged.connect(self._on_check)

    def show_image(self, workspace: Workspace, places: tuple[MemoryLocation, ...]) -> None:
        """Another image, or another design; loops are chosen to begin with."""
        self._workspace = workspace
        if places != self._all:
            self._all = places
            known = {place.name for place in places}
            kept = [name for name in self.chosen if name in known]
            self.chosen = kept or [
                place.name for place in places if place.name.startswith("wg_buffer_")
            ]
            self._list()
        self._show()

    def choose(self, names: Sequence[str]) -> None:
        """Look at these, in this order."""
        known = {location.name for location in self._all}
        self.chosen = [name for name in names if name in known][:MOST_CHOSEN]
        self._list()
        self._show()

    def _list(self) -> None:
        """Variables whose name has what was typed: those that are chosen first, then those of own
        files."""
        part = self.filter.text().strip().lower()
        matching = [location for location in self._all if part in location.name.lower()]
        matching.sort(
            key=lambda one: (one.name not in self.chosen, one.file.startswith("wg_"), one.name)
        )
        self.list.blockSignals(True)
        self.list.clear()
        for one in matching[:MOST_LISTED]:
            item = QListWidgetItem(one.name)
            item.setToolTip(
                f"{one.type.name}, {one.size} bytes at {one.address:#010x}, of "
                f"{one.file or 'the image'}"
            )
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            state = Qt.CheckState.Checked if one.name in self.chosen else Qt.CheckState.Unchecked
            item.setCheckState(state)
            self.list.addItem(item)
        self.list.blockSignals(False)

    def _on_check(self, item: QListWidgetItem) -> None:
        name = item.text()
        if item.checkState() == Qt.CheckState.Checked:
            if name not in self.chosen:
                self.chosen.append(name)
        elif name in self.chosen:
            self.chosen.remove(name)
        self.chosen = self.chosen[-MOST_CHOSEN:]
        self._show()

    def _show(self) -> None:
        if self._workspace is None:
            return
        by_name = {location.name: location for location in self._all}
        self.view.show_places(
            self._workspace, tuple(by_name[name] for name in self.chosen if name in by_name)
        )
        self.wanted.emit(self.view.wanted)
