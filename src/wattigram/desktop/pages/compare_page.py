"""The Compare page: the design at hand beside another one."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QCheckBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.advise.comparison import DesignDifference, compare_designs, value_text
from wattigram.core.base.errors import WattigramError
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.desktop.state.document import Document
from wattigram.desktop.theme import color, heading_font, number_font, text_font, theme

HEADS = ("", "FIGURE", "NOW", "OTHER", "")


class ComparePage(QWidget):
    """Rates, errors, load and memory of two designs side by side; follows every edit."""

    error = pyqtSignal(str)
    open_wanted = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("page")
        self._document = document
        self._other: Workspace | None = None
        self._name = ""
        self._with_file = False
        """It is the project's own file, which may be saved again."""
        self.rows: tuple[DesignDifference, ...] = ()
        self.title = QLabel()
        self.title.setFont(heading_font())
        self.title.setObjectName("faint")
        self.every = QCheckBox("show unchanged")
        self.every.toggled.connect(self._fill)
        self.saved_button = QPushButton("With the file as saved")
        self.saved_button.clicked.connect(self.compare_saved)
        self.other_button = QPushButton("With another project…")
        self.other_button.clicked.connect(self.open_wanted)
        self.keep_button = QPushButton("With the design as it is now")
        self.keep_button.setToolTip(
            "Keeps the present design; edits made from now on stand beside it"
        )
        self.keep_button.clicked.connect(self.compare_now)
        bar = QHBoxLayout()
        bar.addWidget(self.title)
        bar.addStretch(1)
        for widget in (self.every, self.keep_button, self.saved_button, self.other_button):
            bar.addWidget(widget)
        self.table = QTableWidget(0, len(HEADS))
        self._name_columns(HEADS[3])
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setAccessibleName("Figures of two designs")
        self.table.setShowGrid(False)
        side = self.table.verticalHeader()
        if side is not None:
            side.hide()
        head = self.table.horizontalHeader()
        if head is not None:
            head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            head.setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
            head.setHighlightSections(False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 12, 18, 12)
        layout.addLayout(bar)
        self.nothing = QLabel()
        self.nothing.setObjectName("soft")
        self.nothing.setWordWrap(True)
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        layout.addWidget(self.nothing, 1)
        layout.addWidget(self.table, 1)
        document.changed.connect(self._on_changed)
        document.replaced.connect(self.forget)
        document.stack.cleanChanged.connect(self._on_clean)
        self._fill()

    def _name_columns(self, other: str) -> None:
        """Heads above their columns, those of numbers to the right."""
        for column, text in enumerate((*HEADS[:3], other, HEADS[4])):
            item = QTableWidgetItem(text)
            side = Qt.AlignmentFlag.AlignRight if column in (2, 3) else Qt.AlignmentFlag.AlignLeft
            item.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
            self.table.setHorizontalHeaderItem(column, item)

    def compare_saved(self) -> None:
        """Against the project's own file."""
        if self._document.path is None:
            self.error.emit("The project has no file yet. Save it, or compare with another one.")
            return
        self.compare_file(self._document.path)
        self._with_file = self._other is not None

    def compare_file(self, path: Path) -> None:
        """Against a project file."""
        try:
            self._show(open_workspace(path), path.name.removesuffix(".wattigram.toml"))
        except WattigramError as fault:
            self.error.emit(str(fault))

    def compare_now(self) -> None:
        """Against the design as it is at this moment, whatever is edited later."""
        self._show(self._document.workspace, "as it was")

    def _show(self, other: Workspace, name: str) -> None:
        self._other, self._name, self._with_file = other, name, False
        self._fill()

    def _on_changed(self, _workspace: object, _before: object) -> None:
        if self._other is not None and self.isVisible():
            self._fill()

    def showEvent(self, event: object) -> None:
        """Edits made elsewhere are seen; where nothing was chosen it is the file as saved."""
        super().showEvent(event)  # type: ignore[arg-type]
        if self._other is None and self._document.path is not None:
            self.compare_saved()
        self._fill()

    def forget(self) -> None:
        """Another project was loaded: it is compared with its own file."""
        self._other, self._with_file = None, False
        self._fill()

    def _on_clean(self, is_clean: bool) -> None:
        """What was saved is the file as saved from now on."""
        if is_clean and self._with_file and self._document.path is not None:
            self.compare_saved()

    def _fill(self) -> None:
        other = self._other
        if other is None:
            self.title.setText("CHOOSE WHAT TO COMPARE WITH")
            self.table.setRowCount(0)
            self._say_nothing("The design as it is now, the file as saved, or another project.")
            return
        self.rows = compare_designs(self._document.workspace, other)
        different = [row for row in self.rows if not row.is_equal]
        self.title.setText(
            f"{len(different)} OF {len(self.rows)} FIGURES DIFFER FROM “{self._name.upper()}”"
        )
        self._name_columns(self._name.upper())
        shown = self.rows if self.every.isChecked() else different
        self.table.setRowCount(len(shown))
        self._say_nothing(
            ""
            if shown
            else f"All {len(self.rows)} figures are as in “{self._name}”. “Show unchanged” lists them."
        )
        before = ""
        for row, difference in enumerate(shown):
            self._fill_row(
                row, difference, "" if difference.subject == before else difference.subject
            )
            before = difference.subject

    def _say_nothing(self, text: str) -> None:
        """In the place of a table without rows."""
        self.nothing.setText(text)
        self.nothing.setVisible(bool(text))
        self.table.setVisible(not text)

    def _fill_row(self, row: int, difference: DesignDifference, subject: str) -> None:
        t = theme()
        word = {"a": "✓ better now", "b": "✕ better in the other", "": ""}[difference.better]
        texts = (
            subject,
            difference.figure,
            value_text(difference.a, difference.unit),
            value_text(difference.b, difference.unit),
            word,
        )
        for column, text in enumerate(texts):
            item = QTableWidgetItem(text)
            item.setFont(number_font(-0.5) if column in (2, 3) else text_font(-0.5))
            if column in (2, 3):
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            shade = t.soft if difference.is_equal else t.ink
            if column == 4:
                shade = t.good if difference.better == "a" else t.bad
            item.setForeground(color(shade))
            self.table.setItem(row, column, item)

    def copy_text(self) -> None:
        """The table on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            lines = [f"figure\tnow\t{self._name}"]
            lines += [
                f"{row.subject}, "
                f"{row.figure}\t{value_text(row.a, row.unit)}\t{value_text(row.b, row.unit)}"
                for row in self.rows
            ]
            clipboard.setText("\n".join(lines))
