"""A project on another part: what carries over, what takes another name or value, and what is left to
choose."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.model.design import Workspace
from wattigram.core.model.design.part_change import PartChange, on_other_part
from wattigram.core.model.part import Part
from wattigram.desktop.widgets.labels import heading

COLUMNS = ("what", "now", "on the other part")
MOST_FAULTS = 6


class PartChangeDialog(QDialog):
    """Shows the change before it is made; whatever has candidates can be chosen."""

    wanted = pyqtSignal(object, object)
    """The project as it would be, and the part."""

    def __init__(self, parent: QWidget, workspace: Workspace, part: Part, identifier: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"{workspace.project.name} on {part.name}")
        self._workspace, self._part, self._identifier = workspace, part, identifier
        self._chosen: dict[tuple[str, str], str] = {}
        self.change: PartChange | None = None
        self.boxes: dict[tuple[str, str], QComboBox] = {}
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setHorizontalHeaderLabels(list(COLUMNS))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setAccessibleName("What changes")
        rows = self.table.verticalHeader()
        if rows is not None:
            rows.hide()
        header = self.table.horizontalHeader()
        if header is not None:
            header.setStretchLastSection(True)
        self.faults = QLabel()
        self.faults.setObjectName("bad")
        self.faults.setWordWrap(True)
        self.make = QPushButton("Change the part")
        self.make.setObjectName("primary")
        self.make.clicked.connect(self._make)
        leave = QPushButton("Leave it")
        leave.clicked.connect(self.reject)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 14)
        column.addWidget(heading(f"{workspace.part.name} → {part.name}".upper()))
        column.addWidget(self.told)
        column.addWidget(self.table, 1)
        column.addWidget(self.faults)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(leave)
        foot.addWidget(self.make)
        column.addLayout(foot)
        self.resize(760, 560)
        self._show()

    def _show(self) -> None:
        old = self._workspace
        change = on_other_part(old.project, old.part, self._part, self._identifier, self._chosen)
        self.change = change
        count = len(change.replacements)
        carried = (
            "Everything carries over as it is."
            if not count
            else f"{count} things change; all others carry over as they are."
        )
        self.told.setText(
            carried
            if change.fits
            else f"{count} things change, and some the part cannot do at all."
        )
        self.boxes = {}
        self.table.setRowCount(count)
        for row, one in enumerate(change.replacements):
            self.table.setItem(row, 0, QTableWidgetItem(one.kind))
            self.table.setItem(row, 1, QTableWidgetItem(one.before))
            if len(one.candidates) > 1:
                box = QComboBox()
                box.addItems(one.candidates)
                box.setCurrentText(one.after)
                box.setAccessibleName(f"{one.kind} for {one.before}")
                box.activated.connect(partial(self._choose, one.key, box))
                self.boxes[one.key] = box
                self.table.setCellWidget(row, 2, box)
            else:
                self.table.removeCellWidget(row, 2)
                item = QTableWidgetItem(one.after or "nothing can")
                self.table.setItem(row, 2, item)
        self.table.resizeColumnsToContents()
        shown = change.faults[:MOST_FAULTS]
        more = len(change.faults) - len(shown)
        self.faults.setText("\n".join([*shown, *([f"and {more} more"] if more > 0 else [])]))
        self.faults.setVisible(bool(shown))
        self.make.setEnabled(change.fits)

    def _choose(self, key: tuple[str, str], box: QComboBox, _number: int) -> None:
        self._chosen[key] = box.currentText()
        self._show()

    def _make(self) -> None:
        if self.change is not None and self.change.project is not None:
            self.wanted.emit(self.change.project, self._part)
        self.accept()


def ask_change(
    parent: QWidget, workspace: Workspace, part: Part, identifier: str
) -> PartChangeDialog:
    """Show it beside the window, which stays usable."""
    dialog = PartChangeDialog(parent, workspace, part, identifier)
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.show()
    return dialog
