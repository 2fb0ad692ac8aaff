"""A chapter of a data sheet: a card for each thing that it tells of."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.model.part.sheet.draft import PartDraft, Steps
from wattigram.core.model.part.sheet.sentences import (
    Chapter,
    Sentence,
    fact_steps,
    is_shown,
    items_of,
    lists_of,
)
from wattigram.desktop.state.part_document import PartDocument
from wattigram.desktop.widgets.flow import FlowLayout
from wattigram.desktop.widgets.labels import heading
from wattigram.desktop.widgets.part.fact_field import FactField, first_wanted
from wattigram.desktop.widgets.part.sentence import SentenceView


class SheetView(QScrollArea):
    """Shows one chapter; every fact that is said is an edit of the draft."""

    item_chosen = pyqtSignal(object)
    """Steps of the thing whose field has the focus."""

    def __init__(self, document: PartDocument, foot: QWidget) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self._foot = foot
        """What stands beneath the cards, whichever they are."""
        self._document = document
        self._chapter: Chapter | None = None
        self._opened: set[tuple[Steps, str]] = set()
        """Sentences that a sheet need not have and that were asked for, before a fact of theirs is known."""
        self._shape: tuple[object, ...] = ()
        self.sentences: list[SentenceView] = []
        self.offers: list[QPushButton] = []
        self.adders: list[QPushButton] = []

    @property
    def fields(self) -> list[FactField]:
        """All fields in their order."""
        return [field for sentence in self.sentences for field in sentence.fields]

    def field(self, steps: Steps) -> FactField | None:
        """The field of a fact, where it is in sight."""
        return next((one for one in self.fields if fact_steps(one.item, one.key) == steps), None)

    def show_chapter(self, chapter: Chapter, focus: bool = True) -> None:
        """Another chapter; the first fact that is missing gets the focus."""
        self._chapter, self._shape = chapter, ()
        self._opened.clear()
        self.show_draft()
        bar = self.verticalScrollBar()
        if bar is not None:
            bar.setValue(0)
        wanted = first_wanted(self.fields) or (self.fields[0] if self.fields else None)
        if focus and wanted is not None:
            wanted.setFocus()

    def show_draft(self) -> None:
        """What the draft has now; whoever has the focus keeps it."""
        if self._chapter is None:
            return
        draft = self._document.draft
        shape = self._shape_of(draft)
        if shape != self._shape:
            self._shape = shape
            focused = next((one for one in self.fields if one.hasFocus()), None)
            at = fact_steps(focused.item, focused.key) if focused is not None else None
            self._build(draft)
            again = self.field(at) if at is not None else None
            if again is not None:
                again.setFocus()
        for sentence in self.sentences:
            sentence.show_draft(draft)

    def _shape_of(self, draft: PartDraft) -> tuple[object, ...]:
        assert self._chapter is not None
        return (
            self._chapter.id,
            *(
                (item, sentence.text)
                for item in items_of(draft, self._chapter)
                for sentence in self._shown(draft, item)
            ),
            lists_of(draft, self._chapter),
        )

    def _shown(self, draft: PartDraft, item: Steps) -> list[Sentence]:
        assert self._chapter is not None
        return [
            sentence
            for sentence in self._chapter.sentences
            if is_shown(draft, item, sentence) or (item, sentence.text) in self._opened
        ]

    def _build(self, draft: PartDraft) -> None:
        chapter = self._chapter
        assert chapter is not None
        self.sentences, self.offers, self.adders = [], [], []
        page = QWidget()
        page.setObjectName("page")
        column = QVBoxLayout(page)
        column.setContentsMargins(22, 16, 22, 16)
        column.setSpacing(10)
        title = heading(f"{chapter.title}, as the data sheet says it".upper())
        title.setWordWrap(True)
        column.addWidget(title)
        for item in items_of(draft, chapter):
            column.addWidget(self._card(draft, item))
        if chapter.many:
            self._add_adders(draft, column)
        column.addStretch(1)
        self._foot.setParent(None)
        column.addWidget(self._foot)
        before = self.takeWidget()
        if before is not None:
            before.hide()
            before.deleteLater()  # a field of it may be what is being typed into
        self.setWidget(page)

    def _add_adders(self, draft: PartDraft, column: QVBoxLayout) -> None:
        chapter = self._chapter
        assert chapter is not None
        places = lists_of(draft, chapter)
        if not places:
            text = f"First describe one of the {chapter.within}: a {chapter.one} belongs to it."
            column.addWidget(QLabel(text))
        for steps in places:
            owner = draft.get(steps[:-1]) if chapter.within else None
            of = f" of {owner.get('name', 'it')}" if isinstance(owner, dict) else ""
            another = "another" if draft.items(steps) else "a"
            adder = QPushButton(f"Add {another} {chapter.one}{of}")
            adder.clicked.connect(partial(self._add, steps))
            self.adders.append(adder)
            line = QHBoxLayout()
            line.addWidget(adder)
            line.addStretch(1)
            column.addLayout(line)
        if places and not items_of(draft, chapter):
            text = (
                "A part needs at least one."
                if chapter.required
                else "None, so far. A sheet without them is complete without them."
            )
            column.addWidget(QLabel(text))

    def _card(self, draft: PartDraft, item: Steps) -> QWidget:
        chapter = self._chapter
        assert chapter is not None
        card = QFrame()
        card.setObjectName("card")
        column = QVBoxLayout(card)
        column.setContentsMargins(14, 10, 14, 10)
        column.setSpacing(4)
        shown = self._shown(draft, item)
        for sentence in shown:
            view = SentenceView(draft, chapter, item, sentence)
            view.said.connect(self._on_said)
            view.noted.connect(self._on_noted)
            for field in view.fields:
                field.selectionChanged.connect(partial(self.item_chosen.emit, item))
            self.sentences.append(view)
            column.addWidget(view)
        rest = [one for one in chapter.sentences if one not in shown]
        foot = QWidget()
        foot.setObjectName("plain")
        flow = FlowLayout(foot, 8)
        flow.setContentsMargins(0, 0, 0, 0)
        for sentence in rest:
            offer = QPushButton(f"+ {sentence.offer}")
            offer.setObjectName("link")
            offer.clicked.connect(partial(self._open, item, sentence))
            self.offers.append(offer)
            flow.addWidget(offer)
        if chapter.many:
            away = QPushButton(f"Remove this {chapter.one}")
            away.setObjectName("link")
            away.clicked.connect(partial(self._take_away, item))
            flow.addWidget(away)
        if flow.count():
            column.addWidget(foot)
        return card

    def _open(self, item: Steps, sentence: Sentence, _checked: bool = False) -> None:
        self._opened.add((item, sentence.text))
        self.show_draft()
        field = self.field(fact_steps(item, sentence.keys[0]))
        if field is not None:
            field.setFocus()

    def _add(self, steps: Steps, _checked: bool = False) -> None:
        chapter = self._chapter
        assert chapter is not None
        number = len(self._document.draft.items(steps))
        self._document.edit(
            f"Add a {chapter.one}", self._document.draft.with_item(steps, {}), steps
        )
        added = [one for one in self.fields if one.item == (*steps, number)]
        if added:
            added[0].setFocus()
            self.ensureWidgetVisible(added[0])

    def _take_away(self, item: Steps, _checked: bool = False) -> None:
        chapter = self._chapter
        assert chapter is not None
        number = item[-1]
        assert isinstance(number, int)
        self._document.edit(
            f"Remove a {chapter.one}",
            self._document.draft.without_item(item[:-1], number),
            item[:-1],
        )

    def _on_said(self, steps: Steps, value: object) -> None:
        name = str(steps[-1]).replace("_", " ")
        self._document.edit(f"Say {name}", self._document.draft.with_value(steps, value), steps)

    def _on_noted(self, steps: Steps, text: str) -> None:
        self._document.edit("Note a page", self._document.draft.noted(steps, text), steps)
