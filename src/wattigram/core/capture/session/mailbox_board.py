"""A board whose firmware leaves its frames in a mailbox in memory, behind a debug server.

What comes is what the firmware sent, with its own ticks; to fetch it, the processor is halted for a
moment each time.
"""

from __future__ import annotations

import time
from collections import deque

from wattigram.core.base.errors import LinkError
from wattigram.core.capture.session.debug_port import DebuggedPort
from wattigram.core.capture.transport.debug_client import DebugClient
from wattigram.core.contract.image import Image
from wattigram.core.contract.link.mailbox import SYMBOL, Mailbox

POLL_S = 0.005
TAKEN_S = 2.0
"""By then firmware has taken a command."""


class MailboxBoard(DebuggedPort):
    """Looks like any port: commands go into the mailbox, frames come out of it."""

    def __init__(self, client: DebugClient, image: Image) -> None:
        super().__init__(client, image)
        self._mailbox = Mailbox(client, image.symbols[SYMBOL][0])
        self._polled_at = 0.0

    def command(self, line: str) -> None:
        """Put a command into the mailbox.

        Raises
        ------
        LinkError
            When firmware takes nothing out of it.
        """
        inbox = deque(line.encode() + b"\n")
        deadline = time.monotonic() + TAKEN_S
        while inbox:
            self._out += self._exchange(inbox)
            if inbox and time.monotonic() > deadline:
                raise LinkError(
                    "The firmware takes no bytes out of its mailbox: its main loop does not run.",
                    cure="Reset the board, or load the image that was given here.",
                )

    def read(self) -> bytes:
        """What has come since the last call."""
        time.sleep(max(0.0, self._polled_at + POLL_S - time.monotonic()))
        self._polled_at = time.monotonic()
        self._out += self._exchange(deque())
        received, self._out = b"".join(self._out), []
        return received

    def _exchange(self, inbox: deque[int]) -> list[bytes]:
        self.debugger.halt()
        try:
            return list(self._mailbox.exchange(inbox))
        finally:
            self.debugger.go()
