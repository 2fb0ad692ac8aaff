"""The Streams page: takes and recordings of other tools, their traces, the values under the cursor, and what is
measured of a stretch."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.base.errors import QuantityError, WattigramError
from wattigram.core.base.quantity import format_si, parse_value, value_text
from wattigram.core.capture.recording import Reading, Recording
from wattigram.core.capture.recording.laid_over import Alignment, alignment_shift_s, laid_over
from wattigram.core.capture.session import Snapshot
from wattigram.core.judge.measured import Measured, Place, Sought, Wanted, measure, next_place
from wattigram.core.model.design import Workspace
from wattigram.desktop.state.jobs import Job
from wattigram.desktop.theme import heading_font
from wattigram.desktop.widgets.seen_table import SeenTable
from wattigram.desktop.widgets.streams.analysis_panel import AnalysisPanel
from wattigram.desktop.widgets.streams.live_window import LiveWindow
from wattigram.desktop.widgets.streams.meters import Meters
from wattigram.desktop.widgets.streams.now_data import NowData
from wattigram.desktop.widgets.streams.now_panel import NowPanel
from wattigram.desktop.widgets.streams.place_finder import LEVEL, PlaceFinder
from wattigram.desktop.widgets.streams.reading_form import ReadingForm
from wattigram.desktop.widgets.streams.signal_list import SignalList
from wattigram.desktop.widgets.streams.stream_data import LaidUnder, StreamData, Trace, load_stream
from wattigram.desktop.widgets.streams.strip_tables import strip_tables
from wattigram.desktop.widgets.streams.take_list import TakeList
from wattigram.desktop.widgets.streams.trace_plot import TracePlot
from wattigram.desktop.widgets.streams.value_line import ValueLine

ALIGNMENTS: dict[str, Alignment] = {
    "lined up at their starts": "start",
    "by a signal's course": "course",
    "at a signal's first rise": "edge",
    "at their first events": "event",
}
METERS_EVERY = 3
"""Of so many pictures of the board one changes the numbers: they are to be read."""
SETTLED_MS = 150
"""For so long the view stands still before it is measured anew."""


class StreamsPage(QWidget):
    """List, traces and values."""

    error = pyqtSignal(str)
    job_wanted = pyqtSignal(object)
    export_wanted = pyqtSignal(object)
    """Path of the take to export"""
    open_wanted = pyqtSignal()
    shown_wanted = pyqtSignal(object)
    """Of a board that runs, by name and whether after the filter: (name, filtered) of each."""
    freeze_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        self.data: StreamData | None = None
        self.now: NowData | None = None
        """The board, where that is shown and no recording."""
        self.now_button = QPushButton("○  Now: the board is off")
        self.now_button.setCheckable(True)
        self.now_button.setObjectName("now")
        self.now_button.setToolTip("What comes from the board.")
        self.now_panel = NowPanel()
        self.now_panel.hide()
        self.newest_part = LiveWindow(self)
        """What is measured of the board."""
        self._snapshot = Snapshot()
        self._told_at = 0
        self.takes = TakeList()
        self.signals = SignalList()
        self.plot = TracePlot()
        self.meters = Meters(self.plot)
        self.meters.hide()
        self.values = ValueLine(self.plot)
        self.finder = PlaceFinder()
        self.analysis = AnalysisPanel()
        self.reading_form = ReadingForm()
        self.reading_form.hide()
        self._opening: Path | None = None
        self._opening_job: Job | None = None
        """The newest; of older ones nobody wants the answer."""
        self.under_button = QPushButton("Lay under")
        self.align = QComboBox()
        self.under_label = QLabel()
        self._request = 0
        self._measuring: Job | None = None
        self._is_measuring = False
        self._looking: Job | None = None
        """The newest of each; nobody waits for older ones."""
        self._below: StreamData | None = None
        self._shift_s = 0.0
        self._build()
        self.takes.chosen.connect(lambda path: self._open(path, None))
        self.signals.chosen.connect(self._on_tick)
        self.plot.stretch_changed.connect(self._settled.start)
        self.plot.limits_field.said.connect(self.error)
        self.plot.place_wanted.connect(self.finder.look)
        self.plot.freeze_wanted.connect(self._freeze_or_go_on)
        self.plot.extremes_unwanted.connect(self.meters.forget_extremes)
        self.now_panel.freeze_wanted.connect(self.freeze_wanted)
        self.now_panel.newest_wanted.connect(self.plot.follow)
        self.now_button.clicked.connect(self.show_now)
        self.newest_part.ready.connect(self._on_window)
        self.newest_part.failed.connect(self._on_window_failed)
        self.finder.wanted.connect(self._find)
        self.analysis.wanted.connect(self._measure)
        self.reading_form.wanted.connect(self._read_so)

    def _build(self) -> None:
        side = QWidget()
        side.setObjectName("list")
        column = QVBoxLayout(side)
        column.setContentsMargins(12, 12, 8, 12)
        column.setSpacing(6)
        column.addWidget(self.now_button)
        column.addWidget(self.now_panel)
        column.addSpacing(8)
        column.addWidget(_heading("TAKES AND RECORDINGS"))
        column.addWidget(self.takes, 3)
        self._info = QLabel()
        self._info.setObjectName("soft")
        self._info.setWordWrap(True)
        column.addWidget(self._info)
        column.addWidget(self.reading_form)
        self._build_under(column)
        column.addSpacing(6)
        column.addWidget(_heading("SIGNALS SHOWN"))
        column.addWidget(self.signals, 3)
        row = QHBoxLayout()
        self.open_button = QPushButton("Open…")
        self.open_button.clicked.connect(self.open_wanted)
        self.export_button = QPushButton("Export…")
        self.export_button.setEnabled(False)
        self.export_button.clicked.connect(self._want_export)
        row.addWidget(self.open_button)
        row.addWidget(self.export_button)
        column.addLayout(row)
        right = QWidget()
        right.setObjectName("page")
        area = QVBoxLayout(right)
        area.setContentsMargins(12, 12, 12, 8)
        strips = QHBoxLayout()
        strips.setSpacing(0)
        strips.addWidget(self.plot, 1)
        strips.addWidget(self.meters)
        area.addLayout(strips, 1)
        area.addWidget(self.values)
        area.addWidget(self.finder)
        self._settled = QTimer(self)
        self._settled.setSingleShot(True)
        self._settled.setInterval(SETTLED_MS)
        self._settled.timeout.connect(self._show_stretch)
        self.parts = QSplitter(Qt.Orientation.Vertical)
        self.parts.addWidget(right)
        self.parts.addWidget(self.analysis)
        self.parts.setSizes([470, 230])
        self.parts.setCollapsible(0, False)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.addWidget(side)
        self.split.addWidget(self.parts)
        self.split.setStretchFactor(1, 1)
        self.split.setSizes([250, 1000])
        self.split.setChildrenCollapsible(False)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.split)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Meters take less room where there is little."""
        super().resizeEvent(event)
        self.meters.set_room(self.plot.width() + self.meters.width())

    def _build_under(self, column: QVBoxLayout) -> None:
        self.under_button.setToolTip(
            "Lay the recording that is open under the next one that is chosen, or take it away."
        )
        self.under_button.setEnabled(False)
        self.under_button.clicked.connect(self._toggle_under)
        self.align.addItems(list(ALIGNMENTS))
        self.align.setAccessibleName("Lined up")
        self.align.activated.connect(self._line_up)
        self.under_label.setObjectName("soft")
        self.under_label.setWordWrap(True)
        column.addWidget(self.under_button)
        column.addWidget(self.under_label)
        column.addWidget(self.align)
        self.align.hide()
        self.under_label.hide()

    def _toggle_under(self) -> None:
        """Keep what is open to lie below what comes next, or take what lies below away."""
        if self._below is not None:
            self._take_away()
        elif self.data is not None:
            self._below, self._shift_s = self.data, 0.0
            self.under_label.setText(
                f"{self.data.path.stem} lies below the recording that you choose next."
            )
            self.under_label.show()
            self.under_button.setText("Take away what lies below")

    def _take_away(self) -> None:
        if self._below is not None and self._below is not self.data:
            self._below.close()
        self._below = None
        self.align.hide()
        self.under_label.hide()
        self.under_button.setText("Lay under")
        self.plot.lay_under(None)
        self._request += 1
        self.analysis.show_data(self.data)
        self._show_stretch()

    def _line_up(self) -> None:
        """Shift what lies below as it is wanted."""
        if self._below is None or self.data is None or self._below is self.data:
            return
        by, below = ALIGNMENTS[self.align.currentText()], self._below
        name = self.analysis.first.currentText()
        known = {channel.name for channel in self.data.recording.channels}
        name = name if name in known else self.data.recording.channels[0].name
        try:
            self._shift_s = alignment_shift_s(self.data.recording, below.recording, by, name)
        except WattigramError as fault:
            self.error.emit(str(fault))
            return
        words = {
            "start": "at their starts",
            "course": f"by the course of {name}",
            "edge": f"at the first rise of {name}",
        }
        how = words.get(by, "at their first events")
        self.under_label.setText(
            f"{below.path.stem} lies below, lined up {how}: {format_si(self._shift_s, 's', 5)} later."
        )
        laid = LaidUnder(below, self._shift_s)
        self.plot.lay_under(laid)
        self._request += 1
        self.analysis.show_data(self.data, self._seen)
        self._show_stretch()

    @property
    def _seen(self) -> Recording:
        """What is open, with what lies below it."""
        assert self.data is not None
        if self._below is None or self._below is self.data:
            return self.data.recording
        return laid_over(
            self.data.recording, self._below.recording, self._below.path.stem, self._shift_s
        )

    @property
    def workspace(self) -> Workspace | None:
        """The design that the board had of which this is; None of the recording of another tool."""
        if self.now is not None:
            return self.now.run.workspace
        take = self.data.take if self.data is not None else None
        return take.workspace if take is not None else None

    def show_folders(self, folders: tuple[Path, ...]) -> None:
        """List a project's takes, and open the newest where nothing is shown."""
        self.takes.show_folders(folders)
        if self.takes.count() and self.data is None and not self.shows_now:
            self.takes.setCurrentRow(0)

    def add_take(self, path: Path, select: bool = True) -> None:
        """Show one more take, at the top."""
        self.takes.add(path, select)

    @property
    def shows_now(self) -> bool:
        """The board is shown, or wanted to be."""
        return self.now_button.isChecked()

    def show_now(self) -> None:
        """Show the board, whatever is open."""
        self.now_button.setChecked(True)
        self.takes.choose_none()
        self.close_take()
        self._opening = self._opening_job = None
        self._show_parts_of_now(True)
        self.values.show_values(None)
        self.analysis.show_nothing("What is in sight is measured as soon as the board runs.")
        self.show_snapshot(self._snapshot)
        self.plot.setFocus()

    def _show_parts_of_now(self, is_now: bool) -> None:
        self.now_button.setChecked(is_now)
        for mine in (self.now_panel, self.meters):
            mine.setVisible(is_now)
        for other in (self._info, self.under_button, self.finder):
            other.setVisible(not is_now)
        if is_now:
            self.export_button.setEnabled(False)
        else:
            self.now = None
            self.newest_part.close()
            self.shown_wanted.emit(frozenset())

    def show_snapshot(self, snapshot: Snapshot) -> None:
        """What the board says; and what came of it, where that is shown."""
        self._snapshot = snapshot
        running = snapshot.state == "running"
        word = {"running": "the board runs", "failed": "no board"}.get(
            snapshot.state, "the board is off"
        )
        self.now_button.setText(f"{'●' if running else '○'}  Now: {word}")
        if not self.shows_now:
            return
        self.now_panel.show_snapshot(snapshot)
        run = snapshot.now
        if run is None:
            return
        if self.now is None or self.now.run is not run:
            self.now = NowData(run, snapshot.history)
            self.newest_part.close()  # whoever was to write it is gone
            self.now_panel.hold.show_workspace(run.workspace)
            self.signals.show_traces(self.now.traces)
            self._shown_now()
        self.now.history = snapshot.history
        self.plot.advance()
        if isinstance(snapshot.copied, str):
            self.newest_part.refuse(snapshot.copied)
        elif snapshot.copied is not None:
            self.newest_part.take(snapshot.copied)
        is_there = snapshot.state in {"running", "idle"}
        if is_there and self.analysis.isVisible() and not self._is_measuring:
            self.newest_part.advance(self.now, self.plot.stretch[0])
        self._told_at += 1
        if self._told_at % METERS_EVERY == 0:
            workspace = snapshot.history[-1][1] if snapshot.history else None
            self.meters.show_newest(workspace)

    def _shown_now(self) -> None:
        """Have the plot show what is ticked, and the board keep it up to date."""
        assert self.now is not None
        shown = self.signals.ticked
        keys = [one.key for one in self.now.channels if (one.name, one.stage) in shown]
        self.shown_wanted.emit(frozenset(keys))
        self.plot.show_take(self.now, shown)
        self.values.show_values(self.plot.cursor_s)

    def _on_window(self, data: StreamData) -> None:
        """What is in sight of the board has been written: measure it."""
        if self.shows_now:
            self.analysis.show_data(data)
            self._show_stretch()

    def _on_window_failed(self, why: str) -> None:
        if self.shows_now:
            self.analysis.show_nothing(why)

    @property
    def _measured_data(self) -> StreamData | None:
        """What is open, or in sight of the board."""
        return self.newest_part.data if self.shows_now else self.data

    def _freeze_or_go_on(self) -> None:
        """Freeze what is kept of the board; or leave a recording and go on with the board."""
        if self.shows_now:
            self.freeze_wanted.emit()
        else:
            self.show_now()

    def _open(self, path: Path, reading: Reading | None) -> None:
        self._opening = path
        self.reading_form.hide()
        job = Job(
            f"Opening {path.name}", lambda progress: load_stream(path, progress, reading), self
        )
        self._opening_job = job

        def show(data: StreamData) -> None:
            if self._opening_job is job:
                self.show_data(data)
            else:
                data.close()  # another one is wanted by now

        def tell(why: str) -> None:
            if self._opening_job is job:
                self._on_failed(why)

        job.finished.connect(show)
        job.failed.connect(tell)
        self.job_wanted.emit(job)

    def _read_so(self, reading: Reading) -> None:
        if self._opening is not None:
            self._open(self._opening, reading)

    def _want_export(self) -> None:
        if self.data is not None:
            self.export_wanted.emit(self.data.path)

    def _on_failed(self, why: str) -> None:
        self.error.emit(why)
        self._info.setText(why)
        if (
            self._opening is not None
            and self._opening.exists()
            and self._opening.suffix.lower() != ".h5"
        ):
            self.reading_form.ask("What the file does not say:")

    def show_data(self, data: StreamData) -> None:
        """Show a take that has been opened."""
        if self.data is not None and self.data is not self._below:
            self.data.close()
        self.data = data
        self._show_parts_of_now(False)
        self.export_button.setEnabled(True)
        self.under_button.setEnabled(True)
        self._info.setText(data.summary)
        self.signals.show_traces(data.traces)
        self.plot.show_take(data, self.signals.ticked)
        self.values.show_values(None)
        self.finder.show_why("")
        self._request += 1
        self.analysis.show_data(data)
        self._show_stretch()
        if self._below is not None:
            self.align.show()
            self.under_label.show()
            self._line_up()

    def _show_stretch(self) -> None:
        """What is between the marks, or in sight, is to be measured."""
        data = self._measured_data
        if data is None:
            return
        begin_s, end_s = self.plot.stretch
        if self.shows_now and not self.plot.is_marked:
            begin_s, end_s = max(begin_s, data.begin_s), data.end_s
        self.analysis.show_stretch(
            begin_s, end_s, "between the marks" if self.plot.is_marked else "in sight"
        )

    def _measure(self, wanted: Wanted) -> None:
        data = self._measured_data
        if data is None:
            return
        self._request += 1
        request = self._request
        below = None if self.shows_now else self._below
        seen = data.recording if self.shows_now else self._seen

        def work(progress: Callable[[float], None]) -> Measured:
            with ExitStack() as stack:
                stack.enter_context(data.opened.reading())
                if below is not None:
                    stack.enter_context(below.opened.reading())
                return measure(seen, wanted, progress)

        if self._measuring is not None:
            self._measuring.cancel()
        job = self._measuring = Job("Measuring", work, self)

        def show(measured: Measured) -> None:
            if request == self._request:  # an older answer is dropped
                self.analysis.show_measured(measured)

        def tell(why: str) -> None:
            if request == self._request:
                self.analysis.show_nothing(why)

        def through() -> None:
            if self._measuring is job:
                self._is_measuring = False

        job.finished.connect(show)
        job.failed.connect(tell)
        job.ended.connect(through)
        self._is_measuring = True
        (self.newest_part.job_wanted if self.shows_now else self.job_wanted).emit(job)

    def _find(self, what: str, forward: bool) -> None:
        """Go to the next place, or the one before, of the signal that is measured."""
        data, name = self.data, self.analysis.first.currentText()
        if data is None:
            self.finder.show_why("Choose a take or a recording first.")
            return
        trace = next((one for one in data.channels if one.channel.name == name), None)
        if trace is None:
            self.finder.show_why("Choose a signal of the recording that is open.")
            return
        mark_s = self.plot.mark_s
        begin_s, end_s = self.plot.view
        from_s = mark_s if mark_s is not None else begin_s if forward else end_s
        try:
            level = self._level(trace, mark_s) if what == LEVEL else None
        except QuantityError as fault:
            self.finder.show_why(str(fault))
            return
        sought = Sought(what, name, level)

        def work(progress: Callable[[float], None]) -> Place | None:
            with data.opened.reading() as recording:
                return next_place(recording, sought, from_s, forward=forward, progress=progress)

        if self._looking is not None:
            self._looking.cancel()
        job = self._looking = Job("Looking", work, self)

        def show(place: Place | None) -> None:
            if data is self.data:
                self.finder.show_place(name, place, forward)
                if place is not None:
                    self.plot.go_to(place.begin_s, place.end_s)

        job.finished.connect(show)
        job.failed.connect(self.finder.show_why)
        self.job_wanted.emit(job)

    def _level(self, trace: Trace, mark_s: float | None) -> float:
        """What was typed, or the value at the mark, which stands there from then on."""
        field = self.finder.level
        if not field.text().strip() and mark_s is not None:
            number = trace.number_at(mark_s)
            at_mark = trace.samples(number, number + 1)
            if not at_mark.valid[0]:
                raise QuantityError("No value came at the mark.", cure="Type a level.")
            field.setText(value_text(float(at_mark.values[0]), trace.unit))
        return parse_value(field.text(), trace.unit)

    def _on_tick(self) -> None:
        if self.now is not None:
            self._shown_now()
        else:
            self.plot.show_take(self.data, self.signals.ticked)

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """What is drawn here, in words."""
        plot = self.plot
        return strip_tables(plot.data, plot.traces, plot.view) if plot.data is not None else ()

    def copy_picture(self) -> None:
        """The traces as a picture on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setPixmap(self.plot.grab())

    def close_take(self) -> None:
        """Let the file go."""
        for job in (self._measuring, self._looking):
            if job is not None:
                job.cancel()
        if self._below is not None:
            self._take_away()
        self.newest_part.close()
        if self.data is not None:
            self._request += 1
            self.data.close()
            self.data = None
            self.plot.show_take(None, frozenset())
            self.analysis.show_data(None)


def _heading(text: str) -> QLabel:
    label = QLabel(text)
    label.setFont(heading_font())
    label.setObjectName("faint")
    return label
