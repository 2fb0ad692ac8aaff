"""A strip that leads through the wiring check."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

from wattigram.core.capture.session import Snapshot
from wattigram.core.capture.session.wiring_check import WiringCheck
from wattigram.core.model.design import Workspace


class WiringBar(QFrame):
    """Says what to do next, sees in the stream that it was done, and goes on by itself."""

    looks = pyqtSignal(bool)
    """Whether it looks at the streams."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.text = QLabel()
        self.text.setWordWrap(True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setMaximumWidth(160)
        self.skip = QPushButton("Skip")
        self.end = QPushButton("End the check")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 8, 6)
        row.addWidget(self.text, 1)
        row.addWidget(self.bar)
        row.addWidget(self.skip)
        row.addWidget(self.end)
        self.skip.clicked.connect(self._skip)
        self.end.clicked.connect(self.stop)
        self.check: WiringCheck | None = None
        self.hide()

    def start(self, workspace: Workspace) -> None:
        """Begin with the first step."""
        self.check = WiringCheck(workspace)
        self.show()
        self._show()
        self.looks.emit(True)

    def stop(self) -> None:
        """Go away."""
        self.check = None
        self.hide()
        self.looks.emit(False)

    def show_snapshot(self, snapshot: Snapshot) -> None:
        """Look whether the present step was done."""
        if (
            self.check is not None
            and snapshot.state == "running"
            and self.check.look(snapshot.pictures)
        ):
            self._show()

    def _skip(self) -> None:
        if self.check is not None:
            self.check.skip()
            self._show()

    def _show(self) -> None:
        check = self.check
        assert check is not None
        before = (
            f"✓ {check.steps[check.place - 1].text} Seen. "
            if check.outcomes[-1:] == ["seen"]
            else ""
        )
        self.text.setText(before + check.note)
        self.bar.setRange(0, max(1, len(check.steps)))
        self.bar.setValue(check.place)
        self.skip.setEnabled(check.step is not None)
