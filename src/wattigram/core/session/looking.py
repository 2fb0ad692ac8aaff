"""Looking into the memory of a running image through its debug server."""

from __future__ import annotations

import contextlib

from wattigram.core.errors import LinkError
from wattigram.core.image import Place
from wattigram.core.link.debugger import DebugClient

LOOK_S = 0.2
MOST_BYTES = 1 << 16


class Looker:
    """Reads places again and again; the processor is held only while they are read."""

    def __init__(self, port: int) -> None:
        self._port = port
        self._client: DebugClient | None = None

    def look(self, wanted: tuple[Place, ...]) -> dict[str, bytes]:
        """Bytes of each place, by its name; those that cannot be read are left out.

        Raises
        ------
        LinkError
            When the debug server does not answer.
        """
        if self._client is None:
            self._client = DebugClient("127.0.0.1", self._port)
        client = self._client
        found: dict[str, bytes] = {}
        client.halt()
        try:
            left = MOST_BYTES
            for one in wanted:
                left -= one.size
                if left < 0:
                    break
                with contextlib.suppress(LinkError):
                    found[one.name] = client.read(one.address, one.size)
        finally:
            client.go()
        return found

    def close(self) -> None:
        """Let the processor run, and go."""
        if self._client is not None:
            self._client.close()
            self._client = None
