"""How numbers lie in bytes, found from what they are: the layout in which they need the fewest bits, one after the
other. Where two come to nearly the same nobody guesses."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.foreign.binary_format import Bytes, integers_of, uncobs, unslip
from wattigram.core.contract.row_formats import NUMBERS, BinaryFormat, Framing

LOOKED_AT = 1 << 15
"""Bytes."""
FEWEST = 256
MOST_RAW_CHANNELS = 8
LONGEST_PERIOD = 256
FEWEST_FRAMES = 8
LONGEST_SYNC = 4
MOST_TAIL = 4
"""Bytes behind the numbers of a frame that may be a checksum."""
CLEAR = 0.02
"""By which the best score must be above the next."""
LEAST_SCORE = 0.12
_FLOAT, _HALVES = 0.08, 0.01
"""By how much floats, and wider numbers, may be worse than the best that cuts rows otherwise."""
_DOUBLES = 0.2
"""What it says more that all of eight bytes are floats of a size that somebody would send."""
_FLAT = 2
"""By which bytes of a sync differ at least."""
_FRAMED = 0.1
"""What it says more that bytes come again at an even distance."""
_CHANNEL_BITS = 0.05
"""That a further channel must save of a byte's eight, for more channels always fit a little better."""


class FoundBytes(msgspec.Struct, frozen=True):
    """A layout that bytes may have.

    Attributes
    ----------
    format : BinaryFormat
    score : float
        Share of the bits that it explains.
    frames : int
        That were found; 0 without frames.
    note : str
        What cannot be known of it; "" where nothing.
    """

    format: BinaryFormat
    score: float
    frames: int
    note: str = ""


def bytes_are_clear(found: Sequence[FoundBytes]) -> bool:
    """Whether the first of some layouts is the only one."""
    if not found or found[0].score < LEAST_SCORE:
        return False
    return len(found) < 2 or found[0].score - found[1].score >= CLEAR


def find_binary_formats(data: bytes) -> tuple[FoundBytes, ...]:
    """Layouts that some bytes may have, the best first; they may be cut off at both ends."""
    data = data[:LOOKED_AT]
    if len(data) < FEWEST or _is_text(data):
        return ()
    families: dict[tuple[object, ...], list[FoundBytes]] = {}
    for one in (*_stuffed(data, "cobs"), *_stuffed(data, "slip"), *_synced(data), *_plain(data)):
        families.setdefault(_family(one.format), []).append(one)
    found = [one for members in families.values() for one in _chosen(members)]
    found.sort(key=lambda one: -one.score)
    return tuple(found[:8])


def _is_text(data: bytes) -> bool:
    printable = sum(byte in b"\t\r\n" or 0x20 <= byte < 0x7F for byte in data)
    return printable > 0.97 * len(data)


def _family(form: BinaryFormat) -> tuple[object, ...]:
    """Layouts with the same frames, or without any the same rows, which cut them into numbers otherwise."""
    if form.framing != "none":
        return form.framing, form.frame_bytes
    return form.framing, form.row_bytes


def _chosen(members: list[FoundBytes]) -> list[FoundBytes]:
    """The best of a family, and what else it may be.

    Two halves of a number are told as well apart as together, and a byte that never changes as well by the sync as
    by a number, so that wider numbers are meant where both come to the same; floats that look like floats are
    floats, and those that leave no byte over, for a checksum looks like none; a frame is a row where that is hardly
    worse. A sign that makes no difference is taken for none.
    """
    best = max(one.score for one in members)
    floats = [one for one in members if one.format.number[0] == "f" and one.score >= best - _FLOAT]
    near = floats or [one for one in members if one.score >= best - _HALVES]
    if not floats:
        width = max(NUMBERS[one.format.number] for one in near)
        near = [one for one in near if NUMBERS[one.format.number] == width]
    first = min(
        near,
        key=lambda one: (
            one.format.rows > 1,
            _left_over(one.format) if floats else 0,
            -round(one.score, 6),
            one.format.number[0] == "i",
            -len(one.format.sync),
        ),
    )
    # All that is in a family is worth as much as its best.
    kept = [msgspec.structs.replace(first, score=best)]
    for one in members:
        form, mine = one.format, first.format
        if form.big_endian != mine.big_endian and form.replaced(big_endian=mine.big_endian) == mine:
            kept.append(one)
    return kept


def _left_over(form: BinaryFormat) -> int:
    """Bytes of a frame that are neither sync, nor counter, nor numbers."""
    if form.framing == "none":
        return 0
    used = len(form.sync) // 2 + form.counter_bytes + form.row_bytes * form.rows
    return form.frame_bytes - used


# --- cost


