"""An ordered list of steps, each with its reason; steps can be moved and left out."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QDropEvent, QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem

from wattigram.desktop.inspector import OrderedList
from wattigram.desktop.theme import color, text_font, theme

PADDING = 7


class StepList(QListWidget):
    """Alt with the arrows or the mouse moves a step, Delete leaves it out."""

    edited = pyqtSignal(object)
    """Edit"""

    def __init__(self) -> None:
        super().__init__()
        self.setWordWrap(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setFont(text_font(-0.5))
        self.setSpacing(2)
        self.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self._data: OrderedList | None = None

    def show_data(self, data: OrderedList) -> None:
        """Show other steps, the chosen one staying chosen."""
        row = self.currentRow()
        self._data = data
        self.setAccessibleName(data.title)
        self.clear()
        for number, line in enumerate(data.lines, start=1):
            fault = f" ✕ It {line.fault}." if line.fault else ""
            text = f"{number}  {line.text[0].upper()}{line.text[1:]}{fault}"
            item = QListWidgetItem(text)
            item.setData(Qt.ItemDataRole.UserRole, line.name)
            if line.fault:
                item.setForeground(color(theme().bad))
            self.addItem(item)
        self.setCurrentRow(min(max(row, 0), self.count() - 1))
        self._fit()

    def _fit(self) -> None:
        """Each line as high as its wrapped text, the list as high as all of them."""
        width = max(80, self.width() - 2 * self.frameWidth() - 2 * PADDING - 2 * self.spacing())
        metrics = self.fontMetrics()
        total = 0
        for row in range(self.count()):
            item = self.item(row)
            assert item is not None
            wrapped = metrics.boundingRect(
                QRect(0, 0, width, 10_000), Qt.TextFlag.TextWordWrap, item.text()
            )
            height = wrapped.height() + 2 * PADDING + 2
            item.setSizeHint(QSize(width, height))
            total += height + 2 * self.spacing()
        self.setFixedHeight(total + 2 * self.frameWidth() + 6)

    def resizeEvent(self, event: object) -> None:
        """Lines wrap anew in another width."""
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._fit()

    def names(self) -> list[str]:
        """Steps as they stand."""
        listed = []
        for row in range(self.count()):
            item = self.item(row)
            assert item is not None
            listed.append(str(item.data(Qt.ItemDataRole.UserRole)))
        return listed

    def _enter(self, names: list[str], row: int) -> None:
        assert self._data is not None
        edit = self._data.make(tuple(names))
        if edit is not None:
            self.edited.emit(edit)
            self.setCurrentRow(min(row, self.count() - 1))

    def dropEvent(self, event: QDropEvent | None) -> None:
        """A step was dragged."""
        super().dropEvent(event)
        self._enter(self.names(), self.currentRow())

    def event(self, event: QEvent | None) -> bool:
        """Alt with the arrows is for the steps while the list has the keys, whatever else it is
        for."""
        if (
            event is not None
            and event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
        ):
            arrow = event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down)
            if arrow and event.modifiers() & Qt.KeyboardModifier.AltModifier:
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Alt+Up and Alt+Down move, Delete leaves out."""
        if event is None:
            return
        row, names = self.currentRow(), self.names()
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and 0 <= row < len(names):
            self._enter(names[:row] + names[row + 1 :], row)
        elif (
            key in (Qt.Key.Key_Up, Qt.Key.Key_Down)
            and event.modifiers() & Qt.KeyboardModifier.AltModifier
        ):
            target = row + (-1 if key == Qt.Key.Key_Up else 1)
            if 0 <= target < len(names):
                names[row], names[target] = names[target], names[row]
                self._enter(names, target)
        else:
            super().keyPressEvent(event)
