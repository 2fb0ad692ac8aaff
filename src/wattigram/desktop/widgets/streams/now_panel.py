"""What goes with a board that runs: how much of it is kept, freezing it, and what it is watched for."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from wattigram.core.base.quantity import format_si
from wattigram.core.capture.session import Snapshot
from wattigram.core.capture.session.kept_run import KEPT_BYTES, KEPT_S
from wattigram.desktop.theme import heading_font
from wattigram.desktop.widgets.streams.hold_form import HoldForm


class NowPanel(QWidget):
    """Shown while the board is."""

    freeze_wanted = pyqtSignal()
    newest_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.state = QLabel("The board is off. Run it with F5.")
        self.state.setObjectName("soft")
        self.state.setWordWrap(True)
        self.state.setToolTip(
            f"The last {KEPT_S:g} s are kept in memory, and no more than {KEPT_BYTES >> 20} MiB of them. "
            "Recording keeps what lies before it."
        )
        self.freeze_button = QPushButton("Freeze")
        self.freeze_button.setToolTip(
            "Make a take of all that is kept and look at it, while the board runs on (Space)."
        )
        self.freeze_button.clicked.connect(self.freeze_wanted)
        self.newest_button = QPushButton("Newest")
        self.newest_button.setToolTip("Go to the newest, and stay there (End).")
        self.newest_button.clicked.connect(self.newest_wanted)
        self.hold = HoldForm()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.state)
        row = QHBoxLayout()
        row.addWidget(self.freeze_button)
        row.addWidget(self.newest_button)
        column.addLayout(row)
        column.addSpacing(4)
        heading = QLabel("HOLD")
        heading.setFont(heading_font())
        heading.setObjectName("faint")
        column.addWidget(heading)
        column.addWidget(self.hold)

    def show_snapshot(self, snapshot: Snapshot) -> None:
        """What the board says, and what is kept of it."""
        run = snapshot.now
        came = run is not None and run.kept.newest_ticks > 0
        self.freeze_button.setEnabled(came)
        self.hold.button.setEnabled(snapshot.state == "running" and snapshot.recording is None)
        self.hold.show_state(snapshot.hold)
        if run is None or not came:
            words = {"failed": "The board cannot be reached.", "running": "Nothing has come yet."}
            self.state.setText(words.get(snapshot.state, "The board is off. Run it with F5."))
            return
        kept = format_si(float(f"{run.end_s - run.begin_s:.1f}"), "s", 3)
        since = "since its start" if not run.begin_s else "the last of the run"
        lost = f" · {snapshot.lost_cycles} scans lost" if snapshot.lost_cycles else ""
        off = "" if snapshot.state == "running" else " · the board is off"
        self.state.setText(f"{kept} kept, {since}{lost}{off}")
