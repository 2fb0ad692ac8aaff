"""``python -m wattigram.core.capture.take.probe TAKE``: reads a take that may be damaged, for a limited time."""

from __future__ import annotations

import resource
import sys
from pathlib import Path

import h5py

from wattigram.core.capture.take.reader import Take
from wattigram.core.capture.take.validation import check_take

LONGEST_S = 3
"""Of processor time, to start and to read everything but samples."""


def look(path: Path) -> None:
    """Read what everybody reads; whatever is raised is raised again where the file is really
    read."""
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))  # a fault leaves no file behind
    resource.setrlimit(
        resource.RLIMIT_CPU, (LONGEST_S, LONGEST_S + 1)
    )  # however busy the machine is
    with h5py.File(path, "r") as file:
        check_take(file, str(path))
        take = Take(path, file)
        for read in (
            lambda: take.workspace,
            lambda: take.history,
            lambda: take.log,
            lambda: (take.events, take.gaps),
        ):
            read()
        for stream in take.streams:
            take.frame_rows(stream)
            take.items(stream, 0, 1)


if __name__ == "__main__":
    try:
        look(Path(sys.argv[1]))
    except Exception:  # told by who asked
        sys.exit(1)
