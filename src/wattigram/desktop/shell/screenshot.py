"""``python -m wattigram.desktop.shell.screenshot PROJECT PNG``: the window with a project running,
as a picture."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QElapsedTimer, QEventLoop
from PyQt6.QtWidgets import QApplication

from wattigram.desktop.shell.app import make_app, make_window

SETTLED_S = 2.5
PATIENCE_MS = 30_000


def wait_until(
    app: QApplication, reached: Callable[[], bool], patience_ms: int = PATIENCE_MS
) -> bool:
    """Let the window live until something has come about."""
    clock = QElapsedTimer()
    clock.start()
    while not reached() and clock.elapsed() < patience_ms:
        app.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents, 50)
    return reached()


def main(project: str, target: str) -> int:
    """Take the picture; 1 when the board never ran or the file could not be written."""
    app = make_app()
    window = make_window(app, Path(project))
    window.resize(1280, 800)
    window.show()
    window.board.start()
    ran = wait_until(app, lambda: window.board.latest.seconds >= SETTLED_S)
    written = window.grab().save(target, "PNG")
    window.close()
    return 0 if ran and written else 1


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:3]))
