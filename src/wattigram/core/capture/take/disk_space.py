"""Room for a take on its disk: looked at before it begins and all the time while it grows."""

from __future__ import annotations

import contextlib
import os
import resource
from pathlib import Path

from wattigram.core.base.errors import TakeError
from wattigram.core.base.quantity import format_si
from wattigram.core.capture.take.opening import is_take

MARGIN_BYTES = 8 << 20
"""A take ends before less than this is left: its lists and its end still have to be written."""
RESERVE_BYTES = 4 << 20
"""Held for the case that somebody else fills the disk meanwhile, or a quota ends where the disk
does not."""


class DiskSpace:
    """How much a file may still grow, and a reserve that is given back when there is none left."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._folder = path.parent
        self._reserve: int | None = None

    def left_bytes(self, size_bytes: int) -> int:
        """Bytes that a file of ``size_bytes`` may still grow by: room on the disk, and the limit on
        one file's size."""
        disk = os.statvfs(self._folder)
        left = disk.f_bavail * disk.f_frsize
        limit, _hard = resource.getrlimit(resource.RLIMIT_FSIZE)
        return left if limit == resource.RLIM_INFINITY else min(left, limit - size_bytes)

    def require(self, size_bytes: int) -> None:
        """Raise :class:`TakeError` where too little is left for a file of ``size_bytes`` to go
        on."""
        left = self.left_bytes(size_bytes)
        if left < MARGIN_BYTES:
            raise TakeError(
                f"The disk is full: {format_si(max(0, left), 'B')} are left in {self._folder}, "
                f"and {format_si(MARGIN_BYTES, 'B')} "
                "are kept for the end of a take.",
                where=str(self._path),
                cure="Make room there, or record somewhere else.",
            )

    def hold(self) -> None:
        """Set the reserve aside, as a file without a name; a disk that knows no such files goes
        without."""
        with contextlib.suppress(OSError):
            descriptor = os.open(self._folder, os.O_TMPFILE | os.O_RDWR, 0o600)
            self._reserve = descriptor
            os.posix_fallocate(descriptor, 0, RESERVE_BYTES)

    def give_back(self) -> None:
        """Let the reserve go."""
        if self._reserve is not None:
            os.close(self._reserve)
            self._reserve = None


def check_target(path: Path, overwrite: bool) -> None:
    """See that a take may be written to ``path``: nothing lies there, or a take does and may be
    replaced.

    Raises
    ------
    TakeError
        When something lies there that is no take, or a take and ``overwrite`` is false.
    """

    if not os.path.lexists(path):
        return
    if not is_take(path):
        raise TakeError(
            "There is a file of that name, and it is no take: it is not overwritten.",
            where=str(path),
            cure="Choose another name.",
        )
    if not overwrite:
        raise TakeError(
            "There is a take of that name already.",
            where=str(path),
            cure="Choose another name, or say --force to replace it.",
        )
