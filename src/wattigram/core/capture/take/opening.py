"""Opening files that may be damaged so that the HDF5 library never ends with them.

Some damage lets the library loop or fault, and no exception comes of that. A file that is not as
long as it says it is
was cut, lengthened or left by a killed program; another process looks at it first, for a limited
time.
"""

from __future__ import annotations

import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

import h5py

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.take.layout import FORMAT

SIGNATURE = b"\x89HDF\r\n\x1a\n"
PROBE = "wattigram.core.capture.take.probe"
"""The program that looks."""
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
    command = [sys.executable, "-m", PROBE, str(path.absolute())]
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


def is_take(path: Path) -> bool:
    """Whether a file is a take, be it whole or not finished."""
    try:
        with open_file(path) as file:
            return bool(file.attrs.get("format") == FORMAT)
    except (OSError, RuntimeError, ValueError, KeyError, TakeError):
        return False
