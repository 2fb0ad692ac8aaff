"""Ports: serial devices and ptys, TCP sockets, all read through pyserial."""

from __future__ import annotations

from typing import Any

import msgspec

from wattigram.core.base.errors import LinkError
from wattigram.core.contract.link.link_key import COMMAND, read_key

DEFAULT_BAUD = 115_200


class Transport(msgspec.Struct):
    """An open port. ``read`` waits at most ``timeout_s`` and returns what is there."""

    port: Any
    name: str
    largest_read: int = 1 << 20

    def read(self) -> bytes:
        """Bytes that have come, perhaps none; raises :class:`LinkError` when the port is gone."""
        try:
            waiting = self.port.in_waiting
            return bytes(self.port.read(min(max(1, waiting), self.largest_read)))
        except (OSError, TypeError) as fault:
            raise LinkError(
                f"{self.name} is gone: {fault}.", cure="Plug the board in again and connect anew."
            ) from fault

    def write(self, data: bytes) -> None:
        """Send all of ``data``; raises :class:`LinkError` when the port is gone."""
        try:
            self.port.write(data)
        except OSError as fault:
            raise LinkError(
                f"{self.name} is gone: {fault}.", cure="Plug the board in again and connect anew."
            ) from fault

    def command(self, line: str) -> None:
        """Send one command line."""
        self.write(line.encode() + b"\n")

    def close(self) -> None:
        """Close the port; closing twice does nothing."""
        self.port.close()


class _SocketPort:
    """A TCP socket with the few calls of a serial port, so that large reads stay whole."""

    def __init__(self, host: str, port: int, timeout_s: float) -> None:
        import socket

        self._socket = socket.create_connection((host, port), timeout=5)
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._socket.settimeout(timeout_s)
        self.in_waiting = 1 << 18

    def read(self, size: int) -> bytes:
        try:
            data = self._socket.recv(size)
        except TimeoutError:
            return b""
        if not data:
            raise OSError("the other side closed the connection")
        return data

    def write(self, data: bytes) -> None:
        self._socket.settimeout(5)
        try:
            self._socket.sendall(data)
        finally:
            self._socket.settimeout(self._timeout_after)

    _timeout_after = 0.02

    def close(self) -> None:
        self._socket.close()


def open_transport(address: str, timeout_s: float = 0.02) -> Transport:
    """Open ``serial:DEV@BAUD`` or ``tcp:HOST:PORT``.

    A virtual board over TCP obeys whoever has its key: from the address, ``tcp:HOST:PORT#KEY``, or
    from the file that
    it leaves for programs of the same user. Boards that have none are not asked for one.

    Raises
    ------
    LinkError
        When the address makes no sense or nobody answers there.
    """
    scheme, _, rest = address.partition(":")
    if scheme == "serial" and rest:
        return _open_serial(rest, timeout_s)
    if scheme == "tcp" and rest:
        rest, _, key = rest.partition("#")
        address = f"tcp:{rest}"
        host, _, port = rest.rpartition(":")
        if not host or not (port.isascii() and port.isdigit() and 0 < int(port[:6]) < 65536):
            raise LinkError(
                f"“{address}” has no port number.",
                cure="Write tcp:HOST:PORT, such as tcp:127.0.0.1:4000.",
            )
        try:
            transport = Transport(_SocketPort(host, int(port), timeout_s), address)
            key = key or read_key(host, int(port))
            if key:
                transport.command(f"{COMMAND} {key}")
            return transport
        except OSError as fault:
            raise LinkError(
                f"Nobody answers at {address}: {fault}.", cure="Is the board's program running?"
            ) from fault
    raise LinkError(
        f"“{address}” is no board address.",
        cure="Use virtual, image:ELF, serial:DEV@BAUD or tcp:HOST:PORT.",
    )


def _open_serial(rest: str, timeout_s: float) -> Transport:
    import serial  # late: only real ports need it

    device, _, baud_text = rest.partition("@")
    baud = (
        int(baud_text)
        if baud_text.isascii() and baud_text.isdigit() and len(baud_text) < 9
        else DEFAULT_BAUD
    )
    if baud_text and not baud_text.isdigit():
        raise LinkError(
            f"“{baud_text}” is no baud rate.",
            cure="Write serial:DEV@BAUD, such as serial:/dev/ttyACM0@115200.",
        )
    try:
        port = serial.serial_for_url(device, baudrate=baud, timeout=timeout_s, exclusive=True)
    except Exception as fault:  # pyserial passes on whatever its URL handlers and termios raise
        raise LinkError(
            f"{device} cannot be opened: {fault}.",
            cure="Check the name, the cable and your rights.",
        ) from fault
    return Transport(port, f"serial:{device}", largest_read=1 << 16)
