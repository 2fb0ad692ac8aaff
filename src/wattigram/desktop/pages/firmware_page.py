"""The Firmware page: set-up steps, registers bit by bit, the C, what changed, and the build."""

from __future__ import annotations

import re
from bisect import bisect_right
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.session import Snapshot
from wattigram.core.firmware import Diagnostic, firmware_files
from wattigram.core.model.design import Workspace
from wattigram.core.silicon.registers import (
    SetupStep,
    Write,
    design_writes,
    line_changes,
    register_map,
    register_sheet,
    write_lines,
)
from wattigram.desktop.controllers.firmware_controller import FirmwareWork
from wattigram.desktop.state.document import Document
from wattigram.desktop.theme import color, number_font, text_font, theme
from wattigram.desktop.widgets.firmware.build_panel import BuildPanel
from wattigram.desktop.widgets.firmware.code_view import CodeView
from wattigram.desktop.widgets.firmware.memory_panel import MemoryPanel
from wattigram.desktop.widgets.firmware.register_view import RegisterView, field_text
from wattigram.desktop.widgets.labels import heading
from wattigram.desktop.widgets.seen_table import SeenTable

REGISTERS, CODE, CHANGES, MEMORY = range(4)
SETUP_C = "wg_setup.c"
_STEP = re.compile(r" {4}/\* \d+\. ")
VIEWS = ("Registers", "C files", "Since the last build", "Memory")


