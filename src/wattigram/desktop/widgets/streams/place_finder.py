"""What is looked for along the traces, the way there, and what was found."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLineEdit, QPushButton, QWidget

from wattigram.core.judge.measured import PLACES, Place

LEVEL = "level"


class PlaceFinder(QWidget):
    """Says what is wanted, and which way; shows what it is told."""

    wanted = pyqtSignal(str, bool)
    """What, and whether forward."""

    def __init__(self) -> None:
        super().__init__()
        self.what = QComboBox()
        self.what.setAccessibleName("What is looked for")
        self.what.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        for name, way in PLACES.items():
            self.what.addItem(way.title, name)
        self.level = QLineEdit()
        self.level.setAccessibleName("Level")
        self.level.setPlaceholderText("at the mark")
        self.level.setMaximumWidth(self.fontMetrics().averageCharWidth() * 18)
        self.level.hide()
        self.level.returnPressed.connect(lambda: self.look(forward=True))
        self.what.currentIndexChanged.connect(self._on_what)
        self.before_button, self.next_button = QPushButton("Before"), QPushButton("Next")
        self.before_button.setToolTip("The last such place before the mark (Shift+N, Shift+F3).")
        self.next_button.setToolTip("The next such place after the mark (N, F3).")
        self.before_button.clicked.connect(lambda: self.look(forward=False))
        self.next_button.clicked.connect(lambda: self.look(forward=True))
        self.found = QLabel()
        self.found.setObjectName("soft")
        self.found.setWordWrap(True)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(QLabel("Find"))
        for widget in (self.what, self.level, self.before_button, self.next_button):
            row.addWidget(widget)
        row.addWidget(self.found, 1)

    def _on_what(self) -> None:
        self.level.setVisible(self.what.currentData() == LEVEL)
        self.found.clear()

    def look(self, forward: bool) -> None:
        """Have it looked for."""
        self.wanted.emit(str(self.what.currentData()), forward)

    def show_place(self, name: str, place: Place | None, forward: bool) -> None:
        """What was found in a channel."""
        if place is not None:
            self.found.setText(f"{name}: {place.title}")
            return
        where = "from here on" if forward else "before"
        self.found.setText(f"{name}: no such place {where}")

    def show_why(self, why: str) -> None:
        """It cannot be looked for, and why; nothing, where there is nothing to say."""
        self.found.setText(why)

    def widgets(self) -> tuple[QWidget, ...]:
        """In the order of the Tab key."""
        return self.what, self.level, self.before_button, self.next_button
