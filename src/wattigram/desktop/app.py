"""Starting the window."""

from __future__ import annotations

import sys
import threading
from importlib import import_module
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from wattigram.core.design import Workspace, open_workspace
from wattigram.core.design.templates import empty_workspace
from wattigram.core.part import list_parts
from wattigram.desktop.document import Document, read_recovery
from wattigram.desktop.dress import dress_as_remembered
from wattigram.desktop.settings import Settings
from wattigram.desktop.window import MainWindow

WARM_UP_MS = 400
EXAMPLE = Path(__file__).parents[3] / "examples" / "studio-kiln" / "studio-kiln.wattigram.toml"


def first_workspace(path: Path | None, settings: Settings) -> tuple[Workspace, Path | None]:
    """The project to begin with: the one named, the last one, the example, or an empty one."""
    if path is not None:
        workspace = open_workspace(path)
        return workspace, next(iter(sorted(path.glob("*.wattigram.toml")))) if path.is_dir() else path
    for candidate in (*settings.recent[:1], EXAMPLE):
        if candidate.is_file():
            return open_workspace(candidate), candidate
    return empty_workspace(list_parts()[0].id), None


def make_app() -> QApplication:
    """The Qt application, dressed as the user likes it."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(sys.argv[:1])
        app.setApplicationName("wattigram")
        app.setApplicationDisplayName("Wattigram")
        app.setStyle("Fusion")
    return app


def make_window(app: QApplication, path: Path | None) -> MainWindow:
    """The window with a project in it; raises :class:`WattigramError` when the one named cannot be opened."""
    settings = Settings()
    dress_as_remembered(app, settings)
    workspace, origin = first_workspace(path, settings)
    document = Document(workspace, origin, settings.recovery_path)
    window = MainWindow(document, settings)
    if origin is not None:
        settings.add_recent(origin)
    recovered = read_recovery(settings.recovery_path)
    if recovered is not None:
        window.files.offer_recovery(lambda: document.recover(*recovered))
    return window


def warm_up() -> None:
    """Load what the window started without, before somebody waits for it."""
    for module in ("wattigram.core.session.live", "wattigram.desktop.prover", "wattigram.desktop.pages.takes_page"):
        import_module(module)


def run_app(path: Path | None, autorun: bool = False) -> int:
    """Show the window until it is closed."""
    app = make_app()
    window = make_window(app, path)
    window.show()
    window.activateWindow()
    QTimer.singleShot(WARM_UP_MS, lambda: threading.Thread(target=warm_up, daemon=True).start())
    # The demo runs at once; any project of the user's own only when asked to.
    if autorun or window.document.path == EXAMPLE:
        QTimer.singleShot(0, window.board.start)
    return app.exec()
