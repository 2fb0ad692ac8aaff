"""Opening files that may be damaged so that the HDF5 library never ends with them.

Some damage lets the library loop or fault, and no exception comes of that. A file that is not as
long as it says it is
was cut, lengthened or left by a killed program; another process looks at it first, for a limited
time.
"""

from __future__ import annotations

import resource
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

import h5py

from wattigram.core.base.errors import TakeError

SIGNATURE = b"\x89HDF\r\n\x1a\n"
LONGEST_S = 3
"""Of processor time, for another process to start and to read everything but samples."""
STUCK_S = 120.0
"""After which a disk is taken to give no answer."""
DAMAGED = "Choose another take, or a copy from before the damage."


def stored_end(head: bytes) -> int:
    """Where an HDF5 file says that it ends, from its superblock (HDF5 file format specification,
    II.A)."""
    place = 40 if head[8] < 2 else 28
    return int.from_bytes(head[place : place + 8], "little")


def open_file(path: Path) -> Any:
    """The HDF5 file at ``path``, to be read.

    Raises
    ------
    TakeError
        When reading it makes the library loop or fault.
    OSError, RuntimeError, ValueError
        What the library raises.
    """
    if "\0" not in str(path) and path.is_file():
        with path.open("rb") as stream:
            head = stream.read(64)
        if (
            len(head) == 64
            and head.startswith(SIGNATURE)
            and stored_end(head) != path.stat().st_size
        ):
            _try_out(path)
    return h5py.File(path, "r")


def _try_out(path: Path) -> None:
    command = [sys.executable, "-m", __name__, str(path.absolute())]
    try:
        done = subprocess.run(
            command, timeout=STUCK_S, stdin=subprocess.DEVNULL, capture_output=True, check=False
        )
    except subprocess.TimeoutExpired:
        raise TakeError(
            f"Reading the take does not end within {STUCK_S:g} s.", where=str(path), cure=DAMAGED
        ) from None
    if done.returncode < 0:
        what = (
            "does not end"
            if -done.returncode in {signal.SIGXCPU, signal.SIGKILL}
            else "makes the HDF5 library fail"
        )
        raise TakeError(f"The take is damaged: reading it {what}.", where=str(path), cure=DAMAGED)


def _look(path: Path) -> None:
    """Read what everybody reads; whatever is raised is raised again where the file is really
    read."""
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))  # a fault leaves no file behind
    resource.setrlimit(
        resource.RLIMIT_CPU, (LONGEST_S, LONGEST_S + 1)
    )  # however busy the machine is
    from wattigram.core.capture.take.reader import Take
    from wattigram.core.capture.take.validation import check_take

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
        _look(Path(sys.argv[1]))
    except Exception:  # told by who asked
        sys.exit(1)
