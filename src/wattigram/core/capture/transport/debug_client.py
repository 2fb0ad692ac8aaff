"""A debug server as a way into a board's memory: the client of the GDB remote serial protocol."""

from __future__ import annotations

import contextlib
import socket
import time

from wattigram.core.base.errors import LinkError
from wattigram.core.contract.link.gdb_packets import INTERRUPT, PacketReader, encode_packet

ANSWER_S = 3.0
CHUNK_BYTES = 1024
LARGEST_READ_BYTES = 1 << 22
_CURE = "Is a debug server running there, and no other debugger attached?"


class DebugClient:
    """Stops a processor, reads and writes its memory, and lets it go on; any debug server will
    do."""

    def __init__(self, host: str, port: int, timeout_s: float = ANSWER_S) -> None:
        self.name = f"gdb:{host}:{port}"
        self._timeout_s = timeout_s
        self._reader = PacketReader()
        self._waiting: list[bytes] = []
        try:
            self._socket = socket.create_connection((host, port), timeout=timeout_s)
        except OSError as fault:
            raise LinkError(f"Nobody listens at {self.name}: {fault}.", cure=_CURE) from fault
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._socket.settimeout(0.05)
        self.halted = True
        try:
            self.ask(b"qSupported:swbreak+;hwbreak+")
            self.ask(b"?")
        except LinkError:
            self._socket.close()
            raise

    def close(self) -> None:
        """Let the processor run, and go; closing twice does nothing."""
        with contextlib.suppress(OSError, LinkError):
            if self._socket.fileno() >= 0:
                if not self.halted:
                    self.halt()
                self._send(b"D")
        self._socket.close()

    def ask(self, payload: bytes) -> bytes:
        """Send a packet and give its answer.

        Raises
        ------
        LinkError
            When none comes in time, or the connection is gone.
        """
        self._waiting.clear()
        self._send(payload)
        return self._answer()

    def halt(self) -> None:
        """Stop the processor.

        Raises :class:`LinkError` where it does not stop.
        """
        if self.halted:
            return
        self._waiting.clear()
        self._raw(bytes([INTERRUPT]))
        deadline = time.monotonic() + self._timeout_s
        answer = self._answer(deadline)
        while answer[:1] in {b"O"}:  # what the target prints meanwhile
            answer = self._answer(deadline)
        if answer[:1] not in {b"S", b"T"}:
            raise LinkError(
                f"{self.name} does not stop the processor: it says {answer[:40]!r}.", cure=_CURE
            )
        self.halted = True

    def go(self) -> None:
        """Let the processor go on."""
        if self.halted:
            self._send(b"c")
            self.halted = False

    def read(self, address: int, count: int) -> bytes:
        """Bytes of memory; the processor must be halted. Raises :class:`LinkError` where there is
        none."""
        if not 0 <= count <= LARGEST_READ_BYTES:
            raise LinkError(f"{count} bytes are more than can be read at once.")
        received = bytearray()
        while len(received) < count:
            at, wanted = address + len(received), min(CHUNK_BYTES, count - len(received))
            answer = self.ask(b"m%x,%x" % (at, wanted))
            try:
                part = bytes.fromhex(answer.decode("ascii"))
            except (ValueError, UnicodeDecodeError):
                part = b""
            if not part or len(part) > wanted:
                raise LinkError(
                    f"{self.name} cannot read {wanted} bytes at {at:#010x}: it says "
                    f"{answer[:40]!r}."
                )
            received += part
        return bytes(received)

    def read_word(self, address: int) -> int:
        """A little-endian word of 32 bits."""
        return int.from_bytes(self.read(address, 4), "little")

    def write(self, address: int, data: bytes) -> None:
        """Put bytes into memory; raises :class:`LinkError` where it is refused."""
        answer = self.ask(b"M%x,%x:%s" % (address, len(data), data.hex().encode()))
        if answer != b"OK":
            raise LinkError(
                f"{self.name} does not write at {address:#010x}: it says {answer[:40]!r}."
            )

    def _send(self, payload: bytes) -> None:
        self._raw(encode_packet(payload))

    def _raw(self, data: bytes) -> None:
        try:
            self._socket.sendall(data)
        except OSError as fault:
            raise LinkError(f"{self.name} is gone: {fault}.", cure=_CURE) from fault

    def _answer(self, deadline: float | None = None) -> bytes:
        """The next packet, acknowledged; all of it must come before ``deadline``, however
        slowly."""
        if deadline is None:
            deadline = time.monotonic() + self._timeout_s
        while not self._waiting or time.monotonic() > deadline:
            if time.monotonic() > deadline:
                raise LinkError(f"{self.name} does not answer.", cure=_CURE)
            try:
                data = self._socket.recv(1 << 16)
            except TimeoutError:
                continue
            except OSError as fault:
                raise LinkError(f"{self.name} is gone: {fault}.", cure=_CURE) from fault
            if not data:
                raise LinkError(f"{self.name} has closed the connection.", cure=_CURE)
            for kind, payload in self._reader.feed(data):
                if kind == "packet":
                    self._raw(b"+")
                    self._waiting.append(payload)
                elif kind == "spoilt":
                    self._raw(b"-")
        return self._waiting.pop(0)
