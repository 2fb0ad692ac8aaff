"""Bytes as firmware sends them: how numbers lie in them is found, and where it cannot be known that is said."""

from __future__ import annotations

import struct
from collections.abc import Callable

import numpy as np
import pytest

from wattigram.core.capture.foreign import (
    BinaryDecoder,
    BinaryFormat,
    bytes_are_clear,
    find_binary_formats,
)
from wattigram.core.capture.foreign.binary_format import uncobs, unslip

COUNT = 2000
AT = np.arange(COUNT)
RANDOM = np.random.default_rng(1)
A = (2048 + 1500 * np.sin(AT / 30) + RANDOM.normal(0, 2, COUNT)).astype(int)
B = (1000 + 300 * np.sin(AT / 11) + RANDOM.normal(0, 2, COUNT)).astype(int)
C = (3000 + 5 * RANDOM.standard_normal(COUNT)).astype(int)
TWO, THREE = np.stack((A, B), axis=1), np.stack((A, B, C), axis=1)


def cobs(data: bytes) -> bytes:
    """Consistent overhead byte stuffing, as its authors describe it."""
    out = bytearray()
    for block in data.split(b"\x00"):
        while len(block) >= 254:
            out += b"\xff" + block[:254]
            block = block[254:]
        out += bytes([len(block) + 1]) + block
    return bytes(out) + b"\x00"


def slip(data: bytes) -> bytes:
    return data.replace(b"\xdb", b"\xdb\xdd").replace(b"\xc0", b"\xdb\xdc") + b"\xc0"


def each(of: Callable[[int, tuple[int, ...]], bytes], rows: np.ndarray) -> bytes:
    return b"".join(of(number, tuple(row)) for number, row in enumerate(rows.tolist()))


def checked(data: bytes) -> bytes:
    total = 0x5A
    for byte in data:
        total = (31 * total + 7 * byte + 3) & 0xFF
    return data + bytes([total])


SHAPES: dict[str, tuple[bytes, np.ndarray, dict[str, object]]] = {
    "u16 low first": (A.astype("<u2").tobytes(), A[:, None], {"number": "u16", "channels": 1}),
    "u16 high first": (
        A.astype(">u2").tobytes(),
        A[:, None],
        {"number": "u16", "big_endian": True},
    ),
    "three of u16": (THREE.astype("<u2").tobytes(), THREE, {"number": "u16", "channels": 3}),
    "two of i16": (
        (TWO - 2048).astype("<i2").tobytes(),
        TWO - 2048,
        {"number": "i16", "channels": 2},
    ),
    "u8": ((A >> 4).astype("u1").tobytes(), (A >> 4)[:, None], {"number": "u8"}),
    "two of u8": ((TWO >> 4).astype("u1").tobytes(), TWO >> 4, {"number": "u8", "channels": 2}),
    "two floats": ((TWO * 3.3 / 4096).astype("<f4").tobytes(), TWO * 3.3 / 4096, {"number": "f32"}),
    "a double": (
        (A * 3.3 / 4096).astype("<f8").tobytes(),
        (A * 3.3 / 4096)[:, None],
        {"number": "f64"},
    ),
    "i32 high first": (
        (A * 100 - 10**5).astype(">i4").tobytes(),
        (A * 100 - 10**5)[:, None],
        {"number": "i32"},
    ),
    "two of i24": (
        each(
            lambda _, row: b"".join(
                (300 * v - 300_000).to_bytes(3, "little", signed=True) for v in row
            ),
            TWO,
        ),
        300 * TWO - 300_000,
        {"number": "i24", "channels": 2},
    ),
    "a sync": (
        each(lambda _, row: b"\xaa\x55" + struct.pack("<2H", *row), TWO),
        TWO,
        {"sync": "aa55"},
    ),
    "a sync, a counter and a check": (
        each(
            lambda n, row: checked(b"\xa5\x5a" + bytes([n & 255]) + struct.pack("<2H", *row)), TWO
        ),
        TWO,
        {"counter_bytes": 1, "channels": 2, "number": "u16"},
    ),
    "a header and a counter, high first": (
        each(lambda n, row: b"\xa5\x5a\x01" + struct.pack(">H3H", n & 0xFFFF, *row), THREE),
        THREE,
        {"counter_bytes": 2, "channels": 3, "big_endian": True},
    ),
    "a sync beside a byte that is always zero": (
        each(lambda n, row: b"\xaa\x55" + struct.pack("<2H", row[0], n % 5), TWO),
        np.stack((A, AT % 5), axis=1),
        {"sync": "aa55", "channels": 2, "number": "u16"},
    ),
    "COBS": (each(lambda _, row: cobs(struct.pack("<2H", *row)), TWO), TWO, {"framing": "cobs"}),
    "COBS with a counter and floats": (
        each(lambda n, row: cobs(struct.pack("<B2f", n & 255, *(v / 10 for v in row))), TWO),
        TWO / 10,
        {"framing": "cobs", "counter_bytes": 1, "number": "f32"},
    ),
    "SLIP": (
        each(lambda _, row: slip(struct.pack("<3H", *row)), THREE),
        THREE,
        {"framing": "slip", "channels": 3},
    ),
}


