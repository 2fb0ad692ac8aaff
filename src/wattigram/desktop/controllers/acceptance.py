"""Findings that are accepted with a reason, and reconsidered."""

from __future__ import annotations

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QInputDialog, QLabel, QWidget

from wattigram.core.advise.findings import Finding
from wattigram.core.model.design.edits import AcceptFinding, ReconsiderFinding
from wattigram.desktop.state.document import Document

WIDE = 520


class Acceptance(QObject):
    """Asks for the reason; the window stays usable meanwhile."""

    def __init__(self, parent: QWidget, document: Document) -> None:
        super().__init__(parent)
        self._parent, self._document = parent, document
        self.dialog: QInputDialog | None = None

    def ask(self, finding: Finding) -> None:
        """Accept a finding once there is a reason; one that is accepted, no longer."""
        if finding.accepted:
            self._document.edit(ReconsiderFinding(finding.code, finding.where))
            return
        dialog = QInputDialog(self._parent)
        dialog.setWindowTitle("Accept a finding")
        dialog.setLabelText(
            f"{finding.title}: {finding.message}\n\nWhy may it stay? The reason is kept in the project and shown in reports; "
            "it holds as long as the finding says the same."
        )
        for label in dialog.findChildren(QLabel):
            label.setWordWrap(True)
        dialog.setTextValue(finding.formerly)
        dialog.resize(WIDE, dialog.sizeHint().height())
        dialog.setOkButtonText("Accept")
        dialog.textValueSelected.connect(
            lambda reason: self._document.edit(
                AcceptFinding(finding.code, finding.where, finding.message, reason)
            )
        )
        dialog.finished.connect(self._forget)
        self.dialog = dialog
        dialog.open()

    def _forget(self, _result: int) -> None:
        if self.dialog is not None:
            self.dialog.deleteLater()
        self.dialog = None
