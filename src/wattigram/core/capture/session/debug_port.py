"""A program behind a debug server: its memory can be looked at while it runs."""

from __future__ import annotations

import time
from pathlib import Path

from wattigram.core.base.errors import LinkError
from wattigram.core.capture.session.address import DEBUGGER
from wattigram.core.capture.transport.debug_client import DebugClient
from wattigram.core.contract.image import Image
from wattigram.core.contract.link import FrameType, encode_frame

IDLE_S = 0.01


class DebuggedPort:
    """Looks like any port. Of a program that knows nothing of streams there is nothing to be had
    but its memory."""

    def __init__(self, client: DebugClient, image: Image) -> None:
        self.name = client.name
        self.debugger = client
        self.image = image
        self._sequence = 0
        self._ticks = 0
        self._out: list[bytes] = []

    def command(self, line: str) -> None:
        """Say what cannot be done."""
        word = line.partition(" ")[0]
        if word == "identify":
            self.debugger.go()
            self._say(
                FrameType.LOG,
                f"{Path(self.image.path).name} is none of this program's firmware: it is only "
                "looked at.",
            )
        elif word == "start":
            self._say(FrameType.REPLY, "stopped")

    def read(self) -> bytes:
        """Frames that are waiting."""
        if not self._out:
            time.sleep(IDLE_S)
        received, self._out = b"".join(self._out), []
        return received

    def close(self) -> None:
        """Let the program go."""
        self.debugger.close()

    def _say(self, kind: FrameType, text: str) -> None:
        self._out.append(
            encode_frame(kind, text.encode(), sequence=self._sequence, ticks=self._ticks)
        )
        self._sequence += 1


def debugger_place(address: str) -> tuple[str, int, Path | None]:
    """Host, port and image of ``gdb:HOST:PORT[,ELF]``; raises :class:`LinkError` for what is
    none."""
    place, _, elf = address.removeprefix(DEBUGGER).partition(",")
    host, _, port = place.rpartition(":")
    if not host or not (port.isascii() and port.isdigit() and 0 < int(port[:6]) < 65536):
        raise LinkError(
            f"“{address}” is no debug server.",
            cure="Write gdb:HOST:PORT, such as gdb:localhost:3333.",
        )
    return host, int(port), Path(elf) if elf else None
