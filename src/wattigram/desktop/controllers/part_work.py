"""Parts: described in windows of their own, and a project's put in the place of another."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache, partial
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtCore import QObject, pyqtBoundSignal, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from wattigram.core.base.errors import WattigramError
from wattigram.core.model.design.project import Project
from wattigram.core.model.part import Part, find_part, list_parts, load_part
from wattigram.desktop.controllers.actions import Actions
from wattigram.desktop.controllers.files import PART_FILTER
from wattigram.desktop.state.document import Document
from wattigram.examples import example_files

if TYPE_CHECKING:
    from wattigram.core.model.part.sheet.draft import PartDraft
    from wattigram.desktop.widgets.part.change_dialog import PartChangeDialog


Designs = tuple[tuple[str, Project, Part], ...]
"""Designs by name, each with the part that it is on."""


class PartSheetWindow(Protocol):
    """What is needed of a window in which a part is described."""

    project_wanted: pyqtBoundSignal
    saved: pyqtBoundSignal
    destroyed: pyqtBoundSignal

    def read_description(self, path: Path) -> None: ...
    def show(self) -> None: ...
    def raise_(self) -> None: ...


class PartWork(QObject):
    """Opens windows in which parts are described, and changes the part of the project."""

    saved = pyqtSignal()
    """A part was written."""

    def __init__(
        self,
        window: QWidget,
        document: Document,
        actions: Actions,
        make: Callable[[PartDraft, Path | None, Callable[[], Designs]], PartSheetWindow],
        begin_project: Callable[[Path], None],
        say: Callable[[str], None],
    ) -> None:
        super().__init__(window)
        self._window, self._document, self._say = window, document, say
        self._begin_project = begin_project
        self._make = make
        self.windows: list[PartSheetWindow] = []
        self.dialog: PartChangeDialog | None = None
        actions.add("Part", "Describe a part from its data sheet…", "", self.describe_new)
        for part in list_parts():
            actions.add(
                "Part",
                f"Describe a part like {part.name}…",
                "",
                partial(self.describe_like, part.id),
            )
        actions.add("Part", "Open a part file…", "", self.ask_open)
        actions.add("Part", "Look at the project's part, or change its sheet", "", self.open_own)
        for part in list_parts():
            actions.add(
                "Part", f"Put the project on {part.name}…", "", partial(self.change_to, part.id)
            )
        actions.add("Part", "Put the project on a part file…", "", self.ask_change)

    def describe_new(self) -> None:
        """A part of which nothing is known yet."""
        from wattigram.core.model.part.sheet.draft import blank_draft

        self._open(blank_draft("New part"), None)

    def describe_like(self, identifier: str) -> None:
        """A part that begins as another one."""
        from wattigram.core.model.part.sheet.draft import draft_like

        self._open(draft_like(identifier, f"Like {find_part(identifier).name}"), None)

    def ask_open(self) -> None:
        """Ask for a part file."""
        dialog = QFileDialog(self._window, "Open a part file", str(self._folder), PART_FILTER)
        dialog.fileSelected.connect(lambda name: self.open(Path(name)))
        dialog.open()

    def open(self, path: Path) -> None:
        """Show a part file, finished or not."""
        from wattigram.core.model.part.sheet.draft import load_draft

        try:
            draft = load_draft(path)
        except WattigramError as fault:
            self._say(str(fault))
            return
        self._open(draft, path)

    def open_own(self) -> None:
        """The part of the project: its own file, or one that came with the program as the start of one's
        own."""
        project, path = self._document.workspace.project, self._document.path
        beside = path.parent / project.part if path is not None else None
        if project.part.endswith(".toml") and beside is not None and beside.exists():
            self.open(beside)
        elif project.part.endswith(".toml"):
            from wattigram.core.model.part.sheet.draft import draft_of

            self._open(draft_of(self._document.workspace.part), None)
        else:
            self.describe_like(project.part)

    @property
    def _folder(self) -> Path:
        return self._document.path.parent if self._document.path else Path.home()

    def _open(self, draft: PartDraft, path: Path | None) -> None:
        window = self._make(draft, path, self._tried)
        window.project_wanted.connect(self._begin_project)
        window.saved.connect(self._on_saved)
        window.destroyed.connect(
            lambda: self.windows.remove(window) if window in self.windows else None
        )
        self.windows.append(window)
        window.show()

    def read_description(self, path: Path) -> None:
        """A register description: into the part window that is open, else into one of its own."""
        window = self.windows[-1] if self.windows else None
        if window is None:
            self.describe_new()
            window = self.windows[-1]
        window.read_description(path)
        window.raise_()

    def _tried(self) -> Designs:
        own = self._document.workspace
        return ((own.project.name, own.project, own.part), *_examples())

    def _on_saved(self, path: Path, part: Part | None) -> None:
        """Take over the project's own part as its file is now."""
        self.saved.emit()
        project, own = self._document.workspace.project, self._document.path
        if part is None or own is None or path != own.parent / project.part:
            return
        try:
            self._document.change_part(project, part, f"{part.name} as its sheet is now")
        except WattigramError as fault:
            self._say(f"{fault} The project stays on the part as it was.")

    def ask_change(self) -> None:
        """Ask for a part file to put the project on."""
        dialog = QFileDialog(
            self._window, "Put the project on a part file", str(self._folder), PART_FILTER
        )
        dialog.fileSelected.connect(lambda name: self.change_to(name))
        dialog.open()

    def change_to(self, identifier: str) -> None:
        """Show what the project would be on another part: an id, or the path of a file."""
        from wattigram.desktop.widgets.part.change_dialog import ask_change

        path = Path(identifier)
        try:
            part = load_part(path) if path.suffix == ".toml" else find_part(identifier)
        except WattigramError as fault:
            self._say(str(fault))
            return
        named = path.name if path.suffix == ".toml" else identifier
        self.dialog = ask_change(self._window, self._document.workspace, part, named)
        self.dialog.wanted.connect(self._change)

    def _change(self, project: Project, part: Part) -> None:
        try:
            self._document.change_part(project, part, f"Put the project on {part.name}")
        except WattigramError as fault:
            self._say(str(fault))


@cache
def _examples() -> Designs:
    from wattigram.core.model.design import open_workspace

    workspaces = [open_workspace(path) for path in example_files()]
    return tuple((one.project.name, one.project, one.part) for one in workspaces)
