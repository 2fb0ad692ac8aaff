"""Workspaces from files and from texts: a project, its part, and the other boards that its bench names."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from pathlib import Path

import msgspec

from wattigram.core.base.errors import ProjectError, WattigramError
from wattigram.core.base.models import StrictModel, json_of, model_of_json
from wattigram.core.base.validation import ModelError
from wattigram.core.model.bench import BoardSource
from wattigram.core.model.design.project import Project
from wattigram.core.model.design.project_file import (
    load_project,
    parse_project,
    project_text,
    save_project,
)
from wattigram.core.model.design.workspace import Workspace, heard_back, join_workspace
from wattigram.core.model.part import Part, find_part, parse_part, save_part_beside

MOST_BESIDE = 40
"""Projects of a folder that are offered as other boards."""


def open_workspace(path: Path) -> Workspace:
    """Load a project file with its part; a folder stands for the one ``.toml`` project in it.

    Raises :class:`ProjectError` where it is none, or a folder has none or several.
    """
    if path.is_dir():
        candidates = sorted(path.glob("*.wattigram.toml"))
        if len(candidates) != 1:
            raise ProjectError(
                f"The folder holds {len(candidates)} projects (*.wattigram.toml).",
                where=str(path),
                cure="Name the file itself.",
            )
        path = candidates[0]
    return _opened(path, ())


def _opened(path: Path, opening: tuple[str, ...]) -> Workspace:
    project = load_project(path)
    workspace = join_workspace(project, str(path), find_part(project.part, path.parent))
    return with_other_boards(workspace.placed(path), opening)


def with_other_boards(workspace: Workspace, opening: tuple[str, ...] = ()) -> Workspace:
    """With the other projects that the bench names, from the folder of the project; those known already
    stay. One that cannot be read is noted: the design is none the worse for it.

    ``opening`` are files that are being read besides its own. Of two boards that hear each other the
    second knows the first as its caller; a larger circle is not followed round, nor one of pins both ways,
    which would have to be known before they are.
    """
    others, unread = dict(workspace.others), {}
    path = workspace.path
    opening = opening if path is None else (*opening, path.name)
    for name in other_projects(workspace.project):
        if name in others:
            continue
        if name in opening:
            caller = _caller(path, name) if opening[-2:-1] == (name,) else None
            if caller is not None and not _pins_both_ways(workspace, caller, name):
                others[name] = caller
                continue
            unread[name] = f"{name} hears this board in turn; of them only one can be run first"
            continue
        if path is None:
            unread[name] = f"{name} is looked for beside this project, which is no file yet"
            continue
        try:
            others[name] = _opened(path.parent / name, opening)
        except WattigramError as fault:
            unread[name] = f"{name} cannot be read: {fault.message.removesuffix('.')}"
    if (others, unread) == (workspace.others, workspace.unread):
        return workspace
    known = heard_back(others, workspace.project, workspace.part)
    return Workspace(workspace.project, workspace.part, known, unread, path, workspace.is_caller)


def _caller(path: Path | None, name: str) -> Workspace | None:
    """A project that hears the one at ``path``, by itself."""
    assert path is not None
    with contextlib.suppress(WattigramError):
        project = load_project(path.parent / name)
        part = find_part(project.part, path.parent)
        alone = join_workspace(project, str(path.parent / name), part)
        return Workspace(alone.project, alone.part, {}, {}, path.parent / name, True)
    return None


def _pins_both_ways(workspace: Workspace, caller: Workspace, name: str) -> bool:
    """Each of two boards looks at a voltage of the other."""
    assert workspace.path is not None
    return _looks_at(workspace, name) and _looks_at(caller, workspace.path.name)


def _looks_at(workspace: Workspace, other: str) -> bool:
    receiving = {pin for group in workspace.part.uarts for pin in group.receive_pins.values()}
    return any(
        isinstance(wiring.source, BoardSource)
        and wiring.source.project == other
        and wiring.pin not in receiving
        for wiring in workspace.project.bench
    )


def projects_beside(workspace: Workspace) -> dict[str, Workspace]:
    """Other projects in the folder of this one that can be read, by the names of their files; those
    that are wired to it in any case."""
    found = dict(workspace.others)
    own = workspace.path
    beside = sorted(own.parent.glob("*.wattigram.toml")) if own is not None else []
    for path in beside[:MOST_BESIDE]:
        if path.name in found or (own is not None and path.name == own.name):
            continue
        with contextlib.suppress(WattigramError):
            project = load_project(path)
            part = find_part(project.part, path.parent)
            found[path.name] = join_workspace(project, str(path), part)
    return found


def other_projects(project: Project) -> tuple[str, ...]:
    """Files of other projects whose boards are wired to this one."""
    named = [
        wiring.source.project for wiring in project.bench if isinstance(wiring.source, BoardSource)
    ]
    return tuple(dict.fromkeys(named))


class BoardText(StrictModel):
    """Another project as a take carries it: its text, that of its part, and the boards that it hears."""

    project: str
    part: str = ""
    others: dict[str, BoardText] = msgspec.field(default_factory=dict)
    is_caller: bool = False


class _BoardTexts(StrictModel):
    boards: dict[str, BoardText]


def board_texts(workspace: Workspace) -> dict[str, BoardText]:
    """The other projects of a workspace, as texts."""
    return {
        name: BoardText(
            project=project_text(other.project),
            part=other.part.text,
            others=board_texts(other),
            is_caller=other.is_caller,
        )
        for name, other in workspace.others.items()
        if name in other_projects(workspace.project)
    }


def boards_as_json(workspace: Workspace) -> str:
    """The same as JSON; "" where there are none."""
    texts = board_texts(workspace)
    return json_of(_BoardTexts(boards=texts)) if texts else ""


def boards_from_json(text: str, where: str) -> dict[str, Workspace]:
    """Other boards as a take carries them.

    Raises
    ------
    PartError, ProjectError
        When it is no such JSON, one of them is no project, or its part is unknown.
    """
    if not text:
        return {}
    try:
        texts = model_of_json(_BoardTexts, text)
    except (ModelError, RecursionError) as fault:
        why = fault.first.text if isinstance(fault, ModelError) else "it is nested without end"
        raise ProjectError(
            f"It does not say what boards were wired to this one: {why}.", where=where
        ) from fault
    return boards_from_texts(texts.boards, where)


def boards_from_texts(texts: Mapping[str, BoardText], where: str) -> dict[str, Workspace]:
    """The same back from texts.

    Raises
    ------
    PartError, ProjectError
        When one of them is no project, or its part is unknown.
    """
    boards = {}
    for name, text in texts.items():
        part = parse_part(text.part, f"{where}: part of {name}") if text.part else None
        others = boards_from_texts(text.others, where)
        made = workspace_from_text(text.project, f"{where}: {name}", part, others)
        boards[name] = Workspace(
            made.project, made.part, made.others, made.unread, made.path, text.is_caller
        )
    return boards


def workspace_from_text(
    text: str,
    where: str,
    part: Part | None = None,
    others: Mapping[str, Workspace] | None = None,
) -> Workspace:
    """A workspace from a project's text, as a take carries it; ``part`` and ``others`` where it carries
    those too.

    Raises
    ------
    PartError, ProjectError
        When the text is no project, or its part is unknown or cannot do what it names.
    """
    project = parse_project(text, where)
    workspace = join_workspace(
        project, where, part if part is not None else find_part(project.part)
    )
    return Workspace(workspace.project, workspace.part, others or {})


def save_workspace(workspace: Workspace, path: Path) -> None:
    """Write the project, and beside it the part file and the other projects that it names where none
    lie there yet.

    Raises
    ------
    ProjectError, PartError
        When one of them cannot be written, or another part lies there under that name; nothing is
        changed then.
    """
    save_part_beside(workspace.project.part, workspace.part, path.parent)
    for name, other in workspace.others.items():
        beside = path.parent / name
        if name in other_projects(workspace.project) and not beside.exists():
            save_workspace(other, beside)
    save_project(workspace.project, path)
