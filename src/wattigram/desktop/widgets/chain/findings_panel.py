"""Findings as cards: a sentence with numbers, and its cure by Enter."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout, QWidget

from wattigram.core.advise.findings import Finding
from wattigram.desktop.theme import heading_font, text_font
from wattigram.desktop.widgets.flow import FlowLayout
from wattigram.desktop.widgets.labels import FixLabel


class FindingCard(QFrame):
    """One finding; Enter applies its remedy."""

    cured = pyqtSignal(object)
    chosen = pyqtSignal(object)
    acceptance_wanted = pyqtSignal(object)
    """It is to be accepted, or no longer."""
    numbers_wanted = pyqtSignal(object)
    """Where its numbers come from is to be shown."""

    def __init__(self, finding: Finding) -> None:
        super().__init__()
        self.finding = finding
        self.setObjectName("card")
        self.setProperty("tone", "" if finding.accepted else finding.severity)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{finding.severity}: {finding.title}")
        self.setAccessibleDescription(finding.message)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 8)
        column.setSpacing(3)
        title = QLabel(finding.title)
        title.setFont(text_font(0, QFont.Weight.DemiBold))
        title.setWordWrap(True)
        message = QLabel(finding.message)
        message.setObjectName("soft")
        message.setFont(text_font(-0.5))
        message.setWordWrap(True)
        column.addWidget(title)
        column.addWidget(message)
        if finding.remedy is not None:
            cure = FixLabel(finding.fix)
            cure.clicked.connect(lambda: self.cured.emit(self.finding))
            column.addWidget(cure)
        told = f"Accepted: {finding.accepted}" if finding.accepted else ""
        if finding.formerly:
            told = f"Accepted when it said something else: {finding.formerly}"
        if told:
            reason = QLabel(told)
            reason.setFont(text_font(-0.5))
            reason.setWordWrap(True)
            column.addWidget(reason)
            self.setAccessibleDescription(f"{finding.message} {told}")
        self.accept = QPushButton("Reconsider" if finding.accepted else "Accept…")
        self.accept.setObjectName("link")
        self.accept.setAccessibleName(f"{self.accept.text()} {finding.title}")
        if not finding.accepted:
            self.accept.setToolTip("Accept it, with a reason: it counts no more")
        self.accept.clicked.connect(lambda: self.acceptance_wanted.emit(self.finding))
        links = QWidget()
        links.setObjectName("plain")
        row = FlowLayout(links, gap=8)
        row.setContentsMargins(0, 0, 0, 0)
        if finding.why:
            self.why = QLabel(f"What comes of it: {finding.why}")
            self.why.setFont(text_font(-0.5))
            self.why.setWordWrap(True)
            self.why.hide()
            column.addWidget(self.why)
            self.asks = QPushButton("Why it matters")
            self.asks.setObjectName("link")
            self.asks.setAccessibleName(f"Why it matters: {finding.title}")
            self.asks.clicked.connect(lambda: self.why.setVisible(self.why.isHidden()))
            row.addWidget(self.asks)
        self.numbers = QPushButton("Where from?")
        self.numbers.setObjectName("link")
        self.numbers.setAccessibleName(f"Where do its numbers come from: {finding.title}")
        self.numbers.setToolTip("Formulas and values of the place that it speaks of")
        self.numbers.clicked.connect(lambda: self.numbers_wanted.emit(self.finding))
        for link in (self.numbers, self.accept):
            row.addWidget(link)
        column.addWidget(links)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter cures."""
        if (
            event is not None
            and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and self.finding.remedy is not None
        ):
            self.cured.emit(self.finding)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Show the place that the finding speaks of."""
        self.chosen.emit(self.finding)
        super().mousePressEvent(event)


class FindingsPanel(QWidget):
    """All findings, the gravest first."""

    cured = pyqtSignal(object)
    chosen = pyqtSignal(object)
    acceptance_wanted = pyqtSignal(object)
    numbers_wanted = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("plain")
        self._findings: tuple[Finding, ...] | None = None
        self.cards: list[FindingCard] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(8)
        self._title = QLabel()
        self._title.setFont(heading_font())
        self._title.setObjectName("faint")
        self._column.addWidget(self._title)
        self._none = QLabel("Nothing is wrong with this design, as far as can be calculated.")
        self._none.setObjectName("soft")
        self._none.setWordWrap(True)
        self._column.addWidget(self._none)

    def show_findings(self, findings: tuple[Finding, ...]) -> None:
        """Show findings; cards that stay keep the focus."""
        if findings == self._findings:
            return
        self._findings = findings
        had_focus = any(card.hasFocus() for card in self.cards)
        for card in self.cards:
            self._column.removeWidget(card)
            card.hide()
            card.deleteLater()
        self.cards = []
        for finding in findings:
            card = FindingCard(finding)
            card.cured.connect(self.cured)
            card.chosen.connect(self.chosen)
            card.acceptance_wanted.connect(self.acceptance_wanted)
            card.numbers_wanted.connect(self.numbers_wanted)
            self._column.addWidget(card)
            self.cards.append(card)
        accepted = sum(bool(finding.accepted) for finding in findings)
        told = f" · {accepted} ACCEPTED" if accepted else ""
        self._title.setText(f"FINDINGS · {len(findings) - accepted}{told}")
        self._title.setFont(heading_font())
        self._none.setVisible(not findings)
        if had_focus and self.cards:
            self.cards[0].setFocus()

    def focus_first(self) -> None:
        """Give the focus to the gravest finding."""
        if self.cards:
            self.cards[0].setFocus(Qt.FocusReason.ShortcutFocusReason)
