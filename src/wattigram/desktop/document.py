"""The document: the current design, its undo stack, its file and its recovery copy."""

from __future__ import annotations

import contextlib
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from wattigram.core.design import Workspace, open_workspace, project_text, save_project
from wattigram.core.design.edits import Edit, apply_edit
from wattigram.core.design.workspace import workspace_from_text
from wattigram.core.document import write_atomically
from wattigram.core.errors import EditError, ProjectError, WattigramError
from wattigram.core.findings import Finding, find_all

AUTOSAVE_MS = 2000


class _EditCommand(QUndoCommand):
    """One step of the undo stack: the workspace before and after."""

    def __init__(self, document: Document, edit: Edit, before: Workspace, after: Workspace, drag: int) -> None:
        super().__init__(edit.label)
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

    def __init__(self, workspace: Workspace, path: Path | None, recovery: Path) -> None:
        super().__init__()
        self.workspace = workspace
        self.path = path
        self.stack = QUndoStack(self)
        self.stack.setUndoLimit(500)
        self._recovery = recovery
        self._findings: tuple[Workspace, tuple[Finding, ...]] | None = None
        self._drag = 0
        self._is_dragging = False
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
            after = apply_edit(self.workspace, edit)
        except EditError as fault:
            self.refused.emit(str(fault))
            return False
        if after.project == self.workspace.project:
            return False
        drag = self._drag if self._is_dragging else 0
        self.stack.push(_EditCommand(self, edit, self.workspace, after, drag))
        return True

    def _show(self, workspace: Workspace) -> None:
        before, self.workspace = self.workspace, workspace
        self._autosave.start()
        self.changed.emit(workspace, before)

    def load(self, path: Path) -> None:
        """Replace the document by a file's; raises :class:`WattigramError` and changes nothing when it cannot."""
        workspace = open_workspace(path)
        if path.is_dir():
            path = next(iter(sorted(path.glob("*.wattigram.toml"))))
        self.replace(workspace, path)

    def replace(self, workspace: Workspace, path: Path | None) -> None:
        """Show another project; the undo stack begins anew."""
        self.path = path
        self.stack.clear()
        before, self.workspace = self.workspace, workspace
        self.changed.emit(workspace, before)
        self.replaced.emit()

    def recover(self, workspace: Workspace, origin: Path | None) -> None:
        """Take over unsaved work; it counts as changed until it is saved."""
        self.replace(workspace, origin)
        self.stack.resetClean()

    def save(self, path: Path) -> None:
        """Write the project; raises :class:`ProjectError` and keeps the old file when it cannot."""
        save_project(self.workspace.project, path)
        self.path = path
        self.stack.setClean()
        self.discard_recovery()

    def _write_recovery(self) -> None:
        if self.is_clean:
            self.discard_recovery()
            return
        # A recovery copy is a convenience: a full disk must not interrupt work.
        with contextlib.suppress(WattigramError, OSError):
            self._recovery.parent.mkdir(parents=True, exist_ok=True)
            origin = f"# recovered from: {self.path or ''}\n"
            write_atomically(self._recovery, origin + project_text(self.workspace.project), ProjectError)

    def discard_recovery(self) -> None:
        """The work is safe, or was given up."""
        self._autosave.stop()
        with contextlib.suppress(OSError):
            self._recovery.unlink(missing_ok=True)

    def flush_recovery(self) -> None:
        """Write the recovery copy now, if there is anything to recover."""
        self._autosave.stop()
        self._write_recovery()


def read_recovery(path: Path) -> tuple[Workspace, Path | None] | None:
    """Unsaved work of a session that ended badly, with the file that it belongs to."""
    try:
        text = path.read_text(encoding="utf-8")
        first, _, _rest = text.partition("\n")
        origin = first.removeprefix("# recovered from: ").strip()
        return workspace_from_text(text, str(path)), Path(origin) if origin else None
    except (OSError, UnicodeDecodeError, WattigramError):
        return None
