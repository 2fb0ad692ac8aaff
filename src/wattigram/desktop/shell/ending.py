"""Signals that ask the window to go: it closes as if its cross had been clicked, with takes and
unsaved work kept."""

from __future__ import annotations

import signal
import socket
from types import FrameType

from PyQt6 import sip
from PyQt6.QtCore import QObject, QSocketNotifier
from PyQt6.QtWidgets import QWidget

ENDING = (signal.SIGTERM, signal.SIGHUP, signal.SIGINT)


class EndingSignals(QObject):
    """Closes a window when a signal asks the program to end; Qt's loop would not hear it
    otherwise."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self._window = window
        self._reader, self._writer = socket.socketpair()
        for end in (self._reader, self._writer):
            end.setblocking(False)
        self._wakeup_before = signal.set_wakeup_fd(self._writer.fileno(), warn_on_full_buffer=False)
        self._before = {number: signal.signal(number, self._on_signal) for number in ENDING}
        self._notifier = QSocketNotifier(
            sip.voidptr(self._reader.fileno()), QSocketNotifier.Type.Read, self
        )
        self._notifier.activated.connect(self._on_byte)

    def _on_signal(self, _number: int, _frame: FrameType | None) -> None:
        """The byte in the socket does the work, within Qt's own loop."""

    def _on_byte(self) -> None:
        self._reader.recv(64)
        self._window.close()

    def remove(self) -> None:
        """Signals are handled as before."""
        self._notifier.setEnabled(False)
        signal.set_wakeup_fd(self._wakeup_before)
        for number, handler in self._before.items():
            signal.signal(number, handler)
        self._reader.close()
        self._writer.close()
