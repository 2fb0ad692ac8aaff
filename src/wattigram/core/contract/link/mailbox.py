"""Bytes that firmware leaves in memory for a debug probe, and takes from there.

The mailbox is described in ``docs/link.md``: sizes, counts of bytes written and read in each
direction, and the bytes.
"""

from __future__ import annotations

import struct
from collections import deque
from collections.abc import Iterator
from typing import Protocol

from wattigram.core.contract.link.frame_pieces import frame_pieces

SYMBOL = "wg_mailbox"
_HEAD = struct.Struct("<6I")
_UP_READ, _DOWN_WRITTEN = 12, 16
MOST_BYTES = 1 << 16


class ProbedMemory(Protocol):
    """Memory that a probe reads and writes while the program runs."""

    def read(self, address: int, count: int) -> bytes:
        """Bytes of it."""

    def write(self, address: int, data: bytes) -> None:
        """Put bytes there."""


class Mailbox:
    """The probe's side of a mailbox."""

    def __init__(self, memory: ProbedMemory, address: int) -> None:
        self._memory = memory
        self._address = address
        self.said = bytearray()
        """The beginning of a frame whose rest has not come."""

    def exchange(self, inbox: deque[int]) -> Iterator[bytes]:
        """Take what firmware wrote, and give it as much of ``inbox`` as there is room for; gives heads and
        bodies of frames each by itself, and what is no frame as it comes."""
        head = _HEAD.unpack(self._memory.read(self._address, _HEAD.size))
        up_bytes, down_bytes, up_written, up_read, down_written, down_read = head
        if not (0 < up_bytes <= MOST_BYTES and 0 < down_bytes <= MOST_BYTES):
            return  # not set up yet
        waiting = min((up_written - up_read) & 0xFFFFFFFF, up_bytes)
        if waiting:
            self.said += self._ring(self._address + _HEAD.size, up_bytes, up_read, waiting)
            self._put(_UP_READ, up_read + waiting)
            yield from frame_pieces(self.said)
        room = down_bytes - ((down_written - down_read) & 0xFFFFFFFF)
        if inbox and room > 0:
            base = self._address + _HEAD.size + up_bytes
            data = bytes(inbox.popleft() for _ in range(min(room, len(inbox))))
            place = down_written % down_bytes
            first, rest = data[: down_bytes - place], data[down_bytes - place :]
            self._memory.write(base + place, first)
            if rest:
                self._memory.write(base, rest)
            self._put(_DOWN_WRITTEN, down_written + len(data))

    def _ring(self, base: int, size: int, begin: int, count: int) -> bytes:
        place = begin % size
        first = min(count, size - place)
        data = self._memory.read(base + place, first)
        return data + self._memory.read(base, count - first) if first < count else data

    def _put(self, offset: int, value: int) -> None:
        self._memory.write(self._address + offset, (value & 0xFFFFFFFF).to_bytes(4, "little"))
