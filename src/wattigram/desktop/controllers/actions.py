"""Every action with its name and keys, for menu, palette and shortcuts alike."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget


class Actions:
    """Keeps actions in groups, in the order in which they were added."""

    def __init__(self, window: QWidget) -> None:
        self._window = window
        self.groups: dict[str, list[QAction]] = {}

    def add(self, group: str, name: str, keys: str, act: Callable[[], object]) -> QAction:
        """Add an action; keys such as "Ctrl+S", or "" for none."""
        action = QAction(name, self._window)
        if keys:
            action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _checked=False: act())
        self._window.addAction(action)
        self.groups.setdefault(group, []).append(action)
        return action

    def adopt(self, group: str, action: QAction, keys: str) -> QAction:
        """Take an action made elsewhere, such as undo."""
        action.setShortcut(QKeySequence(keys))
        self._window.addAction(action)
        self.groups.setdefault(group, []).append(action)
        return action

    def every(self) -> list[QAction]:
        """All actions."""
        return [action for group in self.groups.values() for action in group]

    def named(self, name: str) -> QAction:
        """The action of that name."""
        return next(action for action in self.every() if action.text() == name)

    def fill(self, menu: QMenu) -> None:
        """Put every group into a menu of its own."""
        for group, actions in self.groups.items():
            sub = menu.addMenu(group)
            if sub is not None:
                sub.addActions(actions)
