"""What is done with takes and their proofs as files: open, prove, report, export."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from wattigram.core.base.errors import FileError, WattigramError
from wattigram.core.base.toml_document import write_atomically
from wattigram.core.base.user_folders import safe_name
from wattigram.desktop.controllers.files import ProjectFiles, ask_save
from wattigram.desktop.controllers.proof_controller import NO_PROOF, Proving
from wattigram.desktop.pages.page_stack import STREAMS, PageStack
from wattigram.desktop.state.document import Document

if TYPE_CHECKING:
    from wattigram.core.judge.measured import Measured
    from wattigram.core.judge.several_takes import TakeProof


class TakeActions(QObject):
    """Asks for files, and has the work done by those who can."""

    page_wanted = pyqtSignal(int)

    def __init__(
        self,
        parent: QWidget,
        document: Document,
        proving: Proving,
        files: ProjectFiles,
        book: PageStack,
        say: Callable[[str], None],
    ) -> None:
        super().__init__(parent)
        self._parent = parent
        self._document = document
        self._proving = proving
        self._files = files
        self._book = book
        self._say = say
        proving.several.connect(self.show_several)

    @property
    def open_path(self) -> Path | None:
        """The take on the Streams page; None, and a sentence, where there is none."""
        if self._book.streams.data is None:
            self._say("No take is open. Choose one on the Streams page.")
            return None
        return self._book.streams.data.path

    def prove_open(self) -> None:
        """Judge the take on the Streams page."""
        path = self.open_path
        if path is not None:
            self._proving.prove(path)

    def ask_several(self) -> None:
        """Ask for takes that are to be judged by one set of expectations."""
        dialog = QFileDialog(
            self._parent,
            "Takes to hold against what must hold",
            str(self._proving.folder),
            "Takes (*.h5);;All files (*)",
        )
        dialog.setFileMode(QFileDialog.FileMode.ExistingFiles)
        dialog.filesSelected.connect(
            lambda names: self._proving.prove_several(tuple(map(Path, names)))
        )
        dialog.open()

    def show_several(self, takes: tuple[TakeProof, ...]) -> None:
        """Takes side by side, in a window of their own; a column's head opens its proof."""
        from wattigram.desktop.widgets.proof.several_takes import SeveralTakes  # late: with proofs

        window = SeveralTakes(self._parent, takes)
        window.take_wanted.connect(self._proving.prove)
        window.show()

    def ask_report(self) -> None:
        """Ask where the report goes."""
        proved = self._proving.latest
        take = proved.take.stem if proved else "proof"
        path = self._files.folder / f"{self._document.workspace.project.name} {take}.html"
        ask_save(
            self._parent,
            "Report",
            path,
            "Web pages (*.html);;PDF (*.pdf)",
            lambda name: self._proving.write_report(Path(name)),
        )

    def ask_print(self) -> None:
        """Ask for a printer, and print the report of the last proof."""
        from PyQt6.QtPrintSupport import QPrintDialog, QPrinter  # late: seldom wanted

        if self._proving.latest is None:
            self._say(NO_PROOF)
            return
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        printer.setDocName(f"Proof of {self._document.workspace.project.name}")
        printer.setFullPage(True)
        dialog = QPrintDialog(printer, self._parent)
        dialog.accepted.connect(lambda: self._proving.print_report(printer))
        dialog.open()

    def ask_open(self) -> None:
        """Ask for a take, or a recording of another tool."""
        from wattigram.core.capture.recording import READERS  # late: HDF5 comes with it

        suffixes = " ".join(f"*{suffix}" for reader in READERS for suffix in reader.suffixes)
        kinds = f"Takes and recordings ({suffixes});;Takes (*.h5);;All files (*)"
        dialog = QFileDialog(
            self._parent, "Open a take or a recording", str(self._proving.folder), kinds
        )
        dialog.fileSelected.connect(lambda name: self.show(Path(name)))
        dialog.open()

    def show(self, path: Path) -> None:
        """Show a take, or a recording, on its page."""
        self.page_wanted.emit(STREAMS)
        self._book.streams.add_take(path)

    def ask_picture(self, widget: QWidget, name: str) -> None:
        """Ask where a picture of what a widget shows goes, and as what."""
        from wattigram.desktop.controllers.saved_pictures import FILTERS, KINDS, save_picture

        def save(chosen: str) -> None:
            self._write(Path(chosen), lambda path: save_picture(widget, path, name))

        path = self._files.folder / f"{safe_name(name)}{next(iter(KINDS))}"
        ask_save(self._parent, "Save a picture", path, FILTERS, save)

    def ask_table(self, name: str, text: Callable[[Measured], str]) -> None:
        """Ask where what is measured goes, as text with commas."""
        measured = self._book.streams.analysis.measured
        if measured is None or not text(measured).strip():
            self._say(
                "Nothing is measured that could be saved. Choose a signal and what is measured."
            )
            return
        content = text(measured)

        def save(chosen: str) -> None:
            self._write(Path(chosen), lambda path: write_atomically(path, content, FileError))

        path = self._files.folder / f"{name}.csv"
        ask_save(self._parent, "Save a table", path, "Text with commas (*.csv)", save)

    def _write(self, path: Path, write: Callable[[Path], None]) -> None:
        try:
            write(path)
        except WattigramError as fault:
            self._say(str(fault))
        else:
            self._say(f"Written: {path}")

    def ask_traces_picture(self) -> None:
        """Of the traces on the Streams page."""
        path = self.open_path
        if path is not None:
            self.ask_picture(self._book.streams.plot, f"{path.stem} traces")

    def ask_curve_picture(self) -> None:
        """Of the curve of what is measured."""
        panel = self._book.streams.analysis
        if panel.measured is None or panel.curve.curve is None:
            self._say("There is no curve. Choose what is measured: a spectrum has one.")
            return
        self.ask_picture(panel.curve, f"{panel.measured.kind} of {panel.measured.channels[0]}")

    def ask_figures(self) -> None:
        """The figures as a table."""
        from wattigram.core.judge.measured import figures_csv  # late: HDF5 comes with it

        self.ask_table("figures", figures_csv)

    def ask_curve(self) -> None:
        """The curve as a table."""
        from wattigram.core.judge.measured import curve_csv  # late: HDF5 comes with it

        self.ask_table("curve", lambda measured: curve_csv(measured) if measured.curve else "")

    def export_open(self) -> None:
        """Export the take on the Streams page."""
        path = self.open_path
        if path is not None:
            self.ask_export(path)

    def ask_export(self, take: Path) -> None:
        """Ask where a take goes, and as what."""
        from wattigram.core.capture.recording import EXPORT_FORMATS  # late: HDF5 comes with it

        kinds = {f"{kind.title} (*{kind.suffix})": kind for kind in EXPORT_FORMATS}

        def export(name: str) -> None:
            path, kind = Path(name), kinds[dialog.selectedNameFilter()]
            # An ending that was typed says more than the list.
            same = path.suffix.lower() in {"", kind.suffix}
            self._proving.export(take, path, kind if same else None)

        path = self._files.folder / f"{take.stem}{EXPORT_FORMATS[0].suffix}"
        dialog = ask_save(self._parent, "Export", path, ";;".join(kinds), export)
