"""One frame: header, payload, check. No byte is ever stuffed."""

from __future__ import annotations

import struct
from enum import IntEnum
from zlib import crc32

import msgspec
import numpy as np

from wattigram.core.base.foreign import visible_text

SYNC = b"WG\xa7\x5c"
HEADER = struct.Struct("<4sBBBBIIQQI")
HEADER_BYTES = HEADER.size
CHECKED_BYTES = HEADER_BYTES - 4
TRAILER = struct.Struct("<I")
_WORDS = struct.Struct("<8I")
HEADER_SEED = 0x57474131
HEADER_FACTOR = 0x9E3779B1
OVERHEAD_BYTES = HEADER_BYTES + TRAILER.size
LARGEST_PAYLOAD_BYTES = 1 << 20
ITEM_SIZES = (1, 2, 4, 16)

FLAG_FIRST = 1
"""First frame of its stream after a start."""
FLAG_TAIL = 2
"""What was left of a half when the board was stopped."""
FLAG_UNSEQUENCED = 4
"""Sent by whoever watches the board, and not by its firmware: numbered by itself."""
STAMP_STREAM = 64
"""Streams from here on carry the held instants of a converter's items, in ticks modulo 2^32."""
REDUCED_STREAM = 128
"""Streams from here on carry reduced values, one stream for each signal with a reduce stage."""
OUTPUT_STREAM = 232
"""Streams from here on carry what took effect at the end of a route, or left a UART as text: pairs
of stamp and value."""
OVERWRITTEN, TORN = 1 << 31, 1 << 30
"""Marks of such a value: it was replaced before it took effect, or took effect with a part of it
missing."""

EVENT_DTYPE = np.dtype(
    [("source", "<u2"), ("entered", "u1"), ("spare", "u1"), ("value", "<i4"), ("ticks", "<u8")]
)


class FrameType(IntEnum):
    """What a frame carries."""

    SAMPLES = 1
    EVENTS = 2
    IDENTITY = 3
    LOG = 4
    REPLY = 5


class Frame(msgspec.Struct, frozen=True):
    """A frame other than samples; its payload is text or events."""

    type: FrameType
    stream: int
    flags: int
    sequence: int
    count: int
    ticks: int
    payload: bytes

    @property
    def text(self) -> str:
        """Payload as text; bytes that are no UTF-8 and control characters are shown as such."""
        return visible_text(self.payload.decode("utf-8", "replace"))


def header_check(head: bytes | bytearray | memoryview) -> int:
    """Check of the header's first 32 bytes, taken as eight words: h = (h ^ word) · factor, modulo
    2^32.

    Each step is one to one, so a change within one word never goes unseen. Unlike a CRC it is as
    quick over an array of headers as over one.
    """
    check = HEADER_SEED
    for word in _WORDS.unpack(head):
        check = ((check ^ word) * HEADER_FACTOR) & 0xFFFFFFFF
    return check


def encode_frame(
    kind: FrameType,
    payload: bytes | memoryview,
    *,
    stream: int = 0,
    item_bytes: int = 1,
    flags: int = 0,
    sequence: int = 0,
    ticks: int = 0,
    first: int = 0,
) -> bytes:
    """A whole frame; ``first`` is the number, since the start, of the payload's first item."""
    count = len(payload) // item_bytes
    head = HEADER.pack(
        SYNC, kind, stream, item_bytes, flags, sequence & 0xFFFFFFFF, count, ticks, first, 0
    )
    head = head[:CHECKED_BYTES] + TRAILER.pack(header_check(head[:CHECKED_BYTES]))
    return b"".join((head, payload, TRAILER.pack(crc32(payload))))
