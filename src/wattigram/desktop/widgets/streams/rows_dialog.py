"""Rows of other firmware: where they come from, how they are written, and which columns are which signals."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import format_si, parse_quantity
from wattigram.core.capture.foreign.binary_detection import LEAST_SCORE
from wattigram.core.capture.foreign.byte_source import open_source
from wattigram.core.capture.foreign.listening import (
    SHOWN_ROWS,
    Preview,
    first_bytes,
    likely_column,
    likely_columns,
    preview,
)
from wattigram.core.capture.foreign.measured_rate import USUAL_S, MeasuredRate, measure_rate
from wattigram.core.capture.foreign.stream_reader import Recognised, recognise
from wattigram.core.contract.row_formats import BinaryFormat, TextFormat
from wattigram.core.model.design import RowsSetup, SignalColumn, Workspace
from wattigram.core.model.design.edits import SetRows
from wattigram.core.predict.timing import scan_timing
from wattigram.desktop.state.jobs import Job
from wattigram.desktop.theme import number_font

NOBODY = "–"
READS = ("volts", "codes")
HEAD_ROWS = 2
"""Of the table: signal, and what its numbers are."""


class RowsDialog(QDialog):
    """Not modal: whatever runs goes on."""

    wanted = pyqtSignal(str, object)
    """Source, and the edit that says how its rows are read."""
    job_wanted = pyqtSignal(object)

    def __init__(self, parent: QWidget, workspace: Workspace, sources: list[str]) -> None:
        super().__init__(parent)
        self._workspace = workspace
        self._data = b""
        self._found = Recognised((), False)
        self._seen: Preview | None = None
        self.setWindowTitle("Rows of other firmware")
        self.resize(760, 460)
        self.source = QComboBox()
        self.source.setEditable(True)
        self.source.addItems(sources)
        self.source.setAccessibleName("Source")
        self.source.setToolTip("serial:DEV@BAUD, tcp:HOST:PORT, or the path of a pipe or a file")
        self.listen_button = QPushButton("Listen")
        self.listen_button.clicked.connect(self.listen)
        self.state = QLabel("Say where the rows come from, and listen.")
        self.state.setWordWrap(True)
        self.state.setObjectName("soft")
        self.ways = QComboBox()
        self.ways.setAccessibleName("How they are written")
        self.ways.currentIndexChanged.connect(self._on_way)
        self.rate = QLineEdit()
        self.rate.setAccessibleName("Rows a second")
        self.measure_button = QPushButton(f"Measure it, {USUAL_S:.0f} s")
        self.measure_button.setEnabled(False)
        self.measure_button.clicked.connect(self.measure)
        self.table = QTableWidget(0, 0)
        self.table.setAccessibleName("First rows")
        self.table.setFont(number_font(-1))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.keep_button = QPushButton("Keep, and listen as to a board")
        self.keep_button.setObjectName("primary")
        self.keep_button.setEnabled(False)
        self.keep_button.clicked.connect(self._keep)
        buttons.addButton(self.keep_button, QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.rejected.connect(self.reject)
        row = QHBoxLayout()
        row.addWidget(self.source, 1)
        row.addWidget(self.listen_button)
        form = QFormLayout()
        form.addRow("from", row)
        form.addRow("written as", self.ways)
        pace = QHBoxLayout()
        pace.addWidget(self.rate, 1)
        pace.addWidget(self.measure_button)
        form.addRow("rows a second", pace)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(self.state)
        column.addWidget(self.table, 1)
        column.addWidget(buttons)

    def listen(self) -> None:
        """Hear enough to tell how the rows are written."""
        address = self.source.currentText().split("  ")[0].strip()
        self.listen_button.setEnabled(False)
        self.state.setText(f"Listening to {address}…")

        def work(progress: Callable[[float], None]) -> tuple[bytes, Recognised]:
            def is_ended() -> bool:
                progress(0.0)  # raises where nobody wants it any more
                return False

            with open_source(address) as source:
                data, _all = first_bytes(source, is_ended)
            return data, recognise(data)

        job = Job(f"Listening to {address}", work, self)
        job.finished.connect(self._heard)
        job.failed.connect(self.state.setText)
        job.ended.connect(lambda: self.listen_button.setEnabled(True))
        self.finished.connect(job.cancel)
        self.job_wanted.emit(job)

    def measure(self) -> None:
        """Tell the rate from when rows come."""
        address, form = self.source.currentText().split("  ")[0].strip(), self.ways.currentData()
        if form is None:
            return
        self.measure_button.setEnabled(False)

        def work(progress: Callable[[float], None]) -> MeasuredRate:
            def is_ended(share: float) -> bool:
                progress(share)
                return False

            with open_source(address) as source:
                return measure_rate(source, form, USUAL_S, is_ended)

        job = Job(f"Measuring the rate of {address}", work, self)
        job.finished.connect(self._timed)
        job.failed.connect(self.state.setText)
        job.ended.connect(lambda: self.measure_button.setEnabled(self.rate.isEnabled()))
        self.finished.connect(job.cancel)
        self.job_wanted.emit(job)

    def _timed(self, found: MeasuredRate) -> None:
        self.rate.setText(format_si(found.rate_hz, "Hz", 6))
        self.state.setText(
            f"{found.rows} rows in {found.span_s:.3g} s by this computer's clock: {format_si(found.rate_hz, 'Hz', 6)} ± "
            f"{format_si(2 * found.sigma_hz, 'Hz', 2)} (k = 2)."
        )

    def _heard(self, heard: tuple[bytes, Recognised]) -> None:
        self._data, self._found = heard
        ways = self._found.ways
        if not ways or (self._found.kind == "binary" and ways[0].score < LEAST_SCORE):
            self.state.setText(
                "No numbers were found in what came. Is the baud right? A wrong one makes noise of all."
            )
            self.ways.clear()
            return
        self.ways.blockSignals(True)
        self.ways.clear()
        if not self._found.is_clear:
            self.ways.addItem("choose: more than one way fits")
        for way in ways[:6]:
            self.ways.addItem(f"{way.format.title} · score {way.score:.2f}", way.format)
        self.ways.blockSignals(False)
        self._on_way(0)

    def _on_way(self, _number: int) -> None:
        form = self.ways.currentData()
        if form is None:
            self._seen = None
            self.table.setRowCount(0)
            self.keep_button.setEnabled(False)
            self.state.setText("More than one way to read it fits. Choose the one that is meant.")
            return
        self._seen = seen = preview(self._data, form)
        self._fill(seen)
        self.state.setText(
            "Say which columns are which signals. What such rows cannot tell: events, filtered values, and what was lost "
            + (
                "without a counter."
                if not isinstance(form, BinaryFormat) or not form.counter_bytes
                else "before them."
            )
        )
        chains = self._workspace.project.chains
        by_design = (
            format_si(float(scan_timing(self._workspace, chains[0]).handed_rate_hz), "Hz", 6)
            if chains
            else ""
        )
        self.rate.setEnabled(seen.time is None)
        self.measure_button.setEnabled(seen.time is None)
        told = seen.names[seen.time] if seen.time is not None else ""
        self.rate.setPlaceholderText(
            f"the column {told} tells" if told else f"{by_design}, as the design converts"
        )
        self.keep_button.setEnabled(bool(chains))

    def _fill(self, seen: Preview) -> None:
        """Choices on top of each column, and its first numbers."""
        likely = {
            column.name: (name, column.reads)
            for name, column in likely_columns(self._workspace, seen).items()
        }
        rows = seen.values[:SHOWN_ROWS]
        self.table.setColumnCount(len(seen.names))
        self.table.setRowCount(HEAD_ROWS + len(rows))
        heads = [
            f"{name} ({unit})" if unit and place != seen.time else name
            for place, (name, unit) in enumerate(zip(seen.names, seen.units, strict=True))
        ]
        self.table.setHorizontalHeaderLabels(heads)
        self.table.setVerticalHeaderLabels(["signal", "reads", *map(str, range(1, len(rows) + 1))])
        for place, name in enumerate(seen.names):
            signals, reads = QComboBox(), QComboBox()
            signals.addItems(["the time"] if place == seen.time else [NOBODY, *self._signals])
            reads.addItems([""] if place == seen.time else list(READS))
            signals.setAccessibleName(f"Signal of {name}")
            reads.setAccessibleName(f"What the numbers of {name} are")
            if name in likely:
                signals.setCurrentText(likely[name][0])
                reads.setCurrentText(likely[name][1])
            elif place != seen.time:
                reads.setCurrentText(likely_column(self._workspace, seen, place).reads)
            self.table.setCellWidget(0, place, signals)
            self.table.setCellWidget(1, place, reads)
            for number, value in enumerate(rows[:, place].tolist()):
                item = QTableWidgetItem("" if np.isnan(value) else f"{value:.7g}")
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                self.table.setItem(HEAD_ROWS + number, place, item)
        self.table.resizeColumnsToContents()
        least = self.fontMetrics().averageCharWidth() * 22
        for place in range(len(seen.names)):
            self.table.setColumnWidth(place, max(least, self.table.columnWidth(place)))

    @property
    def _signals(self) -> list[str]:
        chains = self._workspace.project.chains
        return list(dict.fromkeys(slot.signal for chain in chains for slot in chain.slots))

    @property
    def columns(self) -> dict[str, SignalColumn]:
        """What was chosen, by signals."""
        chosen: dict[str, SignalColumn] = {}
        for place, name in enumerate(self._seen.names if self._seen is not None else ()):
            signals, reads = self.table.cellWidget(0, place), self.table.cellWidget(1, place)
            assert isinstance(signals, QComboBox)
            assert isinstance(reads, QComboBox)
            if signals.currentText() in self._signals:
                codes = reads.currentText() == "codes"
                chosen[signals.currentText()] = SignalColumn(
                    name=name, reads="codes" if codes else "volts"
                )
        return chosen

    def _keep(self) -> None:
        form = self.ways.currentData()
        try:
            text = self.rate.text().strip()
            rate_hz = (
                Fraction(parse_quantity(text, "Hz")) if text and self.rate.isEnabled() else None
            )
            if rate_hz is not None and rate_hz <= 0:
                raise QuantityError("The rate must be above 0.", cure="Write “100 Hz”.")
        except QuantityError as fault:
            self.state.setText(str(fault))
            self.rate.setFocus()
            return
        columns = self.columns
        wanting = [name for name in self._signals if name not in columns]
        whole = [
            chain
            for chain in self._workspace.project.chains
            if all(slot.signal in columns for slot in chain.slots)
        ]
        if not whole:
            self.state.setText(
                f"No converter has a column for each of its signals: {', '.join(wanting)} have none. "
                "Choose them above, or take signals out of the design."
            )
            return
        setup = RowsSetup(
            text=form if isinstance(form, TextFormat) else None,
            binary=form if isinstance(form, BinaryFormat) else None,
            rate_hz=rate_hz,
        )
        self.wanted.emit(self.source.currentText().split("  ")[0].strip(), SetRows(setup, columns))
        self.accept()
