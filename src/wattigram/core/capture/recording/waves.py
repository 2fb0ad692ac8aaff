"""WAV files: PCM of 8 to 32 bits and floats, also of more than 4 GiB (RF64), as EBU Tech 3306 and the RIFF
specification describe them."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from pathlib import Path
from typing import Any, BinaryIO

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording.arrays import decoded
from wattigram.core.capture.recording.channel import EvenChannel, Recording
from wattigram.core.capture.recording.opening import Reading

PCM, FLOAT, EXTENSIBLE = 1, 3, 0xFFFE
MOST_CHANNELS = 1024
_MOST_CHUNKS = 10_000


class _Form(msgspec.Struct, frozen=True):
    number: str
    channels: int
    rate_hz: int
    width: int
    """Bytes of a sample."""
    bits: int


def read_wav(path: Path, reading: Reading) -> Recording:
    """Each channel from −1 to 1 of full scale, as the format has it, unless a scale is given.

    Raises
    ------
    TakeError
        When it holds no samples, or packed ones.
    """
    big = False
    form: _Form | None = None
    data: tuple[int, int] | None = None
    long_size: int | None = None
    size = path.stat().st_size
    notes = []
    with path.open("rb") as file:
        head = file.read(12)
        if len(head) < 12 or head[8:] != b"WAVE":
            raise TakeError("It begins like a WAV file and is none.", where=str(path))
        big = head[:4] == b"RIFX"
        for name, at, length in _chunks(file, size, ">" if big else "<"):
            if name == b"ds64":
                long_size = struct.unpack("<QQQ", file.read(24))[1]
            elif name == b"fmt ":
                form = _form(file.read(min(length, 64)), ">" if big else "<", path)
            elif name == b"data":
                length = long_size if length == 0xFFFFFFFF and long_size is not None else length
                data = at, min(length, size - at)
                if length > size - at:
                    notes.append("The file ends before its data do; what is there was taken.")
                break
    if form is None or data is None or data[1] < form.width * form.channels:
        raise TakeError("It holds no samples, or does not say what they are.", where=str(path))
    rows = data[1] // (form.width * form.channels)
    samples = np.memmap(path, np.uint8, "r", data[0], (rows, form.channels, form.width))
    # Below a byte's width the lower bits are empty.
    whole = 1.0 if form.number[0] == "f" else 2.0 ** (8 * form.width - 1)
    scale = reading.scale / whole
    zero = reading.zero - (reading.scale if form.number == "u8" else 0.0)
    channels = tuple(
        EvenChannel(
            f"{path.stem} {number + 1}" if form.channels > 1 else path.stem,
            reading.unit or "",
            rows,
            reading.rate_hz or float(form.rate_hz),
            _reader(samples[:, number], form.number, big),
            scale=scale,
            zero=zero,
            is_coded=form.number[0] != "f",
            full_scale=2 * abs(reading.scale),
        )
        for number in range(form.channels)
    )
    return Recording(str(path), f"WAV, {form.bits} bits", channels, tuple(notes))


def _chunks(file: BinaryIO, size: int, order: str) -> Iterator[tuple[bytes, int, int]]:
    """Name, place and length of each chunk."""
    at = 12
    for _ in range(_MOST_CHUNKS):
        file.seek(at)
        head = file.read(8)
        if len(head) < 8:
            return
        name, length = head[:4], struct.unpack(f"{order}I", head[4:])[0]
        yield name, at + 8, length
        at += 8 + length + length % 2
        if at >= size:
            return


def _form(data: bytes, order: str, path: Path) -> _Form:
    kind, channels, rate_hz, _, block, bits = struct.unpack(f"{order}HHIIHH", data[:16])
    if kind == EXTENSIBLE and len(data) >= 26:
        kind = struct.unpack(f"{order}H", data[24:26])[0]
    if not 1 <= channels <= MOST_CHANNELS or rate_hz < 1 or block % channels:
        raise TakeError("Its channels and their width do not fit together.", where=str(path))
    width = block // channels
    number = {
        (PCM, 1): "u8", (PCM, 2): "i16", (PCM, 3): "i24", (PCM, 4): "i32", (FLOAT, 4): "f32", (FLOAT, 8): "f64",
    }.get((kind, width))  # fmt: skip
    if number is None:
        raise TakeError(
            f"Its samples are packed (kind {kind}, {bits} bits), and only plain ones are read.",
            where=str(path),
            cure="Convert it to PCM or float.",
        )
    return _Form(number, channels, rate_hz, width, bits)


def _reader(data: NDArray[np.uint8], number: str, big: bool) -> Any:
    return lambda begin, end: decoded(np.asarray(data[begin:end]), number, big)
