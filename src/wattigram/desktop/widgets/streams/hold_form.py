"""What a board that runs is watched for, and how much of it is held when it comes."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QWidget,
)

from wattigram.core.base.errors import QuantityError, WattigramError
from wattigram.core.base.quantity import parse_quantity
from wattigram.core.capture.session import HoldState
from wattigram.core.capture.session.conditions import BEGINS, event_titles, parse_condition
from wattigram.core.capture.session.recording_plan import RecordingPlan
from wattigram.core.model.design import Workspace

TIMES = {"once": 1, "up to 3 times": 3, "up to 10 times": 10, "up to 100 times": 100}


class HoldForm(QWidget):
    """A condition, the time before and after it, how often; and what came of it."""

    wanted = pyqtSignal(object)
    """A plan, or None to hold no more."""
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._workspace: Workspace | None = None
        self.what = QComboBox()
        self.what.setEditable(True)
        self.what.setAccessibleName("What is held")
        self.what.setToolTip("An event, or a level that a signal passes: “Coil current > 2.1 V”.")
        self.what.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.what.setMinimumContentsLength(12)
        self.before, self.after = QLineEdit("1 s"), QLineEdit("1 s")
        self.before.setAccessibleName("Time before it")
        self.after.setAccessibleName("Time after it")
        self.times = QComboBox()
        self.times.addItems(list(TIMES))
        self.times.setAccessibleName("How often")
        self.button = QPushButton("Hold")
        self.button.clicked.connect(self.toggle)
        self.state = QLabel("Nothing is waited for.")
        self.state.setObjectName("soft")
        self.state.setWordWrap(True)
        self._is_armed = False
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(5)
        grid.addWidget(self.what, 0, 0, 1, 4)
        grid.addWidget(QLabel("before"), 1, 0)
        grid.addWidget(self.before, 1, 1)
        grid.addWidget(QLabel("after"), 1, 2)
        grid.addWidget(self.after, 1, 3)
        grid.addWidget(self.times, 2, 0, 1, 2)
        grid.addWidget(self.button, 2, 2, 1, 2)
        grid.addWidget(self.state, 3, 0, 1, 4)
        line = self.what.lineEdit()
        if line is not None:
            line.returnPressed.connect(self.arm)

    def show_workspace(self, workspace: Workspace) -> None:
        """Offer what the design has that can be waited for."""
        if workspace is self._workspace:
            return
        self._workspace = workspace
        text = self.what.currentText()
        self.what.clear()
        for title in event_titles(workspace):
            self.what.addItem(f"{title} {BEGINS}")
        converted = [slot.signal for chain in workspace.project.chains for slot in chain.slots]
        for name in dict.fromkeys(converted):
            self.what.addItem(f"{name} > {workspace.reference_v / 2:.2f} V")
        if text:
            self.what.setCurrentText(text)

    def show_state(self, state: HoldState | None) -> None:
        """What a running board says of it."""
        self._is_armed = state is not None and not state.is_over
        self.button.setText("Hold no more" if self._is_armed else "Hold")
        if state is None:
            return
        count = f"held {state.count} time{'' if state.count == 1 else 's'}"
        if state.is_recording:
            self.state.setText(f"{state.what}: it came, and is being held.")
        elif state.is_over:
            self.state.setText(f"{state.what}: {count}, that is all.")
        else:
            self.state.setText(f"{state.what}: waiting, {count}.")

    def toggle(self) -> None:
        """Begin to wait, or wait no more."""
        if self._is_armed:
            self.wanted.emit(None)
            self.state.setText("Nothing is waited for.")
        else:
            self.arm()

    def arm(self) -> None:
        """Have the board watched, where what is typed can be understood."""
        if self._workspace is None:
            return
        try:
            condition = parse_condition(self._workspace, self.what.currentText())
            before_s, after_s = (
                float(parse_quantity(field.text(), "s")) for field in (self.before, self.after)
            )
            plan = RecordingPlan(
                starts=condition,
                before_s=before_s,
                for_s=after_s,
                times=TIMES[self.times.currentText()],
            )
        except (WattigramError, QuantityError, ValueError) as fault:
            self.state.setText(str(fault))
            self.refused.emit(str(fault))
            return
        self.wanted.emit(plan)