def _ordered(data: Bytes, number: str) -> NDArray[np.int64]:
    """Whole numbers in the order of what bytes stand for, the highest byte first; floats by the order of their
    bits."""
    if number == "f64":
        data = data[..., :6]  # what lies below is not worth a look
    if number[0] != "f":
        return integers_of(data, number[0] == "i")
    value = integers_of(data, False)
    sign = 1 << (8 * data.shape[-1] - 1)
    return np.where(value & sign, sign - value, value)


def _bits(data: Bytes, number: str, channels: int, big_endian: bool) -> float | None:
    """Bits a byte that numbers need, each told by its step from the one before of its channel; None where they are
    no numbers."""
    width = NUMBERS[number]
    rows = len(data) // (width * channels)
    if rows < FEWEST_FRAMES:
        return None
    shaped = data[: rows * width * channels].reshape(rows, channels, width)
    if not big_endian:
        shaped = shaped[..., ::-1]
    if number[0] == "f" and not _are_floats(shaped):
        return None
    values = _ordered(shaped, number)
    steps = np.abs(np.diff(values, axis=0)).astype(np.float64)
    # A step of size s takes log₂(1 + s) bits, a sign, and half as many again to say how long it is (Elias).
    bits = np.log2(1 + steps)
    cost = float((bits + np.where(steps > 0, 1.0, 0.0) + np.log2(1 + bits)).mean())
    if number == "f64":
        cost += 16  # of what was not looked at
    return min(8.0, cost / width) + _CHANNEL_BITS * (channels - 1) / channels


def _are_floats(data: Bytes) -> bool:
    """Magnitudes that somebody would send."""
    values = np.ascontiguousarray(data).view(f">f{data.shape[-1]}")[..., 0]
    with np.errstate(invalid="ignore", over="ignore"):
        size = np.abs(values.astype(np.float64))
        fit = (size == 0) | ((size > 1e-12) & (size < 1e12))
    return bool(np.isfinite(size).mean() > 0.98 and fit.mean() > 0.98 and (size > 0).any())


def _layouts(most_channels: int) -> Iterator[tuple[str, int, bool]]:
    for number, width in NUMBERS.items():
        for channels in range(1, most_channels + 1):
            for big_endian in (False, True) if width > 1 else (False,):
                yield number, channels, big_endian


