"""Writing, building and running firmware: buttons, what it takes of the part, and what the compiler
says."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.firmware import WHAT_TO_INSTALL, BuildResult, Diagnostic
from wattigram.core.model.part import MemoryMap
from wattigram.desktop.theme import color, number_font, text_font, theme
from wattigram.desktop.widgets.labels import heading

LINES_KEPT = 2000


class RoomBar(QWidget):
    """What is taken of a memory, drawn to scale."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self._name = name
        self._taken = self._room = 0
        self.setFixedHeight(36)

    def show_room(self, taken: int, room: int) -> None:
        """Bytes taken and bytes that there are."""
        self._taken, self._room = taken, room
        self.setAccessibleName(f"{self._name}: {taken} of {room} bytes")
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Name and number above, the bar below."""
        t = theme()
        painter = QPainter(self)
        painter.setFont(text_font(-1))
        painter.setPen(color(t.soft))
        painter.drawText(QRectF(0, 0, self.width(), 18), Qt.AlignmentFlag.AlignLeft, self._name)
        painter.setFont(number_font(-1))
        text = f"{self._taken} of {self._room} bytes" if self._taken else f"{self._room} bytes"
        painter.drawText(QRectF(0, 0, self.width(), 18), Qt.AlignmentFlag.AlignRight, text)
        bar = QRectF(0, 22, self.width(), 7)
        painter.fillRect(bar, color(t.band))
        if self._room:
            share = min(1.0, self._taken / self._room)
            shade = t.bad if self._taken > self._room else t.action
            painter.fillRect(QRectF(0, 22, self.width() * share, 7), color(shade))
        painter.end()


class BuildPanel(QWidget):
    """The right side of the Firmware page."""

    write_wanted = pyqtSignal()
    build_wanted = pyqtSignal()
    cancel_wanted = pyqtSignal()
    run_wanted = pyqtSignal()
    costs_wanted = pyqtSignal()
    folder_wanted = pyqtSignal()
    compiler_wanted = pyqtSignal()
    complaint_chosen = pyqtSignal(object)
    """A line of the compiler's"""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("side")
        self.folder_label = self._label()
        self.compiler_label = self._label()
        self.state = QLabel()
        self.state.setWordWrap(True)
        self.write_button = QPushButton("Write C files")
        self.build_button = QPushButton("Build")
        self.build_button.setObjectName("primary")
        self.cancel_button = QPushButton("Cancel")
        self.run_button = QPushButton("Run on the virtual board")
        folder, compiler = QPushButton("Another folder…"), QPushButton("Another compiler…")
        for button in (folder, compiler):
            button.setObjectName("link")
        self.code_bar, self.data_bar = RoomBar("Code"), RoomBar("Data and stack")
        self.lines = QListWidget()
        self.lines.setFont(number_font(-1.5))
        self.lines.setWordWrap(True)
        self.lines.setAccessibleName("What the compiler says")
        row = QHBoxLayout()
        for button in (self.write_button, self.build_button, self.cancel_button):
            row.addWidget(button)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 12, 12)
        column.addWidget(heading("FIRMWARE"))
        for widget in (self.folder_label, folder, self.compiler_label, compiler):
            column.addWidget(widget)
        column.addLayout(row)
        for part in (self.state, self.code_bar, self.data_bar, self.run_button):
            column.addWidget(part)
        self.costs = self._label()
        self.costs_button = QPushButton("Use measured cycles")
        self.costs_button.setObjectName("link")
        column.addWidget(self.costs)
        column.addWidget(self.costs_button)
        self.show_costs("", False)
        column.addWidget(heading("THE COMPILER SAYS"))
        column.addWidget(self.lines, 1)
        self.write_button.clicked.connect(self.write_wanted)
        self.build_button.clicked.connect(self.build_wanted)
        self.cancel_button.clicked.connect(self.cancel_wanted)
        self.run_button.clicked.connect(self.run_wanted)
        self.costs_button.clicked.connect(self.costs_wanted)
        folder.clicked.connect(self.folder_wanted)
        compiler.clicked.connect(self.compiler_wanted)
        self.lines.itemActivated.connect(self._choose)
        self.lines.itemClicked.connect(self._choose)
        self.show_building(False)

    @staticmethod
    def _label() -> QLabel:
        label = QLabel()
        label.setObjectName("soft")
        label.setWordWrap(True)
        return label

    def show_places(self, folder: str, compiler: str) -> None:
        """Where the C goes, and who builds it; without a compiler, what to install."""
        self.folder_label.setText(folder)
        self.compiler_label.setText(compiler or f"No cross compiler was found. {WHAT_TO_INSTALL}")

    def show_building(self, is_building: bool) -> None:
        """Buttons that make sense now."""
        self.cancel_button.setEnabled(is_building)
        self.build_button.setEnabled(not is_building)
        self.write_button.setEnabled(not is_building)

    def show_costs(self, text: str, can_take: bool) -> None:
        """What handlers were seen to take, beside what the design says."""
        self.costs.setText(text)
        self.costs.setVisible(bool(text))
        self.costs_button.setVisible(can_take)

    def clear(self) -> None:
        """A new build begins."""
        self.lines.clear()

    def add_line(self, text: str) -> None:
        """One line as it comes."""
        if self.lines.count() < LINES_KEPT:
            item = QListWidgetItem(text)
            if ": error:" in text or ": warning:" in text:
                item.setForeground(color(theme().bad if ": error:" in text else theme().doubt))
            self.lines.addItem(item)
            self.lines.scrollToBottom()

    def show_result(
        self, result: BuildResult | None, memory: MemoryMap | None, is_current: bool
    ) -> None:
        """Sizes, and whether the image is of this design."""
        self.run_button.setEnabled(result is not None and result.elf is not None)
        if memory is not None:
            self.code_bar.show_room(result.code_bytes if result else 0, memory.code_bytes)
            self.data_bar.show_room(result.data_bytes if result else 0, memory.data_bytes)
        if result is None:
            self.state.setText("Not built yet.")
        elif result.cancelled:
            self.state.setText("The build was cancelled.")
        elif result.elf is None:
            errors = sum(1 for diagnostic in result.diagnostics if diagnostic.is_error)
            self.state.setText(f"✕ The build failed: {errors} error{'s' if errors != 1 else ''}.")
        elif not is_current:
            self.state.setText("Built from an earlier state of this design.")
        else:
            self.state.setText(
                f"✓ Built in {result.seconds:.1f} s, {result.warnings or 'no'} warnings."
            )
        if result is not None:
            self._mark(result.diagnostics)

    def _mark(self, complaints: tuple[Diagnostic, ...]) -> None:
        """Lines that name a place lead there; the first error is brought to sight."""
        left = list(complaints)
        is_first = True
        for row in range(self.lines.count()):
            item = self.lines.item(row)
            diagnostic = next(
                (
                    candidate
                    for candidate in left
                    if item is not None and candidate.text in item.text()
                ),
                None,
            )
            if item is not None and diagnostic is not None and diagnostic.line:
                left.remove(diagnostic)
                item.setData(Qt.ItemDataRole.UserRole, diagnostic)
                item.setToolTip(f"Show line {diagnostic.line} of {diagnostic.file}")
                if diagnostic.is_error and is_first:
                    is_first = False
                    self.lines.setCurrentItem(item)
                    self.lines.scrollToItem(item, QListWidget.ScrollHint.PositionAtTop)

    def _choose(self, item: QListWidgetItem) -> None:
        complaint = item.data(Qt.ItemDataRole.UserRole)
        if isinstance(complaint, Diagnostic):
            self.complaint_chosen.emit(complaint)
