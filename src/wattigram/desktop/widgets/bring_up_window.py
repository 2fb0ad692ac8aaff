"""A board that is brought up, step by step, in a window beside the pages."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.capture.bring_up import Outcome, Step
from wattigram.desktop.theme import color, text_font, theme
from wattigram.desktop.widgets.drawing import draw_verdict

ACTS = {
    "design": "Show the findings",
    "firmware": "Build",
    "board": "Choose…",
    "identity": "Run",
    "clock": "Listen anew",
    "link": "Count anew",
    "wiring": "Check…",
    "take": "Record",
    "proof": "Record and prove",
}
"""What a step's button does."""
WORDS: dict[Outcome, str] = {
    "waits": "to do",
    "goes on": "going on",
    "holds": "done",
    "fails": "wrong",
    "passed over": "not judged here",
}
SPOT = 16


class StepMark(QWidget):
    """A tick, a cross, a dot for what goes on, a circle for what waits."""

    def __init__(self) -> None:
        super().__init__()
        self.outcome: Outcome = "waits"
        self.setFixedSize(SPOT + 6, SPOT + 4)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        t = theme()
        with QPainter(self) as painter:
            spot = QRectF(2, 3, SPOT - 4, SPOT - 4)
            if self.outcome == "goes on":
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(color(t.action))
                painter.drawEllipse(spot.adjusted(2, 2, -2, -2))
                return
            good = {"holds": True, "fails": False}.get(self.outcome)
            draw_verdict(painter, spot, good, color(t.good), color(t.bad), color(t.faint))


class StepCard(QFrame):
    """One step: whether it is done, what was seen, and what to do."""

    acted = pyqtSignal(str)

    def __init__(self, number: int, key: str) -> None:
        super().__init__()
        self.setObjectName("card")
        self.key, self._number = key, number
        self.mark = StepMark()
        self.title, self.word = QLabel(), QLabel()
        self.title.setFont(text_font(0, QFont.Weight.DemiBold))
        self.word.setObjectName("faint")
        self.said, self.cure = QLabel(), QLabel()
        self.said.setObjectName("soft")
        self.cure.setObjectName("cure")
        for label in (self.said, self.cure):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.button = QPushButton(ACTS[key])
        self.button.setAccessibleName(f"{ACTS[key]}, step {number}")
        self.button.clicked.connect(partial(self.acted.emit, key))
        grid = QGridLayout(self)
        grid.setContentsMargins(10, 7, 10, 7)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        grid.addWidget(self.mark, 0, 0, Qt.AlignmentFlag.AlignTop)
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addStretch(1)
        head.addWidget(self.word)
        grid.addLayout(head, 0, 1)
        grid.addWidget(self.button, 0, 2, 2, 1, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(self.said, 1, 1)
        grid.addWidget(self.cure, 2, 1)
        grid.setColumnStretch(1, 1)

    def show_step(self, step: Step) -> None:
        """Show a step as it stands."""
        self.mark.outcome = step.outcome
        self.mark.update()
        self.title.setText(f"{self._number}  {step.title}")
        self.word.setText(WORDS[step.outcome])
        self.said.setText(step.said)
        self.cure.setText(step.cure)
        self.cure.setVisible(bool(step.cure) and step.outcome != "holds")
        tone = {"fails": "error"}.get(step.outcome, "")
        if self.property("tone") != tone:
            self.setProperty("tone", tone)
            style = self.style()
            assert style is not None
            style.unpolish(self)
            style.polish(self)
        self.setAccessibleName(f"{step.title}: {WORDS[step.outcome]}. {step.said} {step.cure}")


class BringUpWindow(QDialog):
    """Follows design, firmware, board and proof; each step has the button that goes on with it."""

    acted = pyqtSignal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Bring a board up")
        self.summary = QLabel()
        self.summary.setObjectName("soft")
        self.cards: dict[str, StepCard] = {}
        inner = QWidget()
        inner.setObjectName("page")
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(6)
        for number, key in enumerate(ACTS, start=1):
            card = self.cards[key] = StepCard(number, key)
            card.acted.connect(self.acted)
            column.addWidget(card)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inner)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(14, 12, 6, 12)
        whole.addWidget(self.summary)
        whole.addWidget(area, 1)
        self.resize(560, 640)

    def show_steps(self, steps: tuple[Step, ...]) -> None:
        """Show all steps as they stand."""
        done = sum(step.outcome == "holds" for step in steps)
        wrong = sum(step.outcome == "fails" for step in steps)
        self.summary.setText(
            f"{done} of {len(steps)} steps are done" + (f", {wrong} wrong." if wrong else ".")
        )
        for step in steps:
            self.cards[step.key].show_step(step)
