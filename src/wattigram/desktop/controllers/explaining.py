"""The window that says where numbers come from, kept with what is selected."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QWidget

from wattigram.core.advise.explanations import Place
from wattigram.core.model.design import Workspace
from wattigram.desktop.controllers.actions import Actions
from wattigram.desktop.inspector import Panel, panel_for
from wattigram.desktop.pages.page_stack import CHAIN, PROGRAM, PROOF, STREAMS, WAVE, PageStack
from wattigram.desktop.state.selection import Selection
from wattigram.desktop.widgets.inspector.inspector_panel import Inspector
from wattigram.desktop.widgets.where_from import WhereFrom


class Explaining(QObject):
    """Opens it by key, or by a fact's menu, for the inspector of the page in sight, or what is measured there."""

    def __init__(
        self,
        parent: QWidget,
        book: PageStack,
        actions: Actions,
        to_page: Callable[[int], None],
        workspace: Callable[[], Workspace],
    ) -> None:
        super().__init__(parent)
        self._workspace = workspace
        self._parent, self._book, self._to_page = parent, book, to_page
        self.window: WhereFrom | None = None
        actions.add("Help", "Where do these numbers come from?", "Ctrl+Shift+I", self.show)
        self._watch(CHAIN)
        book.made.connect(self._watch)

    def _inspector(self, number: int) -> Inspector | None:
        """The inspector of a page that is there; None where it has none."""
        if not self._book.is_made(number):
            return None
        inspector = getattr(self._book.page(number), "inspector", None)
        return inspector if isinstance(inspector, Inspector) else None

    def _watch(self, number: int) -> None:
        if number == STREAMS:
            self._book.streams.analysis.why_wanted.connect(self.show)
        inspector = self._inspector(number)
        if inspector is not None:
            inspector.why_wanted.connect(self.show)
            inspector.shown.connect(partial(self._on_shown, inspector))

    def show(self, chosen: str = "") -> None:
        """How what is selected came about; the chosen fact in sight."""
        if self.window is None:
            self.window = WhereFrom(self._parent)
            self.window.place_wanted.connect(self._go)
        number = self._book.stack.currentIndex()
        inspector = self._inspector(number) or self._inspector(CHAIN)
        stream = self._stream(number)
        measured = self._book.streams.analysis.measured if number == STREAMS else None
        if measured is not None:
            self.window.show_measured(measured, chosen, stream)
        elif stream is not None:
            self.window.show_panel(stream, chosen)
        elif inspector is not None and inspector.panel is not None:
            self.window.show_panel(inspector.panel, chosen)
        self.window.show()
        self.window.raise_()

    def _stream(self, number: int) -> Panel | None:
        """Of the stream that a page without an inspector shows: what the design expects of it."""
        if number == STREAMS:
            workspace, text = (
                self._book.streams.workspace,
                self._book.streams.analysis.first.currentText(),
            )
        elif number == PROOF:
            workspace, text = self._workspace(), self._book.proof.signal
        else:
            return None
        if workspace is None:
            return None
        names = [one.name for one in workspace.project.signals if text.startswith(one.name)]
        name = max(names, key=len, default="")
        chain = workspace.project.chain_of(name) if name else None
        if chain is None:
            return None
        return panel_for(
            workspace, Selection(chain.converter, chain.places_of(name)[0], name, "stream")
        )

    def _on_shown(self, inspector: Inspector) -> None:
        panel = inspector.panel
        is_open = self.window is not None and self.window.isVisible()
        if self.window is not None and is_open and panel is not None and inspector.isVisible():
            self.window.show_panel(panel)

    def _go(self, place: Place) -> None:
        """Show where something is stated."""
        if place.section == "generators":
            self._to_page(WAVE)
            table = self._book.wave.table_of(place.output)
            if table:
                self._book.wave.choose(table)
            return
        if place.section:
            self._to_page(PROGRAM)
            self._book.program.choose(place.section, place.output)
            return
        self._to_page(CHAIN)
        page = self._book.chain
        page.select(Selection(place.converter, place.place, place.signal, place.facet))
        page.inspector.focus_first_field()
