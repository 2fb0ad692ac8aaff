"""The document: the current design, its undo stack, its file and its recovery copy."""

from __future__ import annotations

import contextlib
import hashlib
from collections.abc import Mapping
from enum import Enum
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from wattigram.core.advise.findings import Finding, find_all
from wattigram.core.base.errors import EditError, ProjectError, WattigramError
from wattigram.core.model.design import Workspace, open_workspace, save_project
from wattigram.core.model.design.edits import Edit, apply_edit
from wattigram.core.model.design.project import Project
from wattigram.core.model.design.project_file import check_not_newer
from wattigram.core.model.design.workspace import join_workspace
from wattigram.core.model.design.workspace_files import save_workspace, with_other_boards
from wattigram.core.model.part import Part, save_part_beside
from wattigram.desktop.state.recovery import Recovered, RecoveryCopy

AUTOSAVE_MS = 2000


class OnDisk(Enum):
    """What has become of the document's file since it was read or written here."""

    SAME = "same"
    CHANGED = "changed"
    GONE = "gone"


class ChangedOnDiskError(ProjectError):
    """Another program wrote the file since it was read; it is overwritten only by whoever says
    so."""


class _EditCommand(QUndoCommand):
    """One step of the undo stack: the workspace before and after."""

    def __init__(
        self, document: Document, label: str, before: Workspace, after: Workspace, drag: int
    ) -> None:
        super().__init__(label)
        self._document = document
        self._before = before
        self._after = after
        self._drag = drag

    def id(self) -> int:
        return self._drag if self._drag else -1

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        """Steps of one drag become one step."""
        if not isinstance(other, _EditCommand) or other._drag != self._drag:
            return False
        self._after = other._after
        self.setText(other.text())
        return True

    def redo(self) -> None:
        self._document._show(self._after)

    def undo(self) -> None:
        self._document._show(self._before)


