"""Drawings as tables, in a window of their own."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
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

from wattigram.desktop.widgets.seen_table import SeenTable

WIDEST = 420
"""Of a column, in pixels; the whole text is its tip."""
NOTHING = "Nothing is drawn here that does not stand in words already."


class TableWindow(QDialog):
    """One table at a time, chosen by its name; it is read anew with the page, and stays where it was."""

    again_wanted = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._tables: tuple[SeenTable, ...] = ()
        self.which = QComboBox()
        self.which.setAccessibleName("Which drawing")
        self.which.currentIndexChanged.connect(lambda _number: self._fill())
        self.count = QLabel()
        self.count.setObjectName("soft")
        again = QPushButton("Read again")
        again.setShortcut("F5")
        again.setToolTip("Read the page again, F5")
        again.clicked.connect(self.again_wanted)
        self.copy = QPushButton("Copy")
        self.copy.setToolTip("The table with tabs, for a sheet or a text")
        self.copy.clicked.connect(self._copy)
        self.table = QTableWidget()
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)  # Tab leaves the table; arrows move in it
        side, head = self.table.verticalHeader(), self.table.horizontalHeader()
        assert side is not None
        assert head is not None
        side.hide()
        head.setStretchLastSection(True)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        bar = QHBoxLayout()
        for part in (self.which, self.count):
            bar.addWidget(part)
        bar.addStretch(1)
        for button in (again, self.copy):
            button.setAutoDefault(False)
            bar.addWidget(button)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(14, 12, 14, 12)
        whole.addLayout(bar)
        whole.addWidget(self.table, 1)
        self.resize(1000, 520)

    @property
    def shown(self) -> SeenTable | None:
        """The table that is seen."""
        number = self.which.currentIndex()
        return self._tables[number] if 0 <= number < len(self._tables) else None

    def show_tables(self, page: str, tables: tuple[SeenTable, ...]) -> None:
        """Show a page's drawings, the same one as before where it is still there."""
        if page == self.windowTitle() and tables == self._tables:
            return
        before = self.which.currentText()
        self.setWindowTitle(page)
        self._tables = tables
        self.which.blockSignals(True)
        self.which.clear()
        self.which.addItems([table.title for table in tables])
        self.which.setCurrentIndex(max(0, self.which.findText(before)) if tables else -1)
        self.which.blockSignals(False)
        self.which.setEnabled(bool(tables))
        self._fill()

    def _fill(self) -> None:
        shown, place = self.shown, (self.table.currentRow(), self.table.currentColumn())
        head, rows = (shown.head, shown.rows) if shown is not None else ((), ())
        self.copy.setEnabled(shown is not None)
        self.count.setText(
            f"{len(rows)} row{'s' if len(rows) != 1 else ''}" if shown is not None else NOTHING
        )
        self.table.setAccessibleName(shown.title if shown is not None else NOTHING)
        self.table.clear()
        self.table.setColumnCount(len(head))
        self.table.setRowCount(len(rows))
        self.table.setHorizontalHeaderLabels(head)
        for number, row in enumerate(rows):
            for column, text in enumerate(row):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                self.table.setItem(number, column, item)
        self.table.resizeColumnsToContents()
        for column in range(len(head)):
            self.table.setColumnWidth(column, min(WIDEST, self.table.columnWidth(column) + 14))
        if rows:
            self.table.setCurrentCell(
                min(max(0, place[0]), len(rows) - 1), min(max(0, place[1]), len(head) - 1)
            )

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None and self.shown is not None:
            clipboard.setText(self.shown.text)
