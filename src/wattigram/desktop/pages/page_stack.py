"""The window's pages, made when they are first needed: the window starts with the Chain page
alone."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QSplitter, QStackedWidget, QWidget

from wattigram.desktop.pages.chain_page import ChainPage
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.settings import Settings
from wattigram.desktop.state.window_state import restore_splitter
from wattigram.desktop.widgets.seen_table import Drawn, SeenTable

if TYPE_CHECKING:
    from wattigram.desktop.controllers.firmware_controller import FirmwareWork
    from wattigram.desktop.pages.compare_page import ComparePage
    from wattigram.desktop.pages.firmware_page import FirmwarePage
    from wattigram.desktop.pages.pins_page import PinsPage
    from wattigram.desktop.pages.program_page import ProgramPage
    from wattigram.desktop.pages.proof_page import ProofPage
    from wattigram.desktop.pages.streams_page import StreamsPage
    from wattigram.desktop.pages.wave_page import WavePage

PAGES = ("Chain", "Pins", "Wave", "Program", "Firmware", "Streams", "Proof", "Compare")
"""Names in their order; each has a property of that name in :class:`PageStack`, which makes it."""
CHAIN, PINS, WAVE, PROGRAM, FIRMWARE, STREAMS, PROOF, COMPARE = range(len(PAGES))


class PageStack(QObject):
    """Holds the pages in a stack."""

    made = pyqtSignal(int)
    """A page was made, by its number; whoever wants something of it connects now."""

    def __init__(
        self,
        document: Document,
        settings: Settings,
        chain_page: ChainPage,
        firmware_work: FirmwareWork,
    ) -> None:
        super().__init__()
        self._firmware_work = firmware_work
        self._document = document
        self._settings = settings
        self.stack = QStackedWidget()
        self.chain = chain_page
        for page in (chain_page, *(QWidget() for _ in range(len(PAGES) - 1))):
            self.stack.addWidget(page)

    @cached_property
    def pins(self) -> PinsPage:
        """The Pins page."""
        from wattigram.desktop.pages.pins_page import PinsPage

        page = PinsPage(self._document)
        self._settle(page, PINS, page.split)
        return page

    @cached_property
    def wave(self) -> WavePage:
        """The Wave page."""
        from wattigram.desktop.pages.wave_page import WavePage

        page = WavePage(self._document)
        self._settle(page, WAVE, page.split)
        return page

    @cached_property
    def program(self) -> ProgramPage:
        """The Program page."""
        from wattigram.desktop.pages.program_page import ProgramPage

        page = ProgramPage(self._document)
        self._settle(page, PROGRAM, page.split)
        return page

    @cached_property
    def firmware(self) -> FirmwarePage:
        """The Firmware page."""
        from wattigram.desktop.pages.firmware_page import FirmwarePage

        page = FirmwarePage(self._document, self._firmware_work)
        self._settle(page, FIRMWARE, page.split)
        return page

    @cached_property
    def streams(self) -> StreamsPage:
        """The Streams page."""
        from wattigram.desktop.pages.streams_page import StreamsPage

        page = StreamsPage()
        self._settle(page, STREAMS, page.split)
        return page

    @cached_property
    def proof(self) -> ProofPage:
        """The Proof page."""
        from wattigram.desktop.pages.proof_page import ProofPage

        page = ProofPage()
        self._settle(page, PROOF, page.split)
        return page

    @cached_property
    def compare(self) -> ComparePage:
        """The Compare page."""
        from wattigram.desktop.pages.compare_page import ComparePage

        page = ComparePage(self._document)
        self._settle(page, COMPARE, None)
        return page

    def is_made(self, number: int) -> bool:
        """Whether a page is there already."""
        return number == CHAIN or PAGES[number].lower() in self.__dict__

    def page(self, number: int) -> QWidget:
        """A page, made if need be."""
        page = getattr(self, PAGES[number].lower())
        assert isinstance(page, QWidget)
        return page

    def seen(self) -> tuple[str, tuple[SeenTable, ...]]:
        """The name of the page that is seen, and what it draws in words."""
        number = self.stack.currentIndex()
        page = self.page(number)
        return PAGES[number], page.seen_tables() if isinstance(page, Drawn) else ()

    def _settle(self, page: QWidget, number: int, split: QSplitter | None) -> None:
        """Put a page in its place, with the proportions that the user gave it."""
        place = self.stack.widget(number)
        assert place is not None
        self.stack.removeWidget(place)
        place.deleteLater()
        self.stack.insertWidget(number, page)
        if split is not None:
            restore_splitter(split, self._settings, PAGES[number].lower())
        # The page is not yet known under its name; whoever connects looks it up later.
        self.__dict__[PAGES[number].lower()] = page
        self.made.emit(number)

    def focus(self, number: int) -> None:
        """Give the keyboard to what one works with on a page."""
        takers: dict[int, Callable[[], object]] = {
            CHAIN: lambda: self.chain.rows.setFocus(),
            PINS: lambda: self.pins.table.setFocus(),
            WAVE: lambda: self.wave.curve.setFocus(),
            PROGRAM: lambda: self.program.rows.setFocus(),
            FIRMWARE: lambda: self.firmware.steps.setFocus(),
            STREAMS: lambda: self.streams.takes.setFocus(),
            PROOF: lambda: self.proof.focus_cause(),
            COMPARE: lambda: self.compare.saved_button.setFocus(),
        }
        takers[number]()

    def redress(self) -> None:
        """Show the pages that were made in new colours."""
        for number in (WAVE, PROGRAM):
            if self.is_made(number):
                page = self.wave if number == WAVE else self.program
                page.inspector.rebuild()
                page.show_workspace()
        if self.is_made(FIRMWARE):
            self.firmware.redress()

    def splitters(self) -> dict[str, QSplitter]:
        """Splitters of the pages that were made, by the name under which they are remembered."""
        splitters = {"chain": self.chain.split, "chain-left": self.chain.left}
        for number, name in enumerate(PAGES):
            split = getattr(self.__dict__.get(name.lower()), "split", None)
            if number != CHAIN and isinstance(split, QSplitter):
                splitters[name.lower()] = split
        return splitters