class Document(QObject):
    """Holds the design; everything shown is computed from it."""

    changed = pyqtSignal(object, object)
    """(workspace, workspace before)"""
    refused = pyqtSignal(str)
    """An edit was not possible, as a sentence."""
    replaced = pyqtSignal()
    """Another project was loaded."""

    def __init__(self, workspace: Workspace, path: Path | None, recovery: RecoveryCopy) -> None:
        super().__init__()
        self.workspace = workspace
        self.path = path
        self.takes: str | None = None
        """Name of the folder of takes that were made before the project had a file."""
        self._digest = digest_of(path)
        self.stack = QUndoStack(self)
        self.stack.setUndoLimit(500)
        self._recovery = recovery
        self._findings: tuple[Workspace, tuple[Finding, ...]] | None = None
        self._drag = 0
        self._is_dragging = False
        self._heard: Mapping[str, Workspace] = {}
        """Other boards that were read again since this was opened."""
        self._autosave = QTimer(self)
        self._autosave.setSingleShot(True)
        self._autosave.setInterval(AUTOSAVE_MS)
        self._autosave.timeout.connect(self._write_recovery)

    @property
    def findings(self) -> tuple[Finding, ...]:
        """Findings of the current design."""
        if self._findings is None or self._findings[0] is not self.workspace:
            self._findings = (self.workspace, find_all(self.workspace))
        return self._findings[1]

    @property
    def is_clean(self) -> bool:
        """Nothing was changed since the last save."""
        return self.stack.isClean()

    def begin_drag(self) -> None:
        """Edits until :meth:`end_drag` become one undo step."""
        self._drag += 1
        self._is_dragging = True

    def end_drag(self) -> None:
        """The mouse was let go."""
        self._is_dragging = False

    def edit(self, edit: Edit) -> bool:
        """Make an edit; an impossible one is reported and changes nothing."""
        try:
            after = with_other_boards(apply_edit(self.workspace, edit))
        except EditError as fault:
            self.refused.emit(str(fault))
            return False
        if after.project == self.workspace.project:
            return False
        drag = self._drag if self._is_dragging else 0
        self.stack.push(_EditCommand(self, edit.label, self.workspace, after, drag))
        return True

    def _show(self, workspace: Workspace) -> None:
        if workspace.others and self._heard:
            # What is undone or done again hears other boards as they are now.
            known = {name: self._heard.get(name, one) for name, one in workspace.others.items()}
            workspace = with_other_boards(workspace.hearing(known))
        before, self.workspace = self.workspace, workspace
        self._autosave.start()
        self.changed.emit(workspace, before)

    def load(self, path: Path) -> None:
        """Replace the document by a file's; raises :class:`WattigramError` and changes nothing when
        it cannot."""
        workspace = open_workspace(path)
        if path.is_dir():
            path = next(iter(sorted(path.glob("*.wattigram.toml"))))
        self.replace(workspace, path)

    def reload(self) -> None:
        """Take over the file as it is now, as one step that can be undone.

        Raises
        ------
        WattigramError
            When it cannot be read; nothing is changed then.
        """
        assert self.path is not None
        digest = digest_of(self.path)
        after = open_workspace(self.path)
        self.stack.push(_EditCommand(self, "Reload from disk", self.workspace, after, 0))
        self._digest = digest
        self.stack.setClean()

    def change_part(self, project: Project, part: Part, label: str) -> None:
        """Take over a project on another part, or on the same one as its file is now, as one step that can
        be undone.

        Raises
        ------
        ProjectError
            When the part cannot hold it; nothing is changed then.
        """
        joined = join_workspace(project, project.part, part)
        after = joined.hearing(self.workspace.others)
        if self.workspace.path is not None:
            after = after.placed(self.workspace.path)
        self.stack.push(_EditCommand(self, label, self.workspace, after, 0))

    def reread_boards(self) -> None:
        """Take over other projects whose boards are wired to this one, as their files are now."""
        after = with_other_boards(self.workspace.hearing({}))
        if after.unread or {name: one.project for name, one in after.others.items()} != {
            name: one.project for name, one in self.workspace.others.items()
        }:
            self._heard = after.others
            before, self.workspace = self.workspace, after
            self.changed.emit(after, before)

    @property
    def on_disk(self) -> OnDisk:
        """Whether the file is still as it was read or written here."""
        if self.path is None or self._digest is None:
            return OnDisk.SAME
        now = digest_of(self.path)
        if now is None:
            return OnDisk.GONE
        return OnDisk.SAME if now == self._digest else OnDisk.CHANGED

    def keep_own(self) -> None:
        """What another program wrote is known, and is overwritten when this is saved."""
        self._digest = digest_of(self.path)
        self.stack.resetClean()

    def replace(self, workspace: Workspace, path: Path | None) -> None:
        """Show another project; the undo stack begins anew."""
        self.path = path
        self.takes = None
        self._digest = digest_of(path)
        self.discard_recovery()
        self._heard = {}
        self.stack.clear()
        before, self.workspace = self.workspace, workspace
        self.changed.emit(workspace, before)
        self.replaced.emit()

    def recover(self, recovered: Recovered) -> None:
        """Take over unsaved work; it counts as changed until it is saved, and is kept for this
        window at once."""
        self.replace(recovered.workspace, recovered.origin)
        self.takes = recovered.takes
        self.stack.resetClean()
        self._write_recovery()

    def save(self, path: Path, overwrite: bool = False) -> None:
        """Write the project, with its own part file beside it where it has one.

        Raises
        ------
        ChangedOnDiskError
            When another program wrote the document's own file meanwhile and ``overwrite`` does not
            say to.
        ProjectError, PartError
            When it cannot be written, or a newer program's file lies there; the old file is kept.
        """
        if path == self.path and not overwrite and self.on_disk is OnDisk.CHANGED:
            raise ChangedOnDiskError(
                "Another program has changed the file since it was read.",
                where=str(path),
                cure="Compare, then reload it or keep yours.",
            )
        check_not_newer(path)
        if self.path is not None and path.parent == self.path.parent:
            save_project(self.workspace.project, path)
            if not (path.parent / self.workspace.project.part).exists():
                save_part_beside(self.workspace.project.part, self.workspace.part, path.parent)
        else:
            save_workspace(self.workspace, path)
        self.path = path
        self.workspace = self.workspace.placed(path)
        self._digest = digest_of(path)
        self.stack.setClean()
        self.discard_recovery()

    def _write_recovery(self) -> None:
        if self.is_clean:
            self.discard_recovery()
            return
        # A recovery copy is a convenience: a full disk must not interrupt work.
        with contextlib.suppress(WattigramError, OSError):
            self._recovery.write(self.workspace, self.path, self.takes)

    def discard_recovery(self) -> None:
        """The work is safe, or was given up."""
        self._autosave.stop()
        self._recovery.discard()

    def flush_recovery(self) -> None:
        """Write the recovery copy now, if there is anything to recover."""
        self._autosave.stop()
        self._write_recovery()

    def close(self) -> None:
        """The window goes: unsaved work is kept and may be offered elsewhere."""
        self.flush_recovery()
        self._recovery.release()


def digest_of(path: Path | None) -> str | None:
    """What tells one content of a file from another; None where there is none to be read."""
    if path is None:
        return None
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest()
    except OSError:
        return None
