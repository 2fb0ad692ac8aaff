"""The Pins page: signals on inputs, and what moving one would mean."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QSplitter, QVBoxLayout, QWidget

from wattigram.core.advise.comparison import Consequence, consequences
from wattigram.core.model.design.pin_assignment import InputOption, PinUse, move_signal, pins_in_use
from wattigram.desktop.state.document import Document
from wattigram.desktop.theme import heading_font, text_font, theme
from wattigram.desktop.widgets.pins.pin_table import PinTable
from wattigram.desktop.widgets.seen_table import SeenTable

_MARKS = {"comes": "✕", "goes": "✓", "changes": "·", "refused": "✕"}
MOST_LINES = 14


class PinsPage(QWidget):
    """A table of signals against inputs, and below it what the pointed place would change."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("page")
        self._document = document
        self.table = PinTable()
        self.title = QLabel()
        self.title.setFont(heading_font())
        self.title.setObjectName("faint")
        self.lines = QLabel()
        self.lines.setFont(text_font())
        self.lines.setTextFormat(Qt.TextFormat.RichText)
        self.lines.setWordWrap(True)
        self.lines.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.lines.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(self.table)
        below = QWidget()
        below.setObjectName("side")
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addWidget(self.title)
        column.addWidget(self.lines, 1)
        others = QLabel("OTHER PINS IN USE")
        others.setFont(heading_font())
        others.setObjectName("faint")
        self.others = QLabel()
        self.others.setFont(text_font())
        self.others.setTextFormat(Qt.TextFormat.RichText)
        self.others.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.others.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.others.setAccessibleName("Other pins in use")
        listed = QScrollArea()
        listed.setWidgetResizable(True)
        listed.setFrameShape(QScrollArea.Shape.NoFrame)
        listed.setWidget(self.others)
        listed.setStyleSheet("background: transparent;")
        beside = QVBoxLayout()
        beside.setSpacing(6)
        beside.addWidget(others)
        beside.addWidget(listed, 1)
        row = QHBoxLayout(below)
        row.setContentsMargins(18, 12, 18, 12)
        row.setSpacing(24)
        row.addLayout(column, 3)
        row.addLayout(beside, 2)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.addWidget(area)
        self.split.addWidget(below)
        self.split.setStretchFactor(0, 3)
        self.split.setStretchFactor(1, 2)
        self.split.setChildrenCollapsible(False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.split)
        self.table.pointed.connect(self._show_place)
        self.table.dropped.connect(self._move)
        document.changed.connect(self._on_changed)
        self.show_workspace()

    def show_workspace(self) -> None:
        """Show the document as it is now."""
        workspace = self._document.workspace
        self.table.show_workspace(workspace)
        lines = [_use_line(use) for use in pins_in_use(workspace)]
        table = f"<table cellspacing=4>{''.join(lines)}</table>"
        self.others.setText(table if lines else "None.")
        self._show_place(*self.table.cursor_cell)

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """What is drawn here, in words."""
        return self.table.seen_tables()

    def _on_changed(self, _workspace: object, _before: object) -> None:
        self.show_workspace()

    def _move(self, row: int, column: int) -> None:
        option = self.table.option(row, column)
        if option is not None:
            workspace = self._document.workspace
            signal = workspace.project.signals[row]
            self._document.edit(move_signal(workspace, signal, option.pin, option.negative))

    def _show_place(self, row: int, column: int) -> None:
        """What the pointed input is, and all that would follow from putting the row's signal
        there."""
        option = self.table.option(row, column)
        if option is None:
            self.title.setText("")
            self.lines.setText("")
            return
        workspace = self._document.workspace
        signal = workspace.project.signals[row]
        head = _about(option)
        wiring = workspace.wiring(option.pin)
        head.append(
            f"wired: {wiring.label or wiring.source.kind}"
            if wiring is not None
            else "nothing is wired to it"
        )
        if option.is_current:
            self.title.setText(f"{signal.name.upper()} IS ON {option.label.upper()}")
            self.lines.setText(
                " · ".join(head)
                + "<br><br>Drag it along its row, or go there with the arrows and press Enter."
            )
            return
        edit = move_signal(workspace, signal, option.pin, option.negative)
        self.title.setText(f"{edit.label.upper()}: WHAT WOULD FOLLOW")
        changed = consequences(workspace, edit)
        shown = [_line(one) for one in changed[:MOST_LINES]]
        if len(changed) > MOST_LINES:
            shown.append(f"… and {len(changed) - MOST_LINES} figures more")
        self.lines.setText(
            "<br>".join([" · ".join(head), "", *(shown or ["Nothing else changes."])])
        )


def _use_line(use: PinUse) -> str:
    """A row: the pin, what uses it, and what is wired to it."""
    t = theme()
    wired = f"wired: {use.wired}" if use.wired else ""
    shade = t.soft
    if not use.wired and use.is_needed:
        wired, shade = "✕ nothing is wired to it", t.bad
    cells = (use.pin, ", ".join(use.uses), f'<span style="color:{shade}">{escape(wired)}</span>')
    pin, uses, bench = escape(cells[0]), escape(cells[1]), cells[2]
    return f"<tr><td><b>{pin}</b></td><td>&nbsp;{uses}</td><td>&nbsp;&nbsp;{bench}</td></tr>"


def _about(option: InputOption) -> list[str]:
    parts = [f"channel {channel} of {name}" for name, channel in option.channels]
    if option.elsewhere:
        parts.append("only another converter reaches it")
    elif not parts:
        parts.append("no channel")
    parts += [f"carries {name}" for name in option.signals]
    parts += [f"wanted by {name}" for name in option.others]
    return parts


def _line(consequence: Consequence) -> str:
    t = theme()
    shade = {"comes": t.bad, "refused": t.bad, "goes": t.good, "changes": t.soft}[consequence.kind]
    word = {"comes": "comes: ", "goes": "goes: ", "changes": "", "refused": "not possible: "}[
        consequence.kind
    ]
    text = consequence.text.replace("&", "&amp;").replace("<", "&lt;")
    return f'<span style="color:{shade}">{_MARKS[consequence.kind]} {word}{text}</span>'
