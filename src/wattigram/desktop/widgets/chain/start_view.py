"""What an empty project offers: a part, a start of a design, one signal."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtBoundSignal, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QAbstractButton,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.base.errors import EditError
from wattigram.core.base.quantity import format_rounded
from wattigram.core.model.design import Project, Workspace
from wattigram.core.model.design.edits import apply_edit
from wattigram.core.model.design.templates import TEMPLATES, Template, from_template
from wattigram.core.model.part import list_parts
from wattigram.core.model.part.sheet.own_parts import OwnPart
from wattigram.core.predict.timing import scan_timing
from wattigram.desktop.theme import color, number_font, signal_color, text_font, theme

LETTERS = "abcdefghij"
MOST_RECENT = 3
MOST_OWN = 3


def is_empty(project: Project) -> bool:
    """Whether there is nothing in a project yet that could be looked at."""
    return not any(
        (
            project.signals,
            project.chains,
            project.generators,
            project.pwm,
            project.routes,
            project.reactions,
            project.uarts,
            project.tables,
        )
    )


class StartCard(QAbstractButton):
    """Something to begin with; a click, Enter or its key takes it."""

    def __init__(self, title: str, text: str, key: str) -> None:
        super().__init__()
        self.setText(title)
        self.words, self.key = text, key
        self.is_current = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName(title)
        self.setAccessibleDescription(text)
        self.setToolTip(text)

    @property
    def _drawn(self) -> float:
        """Height of a drawing between title and text."""
        return 0.0

    def sizeHint(self) -> QSize:
        """Title, drawing and three lines of text."""
        line = self.fontMetrics().height()
        return QSize(190, int(line * (4.4 if self._drawn else 5.6) + self._drawn + 24))

    def minimumSizeHint(self) -> QSize:
        """Readable down to this."""
        return QSize(130, self.sizeHint().height())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Space and Enter take it; all other keys are for whoever has all cards."""
        if event is not None and event.key() in {
            Qt.Key.Key_Return,
            Qt.Key.Key_Enter,
            Qt.Key.Key_Space,
        }:
            self.click()
        elif event is not None:
            event.ignore()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint card, title, key, drawing and text."""
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        is_lit = self.hasFocus() or self.is_current
        painter.setPen(QPen(color(t.action if is_lit else t.hairline), 2 if is_lit else 1))
        painter.setBrush(color(t.card if self.isEnabled() else t.paper))
        painter.drawRoundedRect(QRectF(1, 1, self.width() - 2, self.height() - 2), 6, 6)
        line = float(self.fontMetrics().height())
        painter.setPen(color(t.ink if self.isEnabled() else t.faint))
        painter.setFont(text_font(0, QFont.Weight.DemiBold))
        painter.drawText(QRectF(12, 10, self.width() - 40, line + 2), 0, self.text())
        painter.setPen(color(t.faint))
        painter.setFont(number_font(-1.5))
        painter.drawText(
            QRectF(self.width() - 30, 10, 18, line), Qt.AlignmentFlag.AlignRight, self.key
        )
        self._draw(painter, QRectF(12, 14 + line, self.width() - 24, self._drawn))
        painter.setPen(color(t.soft if self.isEnabled() else t.faint))
        painter.setFont(text_font(-0.5))
        painter.drawText(
            QRectF(12, 16 + line + self._drawn, self.width() - 24, line * 4.3),
            int(Qt.TextFlag.TextWordWrap),
            self.words,
        )
        painter.end()

    def _draw(self, painter: QPainter, area: QRectF) -> None:
        """Draw what it brings."""


class TemplateCard(StartCard):
    """A start of a design, with one scan of it to scale as it would be on the part."""

    def __init__(self, template: Template, workspace: Workspace, key: str) -> None:
        super().__init__(template.name, template.summary, key)
        self.template = template
        self._slots: list[tuple[int, float, float, float]] = []
        """Row, and begin, held instant and end as shares of the scan."""
        self._rows = 1
        try:
            made = apply_edit(workspace, from_template(workspace, template))
        except EditError as fault:
            self.setEnabled(False)
            self.words = fault.message
            return
        names = [signal.name for signal in made.project.signals]
        self._rows = len(names)
        chains = made.project.chains
        scans = [scan_timing(made, chain) for chain in chains]
        end = max(float(slot.end_s) for scan in scans for slot in scan.slots)
        for chain, scan in zip(chains, scans, strict=True):
            for slot, timing in zip(chain.slots, scan.slots, strict=True):
                self._slots.append(
                    (
                        names.index(slot.signal),
                        float(timing.start_s) / end,
                        float(timing.start_s + timing.sampling_s) / end,
                        float(timing.end_s) / end,
                    )
                )
        period = format_rounded(float(scans[0].cycle_s), "s", 3)
        self.words = f"{template.summary}; a scan of {format_rounded(end, 's', 3)} each {period}"
        self.setAccessibleDescription(self.words)
        self.setToolTip(self.words)

    @property
    def _drawn(self) -> float:
        return 56.0

    def _draw(self, painter: QPainter, area: QRectF) -> None:
        t = theme()
        pitch = area.height() / max(1, self._rows)
        for row in range(self._rows if self._slots else 0):
            y = area.top() + (row + 0.5) * pitch
            painter.setPen(QPen(color(t.hairline), 1))
            painter.drawLine(int(area.left()), int(y), int(area.right()), int(y))
        high = min(12.0, pitch * 0.7)
        for row, begin, held, end in self._slots:
            y = area.top() + (row + 0.5) * pitch - high / 2
            left = area.left() + begin * area.width()
            split = area.left() + held * area.width()
            right = area.left() + end * area.width()
            painter.setPen(QPen(signal_color(row), 1))
            painter.setBrush(color(t.card))
            painter.drawRect(QRectF(left, y, right - left, high))
            painter.setBrush(signal_color(row))
            painter.drawRect(QRectF(left, y, max(1.0, split - left), high))


class StartView(QScrollArea):
    """Shown on the Chain page as long as a project is empty."""

    part_wanted = pyqtSignal(str)
    own_part_wanted = pyqtSignal(object)
    """Path of a part file."""
    sheet_wanted = pyqtSignal()
    template_wanted = pyqtSignal(object)
    signal_wanted = pyqtSignal()
    open_wanted = pyqtSignal()
    recent_wanted = pyqtSignal(object)
    example_wanted = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.cards: dict[str, StartCard] = {}
        self._recent: Callable[[], tuple[Path, ...]] = tuple
        self._examples: Callable[[], tuple[Path, ...]] = tuple
        self._own: Callable[[], tuple[OwnPart, ...]] = tuple
        self._part: object = None

    def offer(
        self,
        recent: Callable[[], tuple[Path, ...]],
        examples: Callable[[], tuple[Path, ...]],
        own: Callable[[], tuple[OwnPart, ...]],
    ) -> None:
        """What tells projects that were opened lately, examples, and parts of one's own; asked only when there is an
        empty project to show them."""
        self._recent, self._examples, self._own = recent, examples, own
        self.forget()

    def forget(self) -> None:
        """What is offered has changed."""
        self._part = None

    def show_workspace(self, workspace: Workspace) -> None:
        """Offer what can be begun on a part."""
        if self._part is workspace.part:
            return
        self._part = workspace.part
        self.cards = {}
        page = QWidget()
        page.setObjectName("page")
        column = QVBoxLayout(page)
        column.setContentsMargins(40, 22, 40, 22)
        column.setSpacing(6)
        self._title(column, "What is on the board?")
        self._note(
            column,
            "A part says what is possible: pins, clocks, converters, timers, DMA. It can be changed later; what "
            "carries over is shown first.",
        )
        column.addLayout(self._parts(workspace))
        column.addSpacing(14)
        self._title(column, "What is measured?")
        self._note(
            column,
            "Each is a start that runs at once on the virtual board, drawn as one scan to scale: sampling filled, "
            "conversion open. More can be added to the same project.",
        )
        column.addLayout(self._templates(workspace))
        column.addSpacing(10)
        column.addLayout(self._foot())
        column.addStretch(1)
        self.setWidget(page)

    def _title(self, column: QVBoxLayout, text: str) -> None:
        label = QLabel(text)
        label.setFont(text_font(4, QFont.Weight.DemiBold))
        column.addWidget(label)

    def _note(self, column: QVBoxLayout, text: str) -> None:
        label = QLabel(text)
        label.setObjectName("soft")
        label.setWordWrap(True)
        column.addWidget(label)

    def _parts(self, workspace: Workspace) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(10)
        listed, own_ones = list_parts(), self._own()[:MOST_OWN]
        numbers = itertools.count(1)
        for entry in listed:
            card = StartCard(entry.name, entry.summary, str(next(numbers)))
            card.is_current = entry.id == workspace.project.part
            card.clicked.connect(partial(self._take_part, entry.id))
            self._keep(card, row)
        for part in own_ones:
            card = StartCard(part.name, part.text, str(next(numbers)))
            card.setEnabled(bool(part.suffices))
            card.is_current = part.path.name == workspace.project.part
            card.clicked.connect(partial(self._take_own, part.path))
            self._keep(card, row)
        known = {*(entry.id for entry in listed), *(one.path.name for one in own_ones)}
        if workspace.project.part not in known:
            other = StartCard(
                workspace.part.name, f"your own · {workspace.part.summary}", str(next(numbers))
            )
            other.is_current = True
            self._keep(other, row)
        sheet = StartCard(
            "From a data sheet…",
            "a part of your own: from nothing, or like another",
            str(next(numbers)),
        )
        sheet.clicked.connect(self.sheet_wanted)
        self._keep(sheet, row)
        return row

    def _keep(self, card: StartCard, row: QHBoxLayout) -> None:
        self.cards[card.key] = card
        row.addWidget(card, 1)

    def _templates(self, workspace: Workspace) -> QGridLayout:
        grid = QGridLayout()
        grid.setSpacing(10)
        for number, template in enumerate(TEMPLATES):
            card = TemplateCard(template, workspace, LETTERS[number])
            card.clicked.connect(partial(self._take_template, template))
            self.cards[card.key] = card
            grid.addWidget(card, number // 3, number % 3)
        return grid

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(14)
        one = QPushButton("Begin with one signal")
        one.clicked.connect(self.signal_wanted)
        self.one_signal = one
        row.addWidget(one)
        other = QPushButton("Open…")
        other.clicked.connect(self.open_wanted)
        row.addWidget(other)
        for title, paths, wanted in (
            ("lately:", self._recent(), self.recent_wanted),
            ("examples:", self._examples(), self.example_wanted),
        ):
            if paths:
                row.addWidget(QLabel(title))
            for path in paths[:MOST_RECENT]:
                row.addWidget(self._link(path, wanted))
        row.addStretch(1)
        return row

    @staticmethod
    def _link(path: Path, wanted: pyqtBoundSignal) -> QPushButton:
        button = QPushButton(path.name.removesuffix(".wattigram.toml"))
        button.setObjectName("link")
        button.setToolTip(str(path))
        button.clicked.connect(lambda _checked=False: wanted.emit(path))
        return button

    def _take_part(self, identifier: str, _checked: bool = False) -> None:
        self.part_wanted.emit(identifier)

    def _take_own(self, path: Path, _checked: bool = False) -> None:
        self.own_part_wanted.emit(path)

    def _take_template(self, template: Template, _checked: bool = False) -> None:
        self.template_wanted.emit(template)

    def focus_first(self) -> None:
        """Give the focus to the first start that the part can hold."""
        card = next(
            (one for key, one in self.cards.items() if key.isalpha() and one.isEnabled()), None
        )
        if card is not None:
            card.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """The key of a card takes it; arrows go from card to card."""
        if event is None:
            return
        card = self.cards.get(event.text().lower())
        step = {
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Down: 3,
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Up: -3,
        }.get(Qt.Key(event.key()) if event.key() else Qt.Key.Key_unknown)
        if card is not None and card.isEnabled() and not event.modifiers():
            card.click()
        elif step is not None:
            listed = list(self.cards.values())
            now = next((number for number, one in enumerate(listed) if one.hasFocus()), 0)
            listed[max(0, min(len(listed) - 1, now + step))].setFocus()
        else:
            super().keyPressEvent(event)
