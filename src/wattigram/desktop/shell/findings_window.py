"""All findings in a window beside the pages, by severity."""

from __future__ import annotations

from collections import Counter
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.advise.findings import Finding
from wattigram.desktop.widgets.chain.findings_panel import FindingsPanel

ALL = "all"
SEVERITIES = ("error", "warning", "note")
ACCEPTED = "accepted"


def findings_text(findings: tuple[Finding, ...], short: bool = False) -> str:
    """How many there are of each severity that nobody has accepted; "" for none."""
    counts: Counter[str] = Counter(one.severity for one in findings if not one.accepted)
    marks = {"error": "✕", "warning": "!", "note": "·"}
    if short:
        return " ".join(f"{marks[one]}{counts[one]}" for one in SEVERITIES if counts[one])
    return " · ".join(
        f"{counts[one]} {one}{'s' if counts[one] > 1 else ''}" for one in SEVERITIES if counts[one]
    )


class FindingsWindow(QDialog):
    """Follows the design; a click shows the place of a finding, Enter on it applies its fix."""

    chosen = pyqtSignal(object)
    cured = pyqtSignal(object)
    acceptance_wanted = pyqtSignal(object)
    numbers_wanted = pyqtSignal(object)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Findings")
        self._findings: tuple[Finding, ...] = ()
        self._shown = ALL
        self.panel = FindingsPanel()
        self.panel.chosen.connect(self.chosen)
        self.panel.cured.connect(self.cured)
        self.panel.acceptance_wanted.connect(self.acceptance_wanted)
        self.panel.numbers_wanted.connect(self.numbers_wanted)
        self.filters: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        row = QHBoxLayout()
        for name in (ALL, *SEVERITIES, ACCEPTED):
            button = QPushButton()
            button.setObjectName("chip")
            button.setCheckable(True)
            button.clicked.connect(partial(self._filter, name))
            group.addButton(button)
            self.filters[name] = button
            row.addWidget(button)
        row.addStretch(1)
        self.filters[ALL].setChecked(True)
        self.none = QLabel("None of this kind.")
        self.none.setObjectName("soft")
        inner = QWidget()
        inner.setObjectName("page")
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.addWidget(self.panel)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inner)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(14, 12, 14, 12)
        whole.addLayout(row)
        whole.addWidget(self.none)
        whole.addWidget(area, 1)
        self.resize(460, 520)

    def show_findings(self, findings: tuple[Finding, ...]) -> None:
        """Show what is found now."""
        self._findings = findings
        counts: Counter[str] = Counter(_kind(finding) for finding in findings)
        counts[ALL] = len(findings)
        for name, button in self.filters.items():
            button.setText(f"{f'{name}s' if name in SEVERITIES else name} · {counts[name]}")
        self._list()

    def _filter(self, name: str, _checked: bool = False) -> None:
        self._shown = name
        self._list()

    def _list(self) -> None:
        shown = tuple(one for one in self._findings if self._shown in (ALL, _kind(one)))
        self.panel.show_findings(shown)
        is_filtered = self._shown != ALL and not shown
        self.none.setVisible(is_filtered)
        self.panel.setVisible(not is_filtered)


def _kind(finding: Finding) -> str:
    return ACCEPTED if finding.accepted else finding.severity
