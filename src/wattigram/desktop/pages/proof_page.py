"""The Proof page: what must hold, what holds, evidence, likely cause, cure."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.judge import Evidence, LikelyCause, Proof, Verdict
from wattigram.core.judge.since_last import Change, changes
from wattigram.core.judge.verdict import outcome_text
from wattigram.core.judge.wording import expectation_text
from wattigram.core.model.design import Project
from wattigram.core.model.design.expectation import Expectation
from wattigram.desktop.theme import color, heading_font, text_font, theme
from wattigram.desktop.widgets.drawing import draw_verdict, elide
from wattigram.desktop.widgets.labels import FixLabel
from wattigram.desktop.widgets.proof.evidence_tables import proof_table
from wattigram.desktop.widgets.proof.evidence_view import EvidenceView
from wattigram.desktop.widgets.proof.expectation_form import ExpectationForm
from wattigram.desktop.widgets.seen_table import SeenTable

OUTCOMES = {"holds": True, "fails": False, "open": None}
KIND_ROOM = 62.0
"""Pixels for the kind, at the right of a row."""
KIND_TEXTS = {"redundant-pair": "redundant"}
"""Kinds that are too long for their place."""


class VerdictRow(QWidget):
    """One expectation with its verdict."""

    chosen = pyqtSignal(int)

    def __init__(self, number: int, verdict: Verdict, change: Change | None = None) -> None:
        super().__init__()
        self.verdict = verdict
        self.said = outcome_text(verdict.outcome)
        """The outcome, and that it was another one before."""
        if change is not None and change.is_turned:
            self.said += f" (before: {outcome_text(change.before.outcome)})"
        self.number = number
        self.is_current = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{self.said}: {verdict.text}")
        self.setToolTip(
            f"{verdict.text}\n{verdict.note}\nallowed: "
            f"{verdict.limits_text or 'see text'}\n{verdict.samples} samples"
            + (f"\nbefore: {change.text}" if change is not None else "")
        )

    def _text_rect(self, width: int) -> QRectF:
        return QRectF(28, 8, max(60, width - 28 - KIND_ROOM - 10), 1000)

    def sizeHint(self) -> QSize:
        """Two lines or three."""
        return QSize(260, self.heightForWidth(260))

    def hasHeightForWidth(self) -> bool:
        """The sentence wraps."""
        return True

    def heightForWidth(self, width: int) -> int:
        """Height of the wrapped sentence and the note."""
        metrics = self.fontMetrics()
        wrapped = metrics.boundingRect(
            self._text_rect(width).toRect(), int(Qt.TextFlag.TextWordWrap), self.verdict.text
        )
        return wrapped.height() + metrics.height() + 18

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint mark, sentence, kind and what was seen."""
        t = theme()
        painter = QPainter(self)
        if self.is_current:
            painter.fillRect(
                self.rect(), color(t.bad_tint if self.verdict.outcome == "fails" else t.band)
            )
        good = OUTCOMES[self.verdict.outcome]
        draw_verdict(
            painter, QRectF(9, 10, 11, 11), good, color(t.good), color(t.bad), color(t.faint)
        )
        area = self._text_rect(self.width())
        painter.setFont(
            text_font(0, QFont.Weight.DemiBold if good is False else QFont.Weight.Normal)
        )
        painter.setPen(color(t.ink))
        area.setHeight(self.height() - self.fontMetrics().height() - 14)
        painter.drawText(area, int(Qt.TextFlag.TextWordWrap), self.verdict.text)
        painter.setFont(text_font(-1))
        painter.setPen(color(t.bad if good is False else t.soft))
        line = float(self.fontMetrics().height())
        elide(
            painter,
            QRectF(28, self.height() - line - 6, self.width() - 36, line),
            f"{self.said}: {self.verdict.note}",
        )
        painter.setPen(color(t.faint))
        painter.drawText(
            QRectF(self.width() - KIND_ROOM - 8, 8, KIND_ROOM, line),
            Qt.AlignmentFlag.AlignRight,
            _kind_text(self.verdict),
        )
        painter.setPen(color(t.action) if self.hasFocus() else color(t.hairline))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose."""
        self.setFocus()
        self.chosen.emit(self.number)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Up, down and Enter."""
        key = event.key() if event is not None else 0
        if key == Qt.Key.Key_Down:
            self.chosen.emit(self.number + 1)
        elif key == Qt.Key.Key_Up:
            self.chosen.emit(self.number - 1)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.chosen.emit(self.number)
        elif event is not None:
            super().keyPressEvent(event)


