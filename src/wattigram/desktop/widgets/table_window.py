"""Drawings as tables, in a window of their own."""

from __future__ import annotations

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from wattigram.desktop.widgets.seen_table import SeenTable

WIDEST = 420
"""Of a column, in pixels; the whole text is its tip."""
NOTHING = "Nothing is drawn here that does not stand in words already."


class _Cells(QAbstractTableModel):
    """The cells of one table, asked for as they come into sight."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.shown = SeenTable("", (), ())

    def show_table(self, shown: SeenTable) -> None:
        """Another table, or the same one anew."""
        self.beginResetModel()
        self.shown = shown
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """Rows, none below a cell."""
        return 0 if parent is not None and parent.isValid() else len(self.shown.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        """Columns, none below a cell."""
        return 0 if parent is not None and parent.isValid() else len(self.shown.head)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> str | None:
        """The text of a cell, which is its tip too."""
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        return self.shown.rows[index.row()][index.column()] if index.isValid() else None

    def headerData(
        self,
        section: int,
        orientation: Qt.Orientation,
        role: int = Qt.ItemDataRole.DisplayRole,
    ) -> str | None:
        """Names of columns."""
        if orientation is Qt.Orientation.Vertical or role != Qt.ItemDataRole.DisplayRole:
            return None
        return self.shown.head[section]


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
        self.table = QTableView()
        self._cells = _Cells(self.table)
        self.table.setModel(self._cells)
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
        shown, at = self.shown, self.table.currentIndex()
        place = at.row(), at.column()  # the index itself goes with the table that it was of
        self._cells.show_table(shown or SeenTable("", (), ()))
        rows, columns = self._cells.rowCount(), self._cells.columnCount()
        self.copy.setEnabled(shown is not None)
        self.count.setText(
            f"{rows} row{'s' if rows != 1 else ''}" if shown is not None else NOTHING
        )
        self.table.setAccessibleName(shown.title if shown is not None else NOTHING)
        self.table.resizeColumnsToContents()
        for column in range(columns):
            self.table.setColumnWidth(column, min(WIDEST, self.table.columnWidth(column) + 14))
        if rows:
            row, column = min(max(0, place[0]), rows - 1), min(max(0, place[1]), columns - 1)
            self.table.setCurrentIndex(self._cells.index(row, column))

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None and self.shown is not None:
            clipboard.setText(self.shown.text)
