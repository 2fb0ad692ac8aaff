"""Packets of the GDB remote serial protocol, for both ends."""

from __future__ import annotations

from collections.abc import Iterator

INTERRUPT = 0x03
LARGEST_PACKET_BYTES = 1 << 20
_ESCAPED = frozenset(b"#$}*")


def encode_packet(payload: bytes) -> bytes:
    """``$payload#check``; what has a meaning of its own is escaped."""
    out = bytearray()
    for byte in payload:
        if byte in _ESCAPED:
            out += bytes((0x7D, byte ^ 0x20))
        else:
            out.append(byte)
    return b"$" + bytes(out) + b"#%02x" % (sum(out) & 0xFF)


def decode_payload(raw: bytes) -> bytes:
    """Undo escapes and run lengths."""
    out = bytearray()
    position = 0
    while position < len(raw):
        byte = raw[position]
        if byte == 0x7D and position + 1 < len(raw):
            position += 1
            out.append(raw[position] ^ 0x20)
        elif byte == 0x2A and out and position + 1 < len(raw):
            position += 1
            out += bytes([out[-1]]) * max(0, raw[position] - 29)
        else:
            out.append(byte)
        position += 1
    return bytes(out)


class PacketReader:
    """Takes bytes in pieces of any size; gives packets, acknowledgements and interrupts."""

    def __init__(self) -> None:
        self._kept = bytearray()

    def feed(self, data: bytes) -> Iterator[tuple[str, bytes]]:
        """Pairs of what it is and its payload: "packet", "spoilt", "ack", "nack" or "interrupt"."""
        self._kept += data
        while self._kept:
            first = self._kept[0]
            if first != 0x24:
                del self._kept[:1]
                kind = {0x2B: "ack", 0x2D: "nack", INTERRUPT: "interrupt"}.get(first)
                if kind is not None:
                    yield kind, b""
                continue
            end = self._kept.find(b"#")
            if end < 0 or len(self._kept) < end + 3:
                if len(self._kept) > LARGEST_PACKET_BYTES:
                    self._kept.clear()
                    yield "spoilt", b""
                return
            raw, check = bytes(self._kept[1:end]), bytes(self._kept[end + 1 : end + 3])
            del self._kept[: end + 3]
            try:
                sound = int(check, 16) == sum(raw) & 0xFF
            except ValueError:
                sound = False
            yield ("packet", decode_payload(raw)) if sound else ("spoilt", b"")
