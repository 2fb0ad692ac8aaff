"""What comes over a link, sorted: items into rings and the take, events, log, and what was lost."""

from __future__ import annotations

import re
import time
from collections import deque
from collections.abc import Callable
from functools import partial
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import LinkError, TakeError
from wattigram.core.capture.session.continuation import Origin, SuspendedTake, origin_after
from wattigram.core.capture.session.item_numbering import ItemNumbering
from wattigram.core.capture.session.kept_run import KeptRun
from wattigram.core.capture.take import TakeWriter
from wattigram.core.capture.transport import Decoder, SampleRun
from wattigram.core.contract.link import (
    EVENT_DTYPE,
    REDUCED_STREAM,
    STAMP_STREAM,
    Frame,
    FrameType,
    Identity,
    RegisterWrite,
    parse_identity,
    parse_late_write,
    parse_pointing,
    parse_writes,
)
from wattigram.core.model.design import Workspace
from wattigram.core.predict.expected import unwrap_stamps

RING_ITEMS = 1 << 20
EVENTS_KEPT = 500
LOG_KEPT = 500


def _full_ticks(run: SampleRun) -> NDArray[np.int64]:
    """Stamps of a run as full ticks."""
    firsts = np.cumsum(run.frame_items) - run.frame_items
    return unwrap_stamps(
        run.items.astype(np.uint32), firsts.astype(np.int64), run.frame_ticks.astype(np.int64)
    )


LARGEST_COUNT = 1 << 62
MOST_COUNTS = 2000


def _counts(text: str) -> dict[str, int]:
    """``key=number`` pairs of a reply; what is none is passed over."""
    counts = {}
    for word in text.split()[:MOST_COUNTS]:
        key, _, value = word.partition("=")
        if (
            value.isascii()
            and value.isdigit()
            and len(value) <= 18
            and re.fullmatch(r"[A-Za-z0-9_.]{1,40}", key)
        ):
            counts[key] = min(int(value), LARGEST_COUNT)
    return counts


def _number(key: str) -> int:
    """Stream of a count such as ``items.64``; −1 where it names none."""
    text = key.partition(".")[2]
    return int(text) if text.isascii() and text.isdigit() and len(text) < 6 else -1


class Ring:
    """The newest items of one stream, found by their number since the start."""

    def __init__(self, dtype: np.dtype[Any]) -> None:
        # Written and not only promised: a ring takes no more memory after an hour than at once.
        self._items = np.full(RING_ITEMS, 0, dtype=dtype)
        self.begin = 0
        self.end = 0

    def append(self, first: int, items: NDArray[Any]) -> None:
        """Add items; what is missing before them forgets all that came earlier.

        ``items`` is (n,) unsigned.
        """
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
        """A copy of items ``begin`` to ``end``, which must be within the ring's own.

        (end − begin,) unsigned.
        """
        start, stop = begin % RING_ITEMS, end % RING_ITEMS
        if end - begin == 0:
            return self._items[:0].copy()
        if start < stop:
            return self._items[start:stop].copy()
        return np.concatenate((self._items[start:], self._items[:stop]))


class Recorder(Protocol):
    """Hears of what has come, after it was stored."""

    @property
    def end_ticks(self) -> int | None:
        """What is later does not belong to the take; None while that is not known."""

    def on_run(self, run: SampleRun) -> None:
        """Samples came."""

    def on_events(self, events: NDArray[Any]) -> None:
        """Events came: (n,) records."""

    def on_told(self) -> None:
        """The board has said how far it is."""


