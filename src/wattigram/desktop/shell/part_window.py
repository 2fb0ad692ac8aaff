"""The window in which a part is described from its data sheet."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QPlainTextEdit,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.base.errors import PartError, QuantityError, WattigramError
from wattigram.core.base.toml_document import read_text
from wattigram.core.model.design.part_change import on_other_part
from wattigram.core.model.design.project import Project
from wattigram.core.model.part import Part
from wattigram.core.model.part.registers import BlockKind
from wattigram.core.model.part.sheet.draft import PartDraft, Steps
from wattigram.core.model.part.sheet.own_parts import parts_folder
from wattigram.core.model.part.sheet.pin_table import read_pin_table, with_pin_table
from wattigram.core.model.part.sheet.sentences import chapter
from wattigram.core.model.part.sheet.sufficiency import OWNERS, owners_of
from wattigram.desktop.controllers.dropped_files import dropped_paths
from wattigram.desktop.controllers.files import PART_FILTER, ask_save
from wattigram.desktop.state.part_document import PartDocument
from wattigram.desktop.theme import text_font
from wattigram.desktop.widgets.labels import ElidedLabel, heading
from wattigram.desktop.widgets.notice import Notice
from wattigram.desktop.widgets.part.contents import REGISTERS, Contents, chapter_for
from wattigram.desktop.widgets.part.meaning import MeaningView
from wattigram.desktop.widgets.part.registers_panel import RegistersPanel
from wattigram.desktop.widgets.part.sheet_view import SheetView

SHARES = (17, 55, 28)
"""Of the window's width: contents, sheet, registers."""
TABLES = {".csv", ".tsv", ".txt", ".md"}
"""Files that hold a table of pins, by their suffixes."""
SVD_FILTER = "Register descriptions (*.svd *.xml)"


