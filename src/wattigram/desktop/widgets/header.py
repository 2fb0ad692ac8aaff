"""The bar at the top: project, pages, board, run, record, proof."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFont, QResizeEvent
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QPushButton, QWidget

from wattigram.core.base.quantity import format_si
from wattigram.core.capture.session import Snapshot
from wattigram.core.model.design import Workspace
from wattigram.desktop.theme import text_font
from wattigram.desktop.widgets.labels import ElidedLabel

if TYPE_CHECKING:
    from wattigram.core.judge import Proof


ROOMY = 1150
"""Pixels across from which on everything is said in full."""
FINDINGS_ROOM = 160
"""Pixels that findings, and a proof that fails, take besides."""


class Header(QWidget):
    """Shows state, emits wishes."""

    page_wanted = pyqtSignal(int)
    run_wanted = pyqtSignal()
    record_wanted = pyqtSignal()
    board_wanted = pyqtSignal()
    proof_wanted = pyqtSignal()
    menu_wanted = pyqtSignal()
    part_wanted = pyqtSignal()
    findings_wanted = pyqtSignal()

    def __init__(self, pages: Sequence[str]) -> None:
        super().__init__()
        self.setObjectName("header")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.menu_button = QPushButton("☰")
        self.menu_button.setObjectName("page")
        self.menu_button.setAccessibleName("Menu")
        self.menu_button.setToolTip("All actions are in here; Ctrl+K finds them by name")
        self.menu_button.clicked.connect(self.menu_wanted)
        self.title = QLabel()
        self.title.setFont(text_font(1, QFont.Weight.Bold))
        self.part = ElidedLabel()
        self.part.setCursor(Qt.CursorShape.PointingHandCursor)
        self.part.clicked.connect(self.part_wanted)
        self.findings = QPushButton()
        self.findings.setObjectName("chip")
        self.findings.clicked.connect(self.findings_wanted)
        self.findings.hide()
        self.pages: list[QPushButton] = []
        group = QButtonGroup(self)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 6, 12, 6)
        row.setSpacing(8)
        row.addWidget(self.menu_button)
        row.addWidget(self.title)
        row.addWidget(self.part, 2)
        for number, name in enumerate(pages):
            button = QPushButton(name)
            button.setObjectName("page")
            button.setCheckable(True)
            button.setToolTip(f"Alt+{number + 1}")
            button.clicked.connect(lambda _checked, page=number: self.page_wanted.emit(page))
            group.addButton(button)
            self.pages.append(button)
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(self.findings)
        self.board = QPushButton()
        self.board.setObjectName("chip")
        self.board.clicked.connect(self.board_wanted)
        self.run_button = QPushButton("Run")
        self.run_button.setObjectName("primary")
        self.run_button.setToolTip("Run the board, or stop it (F5)")
        self.run_button.clicked.connect(self.run_wanted)
        self.record_button = QPushButton("Record")
        self.record_button.setToolTip(
            "Record a take, with what is kept of the run; again to end it and prove it (Ctrl+R)"
        )
        self.record_button.clicked.connect(self.record_wanted)
        self.proof = QPushButton("Prove")
        self.proof.setObjectName("chip")
        self.proof.setToolTip("Record a take and hold it against the expectations (F6)")
        self.proof.clicked.connect(self.proof_wanted)
        for button in (self.board, self.run_button, self.record_button, self.proof):
            row.addWidget(button)
        self.show_snapshot(Snapshot())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Where there is little room, pages stand closer together, so that their names are whole."""
        super().resizeEvent(event)
        is_narrow = self.width() < ROOMY
        row = self.layout()
        if row is None or self.pages[0].property("isNarrow") == is_narrow:
            return
        row.setSpacing(3 if is_narrow else 8)
        for button in (self.menu_button, *self.pages):
            button.setProperty("isNarrow", is_narrow)
            style = button.style()
            if style is not None:
                style.unpolish(button)
                style.polish(button)

    def show_workspace(self, workspace: Workspace, is_clean: bool) -> None:
        """Name of the project, and what it is for."""
        self.title.setText(workspace.project.name + ("" if is_clean else " •"))
        self.title.setToolTip("" if is_clean else "There are changes that have not been saved")
        clock = format_si(workspace.bus_clock_hz, "Hz")
        text = f"{workspace.part.name} · {clock} · {workspace.reference_v:.3f} V"
        self.part.setText(text)
        self.part.setToolTip(f"{text}\nA click opens the part's sheet")

    def show_findings(self, short: str, full: str, has_errors: bool) -> None:
        """How many findings there are, on every page; nothing where there are none."""
        self.findings.setVisible(bool(short))
        _set(self.findings, short, "bad" if has_errors else "")
        self.findings.setToolTip(f"Findings: {full} (Ctrl+G)")
        self.findings.setAccessibleName(f"Findings: {full}")

    def show_page(self, number: int) -> None:
        """Mark a page."""
        self.pages[number].setChecked(True)

    @property
    def _is_roomy(self) -> bool:
        """Whether the build can be told too, beside the findings where there are some."""
        wanted = ROOMY if self.findings.isHidden() else ROOMY + FINDINGS_ROOM
        return self.width() >= wanted

    def show_snapshot(self, snapshot: Snapshot) -> None:
        """State of the board."""
        names = {
            "off": "Board off",
            "idle": "Board ready",
            "running": "Board running",
            "failed": "Board failed",
        }
        what = names[snapshot.state].replace("Board", "Image" if snapshot.runs_image else "Board")
        text = f"○ {what}" if snapshot.state != "running" else f"● {what}"
        tone = ""
        if snapshot.state == "failed" or snapshot.lost_cycles:
            tone = "bad"
        if snapshot.state in {"idle", "running"}:
            if snapshot.mark_matches is False:
                text = f"✕ Board has build {snapshot.build_id}"
                tone = "bad"
            elif snapshot.mark_matches and self._is_roomy:
                text += f" · build {snapshot.build_id[:4]}"
            if self.width() < ROOMY and text == f"● {what}" and snapshot.state == "running":
                text = "● Running"
            if snapshot.lost_cycles:
                text += f" · {snapshot.lost_cycles} lost"
        _set(self.board, text, tone)
        tip = snapshot.message or snapshot.board or "Click to choose a board"
        if snapshot.mark_matches is False:
            tip = "The board was built from another design: expected values may not fit. Build and load it again."
        elif snapshot.state == "running":
            tip += f"\n{snapshot.seconds:.1f} s, {snapshot.samples} samples, {snapshot.lost_cycles} scans lost"
        self.board.setToolTip(tip)
        self.run_button.setText("Stop" if snapshot.state == "running" else "Run")
        recording = snapshot.recording is not None
        self.record_button.setText(
            f"Stop recording · {snapshot.seconds - snapshot.recording_since_s:.0f} s"
            if recording
            else "Record"
        )

    def show_proof(self, proof: Proof | None) -> None:
        """The proof in a few words."""
        if proof is None:
            _set(self.proof, "Prove", "")
            return
        text = f"✓ {proof.count('holds')} hold"
        if proof.count("fails"):
            text += f" · ✕ {proof.count('fails')} fail{'s' if proof.count('fails') == 1 else ''}"
        if proof.count("open"):
            text += f" · ○ {proof.count('open')} open"
        if proof.fault:
            text += " · firmware failed"
        is_bad = proof.count("fails") or proof.fault
        _set(self.proof, text, "bad" if is_bad else "good" if proof.all_hold else "")


def _set(chip: QPushButton, text: str, tone: str) -> None:
    if chip.text() != text:
        chip.setText(text)
    if chip.property("tone") != tone:
        chip.setProperty("tone", tone)
        style = chip.style()
        if style is not None:
            style.unpolish(chip)
            style.polish(chip)
