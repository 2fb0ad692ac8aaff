"""Copies of unsaved work: one for each window, locked while that window lives, kept until somebody
has answered."""

from __future__ import annotations

import contextlib
import fcntl
import itertools
import json
import os
import shutil
import time
from pathlib import Path

import msgspec

from wattigram.core.base.errors import PartError, ProjectError, WattigramError
from wattigram.core.base.toml_document import read_text, write_atomically
from wattigram.core.model.design import Workspace, project_text
from wattigram.core.model.design.workspace_files import with_other_boards, workspace_from_text
from wattigram.core.model.part import Part, parse_part

PROJECT, PART, ABOUT, LOCK = "recovered.wattigram.toml", "part.toml", "about.json", "lock"
_numbers = itertools.count(1)


def copies_folder(state: Path) -> Path:
    """Where the copies of all windows lie."""
    return state / "recovery"


class Recovered(msgspec.Struct, frozen=True):
    """Unsaved work, with the file that it belongs to and the folder of its takes; None where it had
    none yet."""

    workspace: Workspace
    origin: Path | None
    takes: str | None


class RecoveryCopy:
    """The copy of one window. It is made at the first change and goes when the work is saved or
    given up."""

    def __init__(self, folder: Path) -> None:
        stamp = time.strftime("%Y-%m-%d %H-%M-%S")
        self.path = folder / f"{stem_of(stamp)} {os.getpid()}-{next(_numbers)}"
        self._lock: int | None = None

    def write(self, workspace: Workspace, origin: Path | None, takes: str | None) -> None:
        """Keep the work as it is now.

        Raises
        ------
        OSError, ProjectError
            When it cannot be written; what was kept before stays.
        """
        self.path.mkdir(parents=True, exist_ok=True)
        if self._lock is None:
            self._lock = _lock(self.path / LOCK)
        if workspace.project.part.endswith(".toml"):
            write_atomically(self.path / PART, workspace.part.text, PartError)
        about = {
            "project": workspace.project.name,
            "file": str(origin.absolute()) if origin else None,
            "takes": takes,
            "process": os.getpid(),
            "written": time.strftime("%Y-%m-%d %H:%M"),
        }
        write_atomically(self.path / ABOUT, json.dumps(about, indent=1) + "\n", ProjectError)
        write_atomically(self.path / PROJECT, project_text(workspace.project), ProjectError)

    @property
    def exists(self) -> bool:
        """There is something to recover."""
        return (self.path / PROJECT).is_file()

    def discard(self) -> None:
        """The work is safe, or was given up."""
        if self.path.exists():
            shutil.rmtree(self.path, ignore_errors=True)
        self.release()

    def release(self) -> None:
        """The window is gone: what is kept may be offered to others."""
        if self._lock is not None:
            os.close(self._lock)
            self._lock = None


class Abandoned:
    """A copy whose window is no longer there."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._about = _read_about(path / ABOUT)

    @property
    def title(self) -> str:
        """Which project it is of, and when it was kept."""
        name = self._about.get("project") or "A project"
        return f"“{name}”, {self._about.get('written') or 'at an unknown time'}"

    def read(self) -> Recovered:
        """The work in it; raises :class:`WattigramError` where it cannot be read, and it stays
        then."""
        text = read_text(self.path / PROJECT, ProjectError)
        part: Part | None = None
        if (self.path / PART).is_file():
            part = parse_part(read_text(self.path / PART, PartError), str(self.path / PART))
        workspace = workspace_from_text(text, str(self.path / PROJECT), part)
        origin, takes = self._about.get("file"), self._about.get("takes")
        if origin:
            workspace = with_other_boards(workspace.placed(Path(origin)))
        return Recovered(workspace, Path(origin) if origin else None, takes)

    def discard(self) -> None:
        """Nobody wants it."""
        shutil.rmtree(self.path, ignore_errors=True)


def abandoned(state: Path) -> list[Abandoned]:
    """Copies that no living window holds, the newest first."""
    offers = []
    folder = copies_folder(state)
    for path in sorted(folder.iterdir(), reverse=True) if folder.is_dir() else []:
        if (path / PROJECT).is_file() and not _is_held(path / LOCK):
            offers.append(Abandoned(path))
    return offers


def adopt_old_copy(config: Path, state: Path) -> None:
    """Bring the one copy that earlier versions kept for all windows to where it is offered like any
    other."""
    old = config / "recovery.wattigram.toml"
    with contextlib.suppress(OSError, WattigramError, UnicodeDecodeError):
        text = old.read_text(encoding="utf-8")
        origin = text.partition("\n")[0].removeprefix("# recovered from: ").strip()
        path = copies_folder(state) / f"{stem_of(time.strftime('%Y-%m-%d %H-%M-%S'))} old"
        path.mkdir(parents=True, exist_ok=True)
        about = {
            "project": "",
            "file": origin or None,
            "takes": None,
            "written": "by an earlier version",
        }
        (path / ABOUT).write_text(json.dumps(about), encoding="utf-8")
        os.replace(old, path / PROJECT)


def stem_of(stamp: str) -> str:
    """Beginning of a copy's name, by which copies are in order of time."""
    return f"copy {stamp}"


def _lock(path: Path) -> int | None:
    """Hold a file as long as this process lives; None on a disk that knows no locks."""
    descriptor = os.open(path, os.O_CREAT | os.O_RDWR, 0o600)
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(descriptor)
        return None
    return descriptor


def _is_held(path: Path) -> bool:
    """Whether a living process holds a file."""
    try:
        descriptor = os.open(path, os.O_RDWR)
    except OSError:
        return False
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return True
    finally:
        os.close(descriptor)
    return False


def _read_about(path: Path) -> dict[str, str | None]:
    try:
        about = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    if not isinstance(about, dict):
        return {}
    return {str(key): value for key, value in about.items() if isinstance(value, str)}
