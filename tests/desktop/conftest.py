"""A real window with the demo project, off the screen."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6 import sip
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from tests.paths import KILN
from tests.patience import PATIENCE_MS
from wattigram.core.capture.session import record_run
from wattigram.core.model.design import Workspace
from wattigram.desktop.pages.streams_page import StreamsPage
from wattigram.desktop.shell.app import make_app, make_window
from wattigram.desktop.shell.window import MainWindow

Wait = Callable[[Callable[[], bool]], None]


@pytest.fixture(scope="session")
def qapp_cls() -> type[QApplication]:
    return QApplication


@pytest.fixture
def project(tmp_path: Path) -> Path:
    """A copy of the demo project that may be written."""
    path = tmp_path / "studio-kiln.wattigram.toml"
    path.write_text(KILN.read_text())
    return path


@pytest.fixture
def open_window(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> Iterator[Callable[[Path], MainWindow]]:
    """Opens windows that share one settings folder, and closes them."""
    monkeypatch.setenv("WATTIGRAM_CONFIG", str(tmp_path / "config"))
    monkeypatch.setenv("WATTIGRAM_STATE", str(tmp_path / "config"))
    windows: list[MainWindow] = []

    def open_(path: Path) -> MainWindow:
        app = make_app()
        window = make_window(app, path)
        windows.append(window)
        window.show()
        qtbot.waitExposed(window)
        QApplication.processEvents()
        return window

    yield open_
    windows = [window for window in windows if not sip.isdeleted(window)]
    for window in windows:
        window.close()
    QApplication.processEvents()  # what its jobs said last
    for window in windows:
        window.deleteLater()
    # No loop of the application runs here, and only one would delete what is left to it: windows would
    # pile up, and the next change of the theme go through the widgets of all.
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    QApplication.processEvents()


@pytest.fixture
def window(open_window: Callable[[Path], MainWindow], project: Path) -> MainWindow:
    return open_window(project)


@pytest.fixture
def wait(qtbot: QtBot) -> Wait:
    """Waits until something has come about; never sleeps a fixed time."""

    def wait_(reached: Callable[[], bool]) -> None:
        qtbot.waitUntil(reached, timeout=PATIENCE_MS)

    return wait_


def point(where: QPointF | QPoint) -> QPoint:
    return where.toPoint() if isinstance(where, QPointF) else where


def click(
    widget: QWidget, where: QPointF | QPoint, button: Qt.MouseButton = Qt.MouseButton.LeftButton
) -> None:
    QTest.mouseClick(widget, button, Qt.KeyboardModifier.NoModifier, point(where))


def drag(widget: QWidget, begin: QPointF, *stations: QPointF) -> None:
    """Press, move through every station, let go at the last."""
    QTest.mousePress(
        widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, point(begin)
    )
    for station in stations:
        QTest.mouseMove(widget, point(station))
        QApplication.processEvents()
    QTest.mouseRelease(
        widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, point(stations[-1])
    )
    QApplication.processEvents()


def type_text(widget: QWidget, text: str, end: Qt.Key | None = Qt.Key.Key_Return) -> None:
    """Replace the text of a field and press a key."""
    widget.setFocus()
    widget.selectAll()  # type: ignore[attr-defined]
    QTest.keyClicks(widget, text)
    if end is not None:
        QTest.keyClick(widget, end)
    QApplication.processEvents()


def press(
    widget: QWidget, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
) -> None:
    QTest.keyClick(widget, key, modifier)
    QApplication.processEvents()


@pytest.fixture
def kiln_take(kiln: Workspace, tmp_path: Path) -> Path:
    record_run(kiln, 2.0, tmp_path / "kiln.h5", fast=True)
    return tmp_path / "kiln.h5"


def shown(window: MainWindow, wait: Wait, path: Path) -> StreamsPage:
    """The page with a recording open."""
    window.take_actions.show(path)
    page = window.streams_page
    wait(lambda: page.data is not None and page.data.path == path)
    return page
