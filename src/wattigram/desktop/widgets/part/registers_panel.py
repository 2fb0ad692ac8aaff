"""Which field of a register description sets what: asked one by one, with the likely ones first."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QCompleter,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.base.errors import PartError
from wattigram.core.model.part.registers import SETTINGS
from wattigram.core.model.part.sheet.draft import PartDraft
from wattigram.core.model.part.sheet.register_edits import (
    OwnerPlace,
    chosen_field,
    owner_places,
    with_field,
    with_sure_fields,
    without_field,
)
from wattigram.core.model.part.sheet.register_matches import (
    Candidate,
    FoundBy,
    matches,
)
from wattigram.core.model.part.svd import SvdPeripheral
from wattigram.desktop.state.part_document import PartDocument
from wattigram.desktop.theme import number_font
from wattigram.desktop.widgets.labels import ElidedLabel, heading
from wattigram.desktop.widgets.part.bits_view import BitsView

MOST_OFFERED = 3
NO_SYSTEM = (
    "C needs none of these: it takes the time from the core, and sends its stream through a mailbox in memory. Clock "
    "and pins are set in wg_port_begin of port.c, which names them."
)


class RegistersPanel(QWidget):
    """The panel at the right."""

    description_wanted = pyqtSignal()
    """A register description is to be read."""

    def __init__(self, document: PartDocument) -> None:
        super().__init__()
        self.setObjectName("side")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document = document
        self._setting = ""
        self._skipped: set[tuple[str, str]] = set()
        self._elsewhere: dict[str, str] = {}
        """Peripherals of the description that somebody chose, by owner."""
        self.owner = QComboBox()
        self.owner.setAccessibleName("Peripheral of the sheet")
        self.owner.activated.connect(self._on_owner)
        self.lies_in = QComboBox()
        self.lies_in.setAccessibleName("Peripheral of the description")
        self.lies_in.activated.connect(self._on_place)
        self.read = QPushButton("Read an SVD file…")
        self.read.clicked.connect(self.description_wanted)
        self.told = QLabel()
        self.told.setObjectName("soft")
        self.told.setWordWrap(True)
        self.take_sure = QPushButton()
        self.take_sure.clicked.connect(self._take_sure)
        self.confirm: QPushButton | None = None
        self._body = QVBoxLayout()
        self._body.setSpacing(6)
        body = QWidget()
        body.setObjectName("plain")
        body.setLayout(self._body)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(body)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.setSpacing(6)
        head = heading("REGISTERS · WHICH FIELD SETS IT?")
        head.setWordWrap(True)
        column.addWidget(head)
        column.addWidget(self.read)
        column.addWidget(self.told)
        column.addWidget(self.owner)
        column.addWidget(self.lies_in)
        column.addWidget(self.take_sure)
        column.addWidget(scroll, 1)
        document.described.connect(self.refresh)
        self.refresh()

    @property
    def places(self) -> dict[str, OwnerPlace]:
        """Where each peripheral of the sheet lies, as far as it is known."""
        description = self._document.description
        if description is None:
            return dict(self._described())
        found = {
            one.owner: one for one in owner_places(self._document.draft, description.peripherals)
        }
        for owner, name in self._elsewhere.items():
            peripheral = self._peripheral(name)
            if owner in found and peripheral is not None:
                line = peripheral.lines[0] if peripheral.lines else -1
                found[owner] = OwnerPlace(
                    owner,
                    found[owner].kind,
                    name,
                    peripheral.base,
                    line if 0 <= line < 240 else -1,
                )
        return found

    def _described(self) -> Iterator[tuple[str, OwnerPlace]]:
        """Peripherals whose registers the part file has, where there is no description beside it."""
        for block in self._document.draft.items(("blocks",)):
            for owner, base in zip(block.get("owners", ()), block.get("bases", ()), strict=False):
                yield owner, OwnerPlace(owner, block.get("kind", "system"), owner, base)

    def _peripheral(self, name: str) -> SvdPeripheral | None:
        description = self._document.description
        if description is None:
            return SvdPeripheral(name, 0, "", ())
        peripherals = description.peripherals
        return next((one for one in peripherals if one.name == name), None)

    def show_owner(self, owner: str) -> None:
        """Ask about another peripheral of the sheet."""
        number = self.owner.findText(owner)
        if number >= 0 and number != self.owner.currentIndex():
            self.owner.setCurrentIndex(number)
            self._setting = ""
            self.refresh()

    def refresh(self) -> None:
        """Show what the draft and the description have now."""
        places = self.places
        description = self._document.description
        self.owner.setVisible(bool(places))
        for widget in (self.lies_in, self.take_sure):
            widget.setVisible(description is not None and bool(places))
        if description is None:
            self.told.setText(
                "Beside a register description, an SVD file of the part's maker, the fields that are likely to hold "
                "a setting are offered."
                if places
                else "A part suffices for a design and its proof without registers; C needs them. Most makers give "
                "them away as an SVD file."
            )
        else:
            notes = (
                f" {len(description.notes)} things in it were not understood."
                if description.notes
                else ""
            )
            self.told.setText(
                f"{description.name}: {len(description.peripherals)} peripherals.{notes}"
                + (
                    ""
                    if places
                    else " Fill in the sheet first: fields are found for what it names."
                )
            )
            self.told.setToolTip("\n".join(description.notes[:40]))
        _fill(self.owner, list(places))
        place = places.get(self.owner.currentText())
        if description is not None:
            _fill(self.lies_in, [one.name for one in description.peripherals])
            if place is not None:
                self.lies_in.setCurrentText(place.peripheral)
        self._show_place(place)

    def _show_place(self, place: OwnerPlace | None) -> None:
        while (item := self._body.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.confirm = None
        peripheral = self._peripheral(place.peripheral) if place is not None else None
        if place is None or peripheral is None or place.kind not in SETTINGS:
            self._body.addStretch(1)
            return
        found = matches(self._document.draft, place.kind, place.owner, peripheral)
        sure = sum(one.is_sure and not one.held_by for one in found)
        self.take_sure.setText(
            f"Confirm the {sure} unambiguous fields" if sure else "No unambiguous field is left"
        )
        self.take_sure.setEnabled(bool(sure))
        waiting = [one for one in found if not one.held_by and (one.needed or one.candidates)]
        asked = self._asked(place, waiting)
        if asked is not None:
            self._add_question(place, peripheral, asked)
        if place.kind == "system" and not any(one.held_by for one in found):
            self._body.addWidget(self._soft(NO_SYSTEM))
        needed = [one for one in waiting if one.needed]
        rest = [one for one in waiting if not one.needed]
        self._add_list(f"STILL WITHOUT A FIELD · {len(needed)}", needed, self._waiting_row)
        self._add_list(f"NOT NEEDED FOR C · {len(rest)}", rest, self._waiting_row)
        held = [one for one in found if one.held_by]
        self._add_list(f"HELD · {len(held)}", held, self._held_row)
        self._body.addStretch(1)

    @staticmethod
    def _soft(text: str) -> QLabel:
        label = QLabel(text)
        label.setObjectName("soft")
        label.setWordWrap(True)
        return label

    def _asked(self, place: OwnerPlace, waiting: list[FoundBy]) -> FoundBy | None:
        chosen = next((one for one in waiting if one.setting == self._setting), None)
        if chosen is not None:
            return chosen
        return next(
            (
                one
                for one in waiting
                if one.candidates and (place.owner, one.setting) not in self._skipped
            ),
            None,
        )

    def _add_question(self, place: OwnerPlace, peripheral: SvdPeripheral, asked: FoundBy) -> None:
        title = QLabel(f"<b>{asked.setting}</b> of {place.owner}: {asked.meaning}")
        title.setWordWrap(True)
        self._body.addWidget(title)
        shown = 1 if asked.is_sure else MOST_OFFERED
        for number, candidate in enumerate(asked.candidates[:shown]):
            self._body.addWidget(self._card(place, asked, candidate, number == 0))
        if not asked.candidates:
            none = QLabel("No field of it is likely. Write a name below, or leave it out.")
            none.setWordWrap(True)
            self._body.addWidget(none)
        for candidate in asked.candidates[shown:]:
            less = QPushButton(f"{candidate.place}, less likely")
            less.setObjectName("link")
            less.setToolTip("; ".join(candidate.reasons))
            less.clicked.connect(partial(self._take, place, asked.setting, candidate))
            self._body.addWidget(less)
        other = QLineEdit()
        other.setPlaceholderText("another field, by its name…")
        other.setAccessibleName("Another field")
        by_name = {
            f"{register.name} · {field.name}": (register, field)
            for register in peripheral.registers
            for field in register.fields
        }
        completer = QCompleter(list(by_name), other)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        other.setCompleter(completer)

        def choose() -> None:
            named = by_name.get(other.text().strip())
            if named is not None:
                self._take(
                    place,
                    asked.setting,
                    chosen_field(self._document.draft, place, asked.setting, *named),
                )

        other.returnPressed.connect(choose)
        self.other = other
        self._body.addWidget(other)
        skip = QPushButton("Not on this part")
        skip.setObjectName("link")
        skip.clicked.connect(partial(self._skip, place.owner, asked.setting))
        self._body.addWidget(skip)

    def _card(
        self, place: OwnerPlace, asked: FoundBy, candidate: Candidate, is_first: bool
    ) -> QWidget:
        card = QFrame()
        card.setObjectName("card")
        column = QVBoxLayout(card)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(2)
        bits = BitsView(candidate)
        head = QHBoxLayout()
        name = QLabel(f"<b>{candidate.place}</b>")
        name.setWordWrap(True)
        place_text = QLabel(bits.text)
        place_text.setFont(number_font(-1))
        place_text.setObjectName("soft")
        head.addWidget(name, 1)
        head.addWidget(place_text)
        column.addLayout(head)
        why = QLabel("; ".join(candidate.reasons))
        why.setObjectName("soft")
        why.setWordWrap(True)
        column.addWidget(why)
        column.addWidget(bits)
        codes = QLabel(coding_text(candidate))
        codes.setFont(number_font(-1.5))
        codes.setWordWrap(True)
        column.addWidget(codes)
        take = QPushButton("That is it  ↵" if is_first else "That is it")
        take.setObjectName("link")
        take.clicked.connect(partial(self._take, place, asked.setting, candidate))
        if is_first:
            take.setAutoDefault(True)
            self.confirm = take
        column.addWidget(take)
        return card

    def _add_list(self, title: str, rows: list[FoundBy], make: object) -> None:
        if not rows or not callable(make):
            return
        self._body.addSpacing(4)
        head = heading(title)
        head.setWordWrap(True)
        self._body.addWidget(head)
        for one in rows:
            self._body.addWidget(make(one))

    def _waiting_row(self, one: FoundBy) -> QWidget:
        count = len(one.candidates)
        text = (
            f"{one.setting}   {count} candidate{'s' if count != 1 else ''}"
            if count
            else f"{one.setting}   none likely"
        )
        button = QPushButton(text)
        button.setObjectName("link")
        button.setToolTip(one.meaning)
        button.clicked.connect(partial(self._ask, one.setting))
        return button

    def _held_row(self, one: FoundBy) -> QWidget:
        row = QWidget()
        row.setObjectName("plain")
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        name = QLabel(one.setting)
        name.setToolTip(one.meaning)
        field = ElidedLabel()
        field.setText(one.held_by)
        field.setToolTip(one.held_by)
        field.setAlignment(Qt.AlignmentFlag.AlignRight)
        field.setFont(number_font(-1.5))
        away = QPushButton("✕")
        away.setObjectName("link")
        away.setAccessibleName(f"Take the field of {one.setting} away")
        away.clicked.connect(partial(self._give_back, one.setting))
        line.addWidget(name)
        line.addWidget(field, 1)
        line.addWidget(away)
        return row

    def _on_owner(self, _number: int) -> None:
        self._setting = ""
        self.refresh()

    def _on_place(self, _number: int) -> None:
        self._elsewhere[self.owner.currentText()] = self.lies_in.currentText()
        self.refresh()

    def _ask(self, setting: str, _checked: bool = False) -> None:
        self._setting = setting
        self.refresh()
        if self.confirm is not None:
            self.confirm.setFocus()

    def _skip(self, owner: str, setting: str, _checked: bool = False) -> None:
        self._skipped.add((owner, setting))
        self._setting = ""
        self.refresh()

    def _take(
        self, place: OwnerPlace, setting: str, candidate: Candidate, _checked: bool = False
    ) -> None:
        try:
            draft = with_field(self._document.draft, place, setting, candidate)
        except PartError as fault:
            self._document.refused.emit(str(fault))
            return
        self._setting = ""
        self._document.edit(f"{candidate.place} holds {setting} of {place.owner}", draft)
        if self.confirm is not None:
            self.confirm.setFocus()

    def _take_sure(self) -> None:
        place = self.places.get(self.owner.currentText())
        peripheral = self._peripheral(place.peripheral) if place is not None else None
        if place is None or peripheral is None:
            return
        draft, taken = with_sure_fields(self._document.draft, place, peripheral)
        self._document.edit(f"Fields of {len(taken)} settings of {place.owner}", draft)

    def with_all_sure(self) -> tuple[PartDraft, int]:
        """The draft with every unambiguous field, of every peripheral; how many there are."""
        draft, count = self._document.draft, 0
        for place in self.places.values():
            peripheral = self._peripheral(place.peripheral)
            if peripheral is not None:
                draft, taken = with_sure_fields(draft, place, peripheral)
                count += len(taken)
        return draft, count

    def _give_back(self, setting: str, _checked: bool = False) -> None:
        owner = self.owner.currentText()
        self._document.edit(
            f"Take the field of {setting} away", without_field(self._document.draft, owner, setting)
        )


def coding_text(candidate: Candidate) -> str:
    """How codes of a field are read, in a line."""
    if candidate.table:
        return "  ".join(f"{value}→{code}" for value, code in candidate.table.items())
    return {
        "flag": "1 for yes",
        "value": "the number itself",
        "signed": "the number, two's complement",
        "minus-one": "the number less one",
        "shift": "the power of two that it is",
        "mask": "a bit for each channel",
        "pin": "the pin's place among the pins",
        "pointer": "an address",
    }.get(candidate.coded, candidate.coded)


def _fill(box: QComboBox, texts: list[str]) -> None:
    """Give a box other texts and keep what is chosen where it is among them."""
    if [box.itemText(number) for number in range(box.count())] == texts:
        return
    now = box.currentText()
    box.blockSignals(True)
    box.clear()
    box.addItems(texts)
    if now in texts:
        box.setCurrentText(now)
    box.blockSignals(False)
