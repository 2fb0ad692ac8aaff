"""A fact of a part's sheet."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from wattigram.core.base.facts import (
    annotation_at,
    choices_of,
    default_at,
    fact_text,
    is_several,
    unit_at,
)
from wattigram.core.base.model_fields import NO_DEFAULT
from wattigram.core.model.part.sheet.draft import PartDraft, Steps
from wattigram.core.model.part.sheet.sentences import (
    Chapter,
    fact_steps,
    is_missing,
    read_said,
    words_of,
)
from wattigram.desktop.widgets.said_field import SaidField

NOT_SAID = "not said yet"


class FactField(SaidField):
    """Shows a fact of the draft, and emits what is said for it."""

    said = pyqtSignal(object)
    """What was written, as a part file has it; None for nothing."""

    def __init__(self, draft: PartDraft, chapter: Chapter, item: Steps, key: str) -> None:
        self._draft = draft
        self.chapter, self.item, self.key = chapter, item, key
        self.annotation = annotation_at(chapter.model, key)
        self.words = words_of(chapter.model, key)
        super().__init__(
            f"{chapter.one or chapter.title}: {key.replace('_', ' ')}",
            self._read,
            tuple(self.words.get(one, one) for one in choices_of(self.annotation)),
            is_several(self.annotation),
        )

    def show_draft(self, draft: PartDraft) -> None:
        """Show what the draft has; what is being written stays."""
        self._draft = draft
        value = draft.get(fact_steps(self.item, self.key))
        is_wanted = is_missing(draft, self.chapter, self.item, self.key)
        default = default_at(self.chapter.model, self.key)
        usual = "" if default is NO_DEFAULT or default is None else self._text_of(default)
        unit = unit_at(self.annotation)
        unsaid = NOT_SAID if is_wanted else usual or (unit and f"… {unit}") or "none"
        self.show_text(self._text_of(value), unsaid, is_wanted)

    def _text_of(self, value: object) -> str:
        return fact_text(self.annotation, value, self.words)

    def _read(self, text: str) -> None:
        value = read_said(self._draft, self.chapter, self.item, self.key, text)
        self.show_text(self._text_of(value), self.placeholderText())
        self.setText(self._text_of(value))
        if value != self._draft.get(fact_steps(self.item, self.key)):
            self.said.emit(value)


def first_wanted(fields: list[FactField]) -> QWidget | None:
    """The first field that must be filled in."""
    return next((field for field in fields if field.property("wanted")), None)
