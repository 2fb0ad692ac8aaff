"""Words and fields one after the other, broken into lines as text is."""

from __future__ import annotations

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QWidget

LINE_GAP = 6


class FlowLayout(QLayout):
    """Items from left to right, on as many lines as they need, each in the middle of its line."""

    def __init__(self, parent: QWidget, gap: int = 4) -> None:
        super().__init__(parent)
        self._gap = gap
        self._items: list[QLayoutItem] = []

    def addItem(self, item: QLayoutItem | None) -> None:
        """One more at the end."""
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        """How many there are."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        """One of them."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        """Take one out."""
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        """It takes no more than it needs."""
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        """The narrower, the higher."""
        return True

    def heightForWidth(self, width: int) -> int:
        """Height of all lines."""
        return self._lay(QRect(0, 0, width, 0), False)

    def sizeHint(self) -> QSize:
        """As small as can be; the width is whoever's it lies in."""
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        """That of the widest item."""
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        margins = self.contentsMargins()
        return size + QSize(margins.left() + margins.right(), margins.top() + margins.bottom())

    def setGeometry(self, rect: QRect) -> None:
        """Lay all out."""
        super().setGeometry(rect)
        self._lay(rect, True)

    def _lay(self, rect: QRect, place: bool) -> int:
        margins = self.contentsMargins()
        left, right = rect.left() + margins.left(), rect.right() - margins.right()
        y = rect.top() + margins.top()
        line: list[tuple[QLayoutItem, int, QSize]] = []
        x = left
        for group in self._groups():
            sizes = [item.sizeHint() for item in group]
            width = sum(size.width() for size in sizes)
            spare = max(1, right - left) - (width - sizes[0].width())
            sizes[0].setWidth(min(sizes[0].width(), max(1, spare)))
            width = sum(size.width() for size in sizes)
            if line and x + width > right:
                y += self._set(line, y, place) + LINE_GAP
                line, x = [], left
            for item, size in zip(group, sizes, strict=True):
                line.append((item, x, size))
                x += size.width()
            x += self._gap
        return y + self._set(line, y, place) + margins.bottom() - rect.top()

    def _groups(self) -> list[list[QLayoutItem]]:
        """Items that are not parted at the end of a line: each with the marks that follow it."""
        groups: list[list[QLayoutItem]] = []
        for item in self._items:
            widget = item.widget()
            if widget is not None and widget.isHidden():
                continue
            if groups and widget is not None and widget.property("isGlued"):
                groups[-1].append(item)
            else:
                groups.append([item])
        return groups

    @staticmethod
    def _set(line: list[tuple[QLayoutItem, int, QSize]], y: int, place: bool) -> int:
        height = max((size.height() for _, _, size in line), default=0)
        if place:
            for item, x, size in line:
                item.setGeometry(
                    QRect(x, y + (height - size.height()) // 2, size.width(), size.height())
                )
        return height
