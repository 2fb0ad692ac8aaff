"""Labels that give way: one shortens its text, one wraps and can be clicked."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy

from wattigram.desktop.theme import color, heading_font, theme
from wattigram.desktop.widgets.drawing import elide


class ElidedLabel(QLabel):
    """One line that is shortened with an ellipsis where there is no room for it."""

    clicked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def minimumSizeHint(self) -> QSize:
        """It may vanish."""
        return QSize(0, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint what fits."""
        painter = QPainter(self)
        painter.setFont(self.font())
        painter.setPen(color(theme().soft))
        elide(painter, QRectF(self.rect()), self.text(), self.alignment())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Say that it was clicked."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.clicked.emit()


class FixLabel(QLabel):
    """What Enter or a click would do, over as many lines as it needs."""

    clicked = pyqtSignal()

    def __init__(self, text: str) -> None:
        super().__init__(f"{text}  ↵")
        self.setObjectName("cure")
        self.setWordWrap(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip("Enter applies this; Ctrl+Z takes it back")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A click does it."""
        self.clicked.emit()


def heading(text: str) -> QLabel:
    """A faint heading."""
    label = QLabel(text)
    label.setFont(heading_font())
    label.setObjectName("faint")
    return label
