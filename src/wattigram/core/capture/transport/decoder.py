"""Frames out of any byte sequence: survives corruption, resynchronises, counts what was lost.

A frame has a fixed cost in Python, so runs of equal frames are checked and copied as arrays. Only
what does not fit the run is looked at frame by frame.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple
from zlib import crc32

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.link import OUTPUT_STREAM, REDUCED_STREAM, STAMP_STREAM
from wattigram.core.contract.link.frame import (
    CHECKED_BYTES,
    FLAG_FIRST,
    FLAG_UNSEQUENCED,
    HEADER,
    HEADER_BYTES,
    HEADER_FACTOR,
    HEADER_SEED,
    ITEM_SIZES,
    LARGEST_PAYLOAD_BYTES,
    OVERHEAD_BYTES,
    SYNC,
    TRAILER,
    Frame,
    FrameType,
    header_check,
)
from wattigram.core.predict.expected import unwrap_stamps

_ITEM_DTYPES: dict[int, np.dtype[Any]] = {1: np.dtype("u1"), 2: np.dtype("<u2"), 4: np.dtype("<u4")}
_HEADER_DTYPE = np.dtype(
    [
        ("sync", "<u4"),
        ("shape", "<u4"),
        ("sequence", "<u4"),
        ("count", "<u4"),
        ("ticks", "<u8"),
        ("first", "<u8"),
        ("check", "<u4"),
    ]
)
_TYPES = frozenset(int(kind) for kind in FrameType)
_IS_TYPE = np.isin(np.arange(256), sorted(_TYPES))
_IS_ITEM_SIZE = np.isin(np.arange(256), ITEM_SIZES)
_NEAR_BYTES = 1 << 12
_NEAR_TRIES = 8
_BACKWARDS = 1 << 31
_WRAP = 1 << 32


class SampleRun(NamedTuple):
    """Frames of samples of one stream that follow each other without a gap.

    Attributes
    ----------
    first : int
        Number of the first item since the board's start.
    items : (n_items,) uint8, uint16 or uint32
        Items as they lay in the board's memory.
    frame_ticks, frame_items : (n_frames,) int64
        Each frame's time stamp, and its count of items.
    """

    stream: int
    first: int
    items: NDArray[Any]
    frame_ticks: NDArray[np.int64]
    frame_items: NDArray[np.int64]
    restarted: bool

    def since(self, number: int) -> SampleRun:
        """The same without items before ``number``; frames that are gone whole go with them.

        Where items are stamps, or pairs with one, the ticks of a frame are those of its first stamp in full, also
        of one that is cut.
        """
        left = max(0, min(number - self.first, len(self.items)))
        ends = np.cumsum(self.frame_items)
        kept = ends > left
        frame_items = np.minimum(self.frame_items, ends - left)[kept]
        frame_ticks = self.frame_ticks[kept]
        begins = int((ends - self.frame_items)[kept][0]) if kept.any() else left
        if begins < left and (
            STAMP_STREAM <= self.stream < REDUCED_STREAM or self.stream >= OUTPUT_STREAM
        ):
            later = int(self.items[left]) - int(self.items[begins])
            frame_ticks = frame_ticks.copy()
            frame_ticks[0] += later % (1 << 32)
        return self._replace(
            first=self.first + left,
            items=self.items[left:],
            frame_ticks=frame_ticks,
            frame_items=frame_items,
        )

    def until_ticks(self, ticks: int) -> SampleRun:
        """The same without frames that are later than ``ticks``; of pairs of stamp and value without pairs that
        are."""
        if self.stream >= OUTPUT_STREAM:
            count = 2 * int(np.count_nonzero(self.pair_ticks() <= ticks))
        else:
            kept = int(np.searchsorted(self.frame_ticks, ticks, side="right"))
            count = int(self.frame_items[:kept].sum())
        if count == len(self.items):
            return self
        ends = np.cumsum(self.frame_items)
        mine = ends - self.frame_items < count
        return self._replace(
            items=self.items[:count],
            frame_ticks=self.frame_ticks[mine],
            frame_items=np.minimum(self.frame_items, count - (ends - self.frame_items))[mine],
        )

    def pair_ticks(self) -> NDArray[np.int64]:
        """Instants of pairs of stamp and value in full, (items / 2,)."""
        starts = (np.cumsum(self.frame_items) - self.frame_items) // 2
        stamps = self.items[: len(self.items) // 2 * 2 : 2].astype(np.uint32)
        return unwrap_stamps(stamps, starts.astype(np.int64), self.frame_ticks.astype(np.int64))


class DecodeStats(msgspec.Struct):
    """What came and what did not, since the decoder was made."""

    frames: int = 0
    bytes_skipped: int = 0
    payload_faults: int = 0
    frames_lost: int = 0
    restarts: int = 0
    items_lost: dict[int, int] = msgspec.field(default_factory=dict)


class Decoder:
    """Takes bytes in pieces of any size, gives frames in order."""

    def __init__(self) -> None:
        self.stats = DecodeStats()
        self._kept = b""
        self._next_sequence: dict[int, int] = {}
        self._next_first: dict[int, int] = {}

    def feed(self, data: bytes | bytearray | memoryview) -> list[Frame | SampleRun]:
        """All frames that are complete with ``data``."""
        if self._kept:
            data = b"".join((self._kept, data))
        with memoryview(data) as view:
            frames, used = self._decode(view)
            self._kept = bytes(view[used:])
        return frames

    def _decode(self, view: memoryview) -> tuple[list[Frame | SampleRun], int]:
        decoded: list[Frame | SampleRun] = []
        position = 0
        total = len(view)
        while total - position >= HEADER_BYTES:
            stride = self._frame_bytes(view, position)
            if stride is None:
                following = self._resync(view, position + 1)
                self.stats.bytes_skipped += following - position
                position = following
                continue
            if total - position < stride:
                break
            count = (total - position) // stride
            if count > 1 and view[position + 4] == FrameType.SAMPLES:
                used = self._decode_grid(view, position, stride, count, decoded)
            else:
                used = self._decode_one(view, position, stride, decoded)
            position += used
        return decoded, position

    @staticmethod
    def _frame_bytes(view: memoryview, position: int) -> int | None:
        """Length of the frame whose sound header stands here."""
        head = view[position : position + HEADER_BYTES]
        sync, kind, _stream, item_bytes, _flags, _sequence, count, _ticks, _first, check = (
            HEADER.unpack(head)
        )
        if sync != SYNC or kind not in _TYPES or item_bytes not in ITEM_SIZES:
            return None
        if (
            count * item_bytes > LARGEST_PAYLOAD_BYTES
            or header_check(head[:CHECKED_BYTES]) != check
        ):
            return None
        return int(OVERHEAD_BYTES + count * item_bytes)

    def _resync(self, view: memoryview, start: int) -> int:
        """Next place where a sound header may stand; candidates are sifted as arrays, then
        checked."""
        total = len(view)
        end = total - HEADER_BYTES + 1
        position = start
        near = bytes(view[start : start + _NEAR_BYTES])
        hit = -1
        for _ in range(_NEAR_TRIES):  # most often the next frame is near
            hit = near.find(SYNC, hit + 1)
            if hit < 0 or start + hit >= end:
                position = min(end, start + max(1, len(near) - len(SYNC) + 1))
                break
            if self._frame_bytes(view, start + hit) is not None:
                return start + hit
            position = start + hit + 1
        while position < end:
            span = np.frombuffer(
                view[position : min(total, position + (1 << 16) + 8)], dtype=np.uint8
            )
            usable = min(end - position, max(1, len(span) - 7))
            hits = np.flatnonzero(span[:usable] == SYNC[0])
            for offset, byte in enumerate(SYNC[1:], start=1):
                hits = hits[span[hits + offset] == byte]
            hits = hits[_IS_TYPE[span[hits + 4]] & _IS_ITEM_SIZE[span[hits + 6]]]
            for hit in hits.tolist():
                if self._frame_bytes(view, position + hit) is not None:
                    return position + int(hit)
            position += usable
        return max(start, end)

    def _decode_one(
        self, view: memoryview, position: int, stride: int, decoded: list[Frame | SampleRun]
    ) -> int:
        """One frame whose header is sound; returns the bytes used."""
        _sync, kind, stream, item_bytes, flags, sequence, count, ticks, first, _check = (
            HEADER.unpack_from(view, position)
        )
        payload = view[position + HEADER_BYTES : position + stride - TRAILER.size]
        if TRAILER.unpack_from(view, position + stride - TRAILER.size)[0] != crc32(payload):
            # The count may be right and the frame cut short: look for the next frame inside it.
            self.stats.payload_faults += 1
            following = self._resync(view, position + 1)
            self.stats.bytes_skipped += following - position
            return following - position
        self._note_sequence(sequence, flags)
        if kind == FrameType.SAMPLES and item_bytes in _ITEM_DTYPES:
            first -= first >> 63 << 64  # a count below zero, as careless firmware sends it
            restarted = self._note_items(stream, first, count, flags)
            items = np.frombuffer(bytes(payload), dtype=_ITEM_DTYPES[item_bytes])
            spot = np.array([ticks], dtype=np.uint64).astype(np.int64)
            decoded.append(
                SampleRun(stream, first, items, spot, np.array([count], dtype=np.int64), restarted)
            )
        else:
            decoded.append(
                Frame(FrameType(kind), stream, flags, sequence, count, ticks, bytes(payload))
            )
        return stride

    def _decode_grid(
        self,
        view: memoryview,
        position: int,
        stride: int,
        count: int,
        decoded: list[Frame | SampleRun],
    ) -> int:
        """Frames of equal length on a grid; returns the bytes used, at least one frame's."""
        count = min(count, max(2, (4 << 20) // stride))
        grid = np.frombuffer(view, dtype=np.uint8, count=count * stride, offset=position).reshape(
            count, stride
        )
        heads = np.ndarray(
            (count,), dtype=_HEADER_DTYPE, buffer=view, offset=position, strides=(stride,)
        )
        same = (heads["sync"] == heads["sync"][0]) & (heads["shape"] == heads["shape"][0])
        same &= heads["count"] == heads["count"][0]
        body = stride - TRAILER.size
        ends = position + count * stride
        same &= heads["check"] == _header_checks(view, position, stride, count)
        size = body - HEADER_BYTES
        sums = np.array(
            [crc32(view[at : at + size]) for at in range(position + HEADER_BYTES, ends, stride)],
            dtype=np.uint32,
        )
        stored = np.ndarray(
            (count,), dtype="<u4", buffer=view, offset=position + body, strides=(stride,)
        )
        good = same & (sums == stored)
        if not good.any():
            return self._decode_one(view, position, stride, decoded)
        sequences = heads["sequence"].astype(np.int64)
        firsts = heads["first"].astype(np.int64)
        ticks = heads["ticks"].astype(np.int64)
        items_in_frame = size // int(view[position + 6])
        stream, flags = int(view[position + 5]), int(view[position + 7])
        follows = good[1:] & good[:-1] & (sequences[1:] - sequences[:-1] == 1)
        follows &= firsts[1:] - firsts[:-1] == items_in_frame
        if flags & FLAG_FIRST:
            follows[:] = False
        numbers, first_items, sound_heads = sequences.tolist(), firsts.tolist(), same.tolist()
        packed = grid[:, HEADER_BYTES:body][good]  # all sound payloads in one copy
        row = taken = 0
        dtype = _ITEM_DTYPES.get(int(view[position + 6]))
        sizes = np.full(count, items_in_frame, dtype=np.int64)
        for begin, end in _runs(good, follows):
            if begin > row:
                spoilt = view[position + row * stride : position + begin * stride]
                if all(sound_heads[row:begin]) and bytes(spoilt).count(SYNC) == begin - row:
                    # Frames of the run with spoilt payloads and nothing hidden in them, by far the
                    # most frequent.
                    self.stats.payload_faults += begin - row
                    self.stats.bytes_skipped += len(spoilt)
                else:
                    self._decode_between(spoilt, decoded)
            row = end
            self._note_sequence(numbers[begin], flags, end - begin)
            payloads = packed[taken : taken + end - begin]
            taken += end - begin
            if dtype is None:
                continue
            first = first_items[begin]
            restarted = self._note_items(stream, first, items_in_frame * (end - begin), flags)
            items = payloads.reshape(-1).view(dtype)
            decoded.append(
                SampleRun(stream, first, items, ticks[begin:end], sizes[begin:end], restarted)
            )
        return row * stride

    def _decode_between(self, view: memoryview, decoded: list[Frame | SampleRun]) -> None:
        """Bytes between sound frames of a grid: whatever is sound in there, the rest is skipped."""
        position = 0
        while len(view) - position >= HEADER_BYTES:
            stride = self._frame_bytes(view, position)
            if stride is not None and stride <= len(view) - position:
                position += self._decode_one(view, position, stride, decoded)
                continue
            following = self._resync(view, position + 1)
            self.stats.bytes_skipped += following - position
            position = following
        self.stats.bytes_skipped += len(view) - position

    def _note_sequence(self, sequence: int, flags: int, frames: int = 1) -> None:
        """Firmware and whoever watches it number their frames each by themselves."""
        self.stats.frames += frames
        source = flags & FLAG_UNSEQUENCED
        expected = self._next_sequence.get(source)
        if expected is not None and sequence != expected:
            ahead = (sequence - expected) % _WRAP
            if ahead < _BACKWARDS:
                self.stats.frames_lost += ahead
            else:
                self.stats.restarts += 1
        self._next_sequence[source] = (sequence + frames) % _WRAP

    def _note_items(self, stream: int, first: int, count: int, flags: int) -> bool:
        expected = self._next_first.get(stream)
        restarted = bool(flags & FLAG_FIRST) or (expected is not None and first < expected)
        if restarted or expected is None:
            expected = 0 if restarted else first
        if first > expected:
            self.stats.items_lost[stream] = self.stats.items_lost.get(stream, 0) + first - expected
        self._next_first[stream] = first + count
        return restarted


def _header_checks(view: memoryview, position: int, stride: int, count: int) -> NDArray[np.uint32]:
    """:func:`header_check` of ``count`` headers, ``stride`` bytes apart."""
    words = np.ndarray((count, 8), dtype="<u4", buffer=view, offset=position, strides=(stride, 4))
    checks = np.full(count, HEADER_SEED, dtype=np.uint32)
    factor = np.uint32(HEADER_FACTOR)
    for column in words.T:
        checks ^= column
        checks *= factor
    return checks


def _runs(good: NDArray[np.bool_], follows: NDArray[np.bool_]) -> Iterator[tuple[int, int]]:
    """(begin, end) of every stretch of good rows in which each follows the one before."""
    rows = np.flatnonzero(good)
    begins = rows[np.concatenate(([True], ~follows[rows[1:] - 1]))]
    last_in_run = np.concatenate((~follows, [True]))
    ends = rows[last_in_run[rows]] + 1
    yield from zip(begins.tolist(), ends.tolist(), strict=True)
