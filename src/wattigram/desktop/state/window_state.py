"""Sizes and proportions, kept from one time to the next."""

from __future__ import annotations

from PyQt6.QtCore import QByteArray, Qt
from PyQt6.QtWidgets import QMainWindow, QSplitter

from wattigram.desktop.state.settings import Settings

USUAL_SIZE = "1280x800"
LARGEST_SIDE = 8000


def restore_size(window: QMainWindow, settings: Settings) -> None:
    """The size that the window had, or the usual one."""
    width, _, height = settings.get("size", USUAL_SIZE).partition("x")
    if width.isdecimal() and height.isdecimal():
        window.resize(min(int(width), LARGEST_SIDE), min(int(height), LARGEST_SIDE))
    if settings.get("maximized") == "true":
        window.setWindowState(Qt.WindowState.WindowMaximized)


def keep_size(window: QMainWindow, settings: Settings) -> None:
    """Remember the window's size."""
    if not window.isMaximized():
        settings.set("size", f"{window.width()}x{window.height()}")
    settings.set("maximized", "true" if window.isMaximized() else "false")


def restore_splitter(splitter: QSplitter, settings: Settings, name: str) -> bool:
    """The proportions that a splitter had; false where none are known."""
    state = settings.blob(f"split-{name}")
    return bool(state) and splitter.restoreState(QByteArray(state))


def keep_splitter(splitter: QSplitter, settings: Settings, name: str) -> None:
    """Remember a splitter's proportions."""
    settings.set(f"split-{name}", splitter.saveState())
