"""Opening and saving projects; nothing is modal, nothing is lost."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, QPoint, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMenu, QWidget

from wattigram.core.design.templates import empty_workspace
from wattigram.core.errors import WattigramError
from wattigram.core.part import list_parts
from wattigram.desktop.actions import Actions
from wattigram.desktop.document import Document
from wattigram.desktop.settings import Settings
from wattigram.desktop.widgets.notice import Notice

FILE_FILTER = "Wattigram projects (*.wattigram.toml);;All files (*)"


def ask_save(parent: QWidget, title: str, path: Path, kind: str, use: Callable[[str], None]) -> None:
    """Ask for a name to save under; the window stays usable meanwhile."""
    dialog = QFileDialog(parent, title, str(path), kind)
    dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
    dialog.selectFile(path.name)
    dialog.fileSelected.connect(use)
    dialog.open()


class ProjectFiles(QObject):
    """The file actions of a window."""

    compare_wanted = pyqtSignal(object)
    """Path of a project to stand beside the present one."""

    def __init__(
        self, window: QWidget, document: Document, settings: Settings, notice: Notice, actions: Actions
    ) -> None:
        super().__init__()
        self._window = window
        self._document = document
        self._settings = settings
        self._notice = notice
        actions.add("File", "Open a project…", "Ctrl+O", self.ask_open)
        actions.add("File", "Open a recent project…", "", self.open_recent)
        for part in list_parts():
            actions.add("File", f"New project on {part.name}", "", partial(self.new_on, part.id))
        actions.add("File", "Save", "Ctrl+S", self.save)
        actions.add("File", "Save as…", "Ctrl+Shift+A", self.ask_save_as)
        actions.add("File", "Quit", "Ctrl+Q", window.close)

    @property
    def folder(self) -> Path:
        """Where the project is, else the user's home."""
        return self._document.path.parent if self._document.path else Path.home()

    def ask_open(self) -> None:
        """Ask for a project."""
        dialog = QFileDialog(self._window, "Open a project", str(self.folder), FILE_FILTER)
        dialog.fileSelected.connect(lambda name: self.open(Path(name)))
        dialog.open()

    def open_recent(self) -> None:
        """Offer the projects opened lately."""
        menu = QMenu(self._window)
        for path in self._settings.recent:
            action = menu.addAction(f"{path.name.removesuffix('.wattigram.toml')}  ({path.parent})")
            if action is not None:
                action.triggered.connect(partial(self._open_chosen, path))
        if menu.isEmpty():
            self._notice.say("No project has been opened lately.")
        else:
            menu.popup(self._window.mapToGlobal(QPoint(60, 50)))

    def _open_chosen(self, path: Path, _checked: bool) -> None:
        self.open(path)

    def open(self, path: Path) -> None:
        """Open a project; unsaved work is asked about first."""
        if self._document.is_clean:
            self._open_now(path)
            return
        self._notice.say(
            f"“{self._document.workspace.project.name}” has changes that are not saved.",
            ("Save, then open", partial(self._save_and_open, path)),
            ("Drop them and open", partial(self._open_now, path)),
        )

    def _save_and_open(self, path: Path) -> None:
        self.save()
        if self._document.is_clean:
            self._open_now(path)

    def _open_now(self, path: Path) -> None:
        try:
            self._document.load(path)
        except WattigramError as fault:
            self._notice.say(f"{fault} The present project stays open.")
            return
        if self._document.path is not None:
            self._settings.add_recent(self._document.path)

    def new_on(self, part: str) -> None:
        """An empty project on a part; unsaved work is asked about first."""
        if self._document.is_clean:
            self._new_now(part)
            return
        self._notice.say(
            f"“{self._document.workspace.project.name}” has changes that are not saved.",
            ("Save, then begin anew", lambda: self._save_and_new(part)),
            ("Drop them and begin anew", lambda: self._new_now(part)),
        )

    def _save_and_new(self, part: str) -> None:
        self.save()
        if self._document.is_clean:
            self._new_now(part)

    def _new_now(self, part: str) -> None:
        self._document.replace(empty_workspace(part), None)

    def ask_compare(self) -> None:
        """Ask for a project to stand beside this one."""
        dialog = QFileDialog(self._window, "Compare with a project", str(self.folder), FILE_FILTER)
        dialog.fileSelected.connect(lambda name: self.compare_wanted.emit(Path(name)))
        dialog.open()

    def save(self) -> None:
        """Save, asking for a name where there is none."""
        if self._document.path is None:
            self.ask_save_as()
        else:
            self.save_to(self._document.path)

    def ask_save_as(self) -> None:
        """Ask for a name and save."""
        path = self.folder / f"{self._document.workspace.project.name}.wattigram.toml"
        ask_save(self._window, "Save the project", path, FILE_FILTER, lambda name: self.save_to(Path(name)))

    def save_to(self, path: Path) -> None:
        """Save under a name."""
        try:
            self._document.save(path)
        except WattigramError as fault:
            self._notice.say(str(fault))
            return
        self._settings.add_recent(path)

    def offer_recovery(self, recover: Callable[[], None]) -> None:
        """Unsaved work of an earlier time was found."""
        self._notice.say(
            "Wattigram ended last time with changes that were not saved.",
            ("Recover them", recover),
            ("Throw them away", self._document.discard_recovery),
        )
