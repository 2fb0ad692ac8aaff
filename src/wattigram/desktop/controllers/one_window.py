"""One window for each project: whoever opens it once more is shown the window that has it."""

from __future__ import annotations

import hashlib
import os
import sys
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, QProcess
from PyQt6.QtNetwork import QLocalServer, QLocalSocket
from PyQt6.QtWidgets import QApplication, QWidget

from wattigram.core.base.user_folders import state_folder

PATIENCE_MS = 500
"""Whoever listens is there at once; nobody else is waited for."""


def server_name(path: Path) -> str:
    """What the window of a project listens at, for this user alone, and for windows that remember things in
    the same place."""
    whole = os.fsencode(path.resolve()) + b"\0" + os.fsencode(state_folder())
    digest = hashlib.sha256(whole).hexdigest()
    return f"wattigram-{os.getuid()}-{digest[:24]}"


def show_elsewhere(path: Path) -> bool:
    """Have the window that has a project come to the front; False where none has it."""
    socket = QLocalSocket()
    socket.connectToServer(server_name(path))
    if not socket.waitForConnected(PATIENCE_MS):
        return False
    socket.disconnectFromServer()
    return True


def open_beside(path: Path) -> bool:
    """Open a project in a window, and process, of its own; whether it could be started."""
    started, _pid = QProcess.startDetached(sys.executable, ["-m", "wattigram", "open", str(path)])
    return started


class OneWindow(QObject):
    """Listens for others that want the project of a window; ``path`` is what it is now."""

    def __init__(self, window: QWidget, path: Callable[[], Path | None]) -> None:
        super().__init__(window)
        self._window, self._path = window, path
        self._server: QLocalServer | None = None
        self._name = ""

    def hold(self) -> None:
        """The window's project is this one from now on, if no other window has it."""
        path = self._path()
        name = server_name(path) if path is not None else ""
        if name == self._name:
            return
        self.let_go()
        if path is None or show_elsewhere(path):
            return
        server = QLocalServer(self)
        server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        QLocalServer.removeServer(name)  # of a process that died
        if server.listen(name):
            server.newConnection.connect(self._come)
            self._server, self._name = server, name

    def let_go(self) -> None:
        """Another window may have it."""
        if self._server is not None:
            self._server.close()
            self._server.deleteLater()
        self._server, self._name = None, ""

    def is_elsewhere(self, path: Path) -> bool:
        """Another window has a project; it comes to the front."""
        return server_name(path) != self._name and show_elsewhere(path)

    def _come(self) -> None:
        """Somebody else wanted the project."""
        while self._server is not None and self._server.hasPendingConnections():
            connection = self._server.nextPendingConnection()
            if connection is not None:
                connection.abort()
                connection.deleteLater()
        if self._window.isMinimized():
            self._window.showNormal()
        self._window.raise_()
        self._window.activateWindow()
        QApplication.alert(self._window)
