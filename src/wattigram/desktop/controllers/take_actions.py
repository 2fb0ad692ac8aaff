"""What is done with takes and their proofs as files: open, prove, report, export."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from wattigram.desktop.controllers.files import ProjectFiles, ask_save
from wattigram.desktop.controllers.proof_controller import Proving
from wattigram.desktop.pages.page_stack import STREAMS, PageStack
from wattigram.desktop.state.document import Document


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

    def ask_report(self) -> None:
        """Ask where the report goes."""
        proved = self._proving.latest
        take = proved.take.stem if proved else "proof"
        path = self._files.folder / f"{self._document.workspace.project.name} {take}.html"
        ask_save(
            self._parent,
            "Report",
            path,
            "Web pages (*.html)",
            lambda name: self._proving.write_report(Path(name)),
        )

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

        def follow_kind(title: str) -> None:
            dialog.setDefaultSuffix(kinds[title].suffix.removeprefix("."))

        path = self._files.folder / f"{take.stem}{EXPORT_FORMATS[0].suffix}"
        dialog = ask_save(self._parent, "Export", path, ";;".join(kinds), export)
        dialog.filterSelected.connect(follow_kind)
