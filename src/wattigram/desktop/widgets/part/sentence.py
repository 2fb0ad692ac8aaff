"""A sentence of a data sheet with its facts in it."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from wattigram.core.model.part.sheet.draft import PartDraft, Steps
from wattigram.core.model.part.sheet.sentences import Chapter, Sentence, fact_steps
from wattigram.desktop.widgets.flow import FlowLayout
from wattigram.desktop.widgets.part.fact_field import FactField


class SentenceView(QWidget):
    """Words and fields; beneath them why a fact cannot be so, and where the sheet says it."""

    said = pyqtSignal(object, object)
    """Steps of a fact, and what was written."""
    noted = pyqtSignal(object, str)
    """Steps of the sentence's first fact, and where the data sheet says it."""

    def __init__(self, draft: PartDraft, chapter: Chapter, item: Steps, sentence: Sentence) -> None:
        super().__init__()
        self.setObjectName("plain")
        self.sentence, self.item = sentence, item
        self.fields: list[FactField] = []
        self._steps = fact_steps(item, sentence.keys[0])
        words = QWidget()
        words.setObjectName("plain")
        flow = FlowLayout(words)
        flow.setContentsMargins(0, 0, 0, 0)
        for piece, is_key in sentence.pieces:
            if is_key:
                field = FactField(draft, chapter, item, piece)
                field.said.connect(partial(self.said.emit, fact_steps(item, piece)))
                field.wrong.connect(self._show_wrong)
                self.fields.append(field)
                flow.addWidget(field)
                continue
            for word in piece.split():
                label = QLabel(word)
                label.setProperty("isGlued", word[0] in ".,;:")
                flow.addWidget(label)
        self._page = QPushButton()
        self._page.setObjectName("aside")
        self._page.setToolTip("Where the data sheet says so: a page, a table, a section")
        self._page.clicked.connect(self._ask_note)
        flow.addWidget(self._page)
        self._note = QLineEdit()
        self._note.setPlaceholderText("page 31, table 12")
        self._note.setAccessibleName("Where the data sheet says so")
        self._note.setMaximumWidth(280)
        self._note.editingFinished.connect(self._on_note)
        self._note.hide()
        self.wrong = QLabel()
        self.wrong.setObjectName("bad")
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 6)
        column.setSpacing(3)
        column.addWidget(words)
        column.addWidget(self.wrong)
        column.addWidget(self._note)

    def show_draft(self, draft: PartDraft) -> None:
        """Show what the draft has."""
        for field in self.fields:
            field.show_draft(draft)
        note = draft.note(self._steps)
        self._page.setText(f"sheet, {note}" if note else "sheet …")
        if not self._note.hasFocus():
            self._note.setText(note)

    def _show_wrong(self, text: str) -> None:
        self.wrong.setText(text)
        self.wrong.setVisible(bool(text))

    def _ask_note(self) -> None:
        self._note.show()
        self._note.setFocus()
        self._note.selectAll()

    def _on_note(self) -> None:
        self._note.hide()
        self.noted.emit(self._steps, self._note.text())
