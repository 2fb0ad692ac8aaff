"""Project files: load, migrate, save without loss."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from wattigram.core.base.errors import ProjectError
from wattigram.core.base.toml_document import (
    build,
    check_head,
    parse_toml,
    plain_values,
    read_text,
    to_toml,
    write_atomically,
)
from wattigram.core.model.design.project import FORMAT, NEWEST_VERSION, Project


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


MIGRATIONS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: _from_version_1,
    2: _from_version_2,
    3: _from_version_3,
}


def parse_project(text: str, where: str) -> Project:
    """Read a project from text, migrating older versions.

    Raises
    ------
    ProjectError
        With every fault, its path in the file and its cure.
    """
    data = parse_toml(text, where, ProjectError)
    version = check_head(data, FORMAT, NEWEST_VERSION, where, ProjectError)
    while version < NEWEST_VERSION:
        data = MIGRATIONS[version](data)
        version = data["version"]
    return build(Project, data, where, ProjectError)


def load_project(path: Path) -> Project:
    """Read a project file; raises :class:`ProjectError`."""
    return parse_project(read_text(path, ProjectError), str(path))


_OUTPUTS = {"tables", "generators", "pwm", "uarts", "routes"}
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
    """The project as it stands in its file; parsing it gives an equal project."""
    return to_toml(_HEAD | plain_values(project))


def save_project(project: Project, path: Path) -> None:
    """Write the project in one step; raises :class:`ProjectError` and leaves the old file on
    failure."""
    write_atomically(path, project_text(project), ProjectError)


def build_mark(project: Project) -> str:
    """Eight hex digits that change with the design, not with bench, expectations or name."""
    design = project.model_dump(
        mode="json",
        include={
            "part",
            "reference",
            "bus_clock_hz",
            "signals",
            "chains",
            "comparators",
            *_OUTPUTS,
        },
    )
    # A design without outputs keeps the mark that it had before there were any.
    design = {key: value for key, value in design.items() if value or key not in _OUTPUTS}
    canonical = json.dumps(design, sort_keys=True, ensure_ascii=True)
    return hashlib.sha256(canonical.encode()).hexdigest()[:8]
