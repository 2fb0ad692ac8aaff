"""A fact in a sentence: read as text, written as text, chosen where there is something to choose."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QFocusEvent, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QLineEdit, QMenu, QSizePolicy

from wattigram.core.base.errors import WattigramError
from wattigram.desktop.theme import number_font

WIDEST, NARROWEST = 700, 44


class SaidField(QLineEdit):
    """One fact; what cannot be read stays in it, marked, and is said.

    ``take`` does with a text what is to be done and raises :class:`WattigramError` where it cannot be;
    ``choices`` are offered by a click and by the down key, ``several`` of them where more than one can be
    said.
    """

    wrong = pyqtSignal(str)
    """Why what is written is no such fact; "" once it is."""

    def __init__(
        self,
        name: str,
        take: Callable[[str], None],
        choices: tuple[str, ...] = (),
        several: bool = False,
    ) -> None:
        super().__init__()
        self.setObjectName("fact")
        self.choices, self.several = choices, several
        self._take = take
        self._shown = ""
        self.setFont(number_font(-0.5))
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(name)
        self.textChanged.connect(self.updateGeometry)
        self.editingFinished.connect(self.commit)
        if choices:
            self.setToolTip("A click, or the down key, offers what is possible")

    def show_text(self, text: str, unsaid: str, wanted: bool = False) -> None:
        """Show a fact, or what its being left out means; what is being written stays."""
        self.setPlaceholderText(unsaid)
        self._set_property("wanted", wanted)
        if (text != self._shown or not self.hasFocus()) and not self.property("wrong"):
            self.setText(text)
            self.setCursorPosition(0)
        self._shown = text
        self.updateGeometry()

    def commit(self) -> None:
        """Read what is written."""
        if self.text() == self._shown and not self.property("wrong"):
            return
        try:
            self._take(self.text())
        except WattigramError as fault:
            self._set_property("wrong", True)
            self.wrong.emit(str(fault))
            return
        if self.property("wrong"):
            self._set_property("wrong", False)
            self.wrong.emit("")

    def take_back(self) -> None:
        """Show again what there is."""
        self._set_property("wrong", False)
        self.wrong.emit("")
        self.setText(self._shown)

    def offer(self) -> None:
        """A menu of what is possible; several can be ticked where several can be said."""
        if not self.choices:
            return
        menu = QMenu(self)
        now = self._ticked
        for choice in self.choices:
            action = QAction(choice, menu)
            action.setCheckable(True)
            action.setChecked(choice in now)
            action.triggered.connect(partial(self._chosen, choice))
            menu.addAction(action)
        menu.popup(self.mapToGlobal(QPoint(0, self.height())))
        self.menu_shown = menu

    @property
    def _ticked(self) -> list[str]:
        """Choices that are said, by the text or by what its being left out means."""
        text = self._shown or self.placeholderText()
        return [one for one in text.split(", ") if one in self.choices] if self.several else [text]

    def _chosen(self, choice: str, _checked: bool = False) -> None:
        text = choice
        if self.several:
            now = self._ticked
            text = ", ".join(one for one in self.choices if (one in now) != (one == choice))
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
        elif event is not None and event.key() == Qt.Key.Key_Escape and self.text() != self._shown:
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

    def _set_property(self, name: str, value: bool) -> None:
        if bool(self.property(name)) != value:
            self.setProperty(name, value)
            style = self.style()
            if style is not None:
                style.unpolish(self)
                style.polish(self)
