"""Whole processes, from their start to their end."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

from bench.harness import Row, compare

KILN = Path(__file__).parents[1] / "examples/studio-kiln/studio-kiln.wattigram.toml"
SHOWN = """
import sys
from pathlib import Path
from wattigram.desktop.shell.app import make_app, make_window
app = make_app()
window = make_window(app, Path(sys.argv[1]))
window.show()
app.processEvents()
"""
EMPTY_WINDOW = """
import numpy
from PyQt6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
window = QMainWindow()
window.show()
app.processEvents()
"""


def start_rows() -> Iterator[Row]:
    """The window with the demo project in it, and the two commands that scripts call most."""
    environment = os.environ | {
        "QT_QPA_PLATFORM": "offscreen",
        "WATTIGRAM_CONFIG": tempfile.mkdtemp(prefix="wattigram-bench-"),
    }

    def python(*arguments: str) -> Callable[[], object]:
        command = [sys.executable, *arguments]
        return lambda: subprocess.run(command, env=environment, check=False, capture_output=True)

    yield compare(
        "window shown, demo project in it",
        "NumPy, Qt and an empty window",
        2.0,
        python("-c", SHOWN, str(KILN)),
        python("-c", EMPTY_WINDOW),
    )
    yield compare(
        "--version",
        "a bare Python",
        4.0,
        python("-m", "wattigram", "--version"),
        python("-c", "pass"),
    )
    yield compare(
        "check of studio-kiln",
        "a Python that imports NumPy",
        3.0,
        python("-m", "wattigram", "check", str(KILN)),
        python("-c", "import numpy"),
    )
