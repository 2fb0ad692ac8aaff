"""A part that is being described in its window: the draft, its undo stack, its file, and the register
description beside it."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from wattigram.core.base.errors import WattigramError
from wattigram.core.model.part.sheet.draft import PartDraft, Steps
from wattigram.core.model.part.sheet.sufficiency import Use, uses
from wattigram.core.model.part.svd import SvdDescription, read_svd


class _DraftCommand(QUndoCommand):
    def __init__(
        self, document: PartDocument, label: str, before: PartDraft, after: PartDraft, at: Steps
    ) -> None:
        super().__init__(label)
        self._document, self._before, self._after, self._at = document, before, after, at

    def redo(self) -> None:
        self._document._show(self._after, self._at)

    def undo(self) -> None:
        self._document._show(self._before, self._at)


class PartDocument(QObject):
    """Holds the draft; everything shown is computed from it."""

    changed = pyqtSignal(object)
    """Steps of the fact that has changed; none of them where it is more than one."""
    refused = pyqtSignal(str)
    described = pyqtSignal()
    """A register description was read."""

    def __init__(self, draft: PartDraft, path: Path | None) -> None:
        super().__init__()
        self.draft = draft
        self.path = path
        self.description: SvdDescription | None = None
        self.stack = QUndoStack(self)
        self._uses: tuple[PartDraft, tuple[Use, ...]] | None = None

    @property
    def uses(self) -> tuple[Use, ...]:
        """What the draft suffices for."""
        if self._uses is None or self._uses[0] is not self.draft:
            self._uses = (self.draft, uses(self.draft))
        return self._uses[1]

    @property
    def is_clean(self) -> bool:
        """Nothing was changed since the last save."""
        return self.stack.isClean() and self.path is not None

    def edit(self, label: str, draft: PartDraft, at: Steps = ()) -> None:
        """Put another draft in the place of this one, as a step that can be taken back."""
        if draft.values != self.draft.values:
            self.stack.push(_DraftCommand(self, label, self.draft, draft, at))

    def _show(self, draft: PartDraft, at: Steps) -> None:
        self.draft = draft
        self.changed.emit(at)

    def save(self, path: Path) -> bool:
        """Write the file; says so where it cannot be written."""
        try:
            self.draft = self.draft.save(path)
        except WattigramError as fault:
            self.refused.emit(str(fault))
            return False
        self.path = path
        self.stack.setClean()
        self.changed.emit(())
        return True

    def read_description(self, path: Path) -> bool:
        """Read a register description; says so where it cannot be read."""
        try:
            self.description = read_svd(path)
        except WattigramError as fault:
            self.refused.emit(str(fault))
            return False
        self.described.emit()
        return True
