"""What becomes of exceptions that nobody caught, in slots and in threads: work is kept, a report
left, the window lives."""

from __future__ import annotations

import contextlib
import logging
import sys
import threading
import traceback
from types import TracebackType

from PyQt6.QtCore import QObject, Qt, pyqtSignal

from wattigram.core.base.errors import internal_error
from wattigram.core.base.logs import write_report
from wattigram.desktop.shell.window import MainWindow

_log = logging.getLogger(__name__)


class FaultHook(QObject):
    """One hook for slots and threads. A fault at one place is reported once, for a repaint comes
    again and again."""

    _happened = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._windows: list[MainWindow] = []
        self._known: set[tuple[str, int]] = set()
        self._is_busy = False
        self._happened.connect(self._tell, type=Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]

    def install(self) -> None:
        """Take the place of Python's own hooks; PyQt ends the program only where nobody does."""
        sys.excepthook = self._on_exception
        threading.excepthook = self._on_thread

    def remove(self) -> None:
        """Put Python's own hooks back."""
        sys.excepthook = sys.__excepthook__
        threading.excepthook = threading.__excepthook__

    def watch(self, window: MainWindow) -> None:
        """Keep this window's work when something goes wrong, and tell it there."""
        self._windows.append(window)

    def _on_thread(self, told: threading.ExceptHookArgs) -> None:
        if told.exc_value is not None:
            name = told.thread.name if told.thread else "a thread"
            self.handle(told.exc_value, f"working in {name}")

    def _on_exception(
        self, _kind: type[BaseException], fault: BaseException, _traceback: TracebackType | None
    ) -> None:
        self.handle(fault, "answering to the window")

    def handle(self, fault: BaseException, doing: str) -> None:
        """Log a fault, keep all unsaved work, leave a report, and say so once the window is
        free."""
        _log.critical("A fault of the program's own, while %s", doing, exc_info=fault)
        steps = traceback.extract_tb(fault.__traceback__)
        place = (steps[-1].filename, steps[-1].lineno or 0) if steps else ("", 0)
        if place in self._known or self._is_busy:
            return
        self._known.add(place)
        self._is_busy = True
        try:
            report = write_report(fault, doing)
            kept = f" A report is in {report}." if report is not None else ""
            self._happened.emit(
                f"{internal_error('A step', fault)}{kept} Your work is kept; the window goes on."
            )
        finally:
            self._is_busy = False

    def _tell(self, text: str) -> None:
        for window in self._windows:
            with contextlib.suppress(RuntimeError):  # a window that is gone already
                window.document.flush_recovery()
                window.notice.say(text)
