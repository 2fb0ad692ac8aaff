"""The window that says where numbers come from, kept with what is selected."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QWidget

from wattigram.core.advise.explanations import Place
from wattigram.desktop.controllers.actions import Actions
from wattigram.desktop.pages.chain_page import ChainPage
from wattigram.desktop.state.selection import Selection
from wattigram.desktop.widgets.where_from import WhereFrom


class Explaining(QObject):
    """Opens it by key, or by a fact's menu."""

    def __init__(
        self, parent: QWidget, page: ChainPage, actions: Actions, to_page: Callable[[], None]
    ) -> None:
        super().__init__(parent)
        self._parent, self._page, self._to_page = parent, page, to_page
        self.window: WhereFrom | None = None
        actions.add("Help", "Where do these numbers come from?", "Ctrl+Shift+I", self.show)
        page.inspector.why_wanted.connect(self.show)
        page.inspector.shown.connect(self._on_shown)

    def show(self, chosen: str = "") -> None:
        """How what is selected came about; the chosen fact in sight."""
        if self.window is None:
            self.window = WhereFrom(self._parent)
            self.window.place_wanted.connect(self._go)
        panel = self._page.inspector.panel
        if panel is not None:
            self.window.show_panel(panel, chosen)
        self.window.show()
        self.window.raise_()

    def _on_shown(self) -> None:
        panel = self._page.inspector.panel
        if self.window is not None and self.window.isVisible() and panel is not None:
            self.window.show_panel(panel)

    def _go(self, place: Place) -> None:
        """Show where something is stated."""
        self._to_page()
        self._page.select(Selection(place.converter, place.place, place.signal, place.facet))
        self._page.inspector.focus_first_field()
