"""A fact in a sentence: read as text, written as text, chosen where there is something to choose."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QFocusEvent, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QLineEdit, QMenu, QSizePolicy, QWidget

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.model_fields import NO_DEFAULT
from wattigram.core.model.part.sheet.draft import PartDraft, Steps
from wattigram.core.model.part.sheet.sentences import Chapter, is_missing, read_said, words_of
from wattigram.core.model.part.sheet.values import (
    annotation_at,
    choices_of,
    default_at,
    fact_text,
    is_several,
    unit_at,
)
from wattigram.desktop.theme import number_font

WIDEST, NARROWEST = 700, 44
NOT_SAID = "not said yet"


class FactField(QLineEdit):
    """One fact; what cannot be read stays in it, marked, and is said."""

    said = pyqtSignal(object)
    """What was written, as a part file has it; None for nothing."""
    wrong = pyqtSignal(str)
    """Why what is written is no such fact; "" once it is."""

    def __init__(self, draft: PartDraft, chapter: Chapter, item: Steps, key: str) -> None:
        super().__init__()
        self._draft = draft
        self.setObjectName("fact")
        self.chapter, self.item, self.key = chapter, item, key
        self.annotation = annotation_at(chapter.model, key)
        self.words = words_of(chapter.model, key)
        self.choices = choices_of(self.annotation)
        self._shown: Any = None
        self.setFont(number_font(-0.5))
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"{chapter.one or chapter.title}: {key.replace('_', ' ')}")
        self.textChanged.connect(self._resized)
        self.editingFinished.connect(self.commit)
        if self.choices:
            self.setToolTip("A click, or the down key, offers what is possible")

    def show_draft(self, draft: PartDraft) -> None:
        """Show what the draft has; what is being written stays."""
        self._draft = draft
        value = draft.get((*self.item, *self.key.split(".")))
        is_wanted = is_missing(draft, self.chapter, self.item, self.key)
        default = default_at(self.chapter.model, self.key)
        usual = "" if default is NO_DEFAULT or default is None else self._text(default)
        unit = unit_at(self.annotation)
        self.setPlaceholderText(
            NOT_SAID if is_wanted else usual or (unit and f"… {unit}") or "none"
        )
        self._set_property("wanted", is_wanted)
        if value != self._shown or not self.hasFocus():
            self._shown = value
            if not self.property("wrong"):
                self.setText(self._text(value))
                self.setCursorPosition(0)
        self._resized()

    def _text(self, value: Any) -> str:
        return fact_text(self.annotation, value, self.words)

    def commit(self) -> None:
        """Read what is written."""
        try:
            value = read_said(self._draft, self.chapter, self.item, self.key, self.text())
        except QuantityError as fault:
            self._set_property("wrong", True)
            self.wrong.emit(str(fault))
            return
        if self.property("wrong"):
            self._set_property("wrong", False)
            self.wrong.emit("")
        is_new = value != self._shown
        self._shown = value
        self.setText(self._text(value))
        if is_new:
            self.said.emit(value)

    def take_back(self) -> None:
        """Show again what the draft has."""
        self._set_property("wrong", False)
        self.wrong.emit("")
        self.setText(self._text(self._shown))

    def offer(self) -> None:
        """A menu of what is possible; several can be ticked where several can be said."""
        if not self.choices:
            return
        menu = QMenu(self)
        several = is_several(self.annotation)
        now = [str(one) for one in self._shown] if isinstance(self._shown, list) else []
        one_now = ("yes" if self._shown else "no") if isinstance(self._shown, bool) else self._shown
        for choice in self.choices:
            action = QAction(self.words.get(choice, choice), menu)
            action.setCheckable(True)
            action.setChecked(choice in now if several else choice == str(one_now))
            action.triggered.connect(partial(self._chosen, choice))
            menu.addAction(action)
        menu.popup(self.mapToGlobal(QPoint(0, self.height())))
        self._menu = menu

    def _chosen(self, choice: str, _checked: bool = False) -> None:
        if is_several(self.annotation):
            now = [str(one) for one in self._shown] if isinstance(self._shown, list) else []
            wanted = [
                one for one in self.choices if (one in now) != (one == choice)
            ]  # in the order in which they are offered
            text = ", ".join(self.words.get(one, one) for one in wanted)
        else:
            text = self.words.get(choice, choice)
        self.setText(text)
        self.commit()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A click where there is something to choose offers it."""
        super().mousePressEvent(event)
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.offer()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Down offers choices; Escape takes back what was written."""
        if event is not None and event.key() == Qt.Key.Key_Down and self.choices:
            self.offer()
        elif event is not None and event.key() == Qt.Key.Key_Escape:
            self.take_back()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """By the keyboard all of it is chosen, so that typing replaces it."""
        super().focusInEvent(event)
        if event is not None and event.reason() in {
            Qt.FocusReason.TabFocusReason,
            Qt.FocusReason.BacktabFocusReason,
        }:
            self.selectAll()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """What is longer than the field is seen from its beginning."""
        super().focusOutEvent(event)
        self.setCursorPosition(0)

    def sizeHint(self) -> QSize:
        """As wide as what stands in it."""
        text = self.text() or self.placeholderText()
        width = self.fontMetrics().horizontalAdvance(text) + 22
        return QSize(max(NARROWEST, min(WIDEST, width)), super().sizeHint().height())

    def minimumSizeHint(self) -> QSize:
        """The narrowest."""
        return QSize(NARROWEST, super().minimumSizeHint().height())

    def _resized(self) -> None:
        self.updateGeometry()

    def _set_property(self, name: str, value: bool) -> None:
        if bool(self.property(name)) != value:
            self.setProperty(name, value)
            style = self.style()
            if style is not None:
                style.unpolish(self)
                style.polish(self)


def first_wanted(fields: list[FactField]) -> QWidget | None:
    """The first field that must be filled in."""
    return next((field for field in fields if field.property("wanted")), None)
