"""Opening and saving projects; nothing is modal, nothing is lost."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject, QPoint, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMenu, QWidget

from wattigram.core.base.errors import WattigramError
from wattigram.core.base.user_folders import data_folder
from wattigram.core.model.design import Workspace, other_projects
from wattigram.core.model.design.templates import empty_workspace
from wattigram.core.model.part import list_parts, load_part
from wattigram.desktop.controllers.actions import Actions
from wattigram.desktop.controllers.one_window import OneWindow, open_beside
from wattigram.desktop.state.document import ChangedOnDiskError, Document, OnDisk, digest_of
from wattigram.desktop.state.recovery import Abandoned, Recovered
from wattigram.desktop.state.settings import Settings
from wattigram.desktop.widgets.notice import Notice

SUFFIX = ".wattigram.toml"
FILE_FILTER = f"Wattigram projects (*{SUFFIX});;All files (*)"
PART_FILTER = "Part files (*.toml);;All files (*)"
SETTLE_MS = 150
"""Programs write a file in several steps; it is looked at once they have come to rest."""


def ask_save(
    parent: QWidget, title: str, path: Path, kind: str, use: Callable[[str], None]
) -> QFileDialog:
    """Ask for a name to save under; the window stays usable meanwhile. The dialog knows the kind that was chosen."""
    dialog = QFileDialog(parent, title, str(path), kind)
    dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
    suffix = (
        path.name.partition(".")[2] if path.name.endswith(SUFFIX) else path.suffix.removeprefix(".")
    )
    dialog.setDefaultSuffix(suffix)  # so that the name with its suffix is what is asked about
    dialog.selectFile(path.name)
    dialog.filterSelected.connect(
        lambda title: dialog.setDefaultSuffix(title.partition("*.")[2].removesuffix(")"))
    )
    dialog.fileSelected.connect(use)
    dialog.open()
    return dialog


def example_line(path: Path) -> str:
    """The name of an example, and what it is, from its own first words."""
    words = path.read_text(encoding="utf-8").split("\nformat", 1)[0]
    said = " ".join(line.removeprefix("#").strip() for line in words.splitlines())
    first = re.split(r"(?<=[a-z0-9])[.:](?: |$)", said, maxsplit=1)[0]
    return f"{path.name.removesuffix('.wattigram.toml')}: {first[:1].lower()}{first[1:]}"


class ProjectFiles(QObject):
    """The file actions of a window."""

    compare_wanted = pyqtSignal(object)
    """Path of a project to stand beside the present one."""
    saved_wanted = pyqtSignal()
    """The file as it is on disk is to stand beside the present design."""

    def __init__(
        self,
        window: QWidget,
        document: Document,
        settings: Settings,
        notice: Notice,
        actions: Actions,
    ) -> None:
        super().__init__(window)  # it looks at the file no longer than the window lives
        self._window = window
        self._document = document
        self._settings = settings
        self._notice = notice
        actions.add("File", "Open a project…", "Ctrl+O", self.ask_open)
        actions.add("File", "Open a recent project…", "", self.open_recent)
        actions.add(
            "File", "Open a project in a window of its own…", "Ctrl+Shift+O", self.ask_open_beside
        )
        for part in list_parts():
            actions.add("File", f"New project on {part.name}", "", partial(self.new_on, part.id))
        actions.add("File", "New project on a part file…", "", self.ask_part)
        actions.add("File", "Save", "Ctrl+S", self.save)
        actions.add("File", "Save as…", "Ctrl+Shift+A", self.ask_save_as)
        actions.add("File", "Recover unsaved work…", "", self.offer_next)
        actions.add("File", "Quit", "Ctrl+Q", window.close)
        self.one_window = OneWindow(window, lambda: document.path)
        self._offers: list[Abandoned] = []
        self._told_of: str | None = None
        self._boards_seen: dict[str, str | None] = {}
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(self._on_disk_changed)
        self._watcher.directoryChanged.connect(self._on_disk_changed)
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(SETTLE_MS)
        self._settle.timeout.connect(self.look_at_disk)
        document.replaced.connect(self._watch)
        document.changed.connect(self._watch_boards)
        self._watch()

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

    def ask_open_beside(self) -> None:
        """Ask for a project that is to have a window of its own."""
        title = "Open a project in a window of its own"
        dialog = QFileDialog(self._window, title, str(self.folder), FILE_FILTER)
        dialog.fileSelected.connect(lambda name: self.open_beside(Path(name)))
        dialog.open()

    def open_beside(self, path: Path) -> None:
        """Open a project in a window of its own; one that has a window is shown there."""
        if self.one_window.is_elsewhere(path):
            self._notice.say(f"“{path.name}” has a window already, which has come to the front.")
        elif not open_beside(path):
            self._notice.say("No other window could be started.")

    def open(self, path: Path) -> None:
        """Open a project; unsaved work is asked about first. One that another window has is shown there."""
        if self.one_window.is_elsewhere(path):
            self._notice.say(
                f"“{path.name}” is open in another window, which has come to the front."
            )
            return
        self._unless_unsaved("open", partial(self._open_now, path))

    def open_example(self, path: Path) -> None:
        """A copy of an example in a folder of the user's, so that it can be changed and saved; the one that is there
        already where it is."""
        self._unless_unsaved("open", partial(self._copy_and_open, path))

    def _copy_and_open(self, path: Path) -> None:
        folder = data_folder() / "examples" / path.parent.name
        try:
            if not (folder / path.name).exists():
                shutil.copytree(path.parent, folder, dirs_exist_ok=True)
        except OSError as fault:
            self._notice.say(f"The example cannot be copied to {folder}: {fault.strerror}.")
            return
        self._open_now(folder / path.name)

    def _unless_unsaved(self, what: str, act: Callable[[], None]) -> None:
        """Do what replaces the present project; unsaved work is asked about first."""
        if self._document.is_clean:
            act()
            return
        self._notice.say(
            f"“{self._document.workspace.project.name}” has changes that are not saved.",
            (f"Save, then {what}", partial(self._save_and, act)),
            (f"Discard them and {what}", act),
        )

    def _save_and(self, act: Callable[[], None]) -> None:
        self._after_save = act
        self.save()
        if self._document.is_clean:
            self._go_on_after_save()

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
        self._new(lambda: empty_workspace(part))

    def ask_part(self) -> None:
        """Ask for a part file to begin a project on."""
        dialog = QFileDialog(
            self._window, "New project on a part file", str(self.folder), PART_FILTER
        )
        dialog.fileSelected.connect(lambda name: self.new_on_file(Path(name)))
        dialog.open()

    def new_on_file(self, path: Path) -> None:
        """An empty project on an engineer's own part; the part file goes wherever the project is
        saved."""
        self._new(lambda: empty_workspace(path.name, load_part(path)))

    def _new(self, make: Callable[[], Workspace]) -> None:
        try:
            workspace = make()
        except WattigramError as fault:
            self._notice.say(f"{fault} The present project stays open.")
            return
        self._unless_unsaved("start a new one", lambda: self._document.replace(workspace, None))

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
        ask_save(
            self._window,
            "Save the project",
            path,
            FILE_FILTER,
            lambda name: self.save_to(Path(name)),
        )

    def save_to(self, path: Path, overwrite: bool = False) -> None:
        """Save under a name, which gets the suffix of projects where it has none."""
        named = with_suffix(path)
        if named != path and named.exists() and named != self._document.path and not overwrite:
            self._notice.say(
                f"There is a file “{named.name}” in {named.parent} already.",
                ("Overwrite it", partial(self.save_to, named, True)),
            )
            return
        if named != self._document.path and self.one_window.is_elsewhere(named):
            self._notice.say(f"“{named.name}” is open in another window. Choose another name.")
            return
        try:
            self._document.save(named, overwrite)
        except ChangedOnDiskError:
            self._offer_disk()
            return
        except WattigramError as fault:
            self._notice.say(str(fault))
            return
        self._settings.add_recent(named)
        self._told_of = None
        self._watch()
        self._go_on_after_save()

    def _go_on_after_save(self) -> None:
        then, self._after_save = self._after_save, None
        if then is not None:
            then()

    _after_save: Callable[[], None] | None = None
    """What waits for the present project to be saved."""

    # What other programs do to the file

    def _watch(self) -> None:
        """Look at the document's file from now on, and at its folder: many programs put a new file
        in its place."""
        watched = self._watcher.files() + self._watcher.directories()
        if watched:
            self._watcher.removePaths(watched)
        path = self._document.path
        if path is not None:
            self._watcher.addPaths([str(place) for place in (path, path.parent) if place.exists()])
        self.one_window.hold()
        self._told_of = None
        self._boards_seen = self._boards_now()
        self._watch_boards()

    def _board_paths(self) -> list[Path]:
        """Files of other projects whose boards are wired to this one."""
        path = self._document.path
        names = other_projects(self._document.workspace.project) if path is not None else ()
        return [path.with_name(name) for name in names] if path is not None else []

    def _boards_now(self) -> dict[str, str | None]:
        return {place.name: digest_of(place) for place in self._board_paths()}

    def _watch_boards(self) -> None:
        """Look at their files too."""
        watched = self._watcher.files()
        paths = [str(place) for place in self._board_paths() if place.exists()]
        fresh = [place for place in paths if place not in watched]
        if fresh:
            self._watcher.addPaths(fresh)
        for name, digest in self._boards_now().items():
            self._boards_seen.setdefault(name, digest)

    def _look_at_boards(self) -> None:
        """Take another project over as it is now, where its file has changed."""
        now = self._boards_now()
        if any(self._boards_seen.get(name, digest) != digest for name, digest in now.items()):
            self._document.reread_boards()
            self._notice.say(f"{' and '.join(now)}: read again, as it was changed.")
        self._boards_seen = now
        self._watch_boards()

    def _on_disk_changed(self, _path: str) -> None:
        self._settle.start()

    def look_at_disk(self) -> None:
        """Say once, for each content, that another program has changed the file."""
        path = self._document.path
        if path is None:
            return
        if path.exists() and str(path) not in self._watcher.files():
            self._watcher.addPath(str(path))
        self._look_at_boards()
        state = self._document.on_disk
        told = f"{state.value} {digest_of(path)}"
        if state is OnDisk.SAME or told == self._told_of:
            return
        self._told_of = told
        if state is OnDisk.CHANGED:
            self._offer_disk()
        else:
            self._document.stack.resetClean()
            self._notice.say(
                f"{path} is no longer there. What is open here is kept; Save writes it again."
            )

    def _offer_disk(self) -> None:
        path = self._document.path
        assert path is not None
        self._notice.say(
            f"Another program has changed {path.name} since it was read.",
            ("Compare", self.saved_wanted.emit),
            ("Reload", self._reload),
            ("Keep mine", self._document.keep_own),
        )

    def _reload(self) -> None:
        try:
            self._document.reload()
        except WattigramError as fault:
            self._notice.say(f"{fault} What is open here stays as it is.")

    # Unsaved work of windows that are gone

    def offer_recovery(self, offers: list[Abandoned]) -> None:
        """Unsaved work was found whose window is gone; each is offered until it is answered."""
        self._offers = offers
        if offers:
            self.offer_next()

    def offer_next(self) -> None:
        """Offer the newest unsaved work that nobody has answered for."""
        self._offers = [offer for offer in self._offers if offer.path.exists()]
        if not self._offers:
            self._notice.say("There is no unsaved work of another time.")
            return
        offer = self._offers[0]
        more = f" ({len(self._offers) - 1} more wait.)" if len(self._offers) > 1 else ""
        self._notice.say(
            f"Wattigram ended with changes that were not saved: {offer.title}.{more}",
            ("Recover them", partial(self._recover, offer)),
            ("Discard them", partial(self._discard, offer)),
        )

    def _recover(self, offer: Abandoned) -> None:
        try:
            recovered = offer.read()
        except WattigramError as fault:
            self._notice.say(f"{fault} It stays in {offer.path}.")
            self._offers.remove(offer)
            return
        self._unless_unsaved("recover", lambda: self._recover_now(offer, recovered))

    def _recover_now(self, offer: Abandoned, recovered: Recovered) -> None:
        self._document.recover(recovered)
        self._answered(offer)

    def _discard(self, offer: Abandoned) -> None:
        self._answered(offer)

    def _answered(self, offer: Abandoned) -> None:
        offer.discard()
        self._offers.remove(offer)
        if self._offers:
            self.offer_next()


def with_suffix(path: Path) -> Path:
    """A project's path with the suffix of projects, by which folders and dialogs know it."""
    if path.name.endswith(SUFFIX):
        return path
    return path.with_name(path.name.removesuffix(".toml").removesuffix(".wattigram") + SUFFIX)