class FirmwarePage(QWidget):
    """Settings become register writes, writes become C, C becomes an image that the virtual board
    runs."""

    error = pyqtSignal(str)
    looks_wanted = pyqtSignal(object)
    """Places of the image's memory that are to be read: a tuple."""

    def __init__(self, document: Document, work: FirmwareWork) -> None:
        super().__init__()
        self.setObjectName("page")
        self._document = document
        self.work = work
        self._is_stale = True
        self._writes: tuple[Write, ...] = ()
        self._steps: list[SetupStep] = []
        self.steps = QListWidget()
        self.steps.setAccessibleName("Steps of the set-up, in their order")
        self.steps.setWordWrap(True)
        self.registers = RegisterView()
        self.code = CodeView()
        self.changes = QListWidget()
        self.changes.setFont(number_font(-0.5))
        self.changes.setAccessibleName("Register writes beside those of the last build")
        self.memory = MemoryPanel()
        self.about = QLabel()
        self.about.setWordWrap(True)
        self.about.setMinimumHeight(38)
        self.panel = BuildPanel()
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        left = QWidget()
        left.setObjectName("list")
        column = QVBoxLayout(left)
        column.setContentsMargins(12, 12, 8, 12)
        column.addWidget(heading("SET-UP, STEP BY STEP"))
        column.addWidget(self.steps, 1)
        self.copy_button = QPushButton("Copy all writes as hex")
        column.addWidget(self.copy_button)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(self.registers)
        self.area = area
        first = QWidget()
        inner = QVBoxLayout(first)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addWidget(area, 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(18, 4, 18, 8)
        foot.addWidget(self.about, 1)
        inner.addLayout(foot)
        self.views = QStackedWidget()
        for widget in (first, self.code, self.changes, self.memory):
            self.views.addWidget(widget)
        bar = QHBoxLayout()
        bar.setContentsMargins(12, 8, 12, 0)
        self.view_buttons = QButtonGroup(self)
        for number, name in enumerate(VIEWS):
            button = QPushButton(name)
            button.setObjectName("page")
            button.setCheckable(True)
            self.view_buttons.addButton(button, number)
            bar.addWidget(button)
        bar.addStretch(1)
        middle = QWidget()
        middle_column = QVBoxLayout(middle)
        middle_column.setContentsMargins(0, 0, 0, 0)
        middle_column.addLayout(bar)
        middle_column.addWidget(self.views, 1)
        for part in (left, middle, self.panel):
            self.split.addWidget(part)
        self.split.setStretchFactor(1, 1)
        self.split.setSizes([262, 730, 288])
        self.split.setChildrenCollapsible(False)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.split)
        self.show_view(REGISTERS)

    def _connect(self) -> None:
        work, panel = self.work, self.panel
        self._document.changed.connect(self._on_changed)
        self.steps.currentRowChanged.connect(self._on_step)
        self.registers.field_chosen.connect(self._on_field)
        self.copy_button.clicked.connect(self.copy_hex)
        self.view_buttons.idClicked.connect(self.show_view)
        panel.write_wanted.connect(work.write)
        panel.build_wanted.connect(work.build)
        panel.cancel_wanted.connect(work.cancel)
        panel.run_wanted.connect(work.run)
        panel.costs_wanted.connect(work.take_costs)
        panel.folder_wanted.connect(partial(work.ask_folder, self))
        panel.compiler_wanted.connect(partial(work.ask_compiler, self))
        panel.complaint_chosen.connect(self.show_complaint)
        self.memory.wanted.connect(self._on_wanted)
        self.code.line_chosen.connect(self._on_line)
        work.line_came.connect(panel.add_line)
        work.success.connect(panel.state.setText)
        work.building.connect(self._on_building)
        work.changed.connect(self.show_workspace)

    def show_view(self, number: int) -> None:
        """Registers, C files, or what changed."""
        self.views.setCurrentIndex(number)
        self.looks_wanted.emit(self.memory.view.wanted if number == MEMORY else ())
        button = self.view_buttons.button(number)
        if button is not None:
            button.setChecked(True)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Catch up with what has changed."""
        super().showEvent(event)
        if self._is_stale:
            self.show_workspace()

    def _on_changed(self, _workspace: object, _before: object) -> None:
        self._is_stale = True
        if self.isVisible():
            self.show_workspace()

    def show_workspace(self) -> None:
        """Show the document as it is now."""
        self._is_stale = False
        workspace = self._document.workspace
        try:
            self._writes = design_writes(workspace)
            sheet = register_sheet(register_map(workspace.part), self._writes)
            self.about.setText("Choose a field to see what set it, or a step to see what it sets.")
        except WattigramError as fault:
            self._writes, sheet = (), ()
            self.about.setText(str(fault))
        self._show_steps()
        self.registers.show_rows(workspace.part, sheet)
        self._show_code(workspace)
        self._show_changes()
        work = self.work
        self.panel.show_places(str(work.folder), work.compiler_text)
        self.memory.show_image(workspace, work.places)
        self.panel.show_costs(work.costs_text, work.can_take_costs)
        self.panel.show_result(work.result, workspace.part.memory, work.is_current)

    def _show_steps(self) -> None:
        row = self.steps.currentRow()
        self._steps = []
        for write in self._writes:
            if not self._steps or write.step is not self._steps[-1]:
                self._steps.append(write.step)
        self.steps.blockSignals(True)
        self.steps.clear()
        for number, step in enumerate(self._steps, start=1):
            item = QListWidgetItem(f"{number}  {step.title[:1].upper()}{step.title[1:]}")
            item.setToolTip(step.reason)
            item.setFont(text_font(-0.5))
            self.steps.addItem(item)
        if self._steps:
            self.steps.setCurrentRow(min(max(0, row), len(self._steps) - 1))
        self.steps.blockSignals(False)
        self._on_step(self.steps.currentRow())

    def _show_code(self, workspace: Workspace) -> None:
        texts: dict[str, tuple[str, str]] = {}
        try:
            files = firmware_files(workspace)
        except WattigramError as fault:
            self.code.show_files({SETUP_C: ("", str(fault))})
            return
        for name, text in files.generated.items():
            texts[name] = text, "Made from the design; written anew each time."
        for name, text in files.once.items():
            own = self.work.own_text(name)
            texts[name] = (
                (text, "Yours once it is written.")
                if own is None
                else (own, "Yours: never written again.")
            )
        for name, text in self.work.more_own_texts(set(texts)):
            texts[name] = text, "Yours."
        self.code.show_files(texts)

    def _show_changes(self) -> None:
        self.changes.clear()
        before = self.work.built_lines
        if before is None:
            self.changes.addItem("Nothing has been built in this folder yet.")
            return
        t = theme()
        lines = line_changes(before, write_lines(self._writes))
        if all(sign == " " for sign, _line in lines):
            self.changes.addItem("The registers are those of the last build.")
        for sign, line in lines:
            if sign == " ":
                continue
            item = QListWidgetItem(f"{sign} {line}")
            item.setForeground(color(t.bad if sign == "−" else t.good))
            self.changes.addItem(item)

    def _on_step(self, row: int) -> None:
        """Tint what a step sets, and say why it has its place."""
        if not 0 <= row < len(self._steps):
            self.registers.light(frozenset())
            return
        step = self._steps[row]
        numbers = frozenset(
            number for number, write in enumerate(self._writes) if write.step is step
        )
        self.registers.light(numbers)
        lines = write_lines(tuple(self._writes[number] for number in sorted(numbers)))
        self.about.setText(
            f"{row + 1}. {step.title[:1].upper()}{step.title[1:]}. {step.reason}  "
            f"{_count(len(lines))}"
        )
        if self.views.currentIndex() == CODE:
            self._show_step_in_c(row)
        for place, one in enumerate(self.registers.rows):
            if numbers & set(one.writes):
                self.area.ensureVisible(0, int(self.registers.top_of(place)) + 60, 0, 120)
                break

    def _on_field(self, row: int, place: int) -> None:
        """Say what set a field, and go to the step that did it."""
        one = self.registers.field(row, place)
        part = self.registers.part
        if one is None or part is None:
            return
        if one.writes:
            step = self._writes[one.writes[-1]].step
            number = next((at for at, known in enumerate(self._steps) if known is step), -1)
            self.steps.blockSignals(True)
            self.steps.setCurrentRow(number)
            self.steps.blockSignals(False)
            self.registers.light(
                frozenset(at for at, write in enumerate(self._writes) if write.step is step)
            )
        self.about.setText(field_text(part, self.registers.rows[row], one))

    def _step_lines(self) -> list[int]:
        """Lines of the set-up's C at which its steps begin, counted from 1."""
        lines = enumerate(self.code.text_of(SETUP_C).splitlines(), start=1)
        return [number for number, line in lines if _STEP.match(line)]

    def _show_step_in_c(self, row: int) -> None:
        lines = self._step_lines()
        if row < len(lines) and not self.code.text.hasFocus():
            self.code.show_line(SETUP_C, lines[row], is_fault=False)

    def _on_line(self, file: str, line: int) -> None:
        """The user reads the set-up: its step is the one of the list."""
        row = bisect_right(self._step_lines(), line) - 1
        if file == SETUP_C and row >= 0:
            self.steps.setCurrentRow(row)

    def _on_building(self, is_building: bool) -> None:
        self.panel.show_building(is_building)
        if is_building:
            self.panel.clear()

    def _on_wanted(self, places: object) -> None:
        if self.views.currentIndex() == MEMORY:
            self.looks_wanted.emit(places)

    def show_snapshot(self, snapshot: Snapshot) -> None:
        """What was read of the image's memory."""
        if self.views.currentIndex() == MEMORY and snapshot.memory:
            self.memory.view.show_memory(snapshot.memory)

    def show_complaint(self, complaint: Diagnostic) -> None:
        """Go to the line that a compiler complains of."""
        self.show_view(CODE)
        if not self.code.show_line(complaint.file, complaint.line):
            self.error.emit(f"{complaint.file} is none of the firmware's files.")

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """What is drawn here, in words."""
        return (*self.registers.seen_tables(), *self.memory.view.seen_tables())

    def copy_memory(self) -> None:
        """Put the variables that are looked at on the clipboard, as they are shown."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.memory.view.text())

    def copy_hex(self) -> None:
        """All writes, in their order, on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText("\n".join(write_lines(self._writes)))

    def redress(self) -> None:
        """Show everything in new colours and sizes."""
        self.code.redress()
        self.changes.setFont(number_font(-0.5))
        self.show_workspace()


def _count(writes: int) -> str:
    return "One write." if writes == 1 else f"{writes} writes."
