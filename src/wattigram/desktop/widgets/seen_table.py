"""What a drawing shows, as a table of words: for those who do not see it, and for copying."""

from __future__ import annotations

from typing import Protocol, runtime_checkable

import msgspec


class SeenTable(msgspec.Struct, frozen=True):
    """One drawing in words.

    Attributes
    ----------
    title : str
        What the drawing is called on its page.
    head : tuple of str
        Names of the columns, with units where every row has the same.
    rows : tuple of tuple of str
        As long as ``head`` each.
    """

    title: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]

    @property
    def text(self) -> str:
        """Tab-separated, head first."""
        return "\n".join("\t".join(row) for row in (self.head, *self.rows))


@runtime_checkable
class Drawn(Protocol):
    """A page, or a part of one, that says in words what it draws."""

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """What it shows now."""


def one_line(lines: tuple[str, ...]) -> str:
    """Lines of a cell beside each other; what stands apart within a line is parted alike."""
    return " · ".join(line.replace("   ", " · ") for line in lines if line)