class CauseCard(QFrame):
    """A likely cause; Enter cures it and proves again."""

    cured = pyqtSignal(object)

    def __init__(self, cause: LikelyCause) -> None:
        super().__init__()
        self.cause = cause
        self.setObjectName("card")
        self.setProperty("tone", "error")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"Likely cause: {cause.title}")
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 8)
        column.setSpacing(3)
        title = QLabel(f"{cause.title}")
        title.setFont(text_font(0, QFont.Weight.DemiBold))
        title.setWordWrap(True)
        fit = QLabel(f"{cause.about} · match {cause.fit * 100:.0f} %")
        fit.setFont(text_font(-0.5))
        evidence = QLabel(cause.evidence)
        evidence.setObjectName("soft")
        evidence.setFont(text_font(-0.5))
        evidence.setWordWrap(True)
        for label in (title, fit, evidence):
            column.addWidget(label)
        if cause.remedy is not None:
            cure = FixLabel(f"{cause.fix}, prove again")
            cure.clicked.connect(lambda: self.cured.emit(self.cause))
            column.addWidget(cure)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter cures."""
        if (
            event is not None
            and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and self.cause.remedy is not None
        ):
            self.cured.emit(self.cause)
        else:
            super().keyPressEvent(event)


class ProofPage(QWidget):
    """Verdicts on the left, evidence on the right."""

    prove_wanted = pyqtSignal()
    report_wanted = pyqtSignal()
    cure_wanted = pyqtSignal(object)
    edit_wanted = pyqtSignal(object)
    """An edit of what must hold; what is there is judged anew after it."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        self.proof: Proof | None = None
        self._project: Project | None = None
        """As it is now, which need not be what was proved."""
        self._evidence: tuple[Evidence, ...] = ()
        self._before: tuple[Verdict, ...] = ()
        """Of the proof before this one."""
        self._edited: int | None = None
        """The expectation that was just edited: it stays chosen when it has been judged."""
        self.current = -1
        self.rows: list[VerdictRow] = []
        self.causes: list[CauseCard] = []
        self.view = EvidenceView()
        self._build()
        self._show_empty()

    def _build(self) -> None:
        side = QWidget()
        side.setObjectName("list")
        self._column = QVBoxLayout(side)
        self._column.setContentsMargins(8, 12, 8, 12)
        self._column.setSpacing(0)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(side)
        area.setMinimumWidth(270)
        self._area = area
        right = QWidget()
        right.setObjectName("page")
        column = QVBoxLayout(right)
        column.setContentsMargins(14, 10, 14, 12)
        bar = QHBoxLayout()
        self.summary = QLabel()
        self.summary.setWordWrap(True)
        self.prove_button = QPushButton("Record and prove")
        self.prove_button.setObjectName("primary")
        self.prove_button.clicked.connect(self.prove_wanted)
        self.report_button = QPushButton("Report…")
        self.report_button.clicked.connect(self.report_wanted)
        self.report_button.setEnabled(False)
        bar.addWidget(self.summary, 1)
        bar.addWidget(self.prove_button)
        bar.addWidget(self.report_button)
        column.addLayout(bar)
        self.form = ExpectationForm()
        self.form.edit_wanted.connect(self._on_edit)
        self.view.limit_moved.connect(self.form.say)
        column.addWidget(self.form)
        column.addWidget(self.view, 1)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.addWidget(area)
        self.split.addWidget(right)
        self.split.setStretchFactor(1, 1)
        self.split.setSizes([330, 950])
        self.split.setChildrenCollapsible(False)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.split)

    def _clear(self) -> None:
        while (item := self._column.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.rows, self.causes = [], []
        self.differences: list[QLabel] = []

    def _heading(self, text: str) -> None:
        label = QLabel(text)
        label.setFont(heading_font())
        label.setObjectName("faint")
        label.setContentsMargins(4, 0, 0, 6)
        self._column.addWidget(label)

    def forget(self) -> None:
        """Another project was loaded: nothing is known of it."""
        self.proof, self._evidence, self._project, self.current = None, (), None, -1
        self._before = ()
        self.view.show_evidence(None, 0)
        self.prove_button.setText("Record and prove")
        self.report_button.setEnabled(False)
        self._show_empty()

    def _show_empty(self) -> None:
        self._list()
        self.summary.setText("")

    def show_project(self, project: Project) -> None:
        """Show what must hold now; what was not judged as it is now says so."""
        if self._project is not None and project.expectations == self._project.expectations:
            self._project = project
            self.form.show_expectation(project, self.current)
            return
        self._project = project
        if self._edited is None and self.proof is not None and self.isVisible():
            self._edited = max(0, self.current)  # what is judged anew moves nobody's eye
        self._list()
        self.choose(self.current if self._edited is None else self._edited, focus=False)

    def _on_edit(self, edit: object, number: int) -> None:
        self._edited = number
        self.edit_wanted.emit(edit)

    def _verdicts(self) -> list[Verdict]:
        """A verdict for each thing that must hold now; one that is open where it was not judged."""
        judged = list(self.proof.verdicts) if self.proof is not None else []
        if self._project is None:
            return judged
        made = []
        for number, expectation in enumerate(self._project.expectations):
            found = next((one for one in judged if one.expectation == expectation), None)
            if found is not None:
                judged.remove(found)
            made.append(found or not_judged(number, expectation))
        return made

    def _list(self) -> None:
        """Rows, likely causes and registers, as they are known."""
        self._clear()
        self._heading("WHAT MUST HOLD")
        verdicts = self._verdicts()
        since = changes(self._before, verdicts)
        for number, verdict in enumerate(verdicts):
            row = VerdictRow(number, verdict, since.get(number))
            row.chosen.connect(self.choose)
            self._column.addWidget(row)
            self.rows.append(row)
        proof = self.proof
        if proof is None:
            text = QLabel(
                "Nothing has been proved yet. “Record and prove” runs the board, records a take and "
                "holds it against the expectations."
            )
            text.setWordWrap(True)
            text.setObjectName("soft")
            text.setContentsMargins(4, 10, 0, 0)
            self._column.addWidget(text)
            self._column.addStretch(1)
            return
        if proof.causes:
            self._column.addSpacing(18)
            self._heading("LIKELY CAUSE")
            for cause in proof.causes:
                card = CauseCard(cause)
                card.cured.connect(self.cure_wanted)
                self._column.addWidget(card)
                self._column.addSpacing(8)
                self.causes.append(card)
        elif proof.count("fails"):
            self._column.addSpacing(18)
            self._heading("LIKELY CAUSE")
            text = QLabel("No known mistake fits what is seen.")
            text.setObjectName("soft")
            self._column.addWidget(text)
        if proof.differences:
            self._show_differences(proof.differences)
        self._column.addStretch(1)

    def show_proof(
        self,
        proof: Proof,
        evidence: tuple[Evidence, ...],
        project: Project,
        heading: str,
        again: bool = False,
    ) -> None:
        """Show a proof; the first thing that fails is chosen, unless one was just edited and the same take was
        judged ``again``."""
        if self.proof is not None:
            self._before = self.proof.verdicts
        self.proof, self._evidence, self._project = proof, evidence, project
        self._list()
        self.prove_button.setText("Prove again")
        self.report_button.setEnabled(True)
        warning = (
            ""
            if proof.mark_matches
            else f" · made from build {proof.build_id}, not from the present design"
        )
        turned = sum(one.is_turned for one in changes(self._before, self._verdicts()).values())
        since = f" · {turned} changed since the last proof" if turned else ""
        self.summary.setText(heading + since + warning)
        failing = [row.number for row in self.rows if row.verdict.outcome == "fails"]
        edited, self._edited = self._edited, None
        if edited is not None and again:
            self.choose(edited, focus=False)
            return
        self.choose(failing[0] if failing else 0, focus=False)
        if self.isVisible():
            self.focus_cause()

    def _show_differences(self, differences: tuple[str, ...]) -> None:
        """Registers that firmware sets up otherwise than the design, whatever holds."""
        self._column.addSpacing(18)
        self._heading("THE BOARD'S REGISTERS")
        for line in ("The firmware sets up other registers than the design.", *differences):
            label = QLabel(line)
            label.setWordWrap(True)
            label.setContentsMargins(4, 0, 0, 6)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            self._column.addWidget(label)
            self.differences.append(label)
        self.differences[0].setObjectName("soft")

    def choose(self, number: int, focus: bool = True) -> None:
        """Show one verdict's evidence, and its sentence to be changed."""
        if self._project is None:
            return
        if not self.rows:
            self.current = -1
            self.form.show_expectation(self._project, -1)
            self.view.show_evidence(None, 0)
            return
        self.current = max(0, min(len(self.rows) - 1, number))
        for row in self.rows:
            row.is_current = row.number == self.current
            row.update()
        row = self.rows[self.current]
        if focus:
            row.setFocus()
            self._area.ensureWidgetVisible(row)
        names = [signal.name for signal in self._project.signals]
        index = names.index(row.verdict.signal) if row.verdict.signal in names else 0
        self.form.show_expectation(self._project, self._place_of(row.verdict))
        judged = list(self.proof.verdicts) if self.proof is not None else []
        at = next((number for number, one in enumerate(judged) if one is row.verdict), None)
        self.view.show_evidence(self._evidence[at] if at is not None else None, index)

    @property
    def signal(self) -> str:
        """What the chosen verdict is about; "" without one."""
        return self.rows[self.current].verdict.signal if 0 <= self.current < len(self.rows) else ""

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """What is drawn here, in words."""
        proof = (proof_table(self.proof),) if self.proof is not None else ()
        return (*proof, *self.view.seen_tables())

    def _place_of(self, verdict: Verdict) -> int:
        """Which of the project's expectations a row is about; rows are in their order."""
        assert self._project is not None
        expectations = self._project.expectations
        if self.current < len(expectations) and expectations[self.current] == verdict.expectation:
            return self.current
        return -1

    def focus_cause(self) -> None:
        """Give the focus to the likeliest cause, else to the verdicts."""
        if self.causes:
            self.causes[0].setFocus()
        elif self.rows:
            self.rows[self.current].setFocus()

    def as_text(self) -> str:
        """The proof as a table."""
        if self.proof is None:
            return ""
        return "\n".join("\t".join(row).rstrip("\t") for row in proof_table(self.proof).rows)

    def copy_text(self) -> None:
        """The proof on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.as_text())


def not_judged(number: int, expectation: Expectation) -> Verdict:
    """What is said of an expectation before it was judged."""
    return Verdict(
        index=number,
        expectation=expectation,
        text=expectation_text(expectation),
        outcome="open",
        measured=None,
        unit="",
        low=None,
        high=None,
        samples=0,
        note="not proved yet",
    )


def _kind_text(verdict: Verdict) -> str:
    return KIND_TEXTS.get(verdict.kind, verdict.kind)
