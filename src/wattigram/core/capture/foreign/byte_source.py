"""Where the bytes of other firmware come from: a serial port, a TCP port, a pipe, a file or standard input."""

from __future__ import annotations

import os
import select
import stat
import time
from collections.abc import Callable
from pathlib import Path

from wattigram.core.base.errors import LinkError
from wattigram.core.base.foreign import visible_text
from wattigram.core.capture.transport import Transport, open_transport

READ_BYTES = 1 << 16
WAIT_S = 0.05


class ByteSource:
    """An open source; close it, or use it in a ``with`` statement."""

    def __init__(
        self,
        name: str,
        read: Callable[[], bytes | None],
        close: Callable[[], None],
        is_live: bool = True,
        again: Callable[[], None] = lambda: None,
    ) -> None:
        """What ``is_live`` goes on whether somebody reads it or not; ``again`` goes back to the beginning of a file."""
        self.name, self.is_live, self.again = name, is_live, again
        self._read, self._close = read, close

    def __enter__(self) -> ByteSource:
        return self

    def __exit__(self, *_fault: object) -> None:
        self.close()

    def read(self) -> bytes | None:
        """What has come within a moment, perhaps nothing; None at the end."""
        return self._read()

    @staticmethod
    def wait() -> None:
        """Let a moment pass."""
        time.sleep(WAIT_S)

    def close(self) -> None:
        """Let it go."""
        self._close()


def open_source(address: str) -> ByteSource:
    """Open ``serial:DEV@BAUD``, ``tcp:HOST:PORT``, ``-`` for standard input, or the path of a pipe or a file.

    Raises
    ------
    LinkError
        When nothing is there.
    """
    if address.startswith(("serial:", "tcp:")):
        return _of_transport(open_transport(address), address)
    if address == "-":
        return _of_file(0, "standard input", lambda: None)
    path = Path(address)
    try:
        descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except (OSError, ValueError) as fault:
        raise _unreadable(address, getattr(fault, "strerror", None) or str(fault)) from fault
    if stat.S_ISDIR(os.fstat(descriptor).st_mode):
        os.close(descriptor)
        raise _unreadable(address, "it is a folder")
    return _of_file(descriptor, address, lambda: os.close(descriptor))


def _unreadable(address: str, reason: str) -> LinkError:
    return LinkError(
        f"{visible_text(address)} cannot be read: {reason}.",
        cure="Give serial:DEV@BAUD, tcp:HOST:PORT, - for standard input, or a pipe or a file.",
    )


def _of_transport(transport: Transport, address: str) -> ByteSource:
    def read() -> bytes | None:
        try:
            return transport.read()
        except LinkError:
            return None  # the other side is through

    return ByteSource(address, read, transport.close)


def _of_file(descriptor: int, name: str, close: Callable[[], None]) -> ByteSource:
    mode = os.fstat(descriptor).st_mode
    is_plain, is_pipe = stat.S_ISREG(mode), stat.S_ISFIFO(mode)
    has_come = False

    def read() -> bytes | None:
        nonlocal has_come
        if not is_plain and not select.select([descriptor], [], [], WAIT_S)[0]:
            return b""
        try:
            data = os.read(descriptor, READ_BYTES)
        except BlockingIOError:
            return b""
        if not data and is_pipe and descriptor and not has_come:
            time.sleep(WAIT_S)  # nobody writes into it yet
            return b""
        has_come = True
        return data or None

    def again() -> None:
        if is_plain:
            os.lseek(descriptor, 0, os.SEEK_SET)

    return ByteSource(name, read, close, is_live=False, again=again)
