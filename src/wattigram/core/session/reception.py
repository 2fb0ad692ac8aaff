"""What comes over a link, sorted: items into rings and the take, events, log, and what was lost."""

from __future__ import annotations

import re
from collections import deque
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.design import Workspace
from wattigram.core.errors import LinkError, TakeError
from wattigram.core.expected import unwrap_stamps
from wattigram.core.link import (
    EVENT_DTYPE,
    REDUCED_STREAM,
    STAMP_STREAM,
    Decoder,
    Frame,
    FrameType,
    Identity,
    RegisterWrite,
    SampleRun,
    parse_identity,
    parse_pointing,
    parse_writes,
)
from wattigram.core.session.numbering import Numbering
from wattigram.core.take import TakeWriter

RING_ITEMS = 1 << 20
EVENTS_KEPT = 500
LOG_KEPT = 500


def _full_ticks(run: SampleRun) -> NDArray[np.int64]:
    """Stamps of a run as full ticks."""
    firsts = np.cumsum(run.frame_items) - run.frame_items
    return unwrap_stamps(run.items.astype(np.uint32), firsts.astype(np.int64), run.frame_ticks.astype(np.int64))


def _counts(text: str) -> dict[str, int]:
    """``key=number`` pairs of a reply."""
    return {key: int(value) for key, value in re.findall(r"([\w.]+)=(\d{1,18})(?!\d)", text)}


class Ring:
    """The newest items of one stream, found by their number since the start."""

    def __init__(self, dtype: np.dtype[Any]) -> None:
        self._items = np.zeros(RING_ITEMS, dtype=dtype)
        self.begin = 0
        self.end = 0

    def append(self, first: int, items: NDArray[Any]) -> None:
        """Add items; what is missing before them forgets all that came earlier."""
        if first != self.end:
            self.begin = first
        self.end = first
        if len(items) > RING_ITEMS:
            self.end += len(items) - RING_ITEMS
            items = items[-RING_ITEMS:]
        position = self.end % RING_ITEMS
        head = min(len(items), RING_ITEMS - position)
        self._items[position : position + head] = items[:head]
        self._items[: len(items) - head] = items[head:]
        self.end += len(items)
        self.begin = max(self.begin, self.end - RING_ITEMS)

    def window(self, begin: int, end: int) -> NDArray[Any]:
        """A copy of items ``begin`` to ``end``, which must be within the ring's own."""
        start, stop = begin % RING_ITEMS, end % RING_ITEMS
        if end - begin == 0:
            return self._items[:0].copy()
        if start < stop:
            return self._items[start:stop].copy()
        return np.concatenate((self._items[start:], self._items[:stop]))


