"""Several takes against one set of expectations, in a window of their own."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QCheckBox,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.judge.several_takes import TakeProof, as_table, marked, side_by_side
from wattigram.core.judge.verdict import outcome_text
from wattigram.desktop.theme import color, theme


class SeveralTakes(QDialog):
    """A row for each expectation, a column for each take; a column opens its take's proof."""

    take_wanted = pyqtSignal(object)
    """Path of a take."""

    def __init__(self, parent: QWidget, takes: tuple[TakeProof, ...]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Takes side by side")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._takes = takes
        self.rows = side_by_side(takes)
        self.summary = QLabel("\n".join(f"{one.path.stem}: {one.counts_text}" for one in takes))
        self.summary.setObjectName("soft")
        self.summary.setWordWrap(True)
        self.only = QCheckBox("only what differs")
        self.only.toggled.connect(self._fill)
        self.copy = QPushButton("Copy")
        self.copy.clicked.connect(self._copy)
        self.table = QTableWidget(0, 1 + len(takes))
        self.table.setHorizontalHeaderLabels(["Must hold", *(one.path.stem for one in takes)])
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("What each expectation comes to in each take")
        side, head = self.table.verticalHeader(), self.table.horizontalHeader()
        assert side is not None
        assert head is not None
        side.hide()
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setToolTip("A click opens the proof of a take")
        head.sectionClicked.connect(self._open)
        self.table.cellActivated.connect(lambda _row, column: self._open(column))
        bar = QHBoxLayout()
        bar.addWidget(self.summary, 1)
        bar.addWidget(self.only)
        bar.addWidget(self.copy)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(14, 12, 14, 12)
        whole.addLayout(bar)
        whole.addWidget(self.table, 1)
        self.resize(860, 460)
        self._fill()

    def _fill(self) -> None:
        shown = [row for row in self.rows if row.differs or not self.only.isChecked()]
        self.table.setRowCount(len(shown))
        t = theme()
        shades = {"holds": t.good, "fails": t.bad, "open": t.soft}
        for number, row in enumerate(shown):
            self.table.setItem(number, 0, QTableWidgetItem(row.text))
            for column, cell in enumerate(row.cells, start=1):
                item = QTableWidgetItem(marked(cell))
                if cell is not None:
                    item.setForeground(color(shades[cell.outcome]))
                    item.setToolTip(f"{outcome_text(cell.outcome)}: {cell.note}")
                    item.setData(
                        Qt.ItemDataRole.AccessibleTextRole,
                        f"{outcome_text(cell.outcome)}, {cell.text}",
                    )
                self.table.setItem(number, column, item)

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(as_table(self._takes, "\t"))

    def _open(self, column: int) -> None:
        if column > 0 and self._takes[column - 1].proof is not None:
            self.take_wanted.emit(self._takes[column - 1].path)
