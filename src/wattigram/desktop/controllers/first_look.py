"""Five steps through the demo, each of which sees by itself whether it is done."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QWidget

from wattigram.desktop.controllers.proof_controller import Proving
from wattigram.desktop.pages.chain_page import ChainPage
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.selection import Selection
from wattigram.desktop.state.settings import Settings
from wattigram.desktop.widgets.five_steps import FiveSteps
from wattigram.examples import STUDIO_KILN

STEPS = (
    "Does it hold? (F6)",
    "Why not: slot 3, sampling",
    "Once more (F6)",
    "Turn a knob on a pin",
    "Your own project (Ctrl+N)",
)
KEY = "first look"
LATCH = Selection("ADC 1", 2, "Door latch", "sample")
RAIL = Selection("ADC 1", 3, "3.3 V rail", "front end")


class FirstLook(QObject):
    """Shown with the demo until it is closed, or gone through."""

    def __init__(
        self,
        window: QWidget,
        document: Document,
        settings: Settings,
        proving: Proving,
        page: ChainPage,
        show_chain: Callable[[], None],
        begin_own: Callable[[], None],
    ) -> None:
        super().__init__(window)
        self._document, self._settings, self._proving = document, settings, proving
        self._page, self._show_chain = page, show_chain
        self._failed = self._held = False
        self._bench = document.workspace.project.bench
        self.strip = FiveSteps(window, STEPS)
        self._acts = (
            proving.record_and_prove,
            lambda: self._select(LATCH),
            proving.record_and_prove,
            lambda: self._select(RAIL),
            begin_own,
        )
        self.strip.wanted.connect(lambda number: self._acts[number]())
        self.strip.closed.connect(self.close)
        proving.proved.connect(self._on_proved)
        document.changed.connect(lambda _now, _before: self._show())
        document.replaced.connect(self._begin)
        self._begin()

    @property
    def is_wanted(self) -> bool:
        """The demo is open, and nobody has closed the steps."""
        return self._document.path == STUDIO_KILN and not self._settings.get(KEY)

    def close(self) -> None:
        """Not again."""
        self._settings.set(KEY, "closed")
        self.strip.hide()

    def _begin(self) -> None:
        self._failed = self._held = False
        self._bench = self._document.workspace.project.bench
        self._show()

    def _on_proved(self, _proved: object) -> None:
        latest = self._proving.latest
        if latest is not None:
            self._failed |= not latest.proof.all_hold
            self._held |= latest.proof.all_hold
            self._show()

    def _show(self) -> None:
        is_wanted = self.is_wanted
        self.strip.setVisible(is_wanted)
        if is_wanted:
            self.strip.show_done(self.done)

    @property
    def done(self) -> tuple[bool, ...]:
        """Which steps are done."""
        errors = [
            one for one in self._document.findings if one.severity == "error" and not one.accepted
        ]
        turned = self._document.workspace.project.bench != self._bench
        return self._failed or self._held, not errors, self._held, turned, False

    def _select(self, selection: Selection) -> None:
        self._show_chain()
        self._page.select(selection)
        self._page.inspector.focus_first_field()
