"""Project files: load, migrate, save without loss."""

from __future__ import annotations

import hashlib
import json
import tomllib
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from wattigram.core.base.errors import ProjectError
from wattigram.core.base.models import lean_values, plain_values
from wattigram.core.base.toml_document import (
    build,
    check_head,
    parse_toml,
    read_text,
    write_atomically,
)
from wattigram.core.base.toml_layout import Origin, layout_of, to_toml
from wattigram.core.model.design.former_program import (
    from_version_4,
    from_version_5,
    in_former_program,
)
from wattigram.core.model.design.former_words import Moves, from_former_words, in_former_words
from wattigram.core.model.design.project import FORMAT, NEWEST_VERSION, Project

FIRST_OF_TODAYS_WORDS = 5
"""Projects of this version and later have the words of today."""


def _from_version_1(data: dict[str, Any]) -> dict[str, Any]:
    """Version 1 had no shift in a mean: it was the logarithm of the count, rounded down."""
    for signal in data.get("signals", []):
        reduce = signal.get("reduce") if isinstance(signal, dict) else None
        if (
            isinstance(reduce, dict)
            and "shift" not in reduce
            and isinstance(reduce.get("count"), int)
        ):
            reduce["shift"] = max(0, reduce["count"].bit_length() - 1)
    return {**data, "version": 2}


def _from_version_2(data: dict[str, Any]) -> dict[str, Any]:
    """Version 2 had one window a signal, twins without limits, and only DMA and two kinds of
    trigger."""
    for signal in _tables(data, "signals"):
        if "window" in signal:
            signal["windows"] = [signal.pop("window")]
        if "twin_of" in signal:
            signal["twin"] = {"of": signal.pop("twin_of")}
    for chain in _tables(data, "chains"):
        trigger, loop = chain.get("trigger"), chain.get("loop")
        if isinstance(trigger, dict):
            trigger["kind"] = "converter" if "follows" in trigger else "timer"
        if isinstance(loop, dict) and "dma" in loop:
            chain["retrieval"] = {"kind": "dma", "channel": loop.pop("dma")}
    return {**data, "version": 3}


def _from_version_3(data: dict[str, Any]) -> dict[str, Any]:
    """Version 3 knew no outputs."""
    return {**data, "version": 4}


def _tables(data: dict[str, Any], key: str) -> list[dict[str, Any]]:
    items = data.get(key, [])
    return [item for item in items if isinstance(item, dict)] if isinstance(items, list) else []


_EARLY: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: _from_version_1,
    2: _from_version_2,
    3: _from_version_3,
}


def _migrated(text: str, where: str) -> tuple[dict[str, Any], Moves, str]:
    """Plain values in today's words, where keys stood before, and the place for sentences."""
    data = parse_toml(text, where, ProjectError)
    version = check_head(data, FORMAT, NEWEST_VERSION, where, ProjectError)
    if version == NEWEST_VERSION:
        return data, {}, where
    where += f" (version {version}, told in the words of version {NEWEST_VERSION})"
    while version in _EARLY:
        data = _EARLY[version](data)
        version = data["version"]
    moves: Moves = {}
    if version < FIRST_OF_TODAYS_WORDS:
        data, moves = from_former_words(from_version_4(data))
    return {**from_version_5(data), "version": NEWEST_VERSION}, moves, where


def parse_project(text: str, where: str) -> Project:
    """Read a project from text, migrating older versions.

    Raises
    ------
    ProjectError
        With every fault, its path in the file and its cure.
    """
    data, _, where = _migrated(text, where)
    project = build(Project, data, where, ProjectError)
    project.with_origin(text)
    return project


@lru_cache(maxsize=4)
def _origin(text: str) -> Origin:
    """How the text that a project was read from is laid out, in today's words."""
    data, moves, where = _migrated(text, "")
    layout = layout_of(text)
    if where:
        # Of an older version: a value that has changed since is not written as it stood.
        same = {
            path
            for path, said in layout.values.items()
            if _is_said(data, moves.get(path, path), said)
        }
        layout = replace(
            layout, values={path: said for path, said in layout.values.items() if path in same}
        )
    values = plain_values(build(Project, data, where, ProjectError))
    return Origin(layout.moved(moves), _HEAD | values)


def _is_said(data: Any, path: tuple[str | int, ...], said: str) -> bool:
    try:
        for step in path:
            data = data[step]
    except (KeyError, IndexError, TypeError):
        return False
    return bool(data == tomllib.loads(f"v = {said}")["v"])


def load_project(path: Path) -> Project:
    """Read a project file; raises :class:`ProjectError`."""
    return parse_project(read_text(path, ProjectError), str(path))


_OUTPUTS = {"tables", "generators", "pwm", "uarts", "routes", "reactions"}
_HEAD = {"format": FORMAT, "version": NEWEST_VERSION}


def check_not_newer(path: Path) -> None:
    """Raise :class:`ProjectError` where a project lies there that a newer program wrote; it is not
    overwritten."""
    try:
        data = parse_toml(read_text(path, ProjectError), str(path), ProjectError)
    except ProjectError:
        return  # nothing there, or nothing of ours
    if data.get("format") == FORMAT:
        check_head(data, FORMAT, NEWEST_VERSION, str(path), ProjectError)


def project_text(project: Project) -> str:
    """The project as it stands in its file; parsing it gives an equal project.

    It is laid out as the text that the project was read from, however often it was edited since: order and
    comments stay.
    """
    origin = _origin(project.origin_text) if project.origin_text else None
    return to_toml(_HEAD | lean_values(project), _HEAD | plain_values(project), origin)


def save_project(project: Project, path: Path) -> None:
    """Write the project in one step; raises :class:`ProjectError` and leaves the old file on
    failure."""
    write_atomically(path, project_text(project), ProjectError)


def build_id(project: Project) -> str:
    """Eight hex digits that change with the design, not with bench, expectations or name."""
    kept = {
        "part",
        "reference",
        "references",
        "bus_clock",
        "signals",
        "chains",
        "comparators",
        *_OUTPUTS,
    }
    design = plain_values(project, with_none=True)
    design = {key: value for key, value in design.items() if key in kept}
    # A design that is as it was keeps the ID that it had: before there were outputs, and before words changed.
    design = {
        key: value for key, value in design.items() if value or key not in {*_OUTPUTS, "references"}
    }
    for generator in design.get("generators", ()):
        if generator.get("reference") is None:
            generator.pop("reference", None)
    design = in_former_program(project, in_former_words(project, design))
    for chain in design["chains"]:
        for key in ("round_cycles", "start_cycles", "gap_cycles"):
            if chain["loop"].get(key) is None:
                chain["loop"].pop(key, None)
    for signal in design["signals"]:
        for key in (
            "quantity",
            "column",
        ):  # what is said of its values is nobody's business on the board
            signal.pop(key, None)
    canonical = json.dumps(design, sort_keys=True, ensure_ascii=True)
    return hashlib.sha256(canonical.encode()).hexdigest()[:8]
