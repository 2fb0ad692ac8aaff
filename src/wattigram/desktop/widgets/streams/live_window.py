"""What is in sight of a board that runs, as a take of its own for as long as it is measured."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

from PyQt6.QtCore import QObject, pyqtSignal

from wattigram.desktop.state.jobs import Job
from wattigram.desktop.widgets.streams.now_data import NowData
from wattigram.desktop.widgets.streams.stream_data import StreamData, load_stream

MOST_SAMPLES = 4_000_000
"""Of all converters; more is not written anew each second."""
EVERY = 30
"""Pictures of the board from one to the next."""


class LiveWindow(QObject):
    """Has the newest stretch written, opens it, and lets go of the one before."""

    copy_wanted = pyqtSignal(object, float)
    """Where to, and from when on in seconds since the board's start."""
    job_wanted = pyqtSignal(object)
    ready = pyqtSignal(object)
    """StreamData"""
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.data: StreamData | None = None
        self._folder: TemporaryDirectory[str] | None = None
        self._number = 0
        self._waits = False
        self._pictures = 0
        self._copied = (0, 0.0)

    def advance(self, now: NowData, begin_s: float) -> None:
        """Another picture of the board was shown, of which what came since ``begin_s`` is to be measured."""
        self._pictures += 1
        newest = now.run.kept.newest_ticks, begin_s
        if self._waits or self._pictures < EVERY or newest[0] <= 0 or newest == self._copied:
            return
        self._copied = newest
        self._pictures = 0
        seconds = now.end_s - max(begin_s, now.begin_s)
        rate_hz = sum(trace.rate_hz for trace in now.channels if trace.stage == "raw")
        if seconds * rate_hz > MOST_SAMPLES:
            self.failed.emit(
                "So much is not measured while it comes. Show a shorter stretch, or freeze it (Space)."
            )
            return
        if self._folder is None:
            self._folder = TemporaryDirectory(prefix="wattigram-now-")
        self._number += 1
        self._waits = True
        self.copy_wanted.emit(Path(self._folder.name) / f"now {self._number}.h5", begin_s)

    def take(self, path: Path) -> None:
        """It has been written."""
        if self._folder is None or path.parent != Path(self._folder.name):
            return
        job = Job("Reading what is newest", lambda progress: load_stream(path, progress), self)
        job.finished.connect(self._show)
        job.failed.connect(self._on_failed)
        self.job_wanted.emit(job)

    def refuse(self, why: str) -> None:
        """It could not be written."""
        if self._waits:
            self._on_failed(why)

    def _show(self, data: StreamData) -> None:
        self._waits = False
        if self._folder is None:
            data.close()
            return
        before, self.data = self.data, data
        if before is not None:
            before.close()
        data.path.unlink(missing_ok=True)  # it stays readable for whoever has it open
        self.ready.emit(data)

    def _on_failed(self, why: str) -> None:
        self._waits = False
        self.failed.emit(why)

    def close(self) -> None:
        """Let go of what was written."""
        if self.data is not None:
            self.data.close()
            self.data = None
        self._waits, self._pictures, self._copied = False, 0, (0, 0.0)
        if self._folder is not None:
            self._folder.cleanup()
            self._folder = None
