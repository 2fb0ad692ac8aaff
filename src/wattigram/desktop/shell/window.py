"""The main window: header, pages, notices, and what happens between them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QMainWindow,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.advise.findings import Finding
from wattigram.core.capture.session import Snapshot
from wattigram.core.model.design import FigureExpectation, Project, Workspace
from wattigram.core.model.design.edits import AddExpectation, Edit, RemoveExpectation
from wattigram.core.model.part.sheet.own_parts import own_parts
from wattigram.desktop.controllers.acceptance import Acceptance
from wattigram.desktop.controllers.actions import Actions
from wattigram.desktop.controllers.as_tables import AsTables
from wattigram.desktop.controllers.bench_actions import BenchActions
from wattigram.desktop.controllers.board_choice import BoardChoice
from wattigram.desktop.controllers.board_session import LiveBoard
from wattigram.desktop.controllers.bring_up import BringUp
from wattigram.desktop.controllers.chain_actions import ChainActions
from wattigram.desktop.controllers.dropped_files import dropped_paths, take_dropped
from wattigram.desktop.controllers.explaining import Explaining
from wattigram.desktop.controllers.files import ProjectFiles, example_line
from wattigram.desktop.controllers.firmware_controller import FirmwareWork
from wattigram.desktop.controllers.first_look import FirstLook
from wattigram.desktop.controllers.output_actions import OutputActions
from wattigram.desktop.controllers.part_work import Designs, PartWork
from wattigram.desktop.controllers.proof_controller import Proving
from wattigram.desktop.controllers.rows_of_others import RowsOfOthers
from wattigram.desktop.controllers.take_actions import TakeActions
from wattigram.desktop.pages.chain_page import ChainPage
from wattigram.desktop.pages.page_stack import (
    CHAIN,
    COMPARE,
    FIRMWARE,
    PAGES,
    PROGRAM,
    PROOF,
    STREAMS,
    PageStack,
)
from wattigram.desktop.shell.appearance import Appearance
from wattigram.desktop.shell.findings_window import FindingsWindow, findings_text
from wattigram.desktop.shell.help_windows import (
    chapter_of,
    show_about,
    show_glossary,
    show_guide,
    show_log,
    show_report,
)
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.jobs import Job
from wattigram.desktop.state.settings import Settings
from wattigram.desktop.state.strip_memory import StripMemory
from wattigram.desktop.state.take_folder import TakeFolders
from wattigram.desktop.state.window_state import (
    keep_size,
    keep_splitter,
    restore_size,
    restore_splitter,
)
from wattigram.desktop.widgets.header import Header
from wattigram.desktop.widgets.notice import JobBar, Notice
from wattigram.desktop.widgets.palette import Palette
from wattigram.examples import example_files

if TYPE_CHECKING:
    from wattigram.core.capture.session.recording_plan import RecordingPlan
    from wattigram.core.model.part.sheet.draft import PartDraft
    from wattigram.desktop.controllers.proof_job import Proved
    from wattigram.desktop.pages.proof_page import ProofPage
    from wattigram.desktop.pages.streams_page import StreamsPage
    from wattigram.desktop.shell.part_window import PartWindow


def _part_window(draft: PartDraft, path: Path | None, tried: Callable[[], Designs]) -> PartWindow:
    from wattigram.desktop.shell.part_window import PartWindow  # late: few need it

    return PartWindow(draft, path, tried)


class MainWindow(QMainWindow):
    """Holds the pages together."""

    def __init__(self, document: Document, settings: Settings) -> None:
        super().__init__()
        self.document = document
        self.settings = settings
        self.board = LiveBoard(document.workspace)
        self.header = Header(PAGES)
        self.chain_page = ChainPage(document)
        self.takes_place = TakeFolders(document, settings)
        self._strip_memory = StripMemory(settings)
        self.proving = Proving(document, self.board, self.takes_place, self)
        self.firmware = FirmwareWork(document, self.settings, self.takes_place, self)
        self.board_choice = BoardChoice(self, self.board, self.firmware)
        self._proves_after_stop = False
        self.findings_window: FindingsWindow | None = None
        self.acceptance = Acceptance(self, document)
        self._judged: Path | None = None
        """The take whose verdicts are shown."""
        self._sizes_known = False
        self._is_closed = False
        self._build()
        self.actions_list = Actions(self)
        self.files = ProjectFiles(self, document, settings, self.notice, self.actions_list)
        self.parts = PartWork(
            self, document, self.actions_list, _part_window, self.files.new_on_file, self.notice.say
        )
        self.dress = Appearance(self.settings, self.actions_list, self._redress)
        self.chain_actions = ChainActions(document, self.chain_page, self.actions_list)
        self.take_actions = TakeActions(
            self, document, self.proving, self.files, self.book, self.notice.say
        )
        self.take_actions.page_wanted.connect(self.show_page)
        self.output_actions = OutputActions(
            document,
            self.book,
            self.actions_list,
            self.chain_actions,
            self.show_page,
            self.notice.say,
        )
        self.bench_actions = BenchActions(
            self,
            document,
            settings,
            self.chain_page,
            self.board,
            self.actions_list,
            self.run_job,
            self.notice.say,
        )
        self.explaining = Explaining(
            self, self.book, self.actions_list, self.show_page, lambda: self.document.workspace
        )
        self.as_tables = AsTables(self, document, self.actions_list, self.book.seen)
        self.rows_of_others = RowsOfOthers(
            self, document, self.board, self.board_choice, self.run_job, self._show_now
        )
        self._column.insertWidget(3, self.bench_actions.wiring_bar)
        self.first_look = FirstLook(
            self,
            document,
            settings,
            self.proving,
            self.chain_page,
            partial(self.show_page, CHAIN),
            lambda: self._open_palette_of("New project on "),
        )
        self._column.insertWidget(3, self.first_look.strip)
        self.bring_up = BringUp(
            self, document, self.board, self.firmware, self.proving, self.bench_actions
        )
        self.bring_up.acts |= {
            "design": self.show_findings,
            "board": self.board_choice.ask,
            "take": self.toggle_record,
        }
        self._add_actions()
        self._connect()
        self._show_document()
        self.show_page(CHAIN)
        self._restore()

    def _build(self) -> None:
        central = QWidget()
        central.setObjectName("page")
        column = self._column = QVBoxLayout(central)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.notice = Notice(central)
        self.job_bar = JobBar(central)
        self.book = PageStack(self.document, self.settings, self.chain_page, self.firmware)
        self.stack = self.book.stack
        for part in (self.header, self.notice, self.job_bar):
            column.addWidget(part)
        column.addWidget(self.stack, 1)
        self.setCentralWidget(central)
        self.palette_box = Palette(central)
        self.setMinimumSize(900, 560)
        self.setAcceptDrops(True)

    def _add_actions(self) -> None:
        add = self.actions_list.add
        stack = self.document.stack
        for name, make, keys in (
            ("Undo", stack.createUndoAction, "Ctrl+Z"),
            ("Redo", stack.createRedoAction, "Ctrl+Shift+Z"),
        ):
            action = make(self, name)
            assert action is not None
            self.actions_list.adopt("Edit", action, keys)
        add("Board", "Run or stop the board", "F5", self.toggle_run)
        add("Board", "Record a take, or stop recording", "Ctrl+R", self.toggle_record)
        add("Board", "Choose a board…", "Ctrl+B", self.board_choice.ask)
        add("Board", "Bring a board up, step by step", "Ctrl+Alt+B", self.bring_up.show)
        add("Proof", "Record and prove", "F6", self.proving.record_and_prove)
        add("Proof", "Prove the take that is open", "Shift+F6", self.take_actions.prove_open)
        add("Proof", "Prove several takes side by side…", "", self.take_actions.ask_several)
        add("Proof", "Write a report…", "Ctrl+P", self.take_actions.ask_report)
        add("Proof", "Print the report…", "Ctrl+Alt+P", self.take_actions.ask_print)
        add("Proof", "Remove the chosen expectation", "", self._remove_expectation)
        add("Proof", "Copy the proof as text", "", lambda: self.proof_page.copy_text())
        add("Firmware", "Write C files", "", self.firmware.write)
        add("Firmware", "Write the tables only…", "", lambda: self.firmware.ask_tables(self))
        add(
            "Firmware",
            "Write C with a port over UART or USB…",
            "",
            lambda: self.firmware.ask_port(self),
        )
        add("Firmware", "Build the firmware", "F7", self.firmware.build)
        add("Firmware", "Run the image on the virtual board", "Shift+F7", self.firmware.run)
        add("Firmware", "Copy register writes as hex", "", lambda: self.book.firmware.copy_hex())
        add(
            "Firmware",
            "Copy the memory that is shown as text",
            "",
            lambda: self.book.firmware.copy_memory(),
        )
        add("Stream", "Open a take or a recording…", "Ctrl+T", self.take_actions.ask_open)
        add("Stream", "Rows of other firmware…", "", self.rows_of_others.ask)
        add("Stream", "Show the board as it runs", "F4", self._show_now)
        add("Stream", "Export the take…", "Ctrl+E", self.take_actions.export_open)
        add("Stream", "Find the next place", "F3", lambda: self.streams_page.finder.look(True))
        add(
            "Stream",
            "Find the place before",
            "Shift+F3",
            lambda: self.streams_page.finder.look(False),
        )
        add(
            "Stream",
            "Fit the strips to what is in sight",
            "",
            lambda: self.streams_page.plot.fit_values(),
        )
        add(
            "Stream",
            "Show all values in the strips",
            "",
            lambda: self.streams_page.plot.all_values(),
        )
        add("Stream", "Copy the traces as a picture", "", lambda: self.streams_page.copy_picture())
        add(
            "Stream", "Copy what is measured as text", "", lambda: self.streams_page.analysis.copy()
        )
        add(
            "Stream",
            "Copy the curve as a table",
            "",
            lambda: self.streams_page.analysis.copy_curve(),
        )
        add("Stream", "Save the traces as a picture…", "", self.take_actions.ask_traces_picture)
        add("Stream", "Save the curve as a picture…", "", self.take_actions.ask_curve_picture)
        add("Stream", "Save the figures as a table…", "", self.take_actions.ask_figures)
        add("Stream", "Save the curve as a table…", "", self.take_actions.ask_curve)
        for number, name in enumerate(PAGES):
            add("View", f"Go to {name}", f"Alt+{number + 1}", partial(self.show_page, number))
        add("View", "Copy the page as a picture", "Ctrl+Shift+C", self.copy_page)
        add("View", "Save the page as a picture…", "", self.save_page)
        add("View", "Find an action", "Ctrl+K", self.open_palette)
        add("View", "Show the findings", "Ctrl+G", self.show_findings)
        add("File", "New project…", "Ctrl+N", lambda: self._open_palette_of("New project on "))
        add(
            "Edit",
            "Add a template…",
            "Ctrl+Shift+T",
            lambda: self._open_palette_of("Add template: "),
        )
        add("Help", "Explain what is in sight (guide)", "F1", self.show_guide)
        add("Help", "Explain words (glossary)", "Shift+F1", self.show_glossary)
        add("Help", "Show the log", "", lambda: show_log(self))
        add("Help", "Show the newest fault report", "", lambda: show_report(self))
        add("Help", "About Wattigram", "", lambda: show_about(self))
        for path in example_files():
            add("Examples", example_line(path), "", partial(self.files.open_example, path))
        add("View", "Compare with the file as saved", "Ctrl+D", self.compare_saved)
        add("View", "Copy the comparison as text", "", lambda: self.book.compare.copy_text())

    def _connect(self) -> None:
        for splitter in (self.chain_page.split, self.chain_page.left):
            splitter.splitterMoved.connect(self._on_splitter)
        self.book.made.connect(self._on_page_made)
        header = self.header
        header.page_wanted.connect(self.show_page)
        header.run_wanted.connect(self.toggle_run)
        header.record_wanted.connect(self.toggle_record)
        header.board_wanted.connect(self.board_choice.ask)
        header.proof_wanted.connect(self._on_proof_chip)
        header.menu_wanted.connect(self._open_menu)
        header.part_wanted.connect(self.parts.open_own)
        header.findings_wanted.connect(self.show_findings)
        self._connect_start()
        self.files.compare_wanted.connect(lambda path: self.book.compare.compare_file(path))
        self.files.saved_wanted.connect(self.compare_saved)
        self.document.changed.connect(self._on_changed)
        self.document.refused.connect(self.notice.say)
        self.document.replaced.connect(self._on_replaced)
        self.document.stack.cleanChanged.connect(self._on_clean)
        self.board.snapshot.connect(self._on_snapshot)
        self.board.message.connect(self.notice.say)
        self.chain_page.error.connect(self.notice.say)
        self.chain_page.views_changed.connect(self.board.request_views)
        self.chain_page.menu_wanted.connect(self._open_row_menu)
        self.chain_page.findings.acceptance_wanted.connect(self.acceptance.ask)
        self.chain_page.findings.numbers_wanted.connect(self._explain_finding)
        self.proving.proved.connect(self._show_proved)
        self.proving.message.connect(self.notice.say)
        self.firmware.message.connect(self.notice.say)
        self.firmware.job_wanted.connect(self.run_job)
        self.chain_actions.may_remove = self.firmware.may_remove
        self.proving.job_wanted.connect(self.run_job)

    @property
    def streams_page(self) -> StreamsPage:
        """The Streams page."""
        return self.book.streams

    @property
    def proof_page(self) -> ProofPage:
        """The Proof page."""
        return self.book.proof

    def _on_page_made(self, number: int) -> None:
        """Listen to a page that has just come into being."""
        error = getattr(self.book.page(number), "error", None)
        if error is not None:
            error.connect(self.notice.say)
        if number == STREAMS:
            takes = self.book.streams
            takes.job_wanted.connect(self.run_job)
            takes.open_wanted.connect(self.take_actions.ask_open)
            takes.export_wanted.connect(self.take_actions.ask_export)
            takes.analysis.expected.connect(self._expect)
            takes.shown_wanted.connect(self.board.show_now)
            takes.freeze_wanted.connect(self._freeze)
            takes.newest_part.copy_wanted.connect(self.board.copy)
            takes.newest_part.job_wanted.connect(self.run_quietly)
            takes.now_panel.hold.wanted.connect(self._hold)
            self._use_limits()
            takes.plot.limits.changed.connect(self._keep_limits)
        elif number == PROOF:
            proof = self.book.proof
            proof.prove_wanted.connect(self.proving.record_and_prove)
            proof.report_wanted.connect(self.take_actions.ask_report)
            proof.cure_wanted.connect(self.proving.cure_and_prove)
            proof.edit_wanted.connect(self._edit_expectation)
            proof.show_project(self.document.workspace.project)
        elif number == FIRMWARE:
            self.book.firmware.looks_wanted.connect(self.board.look_at)
        elif number == COMPARE:
            self.book.compare.open_wanted.connect(self.files.ask_compare)

    def show_findings(self) -> None:
        """All findings, beside whatever page is in sight."""
        if self.findings_window is None:
            self.findings_window = FindingsWindow(self)
            self.findings_window.chosen.connect(self._show_finding)
            self.findings_window.cured.connect(self.chain_page.cure)
            self.findings_window.acceptance_wanted.connect(self.acceptance.ask)
            self.findings_window.numbers_wanted.connect(self._explain_finding)
        self.findings_window.show_findings(self.document.findings)
        self.findings_window.show()
        self.findings_window.raise_()

    def _show_finding(self, finding: Finding) -> None:
        self.show_page(CHAIN)
        self.chain_page.show_finding(finding)

    def _explain_finding(self, finding: Finding) -> None:
        self._show_finding(finding)
        self.explaining.show()

    def _connect_start(self) -> None:
        start = self.chain_page.start
        start.part_wanted.connect(self.files.new_on)
        start.sheet_wanted.connect(self.parts.describe_new)
        start.template_wanted.connect(self.chain_actions.add_template)
        start.signal_wanted.connect(self.chain_actions.add_signal)
        start.open_wanted.connect(self.files.ask_open)
        start.recent_wanted.connect(self.files.open)
        start.example_wanted.connect(self.files.open_example)
        start.own_part_wanted.connect(self.files.new_on_file)
        start.offer(lambda: tuple(self.settings.recent), lambda: tuple(example_files()), own_parts)
        self.parts.saved.connect(self._on_part_saved)
        self.chain_page.show_start()

    def _on_part_saved(self) -> None:
        """It may be one of those that an empty project offers."""
        self.chain_page.start.forget()
        self.chain_page.show_start()

    def _expect(self, expectation: FigureExpectation) -> None:
        """A figure that was measured must hold from now on."""
        from wattigram.core.judge.wording import expectation_text  # late: it comes with HDF5

        if self.document.edit(AddExpectation(expectation)):
            self.notice.say(
                f"Expected from now on: {expectation_text(expectation)}. The Proof page has it."
            )

    def _use_limits(self) -> None:
        """Strips have the limits that this project had."""
        self.streams_page.plot.limits.use(self._strip_memory.known(self.takes_place.name))

    def _keep_limits(self) -> None:
        self._strip_memory.keep(self.takes_place.name, self.streams_page.plot.limits.own)

    def _on_changed(self, workspace: Workspace, before: Workspace) -> None:
        self._show_document()
        self._judge_anew(workspace.project, before.project)

    def _judge_anew(self, project: Project, before: Project) -> None:
        """What must hold was changed, or taken back: the take that was judged last is held against it."""
        latest = self.proving.latest
        if latest is None or self.stack.currentIndex() != PROOF:
            return
        changed = {
            name
            for name in project.__struct_fields__
            if getattr(project, name) != getattr(before, name)
        }
        if changed == {"expectations"}:
            self.proving.prove(latest.take)

    def _on_clean(self, _is_clean: bool) -> None:
        self._show_document()

    def _show_document(self) -> None:
        workspace = self.document.workspace
        self.header.show_workspace(workspace, self.document.is_clean)
        self.setWindowTitle(f"{workspace.project.name}[*] – Wattigram")
        self.setWindowModified(not self.document.is_clean)
        findings = self.document.findings
        self.header.show_findings(
            findings_text(findings, short=True),
            findings_text(findings),
            any(one.severity == "error" and not one.accepted for one in findings),
        )
        if self.findings_window is not None:
            self.findings_window.show_findings(findings)
        self.board.set_workspace(workspace)
        self.chain_page.request_views()
        if self.book.is_made(PROOF):
            self.proof_page.show_project(workspace.project)

    def _on_replaced(self) -> None:
        self.proving.forget()
        if self.book.is_made(PROOF):
            self.proof_page.forget()
            self.proof_page.show_project(self.document.workspace.project)
        self.header.show_proof(None)
        self.board.set_address(self.board.address)
        self._close_take()
        if self.book.is_made(STREAMS):
            self._use_limits()
            self.streams_page.takes.forget_others()
        if self.stack.currentIndex() == STREAMS:
            self.streams_page.show_folders(self.proving.folders)
        self.chain_page.show_workspace()

    def _close_take(self) -> None:
        if self.book.is_made(STREAMS):
            self.streams_page.close_take()

    def show_page(self, number: int) -> None:
        """Go to a page."""
        self.book.page(number)
        self.stack.setCurrentIndex(number)
        self.header.show_page(number)
        if number == PROGRAM:
            self.book.program.show_snapshot(self.board.latest)
        elif number == STREAMS:
            self.streams_page.show_folders(self.proving.folders)
            self.streams_page.show_snapshot(self.board.latest)
        self.book.focus(number)
        self.as_tables.read()

    # Running and recording

    def toggle_run(self) -> None:
        """Run the board, or stop it."""
        if self.board.is_running:
            self.board.stop()
        else:
            self.board.start()

    def toggle_record(self) -> None:
        """Record what comes, with what is kept of the run before it; or end the take and prove it."""
        if self.board.latest.recording is not None:
            self._proves_after_stop = True
            self.board.end_recording()
            return
        path = self.proving.next_path()
        if path is not None:
            self.board.record(path)

    def _show_now(self) -> None:
        """The board on the Streams page."""
        self.show_page(STREAMS)
        self.streams_page.show_now()

    def _freeze(self) -> None:
        """Make a take of what is kept of the run, to be looked at."""
        path = self.proving.next_path()
        if path is not None:
            self.board.freeze(path)

    def _hold(self, plan: RecordingPlan | None) -> None:
        path = self.proving.next_path()
        if path is not None:
            self.board.hold(plan, path.parent)

    def _on_snapshot(self, snapshot: Snapshot) -> None:
        self.header.show_snapshot(snapshot)
        self.firmware.show_totals(snapshot.totals)
        if self.stack.currentIndex() == CHAIN:
            self.chain_page.show_snapshot(snapshot)
        elif self.stack.currentIndex() == PROGRAM:
            self.book.program.show_snapshot(snapshot)
        elif self.stack.currentIndex() == FIRMWARE:
            self.book.firmware.show_snapshot(snapshot)
        elif self.stack.currentIndex() == STREAMS:
            self.streams_page.show_snapshot(snapshot)
        for path in snapshot.held:
            self.streams_page.add_take(path, select=False)
        if snapshot.frozen is not None:
            self.streams_page.add_take(snapshot.frozen)
        if snapshot.recorded is not None:
            self.streams_page.add_take(snapshot.recorded, select=not self.streams_page.shows_now)
            if self._proves_after_stop:
                self._proves_after_stop = False
                self.proving.prove(snapshot.recorded)

    # Proof and takes

    def _show_proved(self, proved: Proved) -> None:
        self.streams_page.add_take(proved.take, select=False)
        self._show_verdicts(proved)
        self.header.show_proof(proved.proof)
        if self.stack.currentIndex() != PROOF:
            self.show_page(PROOF)

    def _show_verdicts(self, proved: Proved) -> None:
        page = self.proof_page
        again, self._judged = proved.take == self._judged, proved.take
        project = proved.workspace.project
        page.show_proof(proved.proof, proved.evidence, project, proved.heading, again)
        page.show_project(self.document.workspace.project)

    def _on_proof_chip(self) -> None:
        if self.proving.latest is None:
            self.proving.record_and_prove()
        else:
            self.show_page(PROOF)

    def _edit_expectation(self, edit: Edit) -> None:
        """Change what must hold."""
        self.document.edit(edit)

    def _remove_expectation(self) -> None:
        """Take away the expectation that is chosen on the Proof page."""
        row, count = self.proof_page.current, len(self.document.workspace.project.expectations)
        if self.stack.currentIndex() != PROOF or not 0 <= row < count:
            self.notice.say("No expectation is chosen. Choose one on the Proof page.")
            return
        self._edit_expectation(RemoveExpectation(row))

    # View

    def run_job(self, job: Job) -> None:
        """Run long work with its progress shown."""
        if self._is_closed:
            return
        self.job_bar.follow(job)
        self.run_quietly(job)

    def run_quietly(self, job: Job) -> None:
        """Run short work that comes again and again, with nothing shown of it; none of a window that is closed."""
        if self._is_closed:
            return
        # It would stay for as long as whoever asked for it. The last to hear of its end takes it away: were it
        # taken earlier, by this thread while its own still tells others, they would never hear.
        job.ended.connect(lambda: job.deleteLater())
        job.start()

    def open_palette(self) -> None:
        """List all actions."""
        self.palette_box.open(self.actions_list.every())

    def _open_palette_of(self, beginning: str) -> None:
        """List the actions whose names begin alike."""
        self.palette_box.open(
            [one for one in self.actions_list.every() if one.text().startswith(beginning)]
        )

    def compare_saved(self) -> None:
        """The design beside its own file."""
        self.show_page(COMPARE)
        self.book.compare.compare_saved()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Files may be dropped anywhere."""
        if event is not None and dropped_paths(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Open a project, show a take or a recording."""
        paths = dropped_paths(event.mimeData()) if event is not None else []
        if event is not None and paths:
            event.acceptProposedAction()
            take_dropped(
                paths,
                self.files.open,
                self.take_actions.show,
                self.parts.read_description,
                self.notice.say,
            )

    def show_guide(self) -> None:
        """The chapter of the guide that is about the page in sight."""
        show_guide(self, chapter_of(self.stack.currentIndex()))

    def show_glossary(self) -> None:
        """What each of our own words means."""
        show_glossary(self)

    def _open_menu(self) -> None:
        menu = QMenu(self)
        self.actions_list.fill(menu)
        menu.popup(self.header.menu_button.mapToGlobal(QPoint(0, self.header.menu_button.height())))

    def _open_row_menu(self, _selection: object, point: object) -> None:
        menu = QMenu(self)
        menu.addActions(self.actions_list.groups["Signal"])
        menu.addSeparator()
        menu.addAction(self.actions_list.named("Where do these numbers come from?"))
        assert isinstance(point, QPoint)
        menu.popup(point)

    def _redress(self) -> None:
        self.chain_page.inspector.rebuild()
        self.chain_page.findings.show_findings(())
        self.chain_page.show_workspace()
        self.chain_page.rows.resizeEvent(None)
        self.book.redress()
        proved = self.proving.latest
        if proved is not None:
            self._show_verdicts(proved)
        self.update()

    def copy_page(self) -> None:
        """The page as a picture on the clipboard."""
        clipboard = QApplication.clipboard()
        page = self.stack.currentWidget()
        if clipboard is not None and page is not None:
            clipboard.setPixmap(page.grab())

    def save_page(self) -> None:
        """The page as a picture in a file."""
        page = self.stack.currentWidget()
        if page is not None:
            name = f"{self.document.workspace.project.name} {PAGES[self.stack.currentIndex()]}"
            self.take_actions.ask_picture(page, name)

    def _restore(self) -> None:
        restore_size(self, self.settings)
        known = [
            restore_splitter(splitter, self.settings, name)
            for name, splitter in self.book.splitters().items()
        ]
        self._sizes_known = all(known)
        page = self.settings.get("page")
        if page in PAGES:
            self.show_page(PAGES.index(page))

    def _on_splitter(self, _position: int, _index: int) -> None:
        self._sizes_known = True  # from now on the user's own proportions

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Until the user has set the proportions they follow the window."""
        super().resizeEvent(event)
        if not self._sizes_known:
            QTimer.singleShot(0, self.chain_page.default_sizes)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Keep what must be kept; nothing is asked, unsaved work is offered next time."""
        if self._is_closed:
            super().closeEvent(event)
            return
        self._is_closed = True
        self.files.one_window.let_go()
        self.document.close()
        keep_size(self, self.settings)
        self.settings.set("page", PAGES[self.stack.currentIndex()])
        for name, splitter in self.book.splitters().items():
            keep_splitter(splitter, self.settings, name)
        self.settings.sync()
        jobs = self.findChildren(Job)  # those of pages and dialogs as well
        for job in jobs:
            job.cancel()
        for job in jobs:
            job.wait()
        # The stack says once more that it is clean while it is taken apart; nobody is left to hear
        # it.
        self.document.stack.cleanChanged.disconnect(self._on_clean)
        self.board.close()
        self._close_take()
        super().closeEvent(event)
