"""Noticing that a serial port that went away is there again."""

from __future__ import annotations

import os

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

LOOK_MS = 400
TRIES = 6
"""A port that has just come back may not be allowed to be opened at once."""


class PortWatch(QObject):
    """Looks for a device that is gone; one that was never seen to go is not waited for."""

    returned = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._device = ""
        self._known: tuple[int, int] | None = None
        self._left = 0
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self._look)

    @property
    def is_waiting(self) -> bool:
        """Somebody wants to know of a port's return."""
        return self._timer.isActive()

    def note(self, address: str) -> None:
        """The board is used from now on; its device, if it has one, is remembered as it is."""
        self.stop()
        self._device = (
            address.removeprefix("serial:").partition("@")[0]
            if address.startswith("serial:")
            else ""
        )
        self._known = _identity(self._device)
        self._left = TRIES

    def wait(self) -> None:
        """The board has failed: wait for its device, if it has one that was there before."""
        if self._device and self._known is not None and self._left > 0:
            self._timer.start()
            self._look()

    def stop(self) -> None:
        """Nobody waits any more."""
        self._timer.stop()

    def _look(self) -> None:
        now = _identity(self._device)
        if now is None:
            self._known = 0, 0  # it is gone: whatever comes is another
        elif now != self._known:
            self._left -= 1
            self._timer.stop()
            self.returned.emit()


def _identity(device: str) -> tuple[int, int] | None:
    """What tells one device of a name from the next; None where there is none."""
    try:
        status = os.stat(device)
    except (OSError, ValueError):
        return None
    return status.st_ino, status.st_rdev
