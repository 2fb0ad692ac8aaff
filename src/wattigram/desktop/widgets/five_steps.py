"""A strip of steps that a first look at the demo can go along."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QLabel, QPushButton, QWidget

from wattigram.desktop.widgets.flow import FlowLayout

DONE = "✓ "


class FiveSteps(QFrame):
    """Each step is a button that goes on with it; those done have a tick, the next one stands out."""

    wanted = pyqtSignal(int)
    """Number of a step, from 0."""
    closed = pyqtSignal()

    def __init__(self, parent: QWidget, texts: tuple[str, ...]) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self._texts = texts
        row = FlowLayout(self)
        row.setContentsMargins(10, 5, 6, 5)
        head = QLabel("A first look:")
        head.setObjectName("soft")
        row.addWidget(head)
        self.buttons: list[QPushButton] = []
        for number, text in enumerate(texts):
            button = QPushButton(f"{number + 1}  {text}")
            button.setObjectName("chip")
            button.clicked.connect(partial(self._want, number))
            row.addWidget(button)
            self.buttons.append(button)
        self.close_button = QPushButton("Close")
        self.close_button.setObjectName("link")
        self.close_button.setAccessibleName("Close the first look")
        self.close_button.clicked.connect(self.closed)
        row.addWidget(self.close_button)
        self.hide()

    def _want(self, number: int, _checked: bool = False) -> None:
        self.wanted.emit(number)

    def show_done(self, done: tuple[bool, ...]) -> None:
        """Which steps are done; the first that is not stands out."""
        following = next((number for number, one in enumerate(done) if not one), len(done))
        for number, (button, text, is_done) in enumerate(
            zip(self.buttons, self._texts, done, strict=True)
        ):
            button.setText(f"{DONE if is_done else f'{number + 1}  '}{text}")
            tone = "good" if number == following else ""
            if button.property("tone") != tone:
                button.setProperty("tone", tone)
                style = button.style()
                if style is not None:
                    style.unpolish(button)
                    style.polish(button)
