"""Looking into the memory of a running image through its debug server."""

from __future__ import annotations

import contextlib

from wattigram.core.base.errors import LinkError
from wattigram.core.capture.transport.debug_client import DebugClient
from wattigram.core.contract.image import MemoryLocation

LOOK_S = 0.2
MOST_BYTES = 1 << 16


def read_memory(client: DebugClient, wanted: tuple[MemoryLocation, ...]) -> dict[str, bytes]:
    """Bytes of each place, by its name; those that cannot be read are left out.

    The processor is held only while they are read.

    Raises
    ------
    LinkError
        When the debug server does not answer.
    """
    contents: dict[str, bytes] = {}
    client.halt()
    try:
        left = MOST_BYTES
        for location in wanted:
            left -= location.size
            if left < 0:
                break
            with contextlib.suppress(LinkError):
                contents[location.name] = client.read(location.address, location.size)
    finally:
        client.go()
    return contents
