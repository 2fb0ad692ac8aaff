"""The Chain page: rows, one cycle to scale, loops, inspector and findings."""

from __future__ import annotations

from PyQt6.QtCore import QRect, Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QKeyEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QSplitter, QVBoxLayout, QWidget

from wattigram.core.advise.findings import Finding, cell_of
from wattigram.core.capture.session import Snapshot, ViewRequest
from wattigram.core.model.design import Project, Workspace
from wattigram.core.predict.pins import input_source
from wattigram.core.predict.timing import STEP_NAMES
from wattigram.desktop.inspector import panel_for
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.selection import Selection, default_selection
from wattigram.desktop.widgets.chain.buffer_map import BufferMap
from wattigram.desktop.widgets.chain.chain_tables import output_table, timing_table
from wattigram.desktop.widgets.chain.chain_view import ChainView
from wattigram.desktop.widgets.chain.findings_panel import FindingsPanel
from wattigram.desktop.widgets.chain.output_rows import OutputRows
from wattigram.desktop.widgets.chain.scan_timeline import ScanTimeline
from wattigram.desktop.widgets.chain.start_view import StartView, is_empty
from wattigram.desktop.widgets.inspector.inspector_panel import Inspector
from wattigram.desktop.widgets.seen_table import SeenTable

_YOKE_FACETS = dict.fromkeys(
    (
        "trigger-too-short",
        "never-triggered",
        "started-once",
        "software-sets-rate",
        "timer-registers",
        "period-not-exact",
    ),
    "start",
) | {f"startup-{step}": "start-up" for step in STEP_NAMES}
MOST_HEIGHT = (1 << 24) - 1
SPANS_S = {"auto": 0.0, "20 ms": 0.02, "100 ms": 0.1, "1 s": 1.0, "5 s": 5.0}


def _output_of(project: Project, name: str) -> Selection | None:
    """The output of that name, where no signal has it."""
    if not name or any(signal.name == name for signal in project.signals):
        return None
    for section in ("generators", "pwm", "routes", "reactions", "uarts"):
        if any(one.name == name for one in getattr(project, section)):
            return Selection(section=section, output=name, facet="output")
    return None


