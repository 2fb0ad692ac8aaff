"""The Program page: what the program and DMA do by themselves, and what comes of it."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QTextCursor
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.base.errors import EditError, QuantityError
from wattigram.core.capture.session import Snapshot
from wattigram.core.model.design import (
    Expectation,
    Reaction,
    Route,
    RouteExpectation,
    UartDestination,
    UartSetup,
)
from wattigram.core.model.design.clipboard import clip_reactions, paste_reactions
from wattigram.core.model.design.edits import (
    AddExpectation,
    CompositeEdit,
    Edit,
    RemoveOutput,
    SetPwm,
    SetReaction,
    SetRoute,
    SetUart,
)
from wattigram.core.model.design.edits.output_edits import Section
from wattigram.core.model.design.templates import Template, from_template
from wattigram.core.predict.program import processor_timeline
from wattigram.desktop.inspector import Panel, panel_for
from wattigram.desktop.inspector.fresh_reactions import fresh_do, fresh_when
from wattigram.desktop.inspector.outputs import free_channel
from wattigram.desktop.inspector.reaction_templates import fresh_pwm, fresh_uart, unused_name
from wattigram.desktop.inspector.routes import sinks, sources
from wattigram.desktop.pages.listed_page import InspectedPage
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.selection import Selection
from wattigram.desktop.theme import number_font
from wattigram.desktop.widgets.labels import heading
from wattigram.desktop.widgets.program.output_lines import (
    MOST_LINES,
    level_lines,
    text_lines,
    value_lines,
)
from wattigram.desktop.widgets.program.processor_lanes import ProcessorLanes
from wattigram.desktop.widgets.program.program_list import ProgramList, TitledList
from wattigram.desktop.widgets.program.program_tables import processor_table, program_table
from wattigram.desktop.widgets.program.rate_bars import RateBars
from wattigram.desktop.widgets.program.row_text import ProgramRow, program_rows
from wattigram.desktop.widgets.seen_table import SeenTable


class ProgramPage(InspectedPage):
    """Rows of reactions, routes, serial ports and PWM outputs; bytes or values of the chosen one; an
    inspector."""

    error = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._snapshot = Snapshot()
        self.chosen: tuple[str, str] = ("", "")
        self.rows = ProgramList()
        self.bars = RateBars()
        self.processor = ProcessorLanes()
        self.terminal = QPlainTextEdit()
        self._build()
        self.rows.chosen.connect(self._choose)
        self.rows.removal_wanted.connect(self.remove)
        self.inspector.edited.connect(self._edit)
        self.inspector.error.connect(self.error)
        self.inspector.drag_began.connect(document.begin_drag)
        self.inspector.drag_ended.connect(document.end_drag)
        self.show_workspace()

    def _build(self) -> None:
        self.terminal.setReadOnly(True)
        self.terminal.setFont(number_font(-0.5))
        self.terminal.setAccessibleName("Terminal")
        self.terminal.setMaximumBlockCount(MOST_LINES)
        self.terminal.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        buttons = QHBoxLayout()
        buttons.setContentsMargins(12, 8, 12, 4)
        buttons.setSpacing(8)
        for text, tip, action in (
            (
                "+ reaction",
                "Something that the program does when something happens",
                self.add_reaction,
            ),
            ("+ route", "What DMA moves without the processor", self.add_route),
            ("+ serial port", "Set a UART up", self.add_uart),
            ("+ PWM", "A pulse on the pin of a timer", self.add_pwm),
            ("Expect it", "What must hold of the chosen one, as it is predicted", self.expect),
            ("Remove", "Take the chosen one away", self.remove),
        ):
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(lambda _checked, wanted=action: wanted())
            buttons.addWidget(button)
        buttons.addStretch(1)
        lower = QWidget()
        inner = QVBoxLayout(lower)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(0)
        inner.addLayout(buttons)
        inner.addWidget(self.bars)
        inner.addWidget(self.processor)
        self.heading = heading("")
        self.heading.setContentsMargins(12, 8, 12, 4)
        inner.addWidget(self.heading)
        inner.addWidget(self.terminal, 1)
        inner.addStretch(0)  # where what is chosen moves nothing that is seen
        left = QSplitter(Qt.Orientation.Vertical)
        left.addWidget(TitledList(self.rows))
        left.addWidget(lower)
        left.setStretchFactor(0, 1)
        left.setSizes([540, 150])
        left.setChildrenCollapsible(False)
        self.lay_out_beside(left)

    # --- showing

    def show_workspace(self) -> None:
        """Show the document as it is now."""
        rows = program_rows(self._document.workspace)
        names = [(row.section, row.name) for row in rows if row.section]
        if self.chosen not in names:
            self.chosen = names[0] if names else ("", "")
        self.rows.show_rows(rows, *self.chosen)
        self._show_chosen()

    def row(self) -> ProgramRow | None:
        """The chosen row."""
        return next((one for one in self.rows.rows if (one.section, one.name) == self.chosen), None)

    def _route(self) -> Route | None:
        project = self._document.workspace.project
        return project.route(self.chosen[1]) if self.chosen[0] == "routes" else None

    def _show_chosen(self) -> None:
        workspace = self._document.workspace
        route = self._route()
        index = len(workspace.project.signals) + (
            workspace.project.routes.index(route) if route is not None else 0
        )
        self.bars.setVisible(route is not None)
        by_processor = self.chosen[0] == "reactions"
        self.processor.setVisible(by_processor)
        if by_processor:
            self.processor.show_workspace(workspace, self.chosen[1])
        self.bars.show_route(workspace, route, index)
        section, name = self.chosen
        shown = (
            panel_for(workspace, Selection(section=section, output=name))
            if section
            else Panel("Nothing yet: add a reaction")
        )
        self.inspector.show_panel(shown)
        self._show_bytes()

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """What is drawn here, in words."""
        workspace = self._document.workspace
        tables = (
            program_table(program_rows(workspace)),
            processor_table(processor_timeline(workspace)),
            *self.bars.seen_tables(),
        )
        return tuple(table for table in tables if table.rows)

    def show_snapshot(self, snapshot: Snapshot) -> None:
        """Show what the board has sent."""
        before, self._snapshot = self._snapshot, snapshot
        self.rows.show_snapshot(snapshot)
        row = self.row()
        stream = row.stream if row is not None else ""
        mine, old = snapshot.outputs.get(stream), before.outputs.get(stream)
        begins = (snapshot.seconds > 0) != (before.seconds > 0)
        if begins or (mine.count if mine else 0) != (old.count if old else 0):
            self._show_bytes()

    def _show_bytes(self) -> None:
        """The newest bytes or values of what is chosen, as text or in hexadecimal."""
        row = self.row()
        picture = self._snapshot.outputs.get(row.stream) if row is not None else None
        self.terminal.setVisible(row is not None and bool(row.stream))
        if row is None or not row.stream:
            self.heading.setText("")
            self.terminal.setPlainText("")
            return
        by_dma = self._route_of(row.stream) is not None
        marks = " · ✕ OVERWRITTEN · ≠ TORN" if by_dma else ""
        kind = "TEXT" if row.as_text else f"NEWEST VALUES{marks}"
        self.heading.setText(
            f"{row.stream.upper()} · {kind}"
            if picture is not None
            else f"{row.stream.upper()} · NOTHING YET"
            + ("" if self._snapshot.seconds > 0 else ": F5 RUNS THE BOARD")
        )
        lines: list[str] = []
        if picture is not None and row.as_text:
            lines = text_lines(picture)
        elif picture is not None:
            lines = (
                level_lines(picture, row.lamps)
                if row.lamps
                else value_lines(picture, is_bytes=self._sends_bytes(row))
            )
        self.terminal.setPlainText("\n".join(lines[-MOST_LINES:]))
        self.terminal.moveCursor(QTextCursor.MoveOperation.End)
        self.terminal.moveCursor(QTextCursor.MoveOperation.StartOfLine)

    def _route_of(self, stream: str) -> Route | None:
        return self._document.workspace.project.route(stream)

    def _sends_bytes(self, row: ProgramRow) -> bool:
        route = self._route_of(row.stream)
        if route is not None:
            return isinstance(route.destination, UartDestination)
        return self._document.workspace.project.uart(row.stream) is not None

    def choose(self, section: str, name: str) -> None:
        """Choose a row, and show it in the list."""
        self.chosen = (section, name)
        self.show_workspace()

    def _choose(self, section: str, name: str) -> None:
        self.chosen = (section, name)
        self._show_chosen()

    def _edit(self, edit: Edit) -> None:
        match edit:
            case SetRoute(name=name, route=fresh) | SetPwm(name=name, pwm=fresh):
                renamed = fresh.name
            case SetReaction(name=name, reaction=reaction):
                renamed = reaction.name
            case _:
                name = renamed = ""
        if name and name == self.chosen[1]:
            self.chosen = (self.chosen[0], renamed)
        self._document.edit(edit)

    # --- doing

    def _do(self, section: Section, name: str, edit: Edit) -> None:
        if self._document.edit(edit):
            self.chosen = (section, name)
            self.show_workspace()
            self.rows.setFocus()

    def add_reaction(self) -> None:
        """A reaction to the first thing that happens here: a threshold, else each result."""
        workspace = self._document.workspace
        project = workspace.project
        kinds = ["threshold"] if any(signal.thresholds for signal in project.signals) else []
        name = unused_name("Reaction", {reaction.name for reaction in project.reactions})
        try:
            when = fresh_when(workspace, (*kinds, "period")[0])
            if when.kind == "threshold":
                when = when.replaced(change="both")
            do = fresh_do(workspace, "pin", when)
        except QuantityError as fault:
            self.error.emit(str(fault))
            return
        self._do("reactions", name, SetReaction(name, Reaction(name=name, when=when, do=do)))

    def add_uart(self) -> None:
        """Set the first free serial port up."""
        try:
            edit = fresh_uart(self._document.workspace)
        except QuantityError as fault:
            self.error.emit(str(fault))
            return
        self._do("uarts", edit.uart.name, edit)

    def add_pwm(self) -> None:
        """A PWM output on the first free timer."""
        try:
            edit = fresh_pwm(self._document.workspace)
        except QuantityError as fault:
            self.error.emit(str(fault))
            return
        self._do("pwm", edit.name, edit)

    def add_template(self, template: Template) -> None:
        """A reaction that is often wanted, with what it needs."""
        try:
            edit = from_template(self._document.workspace, template)
        except (QuantityError, EditError) as fault:
            self.error.emit(str(fault))
            return
        last = edit.edits[-1]
        if isinstance(last, SetReaction):
            self._do("reactions", last.name, edit)

    def add_route(self) -> None:
        """A route from the first source to the first sink that is free; a serial port is set up
        where there is no sink."""
        workspace = self._document.workspace
        try:
            channel = free_channel(workspace)
        except QuantityError as fault:
            self.error.emit(str(fault))
            return
        before: list[Edit] = []
        taken = [route.destination for route in workspace.project.routes]
        free = [sink for sink in sinks(workspace).values() if sink not in taken]
        if not free:
            used = {uart.name for uart in workspace.project.uarts}
            ports = [
                name for group in workspace.part.uarts for name in group.names if name not in used
            ]
            if not ports:
                self.error.emit("There is nothing left to route to. Add a PWM output first.")
                return
            before.append(SetUart(UartSetup(name=ports[0])))
            free = [UartDestination(uart=ports[0])]
        offered = sources(workspace)
        if not offered:
            self.error.emit("There is nothing to route from. Add a signal with a slot first.")
            return
        name = unused_name("Route", {route.name for route in workspace.project.routes})
        is_wire = isinstance(free[0], UartDestination)
        bits = 8 if is_wire else 16
        source = next(iter(offered.values()))
        route = Route(
            name=name,
            source=source,
            destination=free[0],
            channel=channel,
            source_bits=bits,
            destination_bits=bits,
            transfers=2 if is_wire and source.kind == "result" else 1,
        )
        self._do("routes", name, CompositeEdit((*before, SetRoute(name, route)), f"Add {name}"))

    def expect(self) -> None:
        """Expectations of the chosen reaction or route."""
        from wattigram.core.judge import suggest_for_reaction  # late: the window starts without it

        section, name = self.chosen
        fresh: tuple[Expectation, ...] = ()
        if section == "reactions":
            fresh = suggest_for_reaction(self._document.workspace, name)
        elif section == "routes":
            fresh = (RouteExpectation(signal=name),)
        there = self._document.workspace.project.expectations
        edits = tuple(AddExpectation(one) for one in fresh if one not in there)
        if not edits:
            self.error.emit("Nothing more can be expected of what is chosen.")
        elif self._document.edit(CompositeEdit(edits, f"Expect {name} as it is predicted")):
            count = len(edits)
            self.error.emit(
                f"{count} expectation{'s' if count > 1 else ''} more for {name}. F6 proves them."
            )

    def copy(self) -> None:
        """The chosen reaction to the clipboard."""
        clipboard = QApplication.clipboard()
        section, name = self.chosen
        if section == "reactions" and clipboard is not None:
            clipboard.setText(clip_reactions(self._document.workspace, (name,)))

    def paste(self) -> None:
        """Reactions from the clipboard, under fresh names."""
        clipboard = QApplication.clipboard()
        try:
            edit = paste_reactions(
                self._document.workspace, clipboard.text() if clipboard is not None else ""
            )
        except EditError as fault:
            self.error.emit(str(fault))
            return
        last = edit.edits[-1]
        if isinstance(last, SetReaction):
            self._do("reactions", last.name, edit)

    def remove(self) -> None:
        """Take the chosen one away."""
        section, name = self.chosen
        if section:
            self._document.edit(RemoveOutput(section, name))  # type: ignore[arg-type]
