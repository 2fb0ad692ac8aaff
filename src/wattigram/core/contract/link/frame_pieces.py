"""Bytes that come one after the other, cut where frames begin and end."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.contract.link.frame import (
    CHECKED_BYTES,
    HEADER,
    HEADER_BYTES,
    SYNC,
    TRAILER,
    header_check,
)


def frame_pieces(said: bytearray) -> Iterator[bytes]:
    """Heads, bodies and ends of frames that are whole, each by itself, and what is no frame as it comes; they are
    taken away from ``said``."""
    while said:
        if len(said) < len(SYNC) and SYNC.startswith(said):
            return
        if not said.startswith(SYNC):
            at = said.find(SYNC, 1)
            if at < 0:  # the beginning of a frame may have come
                kept = next(
                    (size for size in range(len(SYNC) - 1, 0, -1) if said.endswith(SYNC[:size])),
                    0,
                )
                at = len(said) - kept
            yield bytes(said[:at])
            del said[:at]
            continue
        if len(said) < HEADER_BYTES:
            return
        *_head, item_bytes, _flags, _number, count, _ticks, _first, check = HEADER.unpack(
            said[:HEADER_BYTES]
        )
        if header_check(said[:CHECKED_BYTES]) != check:  # it only begins like a frame
            yield bytes(said[:1])
            del said[:1]
            continue
        end = HEADER_BYTES + count * item_bytes
        if len(said) < end + TRAILER.size:
            return
        yield bytes(said[:HEADER_BYTES])
        yield bytes(said[HEADER_BYTES:end])
        yield bytes(said[end : end + TRAILER.size])
        del said[: end + TRAILER.size]
