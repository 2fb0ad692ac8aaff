"""A take has its name only once it can be opened: whenever its writer is killed, what lies there is
a take."""

from __future__ import annotations

import contextlib
import itertools
import os
from pathlib import Path

from wattigram.core.capture.take.disk_space import check_target

_NUMBERS = itertools.count()
"""Two takes that one program begins under the same name do not meet either."""


def temporary_path(path: Path) -> Path:
    """Where a take is begun that will be called ``path``; what killed writers left there is
    removed."""
    for left in path.parent.glob(f".{_escaped(path.name)}.*.new"):
        number = left.name.rsplit(".", 2)[1]
        if number.isdigit() and not Path("/proc", number).exists():
            with contextlib.suppress(OSError):
                left.unlink()
    return path.with_name(f".{path.name}.{next(_NUMBERS)}.{os.getpid()}.new")


def _escaped(name: str) -> str:
    return "".join(f"[{letter}]" if letter in "*?[" else letter for letter in name)


def move_into_place(new: Path, path: Path, overwrite: bool) -> None:
    """Give a take that was begun its name; a take that lies there is replaced only where
    ``overwrite`` says so.

    Raises
    ------
    TakeError
        When something lies there by now.
    OSError
        When the system does not let it be called so.
    """
    if overwrite:
        check_target(path, overwrite)
        new.replace(path)
        return
    try:
        os.link(new, path)
    except FileExistsError:
        check_target(path, overwrite)
        raise
    except OSError:  # a file system without links, such as that of a memory card
        check_target(path, overwrite)
        new.rename(path)
