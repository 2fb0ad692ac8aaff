"""Proving and taking takes out, as jobs of a window."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from types import ModuleType
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QPagedPaintDevice

from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.session import is_virtual
from wattigram.core.capture.take.take_numbers import next_take_path
from wattigram.desktop.controllers.board_session import LiveBoard
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.jobs import Job
from wattigram.desktop.state.take_folder import TakeFolders

if TYPE_CHECKING:
    from wattigram.core.capture.recording import ExportFormat, Written
    from wattigram.core.judge import LikelyCause
    from wattigram.core.judge.report import PrintedReport
    from wattigram.desktop.controllers.proof_job import Proved

NO_PROOF = "There is no proof to report yet. Record and prove first (F6)."


class Proving(QObject):
    """Starts jobs; says when a proof is there, and what went wrong."""

    proved = pyqtSignal(object)
    """Proved"""
    several = pyqtSignal(object)
    """tuple[TakeProof, ...]"""
    message = pyqtSignal(str)
    job_wanted = pyqtSignal(object)

    def __init__(
        self, document: Document, board: LiveBoard, takes: TakeFolders, parent: QObject
    ) -> None:
        super().__init__(parent)
        self._document = document
        self._takes = takes
        self._board = board
        self._request = 0
        self.latest: Proved | None = None

    @property
    def folder(self) -> Path:
        """Where the project's takes go."""
        return self._takes.folder

    @property
    def folders(self) -> tuple[Path, ...]:
        """Where takes of the project lie."""
        return self._takes.folders

    def next_path(self) -> Path | None:
        """A name for the next take; None, and a sentence, when none can be written."""
        try:
            return next_take_path(self.folder)
        except OSError as fault:
            self.message.emit(f"No take can be written in {self.folder}: {fault.strerror}.")
            return None

    def forget(self) -> None:
        """Another project was loaded: what was proved, or is being proved, is not of it."""
        self._request += 1
        self.latest = None

    def record_and_prove(self) -> None:
        """Record a take and hold it against the expectations."""
        if not is_virtual(self._board.address) and self._board.is_running:
            self._board.release()  # one board, one listener
        path = self.next_path()
        if path is not None:
            workspace, address = self._document.workspace, self._board.address
            self._start(
                f"Recording and judging {path.stem}",
                lambda progress: _prover().record_and_prove(workspace, address, path, progress),
            )

    def prove(self, path: Path) -> None:
        """Judge a take that is there."""
        workspace = self._document.workspace
        self._start(
            f"Judging {path.stem}", lambda progress: _prover().prove_take(workspace, path, progress)
        )

    def prove_several(self, paths: tuple[Path, ...]) -> None:
        """Judge several takes by what must hold now, to be shown side by side."""
        workspace = self._document.workspace
        job = Job(
            f"Judging {len(paths)} takes",
            lambda progress: _prover().prove_takes(workspace, paths, progress),
            self,
        )
        job.finished.connect(self.several)
        self._run(job)

    def cure_and_prove(self, cause: LikelyCause) -> None:
        """Apply a likely cause's cure and prove again."""
        if cause.remedy is not None:
            self._document.edit(cause.remedy)
            self.record_and_prove()

    def write_report(self, path: Path) -> None:
        """Write the report of the last proof, as PDF where the name ends so, else as a web page."""
        proved = self.latest
        if proved is None:
            self.message.emit(NO_PROOF)
            return
        if path.suffix.lower() == ".pdf":

            def lay_out(report: PrintedReport) -> None:
                from wattigram.desktop.controllers.printed_report import write_pdf

                try:
                    write_pdf(report, f"Proof of {proved.workspace.project.name}", path)
                except WattigramError as fault:
                    self.message.emit(str(fault))
                    return
                self.message.emit(f"The report is in {path}.")

            self._prepare(proved, lay_out)
            return
        job = Job(
            "Writing the report",
            lambda progress: _prover().write_report(proved, path, progress),
            self,
        )
        job.finished.connect(lambda written: self.message.emit(f"The report is in {written}."))
        self._run(job)

    def print_report(self, device: QPagedPaintDevice) -> None:
        """Print the report of the last proof."""
        proved = self.latest
        if proved is None:
            self.message.emit(NO_PROOF)
            return

        def draw(report: PrintedReport) -> None:
            from wattigram.desktop.controllers.printed_report import print_report

            print_report(report, device)
            self.message.emit("The report is printed.")

        self._prepare(proved, draw)

    def _prepare(self, proved: Proved, use: Callable[[PrintedReport], None]) -> None:
        """Have a report made in a thread; its pages are laid out in the window's own."""

        def work(progress: Callable[[float], None]) -> PrintedReport:
            report: PrintedReport = _prover().report_for_print(proved, progress)
            return report

        job = Job("Preparing the report", work, self)
        job.finished.connect(use)
        self._run(job)

    def export(self, take: Path, target: Path, kind: ExportFormat | None = None) -> None:
        """Write a take for other programs, as its ending says where no kind is given."""

        def work(progress: Callable[[float], None]) -> Written:
            from wattigram.core.capture.recording import (  # late, as in _prover
                export_recording,
                open_recording,
            )

            with open_recording(take) as recording:
                return export_recording(recording, target, kind, None, progress)

        def tell(written: Written) -> None:
            told = [f"{written.rows} rows are in {target}.", *written.notes[:2]]
            self.message.emit(" ".join(told))

        job = Job(f"Exporting {take.stem}", work, self)
        job.finished.connect(tell)
        self._run(job)

    def _start(self, what: str, work: Callable[[Callable[[float], None]], Proved]) -> None:
        self._request += 1
        request = self._request
        job = Job(what, work, self)
        job.finished.connect(lambda proved: self._take(request, proved))
        self._run(job)

    def _run(self, job: Job) -> None:
        job.failed.connect(self.message)
        self.job_wanted.emit(job)

    def _take(self, request: int, proved: Proved) -> None:
        if request == self._request:  # an older answer is dropped
            self.latest = proved
            self.proved.emit(proved)


def _prover() -> ModuleType:
    """The module that records and judges, loaded when it is first needed: the window starts without
    it."""
    return import_module("wattigram.desktop.controllers.proof_job")
