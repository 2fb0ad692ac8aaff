"""A page with a list on the left, something to look at in the middle, and an inspector on the
right."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QPushButton,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from wattigram.desktop.state.document import Document
from wattigram.desktop.widgets.inspector.inspector_panel import Inspector
from wattigram.desktop.widgets.labels import heading

Button = tuple[str, Callable[[], None]]


class InspectedPage(QWidget):
    """Something to look at, and an inspector on the right."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("page")
        self._document = document
        self._is_stale = False
        document.changed.connect(self._on_changed)
        self.inspector = Inspector()
        self.split = QSplitter(Qt.Orientation.Horizontal)

    def show_workspace(self) -> None:
        """Show the document as it is now."""
        raise NotImplementedError

    def _on_changed(self, _workspace: object, _before: object) -> None:
        """A page that is not seen waits until it is."""
        if self.isVisible():
            self.show_workspace()
        else:
            self._is_stale = True

    def showEvent(self, event: QShowEvent | None) -> None:
        """Catch up with what has changed."""
        super().showEvent(event)
        if self._is_stale:
            self._is_stale = False
            self.show_workspace()

    def lay_out_beside(self, *parts: QWidget) -> None:
        """Put the inspector to the right of other parts, the last of which takes what is left."""
        side = QWidget()
        side.setObjectName("side")
        inner = QVBoxLayout(side)
        inner.setContentsMargins(14, 12, 8, 12)
        inner.addWidget(self.inspector)
        inner.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(side)
        area.setMinimumWidth(236)
        for part in (*parts, area):
            self.split.addWidget(part)
        self.split.setStretchFactor(len(parts) - 1, 1)
        self.split.setSizes([*(800 for _part in parts), 276])
        self.split.setChildrenCollapsible(False)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.split)


class ListedPage(InspectedPage):
    """A list on the left as well."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.list = QListWidget()

    def lay_out(
        self, title: str, buttons: tuple[Button, ...], middle: QWidget, list_width: int
    ) -> None:
        """Put list and buttons, the middle and the inspector side by side."""
        self.list.setMinimumWidth(120)
        left = QWidget()
        left.setObjectName("side")
        column = QVBoxLayout(left)
        column.setContentsMargins(12, 12, 8, 12)
        column.addWidget(heading(title))
        column.addWidget(self.list, 1)
        for text, action in buttons:
            button = QPushButton(text)
            button.clicked.connect(lambda _checked, wanted=action: wanted())
            column.addWidget(button)
        self.lay_out_beside(left, middle)
        self.split.setSizes([list_width, 800, 276])

    def show_names(self, names: list[str], chosen: int) -> None:
        """Show the list without telling anybody that it changed."""
        self.list.blockSignals(True)
        shown = [
            item.text()
            for row in range(self.list.count())
            if (item := self.list.item(row)) is not None
        ]
        if shown != names:
            self.list.clear()
            self.list.addItems(names)
        if names:
            self.list.setCurrentRow(chosen)
        self.list.blockSignals(False)
