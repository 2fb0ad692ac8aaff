"""What is measured of the stretch in sight, or between the marks: a kind, its curve, and its figures with what was
predicted."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QMenu,
    QPushButton,
    QSplitter,
    QTabBar,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.analysis.spectra import WINDOWS
from wattigram.core.base.quantity import format_si
from wattigram.core.capture.recording import Recording
from wattigram.core.judge.measured import KINDS, Measured, Wanted, as_expectation
from wattigram.core.model.design import FigureExpectation
from wattigram.desktop.theme import number_font
from wattigram.desktop.widgets.streams.curve_plot import CurvePlot, curve_of
from wattigram.desktop.widgets.streams.stream_data import StreamData, Trace

HEADS = ("Figure", "Measured ± (k = 2)", "Predicted", "")
STIMULI = {"codes": "", "INL and DNL by a sine": "sine", "INL and DNL by a ramp": "ramp"}


class AnalysisPanel(QFrame):
    """Says what is wanted; shows what it is given."""

    wanted = pyqtSignal(object)
    """Wanted, whenever something else is to be measured."""
    expected = pyqtSignal(object)
    """FigureExpectation of the figure that was chosen."""
    why_wanted = pyqtSignal(str)
    """The title of a figure, of which is asked how it is worked out."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self._data: StreamData | None = None
        self._stretch: tuple[float, float] = (0.0, 0.0)
        self._words = ""
        self.measured: Measured | None = None
        self._asked: Wanted | None = None
        self.kinds = QTabBar()
        self.kinds.setAccessibleName("What is measured")
        self.kinds.setDrawBase(False)
        self.kinds.setExpanding(False)
        self.kinds.setUsesScrollButtons(True)
        for kind in KINDS:
            self.kinds.addTab(kind.title)
        self.first, self.second = QComboBox(), QComboBox()
        self.first.setAccessibleName("Signal")
        self.second.setAccessibleName("Second signal")
        self.options = QComboBox()
        self.options.setAccessibleName("How")
        for box in (self.first, self.second, self.options):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.stretch_label = QLabel()
        self.stretch_label.setObjectName("soft")
        self.notes = QLabel()
        self.notes.setObjectName("soft")
        self.notes.setWordWrap(True)
        self.curve = CurvePlot()
        self.table = QTableWidget(0, len(HEADS))
        self._build()
        self.table.itemSelectionChanged.connect(self._on_chosen)
        self.table.itemActivated.connect(self.expect)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(self._ask_why)
        self.kinds.currentChanged.connect(self._on_kind)
        for box in (self.first, self.second, self.options):
            box.activated.connect(self.ask)
        self._on_kind(0)

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 4, 10, 8)
        layout.setSpacing(4)
        layout.addWidget(self.kinds)
        row = QHBoxLayout()
        self._arrow = QLabel("→")
        for widget in (self.first, self._arrow, self.second, self.options):
            row.addWidget(widget)
        row.addWidget(self.stretch_label, 1)
        self.copy_button = QPushButton("Copy")
        self.copy_button.setToolTip("Copy all figures as text.")
        self.copy_button.clicked.connect(self.copy)
        self.expect_button = QPushButton("Expect")
        self.expect_button.setToolTip(
            "The chosen figure must hold from now on: an expectation of the project."
        )
        self.expect_button.setEnabled(False)
        self.expect_button.clicked.connect(self.expect)
        row.addWidget(self.expect_button)
        row.addWidget(self.copy_button)
        layout.addLayout(row)
        self.table.setHorizontalHeaderLabels(HEADS)
        self.table.setAccessibleName("Figures")
        self.table.setObjectName("dense")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        below = self.table.verticalHeader()
        head = self.table.horizontalHeader()
        assert below is not None
        assert head is not None
        below.hide()
        below.setDefaultSectionSize(self.fontMetrics().height() + 6)
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        body = QSplitter(Qt.Orientation.Horizontal)
        body.addWidget(self.curve)
        body.addWidget(self.table)
        body.setSizes([460, 480])
        body.setChildrenCollapsible(False)
        layout.addWidget(body, 1)
        layout.addWidget(self.notes)

    def _ask_why(self, at: QPoint) -> None:
        """What can be asked of a figure."""
        item = self.table.itemAt(at)
        viewport = self.table.viewport()
        if item is None or viewport is None or self.measured is None:
            return
        title = self.measured.figures[item.row()].title
        menu = QMenu(self)
        action = menu.addAction("Where does it come from?")
        assert action is not None
        action.triggered.connect(lambda: self.why_wanted.emit(title))
        menu.popup(viewport.mapToGlobal(at))

    @property
    def kind(self) -> str:
        """What is measured."""
        return KINDS[self.kinds.currentIndex()].name

    def choose_kind(self, name: str) -> None:
        """Measure something else."""
        self.kinds.setCurrentIndex([kind.name for kind in KINDS].index(name))

    def show_data(self, data: StreamData | None, recording: Recording | None = None) -> None:
        """Another recording, perhaps with one laid under it; the signals that were chosen stay where it has them."""
        chosen = self.first.currentText(), self.second.currentText()
        self._data = data
        seen = recording or (None if data is None else data.recording)
        names = [] if seen is None else [channel.name for channel in seen.channels]
        known = [self.first.itemText(number) for number in range(self.first.count())]
        for place, (box, before) in enumerate(zip((self.first, self.second), chosen, strict=True)):
            if names == known:
                break  # perhaps somebody is choosing
            box.clear()
            box.addItems(names)
            place = min(place, len(names) - 1)
            box.setCurrentIndex(names.index(before) if before in names else place)
        self.setEnabled(bool(names))
        if not names:
            self.show_nothing("")

    def show_stretch(self, begin_s: float, end_s: float, words: str) -> None:
        """Another stretch is to be measured; ``words`` say what it is."""
        self._stretch, self._words = (begin_s, end_s), words
        self.ask()

    def _on_kind(self, _number: int) -> None:
        kind = KINDS[self.kinds.currentIndex()]
        for widget in (self._arrow, self.second):
            widget.setVisible(kind.channels > 1)
        choices = {
            "spectrum": list(WINDOWS),
            "histogram": list(STIMULI),
            "intervals": ["rising", "falling"],
            "latency": ["rising", "falling"],
        }
        self.options.clear()
        self.options.addItems(choices.get(kind.name, []))
        if kind.name == "spectrum":
            self.options.setCurrentText("hann")
        self.options.setVisible(self.options.count() > 0)
        self.ask()

    def ask(self) -> None:
        """Have it measured."""
        if self._data is None or not self.first.count() or not self.isVisible():
            return
        kind = KINDS[self.kinds.currentIndex()]
        names = (self.first.currentText(), self.second.currentText())[: kind.channels]
        how = self.options.currentText()
        self._asked = Wanted(
            kind.name,
            names,
            *self._stretch,
            window=how if kind.name == "spectrum" else "hann",  # type: ignore[arg-type]
            stimulus=STIMULI.get(how, "") if kind.name == "histogram" else "",
            rising=how != "falling",
        )
        self.wanted.emit(self._asked)

    def show_measured(self, measured: Measured) -> None:
        """What was measured; the figure that was chosen stays so, where it is still there."""
        before = self.table.currentRow()
        known = self.measured.figures if self.measured is not None else ()
        chosen = known[before].key if 0 <= before < len(known) else ""
        self.measured = measured
        trace = self._trace(measured.channels[0])
        unit = "" if trace is None else trace.unit
        self.curve.show_curve(curve_of(measured, unit), 0 if trace is None else trace.index)
        self.table.setRowCount(len(measured.figures))
        for row, figure in enumerate(measured.figures):
            texts = (figure.title, figure.text, figure.predicted_text, figure.note)
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if column in (1, 2):
                    item.setFont(number_font(-1))
                    item.setTextAlignment(
                        Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                    )
                self.table.setItem(row, column, item)
        names = [figure.key for figure in measured.figures]
        if chosen in names:
            self.table.setCurrentCell(names.index(chosen), 0)
        self.table.setColumnHidden(2, not any(one.predicted_text for one in measured.figures))
        self.table.setColumnHidden(len(HEADS) - 1, not any(one.note for one in measured.figures))
        missing = f", {measured.missing} missing" if measured.missing else ""
        samples = f"{measured.samples:,}".replace(",", "\u202f")
        self.stretch_label.setText(
            f"{self._words} · {format_si(measured.end_s - measured.begin_s, 's', 5)} · {samples} samples{missing}"
        )
        self.notes.setText(" ".join(measured.notes))

    def show_nothing(self, why: str) -> None:
        """It cannot be measured: says why, in place of figures."""
        self.measured = None
        self.curve.show_curve(None, 0)
        self.table.setRowCount(0)
        self.notes.setText(why)
        self.stretch_label.setText(self._words)

    def _trace(self, name: str) -> Trace | None:
        if self._data is None:
            return None
        return next((trace for trace in self._data.channels if trace.channel.name == name), None)

    @property
    def chosen(self) -> FigureExpectation | None:
        """What the chosen figure comes to as an expectation; None where there is none, or it is the recording of
        another tool."""
        row = self.table.currentRow()
        if (
            self.measured is None
            or self._asked is None
            or not 0 <= row < len(self.measured.figures)
        ):
            return None
        if self._data is None or self._data.take is None:
            return None
        return as_expectation(self._asked, self.measured.figures[row])

    def _on_chosen(self) -> None:
        self.expect_button.setEnabled(self.chosen is not None)

    def expect(self) -> None:
        """The chosen figure must hold."""
        chosen = self.chosen
        if chosen is not None:
            self.expected.emit(chosen)

    def text(self) -> str:
        """All figures, a line each."""
        if self.measured is None:
            return ""
        head = f"{' → '.join(self.measured.channels)}: {self.stretch_label.text()}"
        rows = [
            "\t".join([figure.title, figure.text, figure.predicted_text, figure.note]).rstrip()
            for figure in self.measured.figures
        ]
        return "\n".join([head, *rows, *self.measured.notes])

    def copy(self) -> None:
        """All figures onto the clipboard."""
        self._put(self.text())

    def copy_curve(self) -> None:
        """The curve's points onto the clipboard."""
        self._put(self.curve.table_text())

    @staticmethod
    def _put(text: str) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None and text:
            clipboard.setText(text)

    def showEvent(self, event: object) -> None:
        """What nobody saw was not measured."""
        super().showEvent(event)  # type: ignore[arg-type]
        self.ask()

    def widgets(self) -> tuple[QWidget, ...]:
        """In the order of the Tab key."""
        return (
            self.kinds,
            self.first,
            self.second,
            self.options,
            self.expect_button,
            self.copy_button,
            self.table,
        )
