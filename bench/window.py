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


class _Frame:
    """One display frame, as a bound."""

    def wait(self) -> None:
        """Take 16 ms."""
        import time

        time.sleep(0.016)