@pytest.mark.parametrize("shape", SHAPES)
def test_is_found_by_itself(shape: str) -> None:
    data, wanted, facts = SHAPES[shape]
    found = find_binary_formats(data)
    assert bytes_are_clear(found), [(round(one.score, 3), one.format.title) for one in found[:3]]
    form = found[0].format
    assert {name: getattr(form, name) for name in facts} == facts
    decoder = BinaryDecoder(form)
    rows = [decoder.feed(data[at : at + 97]) for at in range(0, len(data), 97)]
    values = np.concatenate([part.values for part in rows])
    # A frame that is not followed by the next one may still be in the making.
    assert len(values) >= COUNT - 1
    assert values == pytest.approx(wanted[: len(values)], rel=1e-6)
    assert not any(part.gaps for part in rows)


@pytest.mark.parametrize(
    "shape", [name for name, (_, _, facts) in SHAPES.items() if "sync" in name or "S" in name]
)
def test_a_stream_that_is_joined_and_broken_is_found_again(shape: str) -> None:
    """Bytes missing at the beginning, and some lost and some wrong in the middle."""
    data, wanted, _ = SHAPES[shape]
    data = data[5:3000] + data[3010:6000] + b"\x01\x02\x03" + data[6000:]
    found = find_binary_formats(data[:2900])
    assert bytes_are_clear(found)
    decoder = BinaryDecoder(found[0].format)
    part = decoder.feed(data)
    assert COUNT - 12 <= len(part.values) <= COUNT
    assert part.passed_over > 0
    known = {tuple(np.round(row, 3).tolist()) for row in wanted}
    strange = [row for row in part.values if tuple(np.round(row, 3).tolist()) not in known]
    assert len(strange) <= 2


def test_frames_that_the_counter_misses_are_counted() -> None:
    data, _, _ = SHAPES["COBS with a counter and floats"]
    frames = data.split(b"\x00")
    form = find_binary_formats(data)[0].format
    decoder = BinaryDecoder(form)
    kept = b"\x00".join(frames[:100] + frames[107:200]) + b"\x00"
    assert sum(count for _row, count in decoder.feed(kept).gaps) == 7


def test_noise_and_text_are_no_numbers() -> None:
    noise = np.random.default_rng(2).integers(0, 256, 8000, dtype=np.uint8).tobytes()
    assert not bytes_are_clear(find_binary_formats(noise))
    assert find_binary_formats(b"12,34\n" * 500) == ()
    assert find_binary_formats(b"\x01\x02") == ()


def test_how_many_channels_of_one_level_there_are_is_asked() -> None:
    found = find_binary_formats(C.astype("<u2").tobytes())
    assert not bytes_are_clear(found)
    assert found[0].format.number == "u16"
    assert "cannot be known" in found[0].note


@pytest.mark.parametrize("data", [b"", b"\x00", b"a\x00b", bytes(range(1, 256)) * 3, bytes(600)])
def test_stuffing_is_undone(data: bytes) -> None:
    assert uncobs(cobs(data)[:-1]) == data
    assert unslip(slip(data)[:-1]) == data


def test_what_is_not_stuffed_is_told() -> None:
    assert uncobs(b"\x05ab") is None
    assert unslip(b"\xdb\x01") is None
    assert unslip(b"\xdb") is None


def test_a_format_that_does_not_hold_together_is_refused() -> None:
    with pytest.raises(ValueError, match="do not fit into a frame"):
        BinaryFormat(number="u16", channels=3, framing="cobs", frame_bytes=5)
    with pytest.raises(ValueError, match="sync"):
        BinaryFormat(number="u16", framing="sync", frame_bytes=5)
