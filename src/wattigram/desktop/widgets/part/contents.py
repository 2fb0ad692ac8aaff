"""What is beside the sheet: what the part suffices for, its chapters, and designs tried on it."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QPainter
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.model.part.sheet.draft import PartDraft
from wattigram.core.model.part.sheet.sentences import CHAPTERS, items_of, missing_facts
from wattigram.core.model.part.sheet.sufficiency import Missing, Use
from wattigram.desktop.theme import color, number_font, theme
from wattigram.desktop.widgets.labels import heading

REGISTERS = "registers"
MOST_TOLD = 12


STATE = int(Qt.ItemDataRole.UserRole) + 1


class _WithState(QStyledItemDelegate):
    """A row with its state at the right."""

    def initStyleOption(self, option: QStyleOptionViewItem | None, index: QModelIndex) -> None:
        """The name gives way to the state."""
        super().initStyleOption(option, index)
        state = index.data(STATE)
        if option is not None and state:
            room = (
                option.rect.width() - QFontMetrics(number_font(-1.5)).horizontalAdvance(state) - 26
            )
            option.text = option.fontMetrics.elidedText(
                option.text, Qt.TextElideMode.ElideRight, room
            )

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        super().paint(painter, option, index)
        state = index.data(STATE)
        if painter is None or not state:
            return
        painter.save()
        painter.setFont(number_font(-1.5))
        painter.setPen(color(theme().doubt if state.endswith("missing") else theme().soft))
        painter.drawText(
            option.rect.adjusted(0, 0, -6, 0),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            state,
        )
        painter.restore()


class Contents(QWidget):
    """The list at the left."""

    chapter_wanted = pyqtSignal(str)
    """Id of a chapter, or registers."""
    missing_wanted = pyqtSignal(object)
    """Something that is missing for a use."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("list")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.uses: dict[str, QPushButton] = {}
        self.why = QLabel()
        self.why.setWordWrap(True)
        self.why.setObjectName("soft")
        self.chapters = QListWidget()
        self.chapters.setAccessibleName("Chapters of the data sheet")
        self.chapters.setItemDelegate(_WithState(self.chapters))
        self.tried = QListWidget()
        self.tried.setAccessibleName("Designs tried on the part")
        self.tried.setItemDelegate(_WithState(self.tried))
        self.tried.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.tried.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 12, 12, 12)
        column.setSpacing(4)
        column.addWidget(heading("SUFFICES FOR"))
        self._uses_column = QVBoxLayout()
        self._uses_column.setSpacing(0)
        column.addLayout(self._uses_column)
        column.addWidget(self.why)
        column.addSpacing(8)
        column.addWidget(heading("SHEET"))
        for one in CHAPTERS:
            self._add_row(one.id, one.title)
        self._add_row(REGISTERS, "Registers")
        self.chapters.currentItemChanged.connect(self._on_chapter)
        column.addWidget(self.chapters, 3)
        column.addWidget(heading("TRIED ON IT"))
        column.addWidget(self.tried, 1)

    def _add_row(self, identifier: str, title: str) -> None:
        item = QListWidgetItem(title)
        item.setData(Qt.ItemDataRole.UserRole, (identifier, title))
        self.chapters.addItem(item)

    def _on_chapter(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.chapter_wanted.emit(item.data(Qt.ItemDataRole.UserRole)[0])

    def choose(self, identifier: str) -> None:
        """Go to a chapter."""
        for number in range(self.chapters.count()):
            item = self.chapters.item(number)
            if item is not None and item.data(Qt.ItemDataRole.UserRole)[0] == identifier:
                self.chapters.setCurrentRow(number)

    def step(self, by: int) -> None:
        """Go to the next chapter, or to the one before."""
        count = self.chapters.count()
        self.chapters.setCurrentRow((self.chapters.currentRow() + by) % count)

    def show_draft(self, draft: PartDraft, uses: tuple[Use, ...]) -> None:
        """State of every chapter and use."""
        registers = sum(not one.chapter or one.chapter == "memory" for one in uses[-1].missing)
        for number in range(self.chapters.count()):
            item = self.chapters.item(number)
            assert item is not None
            identifier, title = item.data(Qt.ItemDataRole.UserRole)
            without = f"{registers} missing" if registers else "✓"
            state = without if identifier == REGISTERS else _state(draft, identifier)
            item.setText(title)
            item.setData(STATE, state)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{title}, {state}")
        self._show_uses(uses)

    def _show_uses(self, uses: tuple[Use, ...]) -> None:
        for use in uses:
            button = self.uses.get(use.name)
            if button is None:
                button = self.uses[use.name] = QPushButton()
                button.setObjectName("link")
                button.clicked.connect(partial(self._explain, use.name))
                row = QHBoxLayout()
                row.addWidget(button)
                row.addStretch(1)
                self._uses_column.addLayout(row)
            count = len(use.missing)
            button.setText(f"✓ {use.name}" if use.suffices else f"✕ {use.name} · {count} missing")
            button.setToolTip(use.text)
            tone = "" if use.suffices else "bad"
            if button.property("tone") != tone:
                button.setProperty("tone", tone)
                style = button.style()
                if style is not None:
                    style.unpolish(button)
                    style.polish(button)
        self._known = {use.name: use for use in uses}
        self.why.setText("")
        self.why.hide()

    def _explain(self, name: str, _checked: bool = False) -> None:
        use = self._known[name]
        self.why.show()
        if use.suffices:
            without = f" Not for {'; '.join(use.without)}." if use.without else ""
            self.why.setText(f"It suffices for {use.text}.{without}")
            return
        texts = [one.text for one in use.missing[:MOST_TOLD]]
        more = len(use.missing) - len(texts)
        self.why.setText("\n".join([*texts, *([f"and {more} more"] if more > 0 else [])]))
        self.missing_wanted.emit(use.missing[0])

    def show_tried(self, results: tuple[tuple[str, str, str], ...] | None) -> None:
        """Designs by name, what becomes of each in full and in a word, "" where it does not fit; None before
        there is a part to try them on."""
        self.tried.clear()
        if results is None:
            self.tried.addItem("once it suffices for a design")
        for name, text, fits in results or ():
            item = QListWidgetItem(f"{'✓' if fits else '✕'} {name}")
            item.setData(STATE, fits)
            item.setToolTip(f"{name}\n{text}")
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{name}: {fits or 'does not fit'}")
            self.tried.addItem(item)


def _state(draft: PartDraft, identifier: str) -> str:
    one = next(chapter for chapter in CHAPTERS if chapter.id == identifier)
    missing = len(missing_facts(draft, one))
    if missing:
        return f"{missing} missing"
    if one.many:
        count = len(items_of(draft, one))
        return f"✓ {count}" if count else "none"
    if one.steps and draft.get(one.steps) is None:
        return "none"
    return "✓"


def chapter_for(missing: Missing) -> str:
    """The chapter that would say it."""
    return missing.chapter or REGISTERS
