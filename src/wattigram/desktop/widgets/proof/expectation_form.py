"""What must hold, as a sentence whose facts are filled in; added, moved and taken away."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from wattigram.core.base.errors import WattigramError
from wattigram.core.model.design.edits import (
    AddExpectation,
    ChangeExpectation,
    MoveExpectation,
    RemoveExpectation,
)
from wattigram.core.model.design.expectation import Expectation
from wattigram.core.model.design.expectation_sentences import (
    SENTENCES,
    TITLES,
    choices_for,
    fact_of,
    fresh_expectation,
    names_for,
    pieces_of,
    unsaid_text,
    with_fact,
)
from wattigram.core.model.design.project import Project
from wattigram.desktop.widgets.flow import FlowLayout
from wattigram.desktop.widgets.said_field import SaidField


class ExpectationForm(QFrame):
    """One expectation of the project; every change is an edit."""

    edit_wanted = pyqtSignal(object, int)
    """The edit, and which expectation is chosen after it."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self._project: Project | None = None
        self._number = -1
        self._shape: tuple[object, ...] = ()
        self.fields: dict[str, SaidField] = {}
        self._words = QWidget()
        self._words.setObjectName("plain")
        FlowLayout(self._words).setContentsMargins(0, 0, 0, 0)
        self.wrong = QLabel()
        self.wrong.setObjectName("bad")
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        self.add = QPushButton("Add…")
        self.add.clicked.connect(self.offer_kinds)
        self.up = self._link("Move up", lambda: self._move(-1))
        self.down = self._link("Move down", lambda: self._move(1))
        self.remove = self._link("Remove", self._remove)
        foot = QHBoxLayout()
        foot.addWidget(self.add)
        foot.addStretch(1)
        for button in (self.up, self.down, self.remove):
            foot.addWidget(button)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(12, 8, 12, 8)
        self._column.setSpacing(4)
        self._column.addWidget(self._words)
        self._column.addWidget(self.wrong)
        self._column.addLayout(foot)

    def _link(self, text: str, act: object) -> QPushButton:
        button = QPushButton(text)
        button.setObjectName("link")
        button.clicked.connect(act)  # type: ignore[arg-type]
        return button

    @property
    def expectation(self) -> Expectation | None:
        """The one that is shown."""
        if self._project is None or not 0 <= self._number < len(self._project.expectations):
            return None
        return self._project.expectations[self._number]

    def show_expectation(self, project: Project, number: int) -> None:
        """Show one of the project's; none where there is no such number."""
        self._project, self._number = project, number
        one = self.expectation
        count = len(project.expectations)
        for button in (self.up, self.down, self.remove):
            button.setVisible(one is not None)
        self.up.setEnabled(number > 0)
        self.down.setEnabled(0 <= number < count - 1)
        shape = (number, pieces_of(one)) if one is not None else ()
        if shape != self._shape:
            self._shape = shape
            focused = next((key for key, field in self.fields.items() if field.hasFocus()), None)
            self._build(one)
            if focused in self.fields:
                self.fields[focused].setFocus()
        if one is not None:
            for key, field in self.fields.items():
                field.choices = choices_for(project, one, key)
                field.show_text(fact_of(one, key), unsaid_text(one, key) or "none")

    def _build(self, one: Expectation | None) -> None:
        fresh = QWidget()
        fresh.setObjectName("plain")
        flow = FlowLayout(fresh)
        flow.setContentsMargins(0, 0, 0, 0)
        self.fields = {}
        self.wrong.hide()
        assert self._project is not None
        if one is None:
            flow.addWidget(QLabel("Nothing must hold yet."))
        for piece, is_key in pieces_of(one) if one is not None else ():
            if is_key:
                field = SaidField(piece.replace("_", " "), partial(self._take, piece))
                field.wrong.connect(self._show_wrong)
                self.fields[piece] = field
                flow.addWidget(field)
                continue
            for word in piece.split():
                label = QLabel(word)
                label.setProperty("isGlued", word[0] in ".,;:")
                flow.addWidget(label)
        self._column.replaceWidget(self._words, fresh)
        self._words.hide()
        self._words.deleteLater()
        self._words = fresh

    def _take(self, key: str, text: str) -> None:
        one = self.expectation
        if one is not None:
            assert self._project is not None
            others = choices_for(self._project, one, "other")
            changed = with_fact(one, key, text, others)
            if changed != one:
                self.edit_wanted.emit(ChangeExpectation(self._number, changed), self._number)
            elif key in self.fields:
                self.fields[key].setText(fact_of(one, key))

    def say(self, key: str, text: str) -> None:
        """Let a fact of the sentence be said from elsewhere; what cannot be is complained of here."""
        try:
            self._take(key, text)
            self._show_wrong("")
        except WattigramError as error:
            self._show_wrong(str(error))

    def _show_wrong(self, text: str) -> None:
        self.wrong.setText(text)
        self.wrong.setVisible(bool(text))

    def _move(self, by: int) -> None:
        self.edit_wanted.emit(MoveExpectation(self._number, self._number + by), self._number + by)

    def _remove(self) -> None:
        assert self._project is not None
        left = len(self._project.expectations) - 2
        self.edit_wanted.emit(RemoveExpectation(self._number), min(self._number, left))

    def offer_kinds(self) -> None:
        """A menu of what can be expected in this project."""
        project = self._project
        if project is None:
            return
        menu = QMenu(self)
        about = self.expectation
        for kind in SENTENCES:
            names = names_for(project, kind)
            if not names:
                continue
            name = about.signal if about is not None and about.signal in names else names[0]
            action = menu.addAction(TITLES[kind][:1].upper() + TITLES[kind][1:])
            if action is not None:
                action.triggered.connect(partial(self.add_kind, kind, name))
        if menu.isEmpty():
            note = menu.addAction("Put a signal into a slot first")
            if note is not None:
                note.setEnabled(False)
        menu.popup(self.add.mapToGlobal(QPoint(0, self.add.height())))
        self.menu_shown = menu

    def add_kind(self, kind: type[Expectation], name: str, _checked: bool = False) -> None:
        """One more, behind all others, with facts to be changed."""
        assert self._project is not None
        count = len(self._project.expectations)
        self.edit_wanted.emit(AddExpectation(fresh_expectation(kind, name)), count)