class PartWindow(QMainWindow):
    """A part's sheet: chapters at the left, sentences in the middle, registers at the right.

    ``tried`` are the designs that it is held against as soon as it suffices for a design.
    """

    project_wanted = pyqtSignal(object)
    """Path of a saved part on which a project is to be begun."""
    saved = pyqtSignal(object, object)
    """Path of the file, and the part, or None while it is none yet."""

    def __init__(
        self,
        draft: PartDraft,
        path: Path | None,
        tried: Callable[[], tuple[tuple[str, Project, Part], ...]] = tuple,
    ) -> None:
        super().__init__()
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAcceptDrops(True)
        self.document = PartDocument(draft, path)
        self._designs = tried
        self.contents = Contents()
        self.meaning = MeaningView()
        self.drawn = QWidget()
        self.drawn.setObjectName("plain")
        self.sheet = SheetView(self.document, self.drawn)
        self.registers = RegistersPanel(self.document)
        self.notice = Notice(self)
        self._closes = False
        self._build()
        self._add_actions()
        self.document.changed.connect(self._on_changed)
        self.document.refused.connect(self.notice.say)
        self.document.stack.cleanChanged.connect(lambda _clean: self._show_title())
        self.contents.chapter_wanted.connect(self._show_chapter)
        self.contents.missing_wanted.connect(self._go_to)
        self.sheet.item_chosen.connect(self._on_item)
        self.registers.description_wanted.connect(self.ask_description)
        self._on_changed(())
        self.contents.choose("core")

    def _build(self) -> None:
        self.menu_button = QPushButton("☰")
        self.menu_button.setObjectName("page")
        self.menu_button.setAccessibleName("Menu")
        self.name = QLabel()
        self.name.setFont(text_font(1))
        self.state = ElidedLabel()
        save = QPushButton("Save the part")
        save.setObjectName("primary")
        save.clicked.connect(self.save)
        begin = QPushButton("Begin a project on it")
        begin.clicked.connect(self._begin_project)
        self.begin = begin
        head = QWidget()
        head.setObjectName("header")
        head.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(head)
        row.setContentsMargins(12, 6, 12, 6)
        row.addWidget(self.menu_button)
        row.addWidget(self.name)
        row.addWidget(self.state, 1)
        row.addWidget(begin)
        row.addWidget(save)
        self.table = QPlainTextEdit()
        self.table.setAccessibleName("Table of pins")
        self.table.setPlaceholderText(
            "Paste the data sheet's table of pins here, a row for each pin or range: pin, analog input, other "
            "functions; parted by tabs, strokes, semicolons or commas."
        )
        self.table.textChanged.connect(self._on_table)
        self.table_told = QLabel()
        self.table_told.setWordWrap(True)
        self.table_told.setObjectName("soft")
        self.take_table = QPushButton("Take these over")
        self.take_table.clicked.connect(self._take_table)
        self.table_area = QWidget()
        self.table_area.setObjectName("page")
        area = QVBoxLayout(self.table_area)
        area.setContentsMargins(22, 0, 22, 12)
        area.addWidget(heading("FROM A TABLE"))
        area.addWidget(self.table, 1)
        area.addWidget(self.table_told)
        foot = QHBoxLayout()
        foot.addWidget(self.take_table)
        foot.addStretch(1)
        area.addLayout(foot)
        holder = QVBoxLayout(self.drawn)
        holder.setContentsMargins(0, 6, 0, 0)
        holder.addWidget(heading("WHAT THAT MEANS"))
        holder.addWidget(self.meaning)
        middle = QWidget()
        middle.setObjectName("page")
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.sheet, 1)
        column.addWidget(self.table_area, 1)
        split = QSplitter()
        split.addWidget(self.contents)
        split.addWidget(middle)
        split.addWidget(self.registers)
        for number, share in enumerate(SHARES):
            split.setStretchFactor(number, share)
        letter = self.fontMetrics().averageCharWidth()
        self.contents.setMinimumWidth(26 * letter)
        self.registers.setMinimumWidth(32 * letter)
        self.split = split
        split.setCollapsible(1, False)
        whole = QWidget()
        whole.setObjectName("page")
        outer = QVBoxLayout(whole)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(head)
        outer.addWidget(self.notice)
        outer.addWidget(split, 1)
        self.setCentralWidget(whole)
        self.resize(1280, 800)
        split.setSizes([1280 * share // sum(SHARES) for share in SHARES])

    def _add_actions(self) -> None:
        menu = QMenu(self)
        self.menu_button.clicked.connect(
            lambda: menu.popup(self.menu_button.mapToGlobal(QPoint(0, self.menu_button.height())))
        )
        for text, keys, act in (
            ("Save", "Ctrl+S", self.save),
            ("Save as…", "Ctrl+Shift+S", self.ask_save_as),
            ("Read a register description…", "Ctrl+I", self.ask_description),
            ("Confirm all unambiguous fields", "Ctrl+T", self.take_all_sure),
            ("Next chapter", "Ctrl+PgDown", partial(self.contents.step, 1)),
            ("Chapter before", "Ctrl+PgUp", partial(self.contents.step, -1)),
            ("Close", "Ctrl+W", self.close),
        ):
            action = QAction(text, self)
            action.setShortcut(QKeySequence(keys))
            action.triggered.connect(partial(_without_argument, act))
            menu.addAction(action)
            self.addAction(action)
        menu.addSeparator()
        undo = self.document.stack.createUndoAction(self, "Undo")
        redo = self.document.stack.createRedoAction(self, "Redo")
        for done, keys in ((undo, "Ctrl+Z"), (redo, "Ctrl+Shift+Z")):
            if done is not None:
                done.setShortcut(QKeySequence(keys))
                menu.addAction(done)
                self.addAction(done)

    # What is shown

    def _on_changed(self, at: Steps) -> None:
        draft = self.document.draft
        uses = self.document.uses
        self.contents.show_draft(draft, uses)
        self.sheet.show_draft()
        self.registers.refresh()
        self._show_title()
        fits = uses[0].suffices
        self.begin.setEnabled(fits)
        self.begin.setToolTip("" if fits else "As soon as it suffices for a design")
        self._show_meaning()
        self._show_tried()
        del at

    def _show_title(self) -> None:
        name = self.document.draft.name or "A part without a name"
        mark = "" if self.document.is_clean else " •"
        self.setWindowTitle(f"{name}{mark} — part — Wattigram")
        self.name.setText(f"<b>{name}</b>{mark} · part")
        path = self.document.path
        self.state.setText(str(path) if path else "not saved yet")

    def _show_chapter(self, identifier: str) -> None:
        self.table_area.setVisible(identifier == "pins")
        is_registers = identifier == REGISTERS
        if is_registers:
            self.registers.setFocus()
            places = self.registers.places
            missing = [one.owner for one in self.document.uses[-1].missing if one.owner in places]
            if not places:
                self.registers.read.setFocus()
            elif missing:
                self.registers.show_owner(missing[0])
            return
        self.sheet.show_chapter(chapter(identifier), focus=not self.contents.chapters.hasFocus())
        kind = _kind_of(identifier)
        owners = owners_of(self.document.draft, kind) if kind is not None else ()
        if owners:
            self.registers.show_owner(owners[0])
        self._show_meaning()

    def _on_item(self, item: Steps) -> None:
        kind = _kind_of(str(item[0])) if item else None
        if kind is None:
            return
        said = self.document.draft.get((*item[:2], OWNERS[kind][1]))
        name = said[0] if isinstance(said, list) and said else said
        if isinstance(name, str):
            self.registers.show_owner(name)

    def _go_to(self, missing: object) -> None:
        identifier = chapter_for(missing)  # type: ignore[arg-type]
        self.contents.choose(identifier)
        steps, owner = getattr(missing, "steps", ()), getattr(missing, "owner", "")
        if owner:
            self.registers.show_owner(owner)
        field = self.sheet.field(steps)
        if field is not None:
            field.setFocus()
            self.sheet.ensureWidgetVisible(field)

    def _show_meaning(self) -> None:
        current = self.contents.chapters.currentItem()
        shown = current is not None and current.data(Qt.ItemDataRole.UserRole)[0] == "converters"
        converter, bus_hz = None, 0.0
        if shown and self.document.uses[0].suffices:
            try:
                part = self.document.draft.part()
            except WattigramError:
                part = None
            if part is not None:
                converter, bus_hz = part.converters[0], float(part.processor.clock_hz)
        self.drawn.setVisible(converter is not None)
        self.meaning.show_converter(converter, bus_hz)

    def _show_tried(self) -> None:
        if not self.document.uses[0].suffices:
            self.contents.show_tried(None)
            return
        try:
            part = self.document.draft.part()
        except WattigramError:
            self.contents.show_tried(None)
            return
        results = []
        for name, project, own in self._designs():
            change = on_other_part(project, own, part, part.id)
            count = len(change.replacements)
            text = "\n".join(change.faults or (one.text for one in change.replacements))
            short = f"{count} changes" if count else "as it is"
            results.append((name, text, short if change.fits else ""))
        self.contents.show_tried(tuple(results))

    # Pins from a table

    def _on_table(self) -> None:
        text = self.table.toPlainText()
        self.take_table.setEnabled(bool(text.strip()))
        if not text.strip():
            self.table_told.setText("")
            return
        try:
            table = read_pin_table(text, self.document.draft)
        except QuantityError as fault:
            self.table_told.setText(str(fault))
            self.take_table.setEnabled(False)
            return
        unread = f" Not used: {'; '.join(table.unread[:6])}" if table.unread else ""
        self.table_told.setText(f"{table.summary}.{unread}")

    def _take_table(self) -> None:
        try:
            table = read_pin_table(self.table.toPlainText(), self.document.draft)
        except QuantityError as fault:
            self.notice.say(str(fault))
            return
        draft = with_pin_table(self.document.draft, table)
        self.document.edit(f"Take over {len(table.pins)} pins", draft)
        self.table.clear()

    # Files

    def ask_description(self) -> None:
        """Ask for a register description."""
        folder = str(self.document.path.parent) if self.document.path else str(Path.home())
        dialog = QFileDialog(self, "Read a register description", folder, SVD_FILTER)
        dialog.fileSelected.connect(lambda name: self.read_description(Path(name)))
        dialog.open()

    def read_description(self, path: Path) -> None:
        """Read a register description, and show what was found in it."""
        QApplication.setOverrideCursor(Qt.CursorShape.WaitCursor)
        try:
            self.document.read_description(path)
        finally:
            QApplication.restoreOverrideCursor()

    def take_all_sure(self) -> None:
        """Confirm every unambiguous field, of every peripheral; one step."""
        draft, count = self.registers.with_all_sure()
        if not count:
            self.notice.say("No setting that has no field yet has an unambiguous one.")
            return
        self.document.edit(f"Fields of {count} settings", draft)

    def save(self) -> bool:
        """Save, asking for a name where there is none; False where that is still to come."""
        if self.document.path is None:
            self.ask_save_as()
            return False
        return self._save_to(self.document.path)

    def ask_save_as(self) -> None:
        """Ask for a name and save."""
        folder = self.document.path.parent if self.document.path else parts_folder()
        with contextlib.suppress(OSError):
            folder.mkdir(parents=True, exist_ok=True)
        name = f"{self.document.draft.get(('id',)) or 'part'}.toml"
        ask_save(self, "Save the part", folder / name, PART_FILTER, self._save_as)

    def _save_as(self, name: str) -> None:
        path = Path(name)
        if self._save_to(path if path.suffix else path.with_suffix(".toml")) and self._closes:
            self.close()

    def _save_to(self, path: Path) -> bool:
        if not self.document.save(path):
            return False
        self._show_title()
        part = None
        if self.document.uses[0].suffices:
            with contextlib.suppress(WattigramError):
                part = self.document.draft.part()
        self.saved.emit(path, part)
        return True

    def _begin_project(self) -> None:
        if not self.document.is_clean and not self.save():
            self.notice.say("Save the part first: a project is beside its part file.")
            return
        self.project_wanted.emit(self.document.path)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Register descriptions, and tables of pins, can be dropped."""
        if event is not None and dropped_paths(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Read what is dropped: a table of pins by the name of its file, else a register description."""
        for path in dropped_paths(event.mimeData() if event is not None else None):
            if path.suffix.lower() in TABLES:
                self.read_table(path)
            else:
                self.read_description(path)

    def read_table(self, path: Path) -> None:
        """Show a file's table of pins, to be taken over."""
        try:
            text = read_text(path, PartError)
        except WattigramError as fault:
            self.notice.say(str(fault))
            return
        self.contents.choose("pins")
        self.table.setPlainText(text)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Unsaved work is asked about first."""
        if event is None or self.document.stack.isClean() or self._discards:
            # The stack says once more that it is clean while it is taken apart; nobody is left to hear.
            self.document.stack.cleanChanged.disconnect()
            return
        event.ignore()
        self.notice.say(
            f"“{self.document.draft.name}” has changes that are not saved.",
            ("Save, then close", self._save_and_close),
            ("Discard them and close", self._discard_and_close),
        )

    _discards = False

    def _save_and_close(self) -> None:
        self._closes = True
        if self.save():
            self.close()

    def _discard_and_close(self) -> None:
        self._discards = True
        self.close()


def _kind_of(identifier: str) -> BlockKind | None:
    """The kind of block of what a chapter tells of."""
    return next((kind for kind, (key, _) in OWNERS.items() if key == identifier), None)


def _without_argument(act: Callable[[], object], _checked: bool = False) -> None:
    act()
