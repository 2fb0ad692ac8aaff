"""The Wave page: tables, their curve, and what leaves the pin."""

from __future__ import annotations

import math
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.base.errors import QuantityError, WaveError
from wattigram.core.base.quantity import format_si, parse_quantity
from wattigram.core.contract.shapes import PointsShape, SineShape
from wattigram.core.model.design import Generator, Playback, TimerTrigger, WaveTable
from wattigram.core.model.design.edits import (
    CompositeEdit,
    Edit,
    RemoveOutput,
    SetGenerator,
    SetTable,
)
from wattigram.core.predict.pins import input_poles_s
from wattigram.core.predict.waveform import (
    TABLE_FORMATS,
    dac_lsb_v,
    dac_playback,
    exported_table,
    output_spectrum,
    read_points,
    table_player,
    write_table,
)
from wattigram.desktop.inspector import Panel
from wattigram.desktop.inspector.outputs import free_channel, free_timer
from wattigram.desktop.inspector.waves import (
    choices_for,
    retuned,
    table_panel,
    wanted_hz,
)
from wattigram.desktop.pages.listed_page import ListedPage
from wattigram.desktop.state.document import Document
from wattigram.desktop.widgets.labels import heading
from wattigram.desktop.widgets.seen_table import SeenTable
from wattigram.desktop.widgets.wave.solver_table import SolverTable
from wattigram.desktop.widgets.wave.spectrum_chart import SpectrumChart
from wattigram.desktop.widgets.wave.wave_curve import WaveCurve

WAV_SECONDS = 2.0
READ = "Points (*.csv *.wav *.c *.h *.txt)"


