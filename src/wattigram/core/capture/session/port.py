"""Opening whatever an address names."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from wattigram.core.capture.session.address import DEBUGGER, ROWS
from wattigram.core.capture.transport import Transport, open_transport
from wattigram.core.model.design import Workspace

if TYPE_CHECKING:
    from wattigram.core.capture.session.debug_port import DebuggedPort
    from wattigram.core.capture.session.rows_board import RowsBoard
    from wattigram.core.capture.transport.debug_client import DebugClient

    Port = Transport | DebuggedPort | RowsBoard

WAIT_S = 0.02


def open_port(
    workspace: Workspace,
    address: str,
    elf: Path | None = None,
    *,
    wait_s: float = WAIT_S,
    looks_only: bool = False,
) -> Port:
    """A serial port, a socket, a debug server, or rows of other firmware; ``elf`` and ``looks_only`` as for a debug server.

    Raises
    ------
    LinkError, FirmwareError
        When nobody answers there, or the image does not fit.
    """
    if address.startswith(DEBUGGER):
        from wattigram.core.capture.session.polled_board import open_debugged  # late: few need it

        return open_debugged(workspace, address, elf, looks_only=looks_only)
    if address.startswith(ROWS):
        from wattigram.core.capture.session.rows_board import open_rows  # late: few need it

        return open_rows(workspace, address)
    return open_transport(address, timeout_s=wait_s)


def debugger_of(port: Port) -> DebugClient | None:
    """The debug server that a port talks through, where it does."""
    return None if isinstance(port, Transport) else port.debugger
