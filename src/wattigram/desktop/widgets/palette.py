"""The palette: every action, found by typing a part of its name."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


class Palette(QFrame):
    """Lists actions over the window; Enter does the chosen one, Escape closes."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.setAutoFillBackground(True)
        self.entry = QLineEdit()
        self.entry.setPlaceholderText("What do you want to do?")
        self.entry.setAccessibleName("Find an action")
        self.list = QListWidget()
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.addWidget(self.entry)
        column.addWidget(self.list)
        self._actions: list[QAction] = []
        self._before: QWidget | None = None
        self.entry.textChanged.connect(self._filter)
        self.entry.installEventFilter(self)
        self.list.itemClicked.connect(lambda _item: self._do())
        self.hide()

    def open(self, actions: list[QAction]) -> None:
        """Show what can be done now."""
        self._before = self.window().focusWidget() if self.window() is not None else None  # type: ignore[union-attr]
        self._actions = [action for action in actions if action.isEnabled() and action.text()]
        parent = self.parentWidget()
        assert parent is not None
        width = min(560, parent.width() - 40)
        height = min(420, parent.height() - 120)
        self.setGeometry((parent.width() - width) // 2, 70, width, height)
        self.entry.clear()
        self._filter("")
        self.show()
        self.raise_()
        self.entry.setFocus()

    def _filter(self, text: str) -> None:
        words = text.lower().split()
        self.list.clear()
        for action in self._actions:
            name = action.text().replace("&", "")
            if all(word in name.lower() for word in words):
                keys = action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
                item = QListWidgetItem(f"{name}    {keys}" if keys else name)
                item.setData(Qt.ItemDataRole.UserRole, action)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Arrows move in the list while one types."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            key = Qt.Key(event.key())
            if key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if key == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(
                    max(0, min(self.list.count() - 1, self.list.currentRow() + step))
                )
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._do()
                return True
            if key == Qt.Key.Key_Escape:
                self._close()
                return True
        elif event is not None and event.type() == QEvent.Type.FocusOut and self.isVisible():
            self.hide()
        return super().eventFilter(watched, event)

    def _close(self) -> None:
        self.hide()
        if self._before is not None:
            self._before.setFocus()

    def _do(self) -> None:
        item = self.list.currentItem()
        self._close()
        if item is not None:
            item.data(Qt.ItemDataRole.UserRole).trigger()