class WavePage(ListedPage):
    """A list of tables, the curve with the spectrum below it, and an inspector."""

    error = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.chosen = ""
        self._filter_hz: float | None = None
        self.curve = WaveCurve()
        self.spectrum = SpectrumChart()
        self.filter = QLineEdit()
        self.solver = SolverTable()
        self._build()
        self.list.currentTextChanged.connect(self._choose)
        self.curve.edited.connect(document.edit)
        self.curve.drag_began.connect(document.begin_drag)
        self.curve.drag_ended.connect(document.end_drag)
        self.inspector.edited.connect(self._edit)
        self.inspector.error.connect(self.error)
        self.inspector.drag_began.connect(document.begin_drag)
        self.inspector.drag_ended.connect(document.end_drag)
        self.solver.chosen.connect(self._take_choice)
        self.filter.editingFinished.connect(self._set_filter)
        self.show_workspace()

    def _build(self) -> None:
        self.list.setAccessibleName("Tables")
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(self.curve)
        middle.addWidget(self._below())
        middle.setStretchFactor(0, 3)
        middle.setStretchFactor(1, 2)
        middle.setChildrenCollapsible(False)
        buttons = (
            ("Add a table", self.add_table),
            ("Add from a file…", self.read_dialog),
            ("Save as…", self.save_dialog),
            ("Remove", self.remove_table),
        )
        self.lay_out("TABLES", buttons, middle, 150)

    def _below(self) -> QWidget:
        """The spectrum, with the filter that it is seen through."""
        self.filter.setAccessibleName("Filter's corner")
        self.filter.setPlaceholderText("none, or as wired")
        self.filter.setMaximumWidth(150)
        line = QHBoxLayout()
        line.setContentsMargins(12, 4, 12, 4)
        label = QLabel("after a low-pass at")
        label.setObjectName("faint")
        line.addWidget(label)
        line.addWidget(self.filter)
        self.filter_note = QLabel()
        self.filter_note.setObjectName("faint")
        line.addWidget(self.filter_note, 1)
        below = QWidget()
        column = QVBoxLayout(below)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.spectrum, 1)
        column.addLayout(line)
        solver = QWidget()
        inner = QVBoxLayout(solver)
        inner.setContentsMargins(8, 4, 8, 4)
        self.solver_title = heading("")
        inner.addWidget(self.solver_title)
        inner.addWidget(self.solver, 1)
        both = QSplitter(Qt.Orientation.Horizontal)
        both.addWidget(below)
        both.addWidget(solver)
        both.setSizes([345, 535])
        both.setChildrenCollapsible(False)
        return both

    # --- showing

    @property
    def table(self) -> WaveTable | None:
        """The chosen table."""
        return self._document.workspace.project.table(self.chosen)

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """What is drawn here, in words."""
        return (*self.curve.seen_tables(), *self.spectrum.seen_tables())

    def show_workspace(self) -> None:
        """Show the document as it is now."""
        project = self._document.workspace.project
        names = [table.name for table in project.tables]
        if self.chosen not in names:
            self.chosen = names[0] if names else ""
        self.show_names(names, names.index(self.chosen) if names else 0)
        self._show_table()

    def _show_table(self) -> None:
        workspace, table = self._document.workspace, self.table
        index = workspace.project.tables.index(table) if table is not None else 0
        self.curve.show_table(workspace, table, index)
        self.inspector.show_panel(
            table_panel(workspace, table) if table is not None else Panel("No table")
        )
        generator = table_player(workspace, table) if table is not None else None
        poles = self._poles(generator)
        spectrum = (
            output_spectrum(dac_playback(workspace, generator), poles)
            if generator is not None
            else None
        )
        self.spectrum.show_spectrum(spectrum, poles, index)
        choices = (
            choices_for(workspace, generator, table)
            if generator is not None and table is not None
            else ()
        )
        self.solver.show_choices(choices, table.points if table is not None else 0)
        self.solver_title.setText("NO TIMER SETS A FREQUENCY")
        if choices and generator is not None and table is not None:
            hertz = format_si(wanted_hz(workspace, generator, table), "Hz", 6)
            self.solver_title.setText(f"TIMER × POINTS FOR {hertz} · ENTER TAKES ONE")

    def _take_choice(self, points: int) -> None:
        """As many points as a choice has, at the frequency that is wanted."""
        workspace, table = self._document.workspace, self.table
        generator = table_player(workspace, table) if table is not None else None
        if table is not None and generator is not None:
            edit = retuned(
                workspace, generator, table, points, wanted_hz(workspace, generator, table)
            )
            if edit is not None:
                self._document.edit(edit)

    def _poles(self, generator: Generator | None) -> tuple[float, ...]:
        """The filter that was typed, else what is wired behind the pin."""
        if self._filter_hz is not None:
            self.filter_note.setText("as typed")
            return (1 / (2 * math.pi * self._filter_hz),)
        workspace = self._document.workspace
        dac = workspace.part.dac(generator.dac) if generator is not None else None
        for wiring in workspace.project.bench if dac is not None else ():
            if wiring.source.kind == "jumper" and dac is not None and wiring.source.pin == dac.pin:
                poles = input_poles_s(workspace, wiring)
                if poles:
                    corner = format_si(1 / (2 * math.pi * max(poles)), "Hz", 4)
                    self.filter_note.setText(f"{corner}, as wired to {wiring.pin}")
                    return poles
        self.filter_note.setText("")
        return ()

    def _set_filter(self) -> None:
        text = self.filter.text().strip()
        try:
            hertz = float(parse_quantity(text, "Hz")) if text else None
        except QuantityError as fault:
            self.error.emit(f"Low-pass: {fault}")
            return
        self._filter_hz = hertz if hertz is None or hertz > 0 else None
        self._show_table()

    def table_of(self, generator: str) -> str:
        """The table that a generator plays; "" for none."""
        made = self._document.workspace.project.generator(generator)
        return getattr(made.output, "table", "") if made is not None else ""

    def choose(self, name: str) -> None:
        """Choose a table, and show it in the list."""
        self.chosen = name
        self.show_workspace()

    def _choose(self, name: str) -> None:
        if name and name != self.chosen:
            self.chosen = name
            self._show_table()

    def _edit(self, edit: Edit) -> None:
        if isinstance(edit, SetTable) and edit.name == self.chosen:
            self.chosen = edit.table.name  # a new name is still the chosen one
        self._document.edit(edit)

    # --- doing

    def add_table(self, shape: PointsShape | None = None, name: str = "") -> None:
        """A new table, played at once where a DAC, a timer and a DMA channel are free."""
        workspace = self._document.workspace
        project = workspace.project
        taken = {table.name for table in project.tables}
        base = name or "Table"
        name = next(
            text
            for number in range(1, 1000)
            if (text := base if number == 1 else f"{base} {number}") not in taken
        )
        middle_v = round(workspace.reference_v / 2, 3)
        table = WaveTable(
            name=name,
            points=256 if shape is None else min(max(8, len(shape.values)), 4096),
            amplitude_v=round(middle_v * 0.6, 3),
            offset_v=middle_v,
            shape=shape or SineShape(),
        )
        edits: list[Edit] = [SetTable(name, table)]
        player = self._player(table)
        if player is not None:
            edits.append(SetGenerator(player.name, player))
        if self._document.edit(CompositeEdit(tuple(edits), f"Add table {name}")):
            self.chosen = name
            self.show_workspace()

    def _player(self, table: WaveTable) -> Generator | None:
        """A generator for a new table on the first free DAC, at 100 Hz."""
        workspace = self._document.workspace
        project = workspace.project
        used = {generator.dac for generator in project.generators} | {
            route.destination.dac for route in project.routes if route.destination.kind == "dac"
        }
        free = [dac for dac in workspace.part.dacs if dac.name not in used]
        if not free:
            return None
        try:
            timer, channel = free_timer(workspace), free_channel(workspace)
        except QuantityError:
            return None
        fastest = min(free[0].update_rate_high_hz, 1 / free[0].settling_s)
        rate_hz = min(table.points * 100, int(fastest))
        every = round(workspace.bus_clock_hz / rate_hz) / workspace.bus_clock_hz
        output = Playback(
            table=table.name,
            update_trigger=TimerTrigger(timer=timer, period_s=every),
            channel=channel,
        )
        names = {generator.name for generator in project.generators}
        name = next(
            text
            for n in range(1, 99)
            if (text := free[0].name if n == 1 else f"{free[0].name} {n}") not in names
        )
        return Generator(
            name=name, dac=free[0].name, output=output, double_buffered=free[0].can_buffer_twice
        )

    def remove_table(self) -> None:
        """Take the chosen table away, and what plays it."""
        project = self._document.workspace.project
        if not self.chosen:
            return
        edits: list[Edit] = [
            RemoveOutput("generators", generator.name)
            for generator in project.generators
            if isinstance(generator.output, Playback) and generator.output.table == self.chosen
        ]
        edits += [
            RemoveOutput("routes", route.name)
            for route in project.routes
            if route.source.kind == "table" and route.source.table == self.chosen
        ]
        edits.append(RemoveOutput("tables", self.chosen))
        self._document.edit(CompositeEdit(tuple(edits), f"Remove table {self.chosen}"))

    def read_dialog(self) -> None:
        """Ask for a file of points."""
        name, _kind = QFileDialog.getOpenFileName(self, "Points from a file", "", READ)
        if name:
            self.read_file(Path(name))

    def read_file(self, path: Path) -> None:
        """A new table from a file: CSV in volts, WAV over the whole range, C in codes."""
        workspace = self._document.workspace
        dac = workspace.part.dacs[0] if workspace.part.dacs else None
        lsb_v = dac_lsb_v(workspace, dac) if dac is not None else workspace.reference_v / 4096
        margin_v = dac.buffer_margin_v if dac is not None else 0.0
        full_v = workspace.full_scale_v(dac) if dac is not None else workspace.reference_v
        try:
            values = read_points(path, margin_v, full_v - margin_v, lsb_v)
        except WaveError as fault:
            self.error.emit(str(fault))
            return
        self.add_table(PointsShape(values=values, origin=path.name[:120]), path.stem[:50])

    def save_dialog(self) -> None:
        """Ask where to save the chosen table; the ending decides the kind."""
        if self.table is None:
            return
        kinds = {f"{kind.title} (*{kind.suffix})": kind.suffix for kind in TABLE_FORMATS}
        name, chosen = QFileDialog.getSaveFileName(
            self, "Save the table", f"{self.chosen}.csv", ";;".join(kinds)
        )
        if name:
            ending = kinds.get(chosen, "")
            self.save_file(Path(name) if Path(name).suffix else Path(name + ending))

    def save_file(self, path: Path) -> None:
        """Write the chosen table in the format that the ending says."""
        workspace, table = self._document.workspace, self.table
        if table is None:
            return
        try:
            write_table(exported_table(workspace, table), path, WAV_SECONDS)
        except WaveError as fault:
            self.error.emit(f"The table was not saved: {fault}")
            return
        self.error.emit(f"{table.name} is in {path}.")
