"""Starting the window."""

from __future__ import annotations

import sys
import threading
from importlib import import_module
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from wattigram.core.base.errors import WattigramError
from wattigram.core.base.user_folders import config_folder, state_folder
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.templates import empty_workspace
from wattigram.core.model.part import list_parts
from wattigram.desktop.controllers.one_window import show_elsewhere
from wattigram.desktop.shell.appearance import apply_remembered_appearance
from wattigram.desktop.shell.ending import EndingSignals
from wattigram.desktop.shell.fault_hook import FaultHook
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.recovery import RecoveryCopy, abandoned, adopt_old_copy, copies_folder
from wattigram.desktop.state.settings import Settings
from wattigram.examples import STUDIO_KILN

WARM_UP_MS = 400
APP_ID = "org.wattigram.Wattigram"
"""As the desktop entry is called."""
ICON = Path(__file__).parents[1] / "icons" / "wattigram.svg"


def first_workspace(path: Path | None, settings: Settings) -> tuple[Workspace, Path | None, str]:
    """The project to begin with: the one named, the last one, the example, or an empty one.

    The third value says why the last one could not be opened; "" where it could.

    Raises
    ------
    WattigramError
        When the one named cannot be opened.
    """
    if path is not None:
        workspace = open_workspace(path)
        return (
            workspace,
            next(iter(sorted(path.glob("*.wattigram.toml")))) if path.is_dir() else path,
            "",
        )
    why = ""
    for candidate in (*settings.recent[:1], STUDIO_KILN):
        if candidate.is_file():
            try:
                return open_workspace(candidate), candidate, why
            except WattigramError as fault:
                why = f"The project that was open last cannot be read. {fault}"
    return empty_workspace(list_parts()[0].id), None, why


def make_app() -> QApplication:
    """The Qt application, dressed as the user likes it."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(sys.argv[:1])
        app.setApplicationName("wattigram")
        app.setApplicationDisplayName("Wattigram")
        app.setDesktopFileName(APP_ID)
        app.setWindowIcon(QIcon(str(ICON)))
        app.setStyle("Fusion")
    return app


def make_window(app: QApplication, path: Path | None) -> MainWindow:
    """The window with a project in it; raises :class:`WattigramError` when the one named cannot be
    opened."""
    settings = Settings()
    apply_remembered_appearance(app, settings)
    workspace, origin, why = first_workspace(path, settings)
    document = Document(workspace, origin, RecoveryCopy(copies_folder(state_folder())))
    window = MainWindow(document, settings)
    if origin is not None:
        settings.add_recent(origin)
    if why:
        window.notice.say(why)
    adopt_old_copy(config_folder(), state_folder())
    window.files.offer_recovery(abandoned(state_folder()))
    return window


def warm_up() -> None:
    """Load what the window started without, before somebody waits for it."""
    for module in (
        "wattigram.core.capture.session.live_session",
        "wattigram.desktop.controllers.proof_job",
        "wattigram.desktop.pages.streams_page",
    ):
        import_module(module)


def run_app(path: Path | None, autorun: bool = False) -> int:
    """Show the window until it is closed."""
    app = make_app()
    if path is not None and path.is_dir():
        path = next(iter(sorted(path.glob("*.wattigram.toml"))), path)
    if path is not None and path.is_file() and show_elsewhere(path):
        print(f"{path.name} is open in a window, which has come to the front.")
        return 0
    faults = FaultHook()
    faults.install()
    window = make_window(app, path)
    faults.watch(window)
    ending = EndingSignals(window)
    window.show()
    window.activateWindow()
    QTimer.singleShot(WARM_UP_MS, lambda: threading.Thread(target=warm_up, daemon=True).start())
    # The demo runs at once; any project of the user's own only when asked to.
    if autorun or window.document.path == STUDIO_KILN:
        QTimer.singleShot(0, window.board.start)
    try:
        return app.exec()
    finally:
        ending.remove()
        faults.remove()