class ChainPage(QWidget):
    """Design, live look and findings."""

    error = pyqtSignal(str)
    views_changed = pyqtSignal(object)
    """Tuple of ViewRequest"""
    menu_wanted = pyqtSignal(object, object)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("page")
        self._document = document
        self.selection = default_selection(document.workspace)
        self.span = "auto"
        self._is_watched = False
        self.rows = ChainView()
        self.outputs = OutputRows()
        self.lens = ScanTimeline()
        self.loops = BufferMap()
        self.inspector = Inspector()
        self.findings = FindingsPanel()
        self.start = StartView()
        self._build()
        self.rows.selected.connect(self.select)
        self.rows.opened.connect(self._open)
        self.rows.menu_wanted.connect(self._on_menu)
        self.rows.columns_changed.connect(self.request_views)
        self.rows.laid_out.connect(self._show_columns)
        self.outputs.selected.connect(self.select)
        self.outputs.opened.connect(self._open_output)
        self.outputs.left_upwards.connect(self.rows.setFocus)
        self.lens.selected.connect(self.select)
        self.lens.edited.connect(document.edit)
        self.lens.drag_began.connect(document.begin_drag)
        self.lens.drag_ended.connect(document.end_drag)
        self.lens.why_wanted.connect(self._explain)
        self.rows.edited.connect(document.edit)
        self.rows.drag_began.connect(document.begin_drag)
        self.rows.drag_ended.connect(document.end_drag)
        self.inspector.edited.connect(document.edit)
        self.inspector.tab_wanted.connect(self._go_to_facet)
        self.inspector.drag_began.connect(document.begin_drag)
        self.inspector.drag_ended.connect(document.end_drag)
        self.inspector.error.connect(self.error)
        self.findings.cured.connect(self.cure)
        self.findings.chosen.connect(self.show_finding)
        document.changed.connect(self._on_changed)
        self.show_workspace()

    def _build(self) -> None:
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        both = QWidget()
        both.setObjectName("page")
        stack = QVBoxLayout(both)
        stack.setContentsMargins(0, 0, 0, 0)
        stack.setSpacing(0)
        stack.addWidget(self.rows, 1)
        stack.addWidget(self.outputs)
        stack.addStretch(0)
        area.setWidget(both)
        bottom = QSplitter(Qt.Orientation.Horizontal)
        bottom.addWidget(self.lens)
        bottom.addWidget(self.loops)
        bottom.setStretchFactor(0, 1)
        bottom.setChildrenCollapsible(False)
        self.left = QSplitter(Qt.Orientation.Vertical)
        self.left.addWidget(area)
        self.left.addWidget(bottom)
        self.left.setStretchFactor(0, 1)
        self.left.setChildrenCollapsible(False)
        side = QWidget()
        side.setObjectName("side")
        column = QVBoxLayout(side)
        column.setContentsMargins(14, 12, 8, 12)
        column.setSpacing(16)
        column.addWidget(self.inspector)
        column.addWidget(self.findings)
        column.addStretch(1)
        self._side_area = QScrollArea()
        self._side_area.setWidgetResizable(True)
        self._side_area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._side_area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._side_area.setWidget(side)
        self._side_area.setMinimumWidth(226)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.addWidget(self.left)
        self.split.addWidget(self._side_area)
        self.split.setStretchFactor(0, 1)
        self.split.setChildrenCollapsible(False)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.split)
        layout.addWidget(self.start)

    def default_sizes(self) -> None:
        """Proportions for a window of the present size."""
        side = 276 if self.width() >= 1150 else 238
        self.split.setSizes([max(300, self.width() - side), side])
        lens = self.lens.sizeHint().height()
        wanted = self.rows.sizeHint().height() + 4
        height = self.height()
        lens = max(self.lens.minimumSizeHint().height(), min(height - wanted, int(lens * 1.15)))
        self.left.setSizes([height - lens, lens])
        bottom = self.left.widget(1)
        if isinstance(bottom, QSplitter):
            bottom.setSizes([max(300, self.width() - side - 206), 206])

    def show_workspace(self) -> None:
        """Show the document as it is now."""
        workspace = self._document.workspace
        findings = self._document.findings
        self.selection = self.selection.valid_in(workspace)
        standing = tuple(one for one in findings if not one.accepted)
        self.rows.show_workspace(workspace, standing)
        self.rows.show_selection(self.selection)
        self.outputs.show_workspace(workspace, standing, self._columns())
        self.outputs.show_selection(self.selection)
        # Outputs stand right below the signals, whose rows then do not fill all the room.
        most = int(self.rows.sizeHint().height() * 1.5) if self.outputs.rows else MOST_HEIGHT
        self.rows.setMaximumHeight(most)
        self.lens.show_workspace(workspace)
        self.lens.show_selection(self.selection)
        self.loops.show_workspace(workspace)
        self.inspector.show_panel(panel_for(workspace, self.selection))
        self.findings.show_findings(findings)
        self.show_start()
        self.request_views()

    def show_start(self) -> None:
        """As long as there is nothing in the project, what could be begun stands in its place."""
        workspace = self._document.workspace
        empty = is_empty(workspace.project)
        if empty:
            self.start.show_workspace(workspace)
        had_focus = self.start.isAncestorOf(self.focusWidget() or self)
        self.split.setVisible(not empty)
        self.start.setVisible(empty)
        if empty:
            self.start.focus_first()
        elif had_focus:
            self.rows.setFocus()

    def _on_changed(self, workspace: Workspace, before: Workspace) -> None:
        self.selection = self.selection.followed(before, workspace)
        self.show_workspace()

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """What is drawn here, in words."""
        workspace = self._document.workspace
        drawn = (*self.rows.seen_tables(), output_table(workspace), timing_table(workspace))
        return tuple(table for table in (*drawn, *self.loops.seen_tables()) if table.rows)

    def show_snapshot(self, snapshot: Snapshot) -> None:
        """Show what the board has sent."""
        self.rows.show_snapshot(snapshot)
        self.outputs.show_snapshot(snapshot)
        self.loops.show_places(snapshot.loop_places)

    def watch(self, wanted: bool) -> None:
        """Go on asking for streams while another page is in sight, for somebody who looks at them; or stop it."""
        self._is_watched = wanted
        self.request_views()

    def request_views(self) -> None:
        """Say what the rows need of the stream: nothing while nobody sees them."""
        if not self.isVisible() and not self._is_watched:
            self.views_changed.emit(())
            return
        workspace = self._document.workspace
        requests = []
        for signal in workspace.project.signals:
            span_s = SPANS_S[self.span]
            if not span_s:
                span_s = (
                    input_source(workspace, signal.pin).span_s
                    if workspace.wiring(signal.pin)
                    else 0.1
                )
            requests.append(ViewRequest(signal.name, span_s, self.rows.stream_columns))
        self.views_changed.emit(tuple(requests))

    def set_span(self, span: str) -> None:
        """Choose how much time the streams show."""
        self.span = span if span in SPANS_S else "auto"
        self.request_views()

    def select(self, selection: Selection) -> None:
        """Select a cell or a yoke."""
        self.inspector.commit()
        self.selection = selection.valid_in(self._document.workspace)
        self.rows.show_selection(self.selection)
        self.outputs.show_selection(self.selection)
        self.lens.show_selection(self.selection)
        self.inspector.show_panel(panel_for(self._document.workspace, self.selection))

    def _columns(self) -> tuple[float, ...]:
        layout = self.rows.layout_now
        return tuple(layout.columns) if layout is not None else ()

    def _show_columns(self) -> None:
        self.outputs.show_columns(self._columns())

    def _open_output(self, selection: Selection) -> None:
        self.select(selection)
        self.inspector.focus_first_field()

    def _go_to_facet(self, facet: str) -> None:
        self.select(self.selection.at(facet))

    def _open(self, selection: Selection, _place: QRect) -> None:
        self.select(selection)
        self.inspector.focus_first_field()

    def _on_menu(self, selection: object, point: object) -> None:
        if isinstance(selection, Selection):
            self.select(selection)
        self.menu_wanted.emit(selection, point)

    def _explain(self, selection: Selection, label: str) -> None:
        """Select what has a number, and ask for how that came about."""
        self.select(selection)
        self.inspector.why_wanted.emit(label)

    def show_finding(self, finding: Finding) -> None:
        """Select the place that a finding speaks of."""
        project = self._document.workspace.project
        output = _output_of(project, finding.signal)
        if output is not None:
            self.select(output)
            return
        chain = project.chain(finding.converter) or (
            project.chain_of(finding.signal) if finding.signal else None
        )
        if finding.signal:
            place = (
                chain.places_of(finding.signal)[0]
                if chain and chain.places_of(finding.signal)
                else -1
            )
            facet = cell_of(finding.code) or "sample"
            self.select(Selection(chain.converter if chain else "", place, finding.signal, facet))
        elif chain is not None:
            cell = cell_of(finding.code)
            if cell:
                self.select(Selection(chain.converter, 0, chain.slots[0].signal, cell))
            else:
                self.select(
                    Selection(chain.converter, facet=_YOKE_FACETS.get(finding.code, "clock"))
                )

    def cure(self, finding: Finding) -> None:
        """Apply a finding's remedy."""
        if finding.remedy is not None:
            self._document.edit(finding.remedy)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Rows are seen again."""
        super().showEvent(event)
        self.request_views()

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Rows cost nothing as long as another page is in sight."""
        super().hideEvent(event)
        self.request_views()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape brings the keyboard back to the rows."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.rows.setFocus()
        else:
            super().keyPressEvent(event)
