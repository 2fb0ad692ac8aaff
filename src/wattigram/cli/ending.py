"""Signals that ask a command to end: it ends soundly, with what it has."""

from __future__ import annotations

import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from types import FrameType

ENDING = (signal.SIGTERM, signal.SIGHUP, signal.SIGINT)


@contextmanager
def ending_signals() -> Iterator[threading.Event]:
    """An event that is set by Ctrl+C, by ``kill`` and by a terminal that goes away; a second Ctrl+C
    ends at once."""
    asked = threading.Event()

    def on_signal(number: int, _frame: FrameType | None) -> None:
        if asked.is_set() and number == signal.SIGINT:
            raise KeyboardInterrupt
        asked.set()

    before = {number: signal.signal(number, on_signal) for number in ENDING}
    try:
        yield asked
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
