"""Decoding against the check sums and one copy."""

from __future__ import annotations

from collections.abc import Iterator
from zlib import crc32

import numpy as np

from bench.harness import Row, compare
from wattigram.core.capture.transport import Decoder
from wattigram.core.contract.link import FrameType, encode_frame

FRAMES = 8000
ITEMS = 1024
PIECE = 1 << 20


def link_rows() -> Iterator[Row]:
    """Frames of 1024 samples, clean and with one byte in 10 000 spoilt."""
    rng = np.random.default_rng(1)
    items = rng.integers(0, 4096, (FRAMES, ITEMS)).astype("<u2")
    data = b"".join(
        encode_frame(
            FrameType.SAMPLES, row.tobytes(), item_bytes=2, sequence=number, first=number * ITEMS
        )
        for number, row in enumerate(items)
    )
    spoilt = bytearray(data)
    for at in rng.integers(0, len(spoilt), len(spoilt) // 10_000):
        spoilt[at] ^= 0x55
    bad = bytes(spoilt)

    def decode(source: bytes) -> None:
        decoder = Decoder()
        for begin in range(0, len(source), PIECE):
            decoder.feed(source[begin : begin + PIECE])

    def bound() -> None:
        with memoryview(data) as view:
            for begin in range(0, len(data), ITEMS * 2 + 40):
                crc32(view[begin : begin + ITEMS * 2])
            bytes(view)

    yield compare(
        "decode frames of 1024 samples",
        "crc32 of each frame + one copy",
        2.0,
        lambda: decode(data),
        bound,
    )
    yield compare(
        "decode, 1 byte in 10 000 corrupt",
        "clean decode",
        1.5,
        lambda: decode(bad),
        lambda: decode(data),
    )
