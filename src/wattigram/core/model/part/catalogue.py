"""Parts that come with the program, and an engineer's own beside the project."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import msgspec

from wattigram.core.base.errors import PartError
from wattigram.core.base.toml_document import parse_toml, read_text, write_atomically
from wattigram.core.model.part.model import Part, load_part, parse_part

FOLDER = Path(__file__).parent / "catalogue"


class CatalogueEntry(msgspec.Struct, frozen=True):
    """A part that comes with the program, as a list shows it."""

    id: str
    name: str
    summary: str


@cache
def list_parts() -> tuple[CatalogueEntry, ...]:
    """All parts that come with the program, by name.

    Only the heads of their files are read: what stands before the first table.
    """
    entries = []
    for path in FOLDER.glob("*.toml"):
        head = parse_toml(read_text(path, PartError).partition("\n[")[0], str(path), PartError)
        entries.append(CatalogueEntry(head["id"], head["name"], head["summary"]))
    return tuple(sorted(entries, key=lambda entry: entry.name))


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
        raise PartError(
            f"No part has the id “{identifier[:60]}”.", where="part", cure=f"Known ids: {known}."
        )
    return part


def save_part_beside(identifier: str, part: Part, folder: Path) -> None:
    """Put an engineer's own part file where a project that names it is saved; a part of the
    catalogue needs none.

    Raises
    ------
    PartError
        When it cannot be written, or another part lies there under that name.
    """
    if not identifier.endswith(".toml") or not part.text:
        return
    target = folder / identifier
    if not target.exists():
        write_atomically(target, part.text, PartError)
    elif read_text(target, PartError) != part.text and load_part(target) != part:
        raise PartError(
            f"Another part lies beside it under the name “{identifier}”, so the project would "
            "mean something else.",
            where=str(target),
            cure="Save into another folder, or rename one of the part files.",
        )


def copy_part(identifier: str, path: Path, name: str) -> Part:
    """Write a copy of a shipped part as a start for one's own, comments included, under another
    name and id.

    Raises
    ------
    PartError
        When there is no such part, the file exists already, or the name gives no id.
    """
    part = find_part(identifier)
    if path.suffix != ".toml":
        raise PartError(
            f"“{path.name}” is no name for a part file.", where=str(path), cure="End it with .toml."
        )
    if path.exists():
        raise PartError(
            "There is a file of that name already.", where=str(path), cure="Choose another name."
        )
    fresh_id = "-".join(
        "".join(letter if letter.isalnum() else " " for letter in name.lower()).split()
    )
    source = FOLDER / f"{part.id}.toml"
    text = read_text(source, PartError)
    body = text[text.index("format =") :]
    quoted = name.replace("\\", "").replace('"', "")
    body = body.replace(f'id = "{part.id}"', f'id = "{fresh_id}"', 1)
    body = body.replace(f'name = "{part.name}"', f'name = "{quoted}"', 1)
    text = f"# {quoted}: made from {part.name}. Change each figure to the data sheet's; docs/part-format.md says what each means.\n"
    copied = parse_part(text + body, str(path))
    write_atomically(path, text + body, PartError)
    return copied
