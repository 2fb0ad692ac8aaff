"""Bytes with numbers in them: how they are laid out, and what they say."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.row_formats import LONGEST_FRAME, NUMBERS, BinaryFormat

Bytes = NDArray[np.uint8]
_SLIP_END, _SLIP_ESC, _SLIP_ESC_END, _SLIP_ESC_ESC = 0xC0, 0xDB, 0xDC, 0xDD


class BinaryRows(msgspec.Struct, frozen=True):
    """Numbers of some bytes.

    Attributes
    ----------
    values : (rows, channels) float64
    passed_over : int
        Bytes that belong to no frame.
    gaps : tuple of (row, rows)
        Before which row so many are missing, by the counter.
    """

    values: NDArray[np.float64]
    passed_over: int
    gaps: tuple[tuple[int, int], ...] = ()


def numbers_of(data: Bytes, number: str, big_endian: bool) -> NDArray[np.float64]:
    """Numbers from their bytes, (..., width) uint8 to (...) float64."""
    data = data if big_endian else data[..., ::-1]  # the highest byte first
    if number[0] == "f":
        plain = np.ascontiguousarray(data).view(f">f{data.shape[-1]}")[..., 0]
        return plain.astype(np.float64)
    return integers_of(data, number[0] == "i").astype(np.float64)


def integers_of(data: Bytes, signed: bool) -> NDArray[np.int64]:
    """Whole numbers whose highest byte comes first, (..., width) uint8 to (...) int64."""
    value = np.zeros(data.shape[:-1], dtype=np.int64)
    for place in range(data.shape[-1]):
        value = value << 8 | data[..., place]
    if signed:
        half = 1 << (8 * data.shape[-1] - 1)
        value = (value ^ half) - half
    return value


class BinaryDecoder:
    """Takes bytes as they come, and gives rows."""

    def __init__(self, form: BinaryFormat) -> None:
        self.form = form
        self._rest = b""
        self._counter: int | None = None

    def feed(self, data: bytes) -> BinaryRows:
        """Rows of what has come so far and was not told yet."""
        data = self._rest + data
        form = self.form
        if form.framing == "none":
            whole = len(data) // form.row_bytes * form.row_bytes
            self._rest = data[whole:]
            return BinaryRows(self._rows(np.frombuffer(data[:whole], np.uint8)), 0)
        frames, passed_over = [], 0
        for frame, dropped in self._frames(data):
            passed_over += dropped
            if frame is not None:
                frames.append(frame)
        gaps = tuple(self._gaps(frames))
        begin = form.first_byte
        end = begin + form.row_bytes * form.rows
        payload = np.frombuffer(b"".join(frame[begin:end] for frame in frames), np.uint8)
        return BinaryRows(self._rows(payload), passed_over, gaps)

    def _rows(self, data: Bytes) -> NDArray[np.float64]:
        width = NUMBERS[self.form.number]
        shaped = data.reshape(-1, self.form.channels, width)
        return numbers_of(shaped, self.form.number, self.form.big_endian)

    def _frames(self, data: bytes) -> Iterator[tuple[bytes | None, int]]:
        """Frames in their order, with bytes between them that belong to none."""
        if self.form.framing == "sync":
            yield from self._synced(data)
            return
        end = b"\x00" if self.form.framing == "cobs" else bytes([_SLIP_END])
        *parts, self._rest = data.split(end)
        if len(self._rest) > 2 * LONGEST_FRAME:
            yield None, len(self._rest)
            self._rest = b""
        for part in parts:
            if not part:
                continue
            frame = (uncobs if self.form.framing == "cobs" else unslip)(part)
            fits = frame is not None and len(frame) == self.form.frame_bytes
            yield (frame, 0) if fits else (None, len(part))

    def _synced(self, data: bytes) -> Iterator[tuple[bytes | None, int]]:
        sync, size = bytes.fromhex(self.form.sync), self.form.frame_bytes
        at = 0
        while True:
            found = data.find(sync, at)
            if found < 0:
                kept = len(sync) - 1
                keep = max(at, len(data) - kept)
                yield None, keep - at
                self._rest = data[keep:]
                return
            yield None, found - at
            after = data[found + size : found + size + len(sync)]
            if len(data) < found + size:
                self._rest = data[found:]
                return
            if after and not sync.startswith(after) and after != sync:
                yield None, 1  # the next frame is not where this one ends: it was no beginning
                at = found + 1
                continue
            yield data[found : found + size], 0
            at = found + size

    def _gaps(self, frames: list[bytes]) -> Iterator[tuple[int, int]]:
        form = self.form
        if not form.counter_bytes:
            return
        span = 1 << (8 * form.counter_bytes)
        for number, frame in enumerate(frames):
            part = frame[form.counter_at : form.counter_at + form.counter_bytes]
            now = int.from_bytes(part, "big" if form.big_endian else "little")
            if self._counter is not None:
                lost = (now - self._counter - 1) % span
                if lost:
                    yield number * form.rows, lost * form.rows
            self._counter = now


def uncobs(data: bytes) -> bytes | None:
    """A frame from its stuffed bytes; None where they are none."""
    found = bytearray()
    at = 0
    while at < len(data):
        code = data[at]
        if code == 0 or at + code > len(data):
            return None
        found += data[at + 1 : at + code]
        at += code
        if code < 0xFF and at < len(data):
            found.append(0)
    return bytes(found)


def unslip(data: bytes) -> bytes | None:
    """A frame from its stuffed bytes; None where they are none."""
    found = bytearray()
    escaped = False
    for byte in data:
        if escaped:
            if byte not in {_SLIP_ESC_END, _SLIP_ESC_ESC}:
                return None
            found.append(_SLIP_END if byte == _SLIP_ESC_END else _SLIP_ESC)
            escaped = False
        elif byte == _SLIP_ESC:
            escaped = True
        else:
            found.append(byte)
    return None if escaped else bytes(found)