class Reception:
    """Decodes a board's bytes and keeps account; not safe to use from two threads at once."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.identity: Identity | None = None
        self.decoder = Decoder()
        self.rings: dict[int, Ring] = {}
        self.events: deque[tuple[int, bool, int, int]] = deque(maxlen=EVENTS_KEPT)
        self.event_count = 0
        self.log: deque[str] = deque(maxlen=LOG_KEPT)
        self.stopped = False
        self.totals: dict[str, int] = {}
        self.samples = 0
        self.lost_cycles = 0
        self.bytes_taken = 0
        """Of samples and events."""
        self.ticks = 0
        self.writer: TakeWriter | None = None
        self.bench_ticks: int | None = None
        self._next: dict[int, int] = {}
        self._numbering = Numbering()
        self._said_started = False
        self.repeated: dict[int, int] = {}
        """Items of a stream that came although they were there already."""
        self._silicon: dict[str, int] = {}
        self.register_writes: tuple[RegisterWrite, ...] = ()
        """What the board's firmware set up, where whoever watches it says so."""

    @property
    def mark_matches(self) -> bool | None:
        """Whether the board runs this design; None before it has said."""
        return None if self.identity is None else self.identity.build_mark == self.workspace.build_mark

    def begin(self) -> None:
        """Forget what an earlier run left."""
        self.rings.clear()
        self.events.clear()
        self._next.clear()
        self._numbering.clear()
        self._said_started = False
        self.repeated = {}
        self.event_count = self.samples = self.lost_cycles = self.ticks = 0
        self.stopped = False
        self.totals = {}
        self._silicon = {}
        self.register_writes = ()

    def feed(self, data: bytes) -> None:
        """Take bytes as they came.

        Raises
        ------
        TakeError
            When the take can no longer be written.
        """
        for found in self.decoder.feed(data):
            if isinstance(found, SampleRun):
                self._take_samples(found)
            else:
                self._take_frame(found)

    def _take_samples(self, run: SampleRun) -> None:
        expected = self._next.get(run.stream, 0)
        if expected and self._is_new_start(run):
            self.begin()
            expected = 0
            if self.writer is not None:
                raise TakeError(
                    "The board was started anew.", where=str(self.writer.path), cure="Record again from a start."
                )
        run = self._placed(run, expected)
        if run.first < expected:
            run = self._without_repeats(run, expected)
        missing = run.first - expected
        is_raw = run.stream < len(self.workspace.project.chains)
        if missing > 0 and is_raw:
            self._count_lost(run.stream, expected, missing)
        self._next[run.stream] = run.first + len(run.items)
        self.bytes_taken += run.items.nbytes
        is_stamps = STAMP_STREAM <= run.stream < REDUCED_STREAM
        items: NDArray[Any] = _full_ticks(run) if is_stamps else run.items
        ring = self.rings.get(run.stream)
        if ring is None:
            ring = self.rings[run.stream] = Ring(items.dtype)
        ring.append(run.first, items)
        if is_raw:
            self.samples += len(run.items)
        if len(run.frame_ticks):
            self.ticks = max(self.ticks, int(run.frame_ticks[-1]))
        if self.writer is not None:
            self.writer.add_run(run)

    def _is_new_start(self, run: SampleRun) -> bool:
        """The board said so, or its time went back; else a handler only sends again what it sent before."""
        if run.first >= self._next[run.stream] or not len(run.frame_ticks):
            return False
        return self._said_started or int(run.frame_ticks[0]) < self._numbering.newest_ticks(run.stream)

    def _placed(self, run: SampleRun, expected: int) -> SampleRun:
        """A run with numbers that can be; of each stream the first that cannot is told."""
        told = run.stream in self._numbering.jumps
        placed = self._numbering.placed(run, expected)
        if not told and run.stream in self._numbering.jumps:
            self._note(
                f"Stream {run.stream} went from item {expected} to {run.first}, more than there was time for; "
                "what came is counted from where it was."
            )
        return placed

    def _without_repeats(self, run: SampleRun, expected: int) -> SampleRun:
        """What of a run is new; of each stream the first repetition is told."""
        rest = run.since(expected)
        count = len(run.items) - len(rest.items)
        if run.stream not in self.repeated:
            self._note(f"Stream {run.stream} gave {count} items again that had come before, from item {run.first} on.")
        self.repeated[run.stream] = self.repeated.get(run.stream, 0) + count
        if self.writer is not None:
            self.writer.add_repeat(run.stream, max(0, run.first), count)
        return rest._replace(first=expected)

    def _note(self, line: str) -> None:
        """A line of the reader's own, kept with those of the board."""
        self.log.append(line)
        if self.writer is not None:
            self.writer.add_log(line)

    def _count_lost(self, stream: int, first: int, count: int) -> None:
        slots = len(self.workspace.project.chains[stream].slots)
        self.lost_cycles += (first + count - 1) // slots - first // slots + 1

    def _take_frame(self, frame: Frame) -> None:
        match frame.type:
            case FrameType.EVENTS:
                usable = len(frame.payload) // EVENT_DTYPE.itemsize * EVENT_DTYPE.itemsize
                events = np.frombuffer(frame.payload[:usable], dtype=EVENT_DTYPE)
                self.events.extend(
                    (int(row["window"]), bool(row["entered"]), int(row["value"]), int(row["ticks"])) for row in events
                )
                self.event_count += len(events)
                self.bytes_taken += usable
                if self.writer is not None:
                    self.writer.add_events(events)
            case FrameType.IDENTITY:
                try:
                    self.identity = parse_identity(frame.text)
                except LinkError as fault:
                    self.log.append(str(fault))
            case FrameType.LOG | FrameType.REPLY:
                self._take_text(frame)
            case FrameType.SAMPLES:
                self.log.append(f"Frame {frame.sequence} carries items of a width that samples cannot have.")

    def _take_text(self, frame: Frame) -> None:
        text = frame.text
        if frame.type is FrameType.REPLY and text.startswith("silicon"):
            self._silicon = _counts(text)  # what firmware cannot know
            return
        if frame.type is FrameType.REPLY and text.startswith("running"):
            self.totals = {**self._silicon, **_counts(text)}  # asked for all the time, and nobody's news
            return
        writes = parse_writes(text) if frame.type is FrameType.LOG else None
        if writes is not None:
            self.register_writes = (*self.register_writes, *writes)
        elif parse_pointing(text) is None:
            self.log.append(text)
        if self.writer is not None:
            self.writer.add_log(text)
        if frame.type is FrameType.LOG and text.startswith("started") and self._next:
            self._said_started = True
        if frame.type is FrameType.LOG and (match := re.match(r"bench ticks=(\d{1,18})$", text)):
            self.bench_ticks = int(match[1])
        if frame.type is FrameType.REPLY and text.startswith("stopped"):
            self.totals = {**self._silicon, **_counts(text)}
            self.totals |= {f"jumps.{stream}": count for stream, count in self._numbering.jumps.items()}
            self._close_streams()
            self.stopped = True

    def _close_streams(self) -> None:
        """The board has said how much it sent, so that a loss at the very end is known too."""
        for key, total in self.totals.items():
            stream_text = key.removeprefix("items.")
            if key == stream_text or not stream_text.isdigit():
                continue
            stream = int(stream_text)
            done = self._next.get(stream, 0)
            total = self._numbering.total(stream, total, done, self.totals.get("ticks", 0))
            if total > done:
                if stream < len(self.workspace.project.chains):
                    self._count_lost(stream, done, total - done)
                if self.writer is not None and stream < 2 * REDUCED_STREAM:
                    self.writer.close_stream(stream, total)
                self._next[stream] = total

    def start_writing(self, writer: TakeWriter) -> None:
        """Store from now on; to be called before the board is started."""
        self.writer = writer

    def finish_writing(self) -> TakeWriter | None:
        """Close the take, if one is being written."""
        writer, self.writer = self.writer, None
        if writer is not None:
            try:
                writer.close(self.lost_cycles, self.totals)
            except (OSError, ValueError, RuntimeError) as fault:
                raise TakeError(f"The take could not be finished: {fault}.", where=str(writer.path)) from fault
        return writer
