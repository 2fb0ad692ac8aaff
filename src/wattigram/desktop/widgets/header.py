"""The bar at the top: project, pages, board, run, record, proof."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFont, QResizeEvent
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QWidget

from wattigram.core.base.quantity import format_si
from wattigram.core.capture.session import Snapshot
from wattigram.core.model.design import Workspace
from wattigram.desktop.theme import text_font
from wattigram.desktop.widgets.labels import ElidedLabel

if TYPE_CHECKING:
    from wattigram.core.judge import Proof


KEPT = "✕1 !1", "● Board running", "✓ 10 hold · ✕ 1 fails"
LEAST = "✕1 !1", "● Running", "✓ 10 ✕ 1"
"""What findings, board and proof say often enough, in full and in short."""
SPACING, CLOSE = 8, 3
"""Pixels between what stands in the row, and where there is little room."""


class Header(QWidget):
    """Shows state, emits wishes.

    What is said in several lengths is said in the longest for which there is room: first the part's clock
    and reference give way, then the room between pages, the words of proof and board, and last the part's name.
    """

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
        self._page_widths: dict[bool, int] = {}
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._fit)
        self._part_texts: tuple[str, ...] = ("",)
        self._board_texts: tuple[str, ...] = ("",)
        self._proof_texts: tuple[str, ...] = ("Prove",)
        """Each from the longest to the shortest."""
        self.part.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred)
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
        row.setSpacing(SPACING)
        row.addWidget(self.menu_button)
        row.addWidget(self.title)
        row.addWidget(self.part)
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
        self._chips = self.findings, self.board, self.proof
        for button in (self.board, self.run_button, self.record_button, self.proof):
            row.addWidget(button)
        self.show_snapshot(Snapshot())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Say as much as there is room for."""
        super().resizeEvent(event)
        self._fit()

    def changeEvent(self, event: QEvent | None) -> None:
        """Another size of letters leaves other room."""
        super().changeEvent(event)
        if event is not None and event.type() in {QEvent.Type.FontChange, QEvent.Type.StyleChange}:
            self._page_widths.clear()
            self._later.start()  # all must have their new style before

    def _fit(self) -> None:
        """Choose how long each thing is said."""
        row = self.layout()
        if row is None:
            return
        margins = row.contentsMargins()
        fixed = [self.title, self.run_button, self.record_button]
        taken = sum(widget.sizeHint().width() for widget in fixed)
        taken += margins.left() + margins.right()
        chips = len(fixed) + len(self.pages) + 6  # menu, part, findings, board, proof, and the gap

        def room(is_close: bool) -> int:
            gaps = (chips - 1) * (CLOSE if is_close else SPACING)
            return self.width() - taken - gaps - self._pages_width(is_close)

        # Where pages stand does not hang on what the board is doing: room is kept for it.
        part, is_close = "", True
        names = self._part_texts[-1:]
        for is_close, said, texts in (
            (False, KEPT, self._part_texts),
            (True, KEPT, self._part_texts),
            (True, LEAST, names),
        ):
            kept = sum(_width(chip, text) for chip, text in zip(self._chips, said, strict=True))
            left = room(is_close) - kept
            part = next((text for text in texts if self._part_width(text) <= left), "")
            if part:
                break
        self._set_close(is_close)
        self.part.setText(part)
        self.part.setFixedWidth(self._part_width(part))
        left = room(is_close) - self._part_width(part)
        left -= 0 if self.findings.isHidden() else self.findings.sizeHint().width()
        for of_board, of_proof in ((0, 0), (1, 0), (1, 1), (2, 1)):
            board = self._board_texts[min(of_board, len(self._board_texts) - 1)]
            proof = self._proof_texts[min(of_proof, len(self._proof_texts) - 1)]
            if _width(self.board, board) + _width(self.proof, proof) <= left:
                break
        for chip, text in ((self.board, board), (self.proof, proof)):
            if chip.text() != text:
                chip.setText(text)
        row.invalidate()

    def _part_width(self, text: str) -> int:
        return self.part.fontMetrics().horizontalAdvance(text) + 2

    def _pages_width(self, is_close: bool) -> int:
        """Pixels of the menu and the pages, by how close they stand; found once for a size of letters."""
        if is_close not in self._page_widths:
            self._set_close(is_close)
            widths = [one.sizeHint().width() for one in (self.menu_button, *self.pages)]
            self._page_widths[is_close] = sum(widths)
        return self._page_widths[is_close]

    def _set_close(self, is_close: bool) -> None:
        """Pages stand closer together, so that their names are whole."""
        row = self.layout()
        if row is None or self.pages[0].property("isNarrow") == is_close:
            return
        row.setSpacing(CLOSE if is_close else SPACING)
        for button in (self.menu_button, *self.pages):
            button.setProperty("isNarrow", is_close)
            style = button.style()
            if style is not None:
                style.unpolish(button)
                style.polish(button)
            button.updateGeometry()

    def show_workspace(self, workspace: Workspace, is_clean: bool) -> None:
        """Name of the project, and what it is for."""
        self.title.setText(workspace.project.name + ("" if is_clean else " •"))
        clock = format_si(workspace.bus_clock_hz, "Hz")
        name, volts = workspace.part.name, f"{workspace.reference_v:.3f} V"
        self._part_texts = (f"{name} · {clock} · {volts}", f"{name} · {clock}", name)
        self.part.setToolTip(f"{self._part_texts[0]}\nA click opens the part's sheet")
        unsaved = "" if is_clean else "\nThere are changes that have not been saved"
        self.title.setToolTip(f"{self._part_texts[0]}{unsaved}")
        self._fit()

    def show_findings(self, short: str, full: str, has_errors: bool) -> None:
        """How many findings there are, on every page; nothing where there are none."""
        self.findings.setVisible(bool(short))
        self.findings.setText(short)
        _set_tone(self.findings, "bad" if has_errors else "")
        self.findings.setToolTip(f"Findings: {full} (Ctrl+G)")
        self.findings.setAccessibleName(f"Findings: {full}")
        self._fit()

    def show_page(self, number: int) -> None:
        """Mark a page."""
        self.pages[number].setChecked(True)

    def show_snapshot(self, snapshot: Snapshot) -> None:
        """State of the board."""
        names = {
            "off": "Board off",
            "idle": "Board ready",
            "running": "Board running",
            "failed": "Board failed",
        }
        what = names[snapshot.state].replace("Board", "Image" if snapshot.runs_image else "Board")
        sign = "●" if snapshot.state == "running" else "○"
        texts = [f"{sign} {what}", f"{sign} {what.split(' ')[1].capitalize()}"]
        tone = "bad" if snapshot.state == "failed" or snapshot.lost_cycles else ""
        if snapshot.state in {"idle", "running"}:
            if snapshot.mark_matches is False:
                texts = [f"✕ Board has build {snapshot.build_id}", "✕ Another build"]
                tone = "bad"
            elif snapshot.mark_matches:
                texts.insert(0, f"{texts[0]} · build {snapshot.build_id[:4]}")
            if snapshot.lost_cycles:
                texts = [f"{text} · {snapshot.lost_cycles} lost" for text in texts]
        self._board_texts = tuple(texts)
        _set_tone(self.board, tone)
        tip = snapshot.message or snapshot.board or "Click to choose a board"
        if snapshot.mark_matches is False:
            tip = "The board was built from another design: expected values may not fit. Build and load it again."
        elif snapshot.state == "running":
            tip += f"\n{snapshot.seconds:.1f} s, {snapshot.samples} samples, {snapshot.lost_cycles} scans lost"
        self.board.setToolTip(f"{texts[0]}\n{tip}")
        self.board.setAccessibleName(texts[0])
        self.run_button.setText("Stop" if snapshot.state == "running" else "Run")
        recording = snapshot.recording is not None
        self.record_button.setText(
            f"Stop recording · {snapshot.seconds - snapshot.recording_since_s:.0f} s"
            if recording
            else "Record"
        )
        self._fit()

    def show_proof(self, proof: Proof | None) -> None:
        """The proof in a few words."""
        if proof is None:
            self._proof_texts = ("Prove",)
            _set_tone(self.proof, "")
            self._fit()
            return
        fails = f"fail{'s' if proof.count('fails') == 1 else ''}"
        counts = [("✓", proof.count("holds"), "hold"), ("✕", proof.count("fails"), fails)]
        counts.append(("○", proof.count("open"), "open"))
        told = [(sign, count, word) for sign, count, word in counts if count or sign == "✓"]
        fault = ["firmware failed"] if proof.fault else []
        self._proof_texts = (
            " · ".join([*(f"{sign} {count} {word}" for sign, count, word in told), *fault]),
            " ".join([*(f"{sign} {count}" for sign, count, _word in told), *fault]),
        )
        self.proof.setAccessibleName(self._proof_texts[0])
        is_bad = proof.count("fails") or proof.fault
        _set_tone(self.proof, "bad" if is_bad else "good" if proof.all_hold else "")
        self._fit()


def _width(chip: QPushButton, text: str) -> int:
    """Pixels of a chip that says so."""
    metrics = chip.fontMetrics()
    return (
        chip.sizeHint().width()
        - metrics.horizontalAdvance(chip.text())
        + metrics.horizontalAdvance(text)
    )


def _set_tone(chip: QPushButton, tone: str) -> None:
    if chip.property("tone") != tone:
        chip.setProperty("tone", tone)
        style = chip.style()
        if style is not None:
            style.unpolish(chip)
            style.polish(chip)
