"""An engineer's own parts, in a folder of their own."""

from __future__ import annotations

from pathlib import Path

import msgspec

from wattigram.core.base.errors import PartError
from wattigram.core.base.user_folders import data_folder
from wattigram.core.model.part.sheet.draft import load_draft
from wattigram.core.model.part.sheet.sufficiency import uses

MOST_LISTED = 40


class OwnPart(msgspec.Struct, frozen=True):
    """A part file of one's own, as a list shows it."""

    path: Path
    name: str
    summary: str
    suffices: tuple[str, ...]
    """What it can be used for: design, proof, C; nothing while too much is missing."""

    @property
    def text(self) -> str:
        """What it is, and what it suffices for."""
        if not self.suffices:
            return "your own · not yet enough for a design"
        good_for = " and ".join(self.suffices[:2]) if len(self.suffices) < 3 else "design, proof, C"
        return f"your own · {good_for}" + (f" · {self.summary}" if self.summary else "")


def parts_folder() -> Path:
    """Where parts of one's own are kept unless they are beside a project."""
    return data_folder() / "parts"


def own_parts(folder: Path | None = None) -> tuple[OwnPart, ...]:
    """The parts in a folder, the usual one where none is named, by their names; files that are none are
    left out."""
    place = folder or parts_folder()
    found = []
    for path in sorted(place.glob("*.toml"))[:MOST_LISTED] if place.is_dir() else ():
        try:
            draft = load_draft(path)
        except PartError:
            continue
        good_for = tuple(use.name for use in uses(draft) if use.suffices)
        summary = str(draft.get(("summary",)) or "")
        found.append(OwnPart(path, draft.name or path.stem, summary, good_for))
    return tuple(sorted(found, key=lambda one: one.name.casefold()))
