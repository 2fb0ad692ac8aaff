"""Parts that come with the program, and an engineer's own beside the project."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from wattigram.core.errors import PartError
from wattigram.core.part.model import Part, load_part

FOLDER = Path(__file__).parent / "catalogue"


@cache
def list_parts() -> tuple[Part, ...]:
    """All parts that come with the program, by name."""
    return tuple(sorted((load_part(path) for path in FOLDER.glob("*.toml")), key=lambda part: part.name))


@cache
def _shipped(identifier: str) -> Part | None:
    path = FOLDER / f"{identifier}.toml"
    return load_part(path) if path.parent == FOLDER and path.is_file() else None


def find_part(identifier: str, beside: Path | None = None) -> Part:
    """The part of that id, or the part file of that name in the folder ``beside``.

    Raises
    ------
    PartError
        When there is none; the known ids are named.
    """
    if identifier.endswith(".toml"):
        if beside is None or Path(identifier).name != identifier:
            raise PartError(
                f"The part file “{identifier}” cannot be used here.",
                where="part",
                cure="Put it into the project's own folder and give its bare name.",
            )
        return load_part(beside / identifier)
    part = _shipped(identifier) if identifier.replace("-", "").isalnum() else None
    if part is None:
        known = ", ".join(sorted(path.stem for path in FOLDER.glob("*.toml")))
        raise PartError(f"No part has the id “{identifier[:60]}”.", where="part", cure=f"Known ids: {known}.")
    return part
