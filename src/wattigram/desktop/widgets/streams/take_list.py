"""Takes of a project and recordings from elsewhere, in a list."""

from __future__ import annotations

import time
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

PATH_ROLE = Qt.ItemDataRole.UserRole


class TakeList(QListWidget):
    """An item for each file: what was opened from elsewhere, below it the project's own, the newest first."""

    chosen = pyqtSignal(object)
    """Path"""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Takes")
        self._others: list[Path] = []
        """Listed, and not of the project's folders as far as is known."""
        self.currentItemChanged.connect(self._on_current)

    def show_folders(self, folders: tuple[Path, ...]) -> None:
        """List the takes of some folders."""
        takes = [
            (path.stat().st_mtime, path)
            for folder in folders
            if folder.is_dir()
            for path in folder.glob("*.h5")
        ]
        own = [path for _written, path in sorted(takes, reverse=True)]
        self._others = [path for path in self._others if path not in own and path.exists()]
        here = self.currentItem()
        before = here.data(PATH_ROLE) if here is not None else ""
        self.blockSignals(True)
        self.clear()
        for path in (*self._others, *own):
            self._add(path, at_top=False)
            if str(path) == before:
                self.setCurrentRow(self.count() - 1)
        self.blockSignals(False)

    def forget_others(self) -> None:
        """Another project: what was opened from elsewhere is no longer listed."""
        self._others = []

    def choose_none(self) -> None:
        """Something else is shown."""
        self.blockSignals(True)
        self.setCurrentItem(None)
        self.clearSelection()
        self.blockSignals(False)

    def add(self, path: Path, select: bool) -> None:
        """One more, at the top."""
        self._others = [path, *(one for one in self._others if one != path)]
        for number in range(self.count()):
            item = self.item(number)
            if item is not None and item.data(PATH_ROLE) == str(path):
                self.takeItem(number)
                break
        self._add(path, at_top=True)
        if select:
            self.setCurrentRow(0)

    def _add(self, path: Path, at_top: bool) -> None:
        written = (
            time.strftime("%d %b %H:%M", time.localtime(path.stat().st_mtime))
            if path.exists()
            else "gone"
        )
        item = QListWidgetItem(f"{path.stem} · {written}")
        item.setData(PATH_ROLE, str(path))
        item.setToolTip(str(path))
        self.insertItem(0 if at_top else self.count(), item)

    def _on_current(self, item: QListWidgetItem | None, _before: QListWidgetItem | None) -> None:
        if item is not None:
            self.chosen.emit(Path(item.data(PATH_ROLE)))