class StreamReceiver:
    """Decodes a board's bytes and keeps account; not safe to use from two threads at once."""

    def __init__(self, workspace: Workspace, keeps: bool = False) -> None:
        """Where it ``keeps``, a take can begin before it was asked for."""
        self.workspace = workspace
        self.kept = KeptRun(workspace) if keeps else None
        self.identity: Identity | None = None
        self.identity_fault: LinkError | None = None
        """Why what the board says of itself cannot be used; None where it can."""
        self.decoder = Decoder()
        self.rings: dict[int, Ring] = {}
        self.events: deque[tuple[int, bool, int, int]] = deque(maxlen=EVENTS_KEPT)
        self.event_count = 0
        self.log: deque[str] = deque(maxlen=LOG_KEPT)
        self.stopped = False
        self.totals: dict[str, int] = {}
        self.samples = 0
        self.lost_cycles = 0
        self.refusal = ""
        """What the board answered last where it did not do as it was told."""
        self.bytes_came = 0
        """Of the link, whatever they were."""
        self.bytes_taken = 0
        """Of samples and events."""
        self.ticks = 0
        self.told_ticks = 0
        """How far the board says it has come: all that was earlier has been sent before it said so."""
        self.recorder: Recorder | None = None
        """Who is told at once what has come, and may let takes begin and end then."""
        self.writer: TakeWriter | None = None
        self.writing_fault: TakeError | None = None
        """Why the take that was being written had to end; the stream itself goes on."""
        self._origin = Origin()
        self._awaits_start = False
        self.bench_ticks: int | None = None
        self._next: dict[int, int] = {}
        self._numbering = ItemNumbering()
        self._said_started = False
        self.repeated: dict[int, int] = {}
        """Items of a stream that came although they were there already."""
        self._silicon: dict[str, int] = {}
        self.register_writes: tuple[RegisterWrite, ...] = ()
        """What the board's firmware set up, where whoever watches it says so."""

    @property
    def mark_matches(self) -> bool | None:
        """Whether the board runs this design; None before it has said."""
        return None if self.identity is None else self.identity.build_id == self.workspace.build_id

    def begin(self) -> None:
        """Forget what an earlier run left."""
        self.writing_fault = None
        self.refusal = ""
        self._origin = Origin()
        self._awaits_start = False
        self.rings.clear()
        self.events.clear()
        self._next.clear()
        self._numbering.clear()
        self._said_started = False
        self.repeated = {}
        self.event_count = self.samples = self.lost_cycles = self.ticks = self.told_ticks = 0
        self.stopped = False
        self.totals = {}
        self._silicon = {}
        self.register_writes = ()
        if self.kept is not None:
            self.kept.clear()

    def feed(self, data: bytes) -> None:
        """Take bytes as they came. A take that can no longer be written ends, with
        ``writing_fault`` saying why."""
        self.bytes_came += len(data)
        for decoded in self.decoder.feed(data):
            if isinstance(decoded, SampleRun):
                if self._awaits_start and decoded.first:
                    continue  # still of the run before the board was away
                self._awaits_start = False
                self._take_samples(self._origin.shifted(decoded))
            else:
                self._take_frame(decoded)

    def _take_samples(self, run: SampleRun) -> None:
        expected = self._next.get(run.stream, 0)
        if expected and self._is_new_start(run):
            self._end_writing("The board was started anew.", "Record again from a start.")
            fault = self.writing_fault
            self.begin()
            self.writing_fault = fault
            expected = 0
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
        if self.kept is not None and self.identity is not None:
            self.kept.add_run(run, self.identity.tick_hz)
        end = self.recorder.end_ticks if self.recorder is not None else None
        kept = run if end is None else run.until_ticks(end)
        if len(kept.items):
            self._store(lambda writer: writer.add_run(kept))
        if self.recorder is not None:
            self.recorder.on_run(run)

    def _store(self, store: Callable[[TakeWriter], object]) -> None:
        """Write to the take, where one is being written; one that cannot be written on ends."""
        if self.writer is None:
            return
        try:
            store(self.writer)
        except TakeError as fault:
            self._end_writing(fault.message, fault.cure)

    def _end_writing(self, why: str, cure: str) -> None:
        """The take ends here with what it has."""
        writer = self.writer
        if writer is None:
            return
        try:
            self.finish_writing(ended=why)
        except TakeError as fault:
            why = f"{why} {fault.message}"
        self.writing_fault = TakeError(
            f"{why} The take ends there.", where=str(writer.path), cure=cure
        )
        self.log.append(str(self.writing_fault))

    def add_bench(self, ticks: int, text: str) -> None:
        """Note in the take that knobs were turned."""
        self._store(lambda writer: writer.add_bench(ticks, text))

    def flush_if_due(self) -> None:
        """Make the take safe up to now, twice a second."""
        self._store(lambda writer: writer.flush_if_due())

    def _is_new_start(self, run: SampleRun) -> bool:
        """The board said so, or its time went back; else a handler only sends again what it sent
        before."""
        if run.first >= self._next[run.stream] or not len(run.frame_ticks):
            return False
        return self._said_started or int(run.frame_ticks[0]) < self._numbering.newest_ticks(
            run.stream
        )

    def _placed(self, run: SampleRun, expected: int) -> SampleRun:
        """A run with numbers that can be; of each stream the first that cannot is told."""
        told = run.stream in self._numbering.jumps
        placed = self._numbering.placed(run, expected)
        if not told and run.stream in self._numbering.jumps:
            self._note(
                f"Stream {run.stream} went from sample {expected} to {run.first}, more than there "
                "was time for; "
                "what came is counted from where it was."
            )
        return placed

    def _without_repeats(self, run: SampleRun, expected: int) -> SampleRun:
        """What of a run is new; of each stream the first repetition is told."""
        rest = run.since(expected)
        count = len(run.items) - len(rest.items)
        if run.stream not in self.repeated:
            self._note(
                f"Stream {run.stream} gave {count} samples again that had come before, from sample "
                f"{run.first} on."
            )
        self.repeated[run.stream] = self.repeated.get(run.stream, 0) + count
        self._store(lambda writer: writer.add_repeat(run.stream, max(0, run.first), count))
        return rest._replace(first=expected)

    def _note(self, line: str) -> None:
        """A line of the reader's own, kept with those of the board."""
        self.log.append(line)
        if self.kept is not None:
            self.kept.add_line(line, is_setup=False)
        self._store(lambda writer: writer.add_log(line))

    def _count_lost(self, stream: int, first: int, count: int) -> None:
        slots = len(self.workspace.project.chains[stream].slots)
        self.lost_cycles += (first + count - 1) // slots - first // slots + 1

    def _take_frame(self, frame: Frame) -> None:
        match frame.type:
            case FrameType.EVENTS:
                usable = len(frame.payload) // EVENT_DTYPE.itemsize * EVENT_DTYPE.itemsize
                events = np.frombuffer(frame.payload[:usable], dtype=EVENT_DTYPE)
                if self._origin.ticks:
                    events = events.copy()
                    events["ticks"] += np.uint64(self._origin.ticks)
                self.events.extend(
                    (int(row["source"]), bool(row["entered"]), int(row["value"]), int(row["ticks"]))
                    for row in events
                )
                self.event_count += len(events)
                self.bytes_taken += usable
                if self.kept is not None and len(events):
                    self.kept.add_events(events)
                end = self.recorder.end_ticks if self.recorder is not None else None
                mine = events if end is None else events[events["ticks"] <= end]
                self._store(lambda writer: writer.add_events(mine))
                if self.recorder is not None:
                    self.recorder.on_events(events)
            case FrameType.IDENTITY:
                self._take_identity(frame.text)
            case FrameType.LOG | FrameType.REPLY:
                self._take_text(frame)
            case FrameType.SAMPLES:
                self.log.append(
                    f"Frame {frame.sequence} carries samples of a width that samples cannot have."
                )

    def _take_identity(self, text: str) -> None:
        """Who the board is; while a take is written it stays who it was, for all ticks count by
        that."""
        try:
            identity = parse_identity(text)
        except LinkError as fault:
            self.identity_fault = fault
            self._note(str(fault))
            return
        if self.writer is not None and self.identity is not None and identity != self.identity:
            self._note(
                f"The board now says it is “{identity.board}”, build {identity.build_id}, "
                f"{identity.tick_hz} ticks a second; "
                "it is taken for the one that the run began with."
            )
            return
        self.identity, self.identity_fault = identity, None

    def _take_text(self, frame: Frame) -> None:
        text = frame.text
        if frame.type is FrameType.REPLY and text.startswith("silicon"):
            self._silicon = _counts(text)  # what firmware cannot know
            return
        if frame.type is FrameType.REPLY and text.startswith("running"):
            self.totals = self._total_counts(text)  # asked for all the time, and nobody's news
            self.told_ticks = self.totals.get("ticks", 0)
            if self.recorder is not None:
                self.recorder.on_told()
            return
        writes = parse_writes(text) if frame.type is FrameType.LOG else None
        is_setup = writes is not None or parse_pointing(text) is not None
        if writes is not None:
            self.register_writes = (*self.register_writes, *writes)
        elif not is_setup:
            self.log.append(text)
        if self.kept is not None:
            self.kept.add_line(text, is_setup or parse_late_write(text) is not None)
        self._store(lambda writer: writer.add_log(text))
        if frame.type is FrameType.LOG and text.startswith("started") and self._next:
            self._said_started = not self._awaits_start
            self._awaits_start = False
        if frame.type is FrameType.LOG and (match := re.match(r"bench ticks=(\d{1,18})$", text)):
            self.bench_ticks = int(match[1]) + self._origin.ticks
        if frame.type is FrameType.REPLY and text.startswith("error "):
            self.refusal = text.removeprefix("error ")[:300]
        if frame.type is FrameType.REPLY and text.startswith("stopped"):
            self.totals = self._total_counts(text)
            self.totals |= {
                f"jumps.{stream}": count for stream, count in self._numbering.jumps.items()
            }
            self._close_streams()
            self.stopped = True

    def _total_counts(self, text: str) -> dict[str, int]:
        """The board's counts of the whole take, also where it was started anew in it."""
        counts = {**self._silicon, **_counts(text)}
        if self._origin.ticks:
            if "ticks" in counts:
                counts["ticks"] += self._origin.ticks
            for key in counts:
                if key.startswith("items."):
                    counts[key] += self._origin.items.get(_number(key), 0)
        return counts

    def _close_streams(self) -> None:
        """The board has said how much it sent, so that a loss at the very end is known too."""
        totals = {
            _number(key): total for key, total in self.totals.items() if key.startswith("items.")
        }
        for stream in range(len(self.workspace.project.chains)):
            if STAMP_STREAM + stream in self._next and stream in totals:  # each item has its stamp
                totals.setdefault(STAMP_STREAM + stream, totals[stream])
        for stream, total in totals.items():
            if stream < 0:
                continue
            done = self._next.get(stream, 0)
            total = self._numbering.total(stream, total, done, self.totals.get("ticks", 0))
            if total > done:
                if stream < len(self.workspace.project.chains):
                    self._count_lost(stream, done, total - done)
                if stream < 2 * REDUCED_STREAM:
                    self._store(partial(_close_stream, stream=stream, total=total))
                self._next[stream] = total

    def scans(self) -> dict[str, int]:
        """Whole scans of each converter so far, with those that are known to be lost."""
        return {
            chain.converter: self._next.get(stream, 0) // len(chain.slots)
            for stream, chain in enumerate(self.workspace.project.chains)
        }

    def start_writing(self, writer: TakeWriter) -> None:
        """Store from now on; to be called before the board is started."""
        self.writer = writer

    def start_writing_since(
        self, writer: TakeWriter, begin_ticks: int, end_ticks: int | None = None
    ) -> None:
        """Store what came since ``begin_ticks`` (0: since the start), which is still kept, and from now on, up to ``end_ticks``.

        Raises
        ------
        TakeError
            When it cannot be written; the take ends with what it has.
        """
        assert self.kept is not None
        try:
            self.kept.write(writer, begin_ticks, end_ticks)
        except TakeError as fault:
            writer.close(writer.lost_scans, {}, ended=fault.message)
            raise
        self.writer = writer

    def cut_writing(self) -> TakeWriter | None:
        """Close the take while the board runs on: it is as long as it was wanted.

        Raises
        ------
        TakeError
            When its end cannot be written.
        """
        writer, self.writer = self.writer, None
        if writer is not None:
            # The board's counts are of some instant before, or after.
            writer.close(writer.lost_scans, {})
        return writer

    def finish_writing(self, ended: str = "") -> TakeWriter | None:
        """Close the take, if one is being written; ``ended`` says why, where the board did not stop
        by itself.

        Raises
        ------
        TakeError
            When its end cannot be written.
        """
        writer, self.writer = self.writer, None
        if writer is not None:
            if not self.stopped and not ended:
                ended = "The recording was ended before the board said that it had stopped."
            lost = writer.lost_scans if writer.begins_ticks else self.lost_cycles
            writer.close(lost, self.totals, ended=ended)
        return writer

    def suspend(self) -> SuspendedTake | None:
        """Let the board go and keep its take open; None where none is being written."""
        self._store(lambda writer: writer.flush())
        writer, self.writer = self.writer, None
        if writer is None:
            return None
        return SuspendedTake(
            writer, dict(self._next), self.ticks, self.lost_cycles, time.monotonic()
        )

    def go_on(self, suspended: SuspendedTake) -> None:
        """Write on in a take whose board was away; to be called after :meth:`begin`, once the board
        is known."""
        assert self.identity is not None
        pause_s = time.monotonic() - suspended.since_s
        self._origin = origin_after(self.workspace, suspended, pause_s, self.identity.tick_hz)
        self._next = dict(suspended.next_items)
        self._awaits_start = True
        self.lost_cycles = suspended.lost_cycles
        self.ticks = suspended.ticks
        self.writer = suspended.writer
        self._note(
            f"The board was away for {pause_s:.1f} s by the host's clock, and was started anew; "
            f"its ticks go on from {self._origin.ticks}."
        )


def _close_stream(writer: TakeWriter, *, stream: int, total: int) -> None:
    writer.close_stream(stream, total)
