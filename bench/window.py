"""Painting and editing, against the least that Qt needs."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from bench.harness import Row, compare

KILN = Path(__file__).parents[1] / "examples" / "studio-kiln"
TRACES, WIDTH, HEIGHT = 16, 900, 600
RATE_HZ, SCANS = 100_000, 3_333
"""Of a board that runs; scans in the time of a picture."""


def window_rows() -> Iterator[Row]:
    """Repaint of 16 traces and edits."""
    from PyQt6.QtCore import QLineF
    from PyQt6.QtGui import QImage, QPainter, QPen

    from bench.designs import sixteen_by_two
    from wattigram.core.model.design.edits import SetSampling
    from wattigram.desktop.pages.page_stack import PAGES
    from wattigram.desktop.shell.app import make_app, make_window
    from wattigram.desktop.widgets.drawing import LineBuffer, fill_trace

    os.environ["WATTIGRAM_CONFIG"] = tempfile.mkdtemp(prefix="wattigram-bench-")
    app = make_app()
    rng = np.random.default_rng(0)
    middles = (np.arange(TRACES) + 0.5) * HEIGHT / TRACES
    lows = [middle + rng.normal(0, 12, WIDTH) for middle in middles]
    highs = [low - rng.uniform(2, 20, WIDTH) for low in lows]
    x = np.arange(WIDTH, dtype=np.float64)
    image = QImage(WIDTH, HEIGHT, QImage.Format.Format_RGB32)
    prebuilt = []
    for low, high in zip(lows, highs, strict=True):
        joined = LineBuffer()  # each column touches the one before, so that lines are longer
        fill_trace(joined, x, low, high)
        prebuilt.append([QLineF(*row) for row in joined.segments(WIDTH).tolist()])
    pen = QPen()
    pen.setWidthF(1.0)

    def bound() -> None:
        image.fill(0xFFFFFF)
        painter = QPainter(image)
        painter.setPen(pen)
        for lines in prebuilt:
            painter.drawLines(lines)  # type: ignore[call-overload]  # a list will do
        painter.end()

    buffers = [LineBuffer() for _ in range(TRACES)]

    def ours() -> None:
        image.fill(0xFFFFFF)
        painter = QPainter(image)
        painter.setPen(pen)
        for buffer, low, high in zip(buffers, lows, highs, strict=True):
            fill_trace(buffer, x, low, high)
            buffer.draw(painter)
        painter.end()

    yield compare(
        "repaint of 16 traces, 900 × 600", "drawLines of prebuilt lines", 1.3, ours, bound
    )
    window = make_window(app, KILN)
    window.show()
    app.processEvents()
    state = {"cycles": 384}

    def edit() -> None:
        state["cycles"] = 384 if state["cycles"] == 32 else 32
        window.document.edit(SetSampling("ADC 1", 2, state["cycles"], "Door latch"))
        app.processEvents()

    frame = _Frame()
    yield compare(
        "an edit: timing, findings, band, repaint", "one frame of 16 ms", 1.0, edit, frame.wait
    )
    window.show_page(PAGES.index("Wave"))
    app.processEvents()
    yield compare("an edit, the Wave page open", "one frame of 16 ms", 1.0, edit, frame.wait)
    window.show_page(PAGES.index("Chain"))
    window.document.replace(sixteen_by_two(), None)
    app.processEvents()

    def big_edit() -> None:
        state["cycles"] = 128 if state["cycles"] == 64 else 64
        window.document.edit(SetSampling("ADC 1", 3, state["cycles"]))
        app.processEvents()

    yield compare(
        "an edit of 16 slots on two converters", "one frame of 16 ms", 1.0, big_edit, frame.wait
    )
    window.document.stack.setClean()
    window.close()
    running = _Running()
    yield compare(
        "60 s of 16 signals at 100 kS/s move along", "one frame of 33 ms", 1.0, running.picture,
        _Frame(0.033).wait,
    )  # fmt: skip
    running.page.close()


class _Running:
    """The Streams page with a board that has run for a minute."""

    def __init__(self) -> None:
        from bench.designs import sixteen_fast
        from wattigram.core.capture.session.kept_run import KeptRun
        from wattigram.core.capture.session.live_run import LiveRun
        from wattigram.desktop.pages.streams_page import StreamsPage

        self._workspace = sixteen_fast()
        self._kept = KeptRun(self._workspace)
        self._run = LiveRun(self._kept, self._workspace)
        self._run.shown = frozenset(self._run.channels)
        phase = np.arange(SCANS) * 2 * np.pi / 2000
        noise = np.random.default_rng(0).normal(0, 3, (SCANS, TRACES))
        levels = np.sin(phase)[:, None] * np.linspace(300, 1500, TRACES)
        self._codes = (2048 + levels + noise).astype(np.uint16)
        self._scans = 0
        while self._scans < 60 * RATE_HZ:
            self._feed()
        for _ in range(60):
            self._run.update()
        self.page = StreamsPage()
        self.page.resize(1280, 760)
        self.page.show()
        self.page.show_now()
        self.picture()
        self.page.plot.set_view(self._run.end_s - 60, self._run.end_s)

    def _feed(self) -> None:
        from wattigram.core.capture.transport import SampleRun

        hz = self._workspace.bus_clock_hz.numerator
        ticks = np.array([self._scans * hz // RATE_HZ])
        items = self._codes.ravel()
        run = SampleRun(0, self._scans * TRACES, items, ticks, np.array([len(items)]), False)
        self._kept.add_run(run, hz)
        self._scans += SCANS

    def picture(self) -> None:
        """What comes in the time of a picture, and the picture."""
        from PyQt6.QtWidgets import QApplication

        from wattigram.core.capture.session import Snapshot

        self._feed()
        self._run.update()
        history = ((0, self._workspace),)
        self.page.show_snapshot(Snapshot(state="running", now=self._run, history=history))
        QApplication.processEvents()


class _Frame:
    """A display frame, as a bound."""

    def __init__(self, seconds: float = 0.016) -> None:
        self._seconds = seconds

    def wait(self) -> None:
        """Take that long."""
        import time

        time.sleep(self._seconds)
