"""Long work off the main thread: progress, cancel, and stale answers dropped."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from wattigram.core.base.errors import WattigramError, internal_error
from wattigram.core.base.logs import write_report
from wattigram.core.base.time_left import seconds_left

_log = logging.getLogger(__name__)


class CancelledError(Exception):
    """The user no longer wants the answer."""


class Job(QObject):
    """Runs a function in a thread; the function gets a callable for its progress, which raises when
    cancelled."""

    progressed = pyqtSignal(float)
    finished = pyqtSignal(object)
    failed = pyqtSignal(str)
    ended = pyqtSignal()

    def __init__(
        self, what: str, work: Callable[[Callable[[float], None]], Any], parent: QObject
    ) -> None:
        super().__init__(parent)
        self.what = what
        self._work = work
        self._is_cancelled = threading.Event()
        self._began = 0.0
        self._thread = threading.Thread(target=self._run, name="wattigram-job", daemon=True)

    def start(self) -> None:
        """Begin."""
        self._began = time.monotonic()
        self._thread.start()

    def seconds_left(self, share: float) -> float | None:
        """Time to go at the pace so far; None before that can be told."""
        return seconds_left(share, time.monotonic() - self._began)

    def cancel(self) -> None:
        """Stop at the next report of progress; no answer will come."""
        self._is_cancelled.set()

    def wait(self, timeout_s: float = 10.0) -> None:
        """Wait until the thread has ended."""
        if self._thread.is_alive():
            self._thread.join(timeout_s)

    def _report(self, share: float) -> None:
        if self._is_cancelled.is_set():
            raise CancelledError
        self.progressed.emit(share)

    def _run(self) -> None:
        try:
            answer = self._work(self._report)
            if not self._is_cancelled.is_set():
                self.finished.emit(answer)
        except CancelledError:
            pass
        except WattigramError as fault:
            self.failed.emit(str(fault))
        except Exception as fault:
            _log.exception("A job ended unexpectedly")
            write_report(fault, self.what)
            self.failed.emit(internal_error(self.what, fault))
        finally:
            self.ended.emit()
