"""Takes that are numbered by whoever records them: "take 12.h5"."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from wattigram.core.base.errors import TakeError

if TYPE_CHECKING:
    from wattigram.core.capture.take.writer import TakeWriter


MOST_TRIES = 100


def next_take_path(folder: Path) -> Path:
    """A name for the next take: "take 12.h5"."""
    folder.mkdir(parents=True, exist_ok=True)
    numbers = [int(path.stem[5:]) for path in folder.glob("take *.h5") if path.stem[5:].isdigit()]
    return folder / f"take {max(numbers, default=0) + 1}.h5"


def write_numbered(path: Path, write: Callable[[Path], TakeWriter]) -> TakeWriter:
    """Write at ``path``, or at the next number that is free where another program took the name
    since it was chosen."""
    for _ in range(MOST_TRIES):
        try:
            return write(path)
        except TakeError:
            if not os.path.lexists(path):
                raise
            path = next_take_path(path.parent)
    return write(path)