def _are_singles(data: Bytes, big_endian: bool) -> bool:
    """Halves of doubles that are floats themselves, which those of real doubles are not."""
    shaped = data[: len(data) // 4 * 4].reshape(-1, 4)
    return _are_floats(shaped if big_endian else shaped[:, ::-1])


# --- without frames


def _plain(data: bytes) -> Iterator[FoundBytes]:
    """Numbers and nothing else; where in a row they begin is not known, so that each beginning is tried."""
    array = np.frombuffer(data, np.uint8)
    for number, channels, big_endian in _layouts(MOST_RAW_CHANNELS):
        mine, *others = (
            _bits(array[shift:], number, channels, big_endian) for shift in range(NUMBERS[number])
        )
        if mine is None or any(cost is not None and mine > cost + 0.1 for cost in others):
            continue  # it begins within a number: whoever listens skips the bytes before it
        form = BinaryFormat(number=number, channels=channels, big_endian=big_endian)
        told = _DOUBLES if number == "f64" and not _are_singles(array, big_endian) else 0.0
        note = "Nothing marks a row: a lost byte, and which channel is the first, cannot be known."
        yield FoundBytes(form, 1 - mine / 8 + told, 0, note)


# --- frames that begin with a sync


def _synced(data: bytes) -> Iterator[FoundBytes]:
    array = np.frombuffer(data, np.uint8)
    for period in range(3, LONGEST_PERIOD + 1):
        rows = len(array) // period
        if rows < FEWEST_FRAMES:
            return
        table = array[: rows * period].reshape(rows, period)
        still = (table == table[0]).all(axis=0)
        if not still.any() or still.all():
            continue
        run = _longest_run(still)
        if run is None or _is_shorter_period(table, period):
            continue
        found = [one for part in _parts(*run) for one in _with_sync(array, period, *part)]
        if found:
            yield from found
            return


def _parts(begin: int, length: int) -> Iterator[tuple[int, int]]:
    """Where in a run of bytes that never change a sync may lie, and how long it is: bytes at both ends may be of
    numbers."""
    for size in range(2, min(length, LONGEST_SYNC) + 1):
        for at in range(begin, begin + length - size + 1):
            yield at, size


def _with_sync(array: Bytes, period: int, at: int, length: int) -> Iterator[FoundBytes]:
    at %= period
    rows = (len(array) - at) // period
    frames = array[at : at + rows * period].reshape(rows, period)
    head = frames[0, :length]
    if int(np.ptp(head)) <= _FLAT or length >= period:
        return  # a signal that stands still, once a period
    for one in _in_frames(frames, "sync", head.tobytes()):
        yield msgspec.structs.replace(one, score=one.score + _FRAMED)


def _longest_run(still: NDArray[np.bool_]) -> tuple[int, int] | None:
    """Where the longest run of columns that never change begins, round the end, and how long it is; None of one
    that may be the highest byte of a small number."""
    twice = np.concatenate((still, still))
    best, run = (0, 0), 0
    for place, constant in enumerate(twice):
        run = run + 1 if constant else 0
        if best[1] < run <= len(still):
            best = place - run + 1, run
    return (best[0] % len(still), best[1]) if best[1] >= 2 else None


def _is_shorter_period(table: Bytes, period: int) -> bool:
    return any(
        period % part == 0 and (table[:, part:] == table[:, :-part]).all()
        for part in range(1, period)
    )


def _in_frames(frames: Bytes, framing: Framing, sync: bytes) -> Iterator[FoundBytes]:
    """Numbers in frames of one length, (frames, bytes), behind a counter, before a checksum, or neither."""
    size = frames.shape[1]
    head = len(sync)
    counters = [(0, 0), *_counters(frames, head)]
    for counter_at, counter_bytes in counters:
        starts = {head} if not counter_bytes else {counter_at + counter_bytes}
        for begin in sorted(starts):
            for tail in range(MOST_TAIL + 1):
                payload = frames[:, begin : size - tail]
                if payload.shape[1] < 1:
                    continue
                explained = head + counter_bytes
                ignored = tail + (begin - head - counter_bytes)
                yield from _payloads(
                    payload,
                    (framing, sync, size, begin - head),
                    (counter_at, counter_bytes),
                    (explained, ignored),
                )


def _counters(frames: Bytes, head: int) -> Iterator[tuple[int, int]]:
    """Places of bytes that grow by one from frame to frame, with how many belong together."""
    for at in range(head, frames.shape[1]):
        for width in (4, 2, 1):
            if at + width > frames.shape[1]:
                continue
            part = frames[:, at : at + width]
            for big in (False, True) if width > 1 else (False,):
                values = integers_of(part if big else part[:, ::-1], False)
                steps = np.diff(values) % (1 << (8 * width))
                if (steps == 1).mean() > 0.95:
                    yield at, width
                    return


def _payloads(
    payload: Bytes,
    frame: tuple[Framing, bytes, int, int],
    counter: tuple[int, int],
    bytes_of: tuple[int, int],
) -> Iterator[FoundBytes]:
    framing, sync, size, skip = frame
    explained, ignored = bytes_of
    for number, width in NUMBERS.items():
        if payload.shape[1] % width:
            continue
        in_frame = payload.shape[1] // width
        for channels in range(1, min(in_frame, 64) + 1):
            if in_frame % channels:
                continue
            for big_endian in (False, True) if width > 1 else (False,):
                cost = _bits(payload.ravel(), number, channels, big_endian)
                if cost is None:
                    continue
                total = (cost * payload.shape[1] + 8 * ignored + 0.0 * explained) / size
                form = BinaryFormat(
                    number=number,
                    channels=channels,
                    big_endian=big_endian,
                    framing=framing,
                    sync=sync.hex() if framing == "sync" else "",
                    frame_bytes=size,
                    skip_bytes=skip,
                    counter_at=counter[0],
                    counter_bytes=counter[1],
                    rows=in_frame // channels,
                )
                yield FoundBytes(form, 1 - total / 8, len(payload))


# --- frames that end with a byte that is in none


def _stuffed(data: bytes, framing: Framing) -> Iterator[FoundBytes]:
    end, undo = (b"\x00", uncobs) if framing == "cobs" else (b"\xc0", unslip)
    parts = [part for part in data.split(end)[1:-1] if part]
    if len(parts) < FEWEST_FRAMES:
        return
    frames = [frame for frame in (undo(part) for part in parts) if frame]
    sizes = Counter(len(frame) for frame in frames)
    if not sizes:
        return
    size, count = sizes.most_common(1)[0]
    # Frames of one byte come about by chance; and nearly all must be whole, and as long.
    if size < 2 or count < 0.9 * len(parts):
        return
    table = np.frombuffer(b"".join(frame for frame in frames if len(frame) == size), np.uint8)
    for one in _in_frames(table.reshape(-1, size), framing, b""):
        # That all frames are whole and as long says more than any numbers do.
        yield FoundBytes(one.format, 0.5 + one.score / 2, one.frames)
