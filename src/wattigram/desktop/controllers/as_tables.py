"""The window that says in words what a page draws."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QWidget

from wattigram.desktop.controllers.actions import Actions
from wattigram.desktop.state.document import Document
from wattigram.desktop.widgets.seen_table import SeenTable
from wattigram.desktop.widgets.table_window import TableWindow


class AsTables(QObject):
    """Opens it by key, and reads the page anew when the design changes or another page comes."""

    def __init__(
        self,
        parent: QWidget,
        document: Document,
        actions: Actions,
        seen: Callable[[], tuple[str, tuple[SeenTable, ...]]],
    ) -> None:
        """``seen`` gives the page's name and what it draws."""
        super().__init__(parent)
        self._parent, self._seen = parent, seen
        self.window: TableWindow | None = None
        actions.add("View", "Show what is drawn as a table", "Ctrl+Alt+V", self.show)
        document.changed.connect(lambda *_: self.read())

    def show(self) -> None:
        """The page that is seen."""
        if self.window is None:
            self.window = TableWindow(self._parent)
            self.window.again_wanted.connect(self.read)
        self.window.show_tables(*self._seen())
        self.window.show()
        self.window.raise_()
        self.window.table.setFocus()

    def read(self) -> None:
        """Follow the page, where the window is open."""
        if self.window is not None and self.window.isVisible():
            self.window.show_tables(*self._seen())
