"""The Routes page: what moves without a processor, rates on both sides, and bytes as a terminal
shows them."""

from __future__ import annotations

from typing import Literal

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QTextCursor
from PyQt6.QtWidgets import (
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.base.errors import QuantityError
from wattigram.core.capture.session import OutputPicture, Snapshot
from wattigram.core.model.design import PwmOutput, Route, UartDestination, UartSetup, Workspace
from wattigram.core.model.design.edits import (
    CompositeEdit,
    Edit,
    RemoveOutput,
    SetPwm,
    SetRoute,
    SetUart,
)
from wattigram.core.model.design.edits.output_edits import Section
from wattigram.desktop.inspector import Panel, panel_for
from wattigram.desktop.inspector.outputs import free_channel, free_timer
from wattigram.desktop.inspector.routes import sinks, sources
from wattigram.desktop.pages.listed_page import ListedPage
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.selection import Selection
from wattigram.desktop.theme import number_font
from wattigram.desktop.widgets.labels import heading
from wattigram.desktop.widgets.routes.rate_bars import RateBars

MOST_LINES = 400
BYTES_A_LINE = 16


class RoutesPage(ListedPage):
    """A list of routes, serial ports and PWM outputs; rates and bytes of the chosen one; an
    inspector."""

    error = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._snapshot = Snapshot()
        self._entries: list[tuple[Section | Literal[""], str]] = []
        self.chosen: tuple[Section | Literal[""], str] = ("", "")
        self.bars = RateBars()
        self.terminal = QPlainTextEdit()
        self._build()
        self.list.currentRowChanged.connect(self._choose_row)
        self.inspector.edited.connect(self._edit)
        self.inspector.error.connect(self.error)
        self.inspector.drag_began.connect(document.begin_drag)
        self.inspector.drag_ended.connect(document.end_drag)
        self.show_workspace()

    def _build(self) -> None:
        self.list.setAccessibleName("Routes and ports")
        self.terminal.setReadOnly(True)
        self.terminal.setFont(number_font(-0.5))
        self.terminal.setAccessibleName("Terminal")
        self.terminal.setMaximumBlockCount(MOST_LINES)
        self.terminal.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        middle = QWidget()
        inner = QVBoxLayout(middle)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(0)
        inner.addWidget(self.bars)
        self.heading = heading("")
        self.heading.setContentsMargins(12, 10, 12, 4)
        inner.addWidget(self.heading)
        inner.addWidget(self.terminal, 1)
        buttons = (
            ("Add a route", self.add_route),
            ("Add a serial port", self.add_uart),
            ("Add a PWM output", self.add_pwm),
            ("Remove", self.remove),
        )
        self.lay_out("ROUTES AND PORTS", buttons, middle, 170)

    # --- showing

    def show_workspace(self) -> None:
        """Show the document as it is now."""
        project = self._document.workspace.project
        self._entries = [("routes", route.name) for route in project.routes]
        self._entries += [("uarts", uart.name) for uart in project.uarts]
        self._entries += [("pwm", pwm.name) for pwm in project.pwm]
        if self.chosen not in self._entries:
            self.chosen = self._entries[0] if self._entries else ("", "")
        names = [name for _section, name in self._entries]
        self.show_names(names, self._entries.index(self.chosen) if names else 0)
        self._show_chosen()

    def _route(self) -> Route | None:
        return (
            self._document.workspace.project.route(self.chosen[1])
            if self.chosen[0] == "routes"
            else None
        )

    def _show_chosen(self) -> None:
        workspace = self._document.workspace
        route = self._route()
        index = len(workspace.project.signals) + (
            workspace.project.routes.index(route) if route is not None else 0
        )
        self.bars.setVisible(route is not None)
        self.bars.show_route(workspace, route, index)
        section, name = self.chosen
        shown = (
            panel_for(workspace, Selection(section=section, output=name))
            if section
            else Panel("No route yet")
        )
        self.inspector.show_panel(shown)
        self._show_bytes()

    def show_snapshot(self, snapshot: Snapshot) -> None:
        """Show what the board has sent."""
        before, self._snapshot = self._snapshot, snapshot
        mine, old = snapshot.outputs.get(self.chosen[1]), before.outputs.get(self.chosen[1])
        if (mine.count if mine else 0) != (old.count if old else 0):
            self._show_bytes()

    def _show_bytes(self) -> None:
        """The newest bytes or values of what is chosen, as text or in hexadecimal."""
        workspace = self._document.workspace
        picture = self._snapshot.outputs.get(self.chosen[1])
        as_text = _as_text(workspace, self.chosen)
        kind = "TEXT" if as_text else "NEWEST VALUES · ✕ OVERWRITTEN · ≠ TORN"
        if self.chosen[0] == "pwm":
            kind = "A PULSE SENDS NO BYTES; ITS ROW ON THE CHAIN PAGE SHOWS WHAT COMES BACK"
        self.heading.setText(
            kind
            if self.chosen[0] == "pwm" or picture is not None
            else f"{kind} · NOTHING YET: F5 RUNS THE BOARD"
        )
        lines = (
            []
            if picture is None
            else _text_lines(picture)
            if as_text
            else _value_lines(workspace, self._route(), picture)
        )
        self.terminal.setPlainText("\n".join(lines[-MOST_LINES:]))
        self.terminal.moveCursor(QTextCursor.MoveOperation.End)
        self.terminal.moveCursor(QTextCursor.MoveOperation.StartOfLine)

    def _choose_row(self, row: int) -> None:
        if 0 <= row < len(self._entries):
            self.chosen = self._entries[row]
            self._show_chosen()

    def _edit(self, edit: Edit) -> None:
        if isinstance(edit, SetRoute) and self.chosen == ("routes", edit.name):
            self.chosen = ("routes", edit.route.name)
        elif isinstance(edit, SetPwm) and self.chosen == ("pwm", edit.name):
            self.chosen = ("pwm", edit.pwm.name)
        self._document.edit(edit)

    # --- doing

    def _do(self, section: Section, name: str, edit: Edit) -> None:
        if self._document.edit(edit):
            self.chosen = (section, name)
            self.show_workspace()

    def add_uart(self) -> None:
        """Set the first free serial port up."""
        workspace = self._document.workspace
        used = {uart.name for uart in workspace.project.uarts}
        free = [name for group in workspace.part.uarts for name in group.names if name not in used]
        if not free:
            self.error.emit(f"{workspace.part.name} has no serial port left.")
            return
        self._do("uarts", free[0], SetUart(UartSetup(name=free[0])))

    def add_pwm(self) -> None:
        """A PWM output on the first free timer."""
        workspace = self._document.workspace
        try:
            timer = free_timer(workspace, with_pwm=True)
        except QuantityError as fault:
            self.error.emit(str(fault))
            return
        name = _fresh("PWM", {pwm.name for pwm in workspace.project.pwm})
        self._do(
            "pwm", name, SetPwm(name, PwmOutput(name=name, timer=timer, period_s="50 us", duty=0.5))
        )

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
        name = _fresh("Route", {route.name for route in workspace.project.routes})
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

    def remove(self) -> None:
        """Take the chosen one away."""
        section, name = self.chosen
        if section:
            self._document.edit(RemoveOutput(section, name))


def _fresh(base: str, taken: set[str]) -> str:
    return next(name for number in range(1, 1000) if (name := f"{base} {number}") not in taken)


def _as_text(workspace: Workspace, chosen: tuple[str, str]) -> bool:
    section, name = chosen
    route = workspace.project.route(name) if section == "routes" else None
    if route is not None:
        uart = (
            workspace.project.uart(route.destination.uart)
            if isinstance(route.destination, UartDestination)
            else None
        )
    else:
        uart = workspace.project.uart(name) if section == "uarts" else None
    if uart is None:
        return False
    return uart.shows == "text" or (
        uart.text_output is not None and uart.text_output.form == "text"
    )


def _text_lines(picture: OutputPicture) -> list[str]:
    """Bytes as a terminal shows them; what is no text is shown as a dot."""
    sent = picture.values[~picture.overwritten]
    text = "".join(
        chr(value) if 32 <= value < 127 or value == 10 else "" if value == 13 else "·"
        for value in sent.tolist()
    )
    return text.split("\n")


def _value_lines(workspace: Workspace, route: Route | None, picture: OutputPicture) -> list[str]:
    """Writes one after the other with their time, sixteen bytes or one value of a register a
    line."""
    is_bytes = route is None or isinstance(route.destination, UartDestination)
    marks = np.where(picture.overwritten, "✕", np.where(picture.torn, "≠", " ")).tolist()
    if not is_bytes:
        rows = zip(picture.times_s.tolist(), picture.values.tolist(), marks, strict=True)
        return [f"{time:12.6f} s  {value:6d}  0x{value:04X} {mark}" for time, value, mark in rows][
            -MOST_LINES:
        ]
    lines = []
    texts = [
        f"{value:02X}{mark}" for value, mark in zip(picture.values.tolist(), marks, strict=True)
    ]
    first = (picture.count - len(texts)) % BYTES_A_LINE
    for at in range(-first, len(texts), BYTES_A_LINE):
        part = texts[max(0, at) : at + BYTES_A_LINE]
        if part:
            lines.append(f"{float(picture.times_s[max(0, at)]):12.6f} s  {' '.join(part)}")
    return lines[-MOST_LINES:]
