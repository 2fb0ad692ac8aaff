"""The newest stretch of a run as it came, so that a take can begin before it was asked for."""

from __future__ import annotations

from bisect import bisect_right
from collections import deque
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.session.continuation import wrap_scans
from wattigram.core.capture.take import TakeWriter
from wattigram.core.capture.transport import SampleRun
from wattigram.core.contract.link import EVENT_DTYPE, OUTPUT_STREAM, REDUCED_STREAM, STAMP_STREAM
from wattigram.core.model.design import (
    UartDestination,
    Workspace,
    program_outputs,
    rate_divisor,
    tapped_signals,
)

KEPT_S = 60.0
KEPT_BYTES = 200 << 20
"""What is kept never takes more, however fast the board sends."""
BLOCK_ITEMS = 1 << 14
MOST_PARTS = 64
MOST_EVENTS = 200_000
MOST_LINES = 4000
MOST_SETUP = 50_000
NEVER = 1 << 62


class _Block(msgspec.Struct):
    """Items of one stream that follow each other."""

    first: int
    items: NDArray[Any]
    count: int = 0
    frames: list[tuple[NDArray[np.int64], NDArray[np.int64]]] = msgspec.field(default_factory=list)
    """Counts of items and ticks of frames, as they came."""

    def add_frames(self, items: NDArray[np.int64], ticks: NDArray[np.int64]) -> None:
        """Frames behind those that are there; many small arrays would take more room than what they tell of."""
        self.frames.append((items, ticks))
        if len(self.frames) >= MOST_PARTS:
            self.frames = [self.all_frames]

    @property
    def all_frames(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """(frames,) each."""
        parts = list(self.frames)
        items, ticks = (np.concatenate([part[side] for part in parts]) for side in (0, 1))
        return items, ticks

    @property
    def end(self) -> int:
        return self.first + self.count

    @property
    def newest_ticks(self) -> int:
        return int(self.frames[-1][1][-1]) if self.frames else 0

    @property
    def first_ticks(self) -> int:
        return int(self.frames[0][1][0])

    def as_run(self, stream: int) -> SampleRun:
        items, ticks = self.all_frames
        return SampleRun(stream, self.first, self.items[: self.count], ticks, items, False)


class KeptRun:
    """What came in the last :data:`KEPT_S` seconds of the board's time, and no more than :data:`KEPT_BYTES` of it:
    samples of all streams, events, and lines of text; where the firmware set up the silicon, all that it wrote.

    It is handed every run of frames once, in order, with numbers that can be believed.
    """

    def __init__(self, workspace: Workspace) -> None:
        self._workspace = workspace
        self.tick_hz = workspace.bus_clock_hz.numerator
        project = workspace.project
        moved = enumerate(program_outputs(project.reactions), OUTPUT_STREAM + len(project.routes))
        self._sent = {
            *(number for number, output in moved if output.kind == "uart"),
            *(
                OUTPUT_STREAM + number
                for number, route in enumerate(project.routes)
                if isinstance(route.destination, UartDestination)
            ),
        }
        """Streams of bytes on wires: what came last says nothing of what is now."""
        self.clear()

    def clear(self) -> None:
        """The board starts anew."""
        self._streams: dict[int, deque[_Block]] = {}
        self._events: deque[NDArray[np.void]] = deque()
        self._event_count = 0
        self._setup: list[str] = []
        self._lines: deque[tuple[int, str]] = deque(maxlen=MOST_LINES)
        self._bytes = 0
        self.newest_ticks = 0
        self.oldest_ticks = 0
        """All that came since is kept; 0 where all of the run is."""
        self.held_ticks = NEVER
        """What is later is not let go, however old it becomes, as long as there is room."""

    def add_run(self, run: SampleRun, tick_hz: int) -> None:
        """Samples, behind those of the same stream that came before."""
        if not len(run.items) or not len(run.frame_ticks):
            return
        self.tick_hz = tick_hz
        blocks = self._streams.setdefault(run.stream, deque())
        block = blocks[-1] if blocks else None
        if (
            block is None
            or block.end != run.first
            or len(run.items) > len(block.items) - block.count
        ):
            if block is not None:
                self._bytes -= block.items.nbytes
                block.items = block.items[: block.count].copy()
                self._bytes += block.items.nbytes
            size = max(BLOCK_ITEMS, len(run.items))
            block = _Block(run.first, np.empty(size, dtype=run.items.dtype))
            blocks.append(block)
            self._bytes += block.items.nbytes
        block.items[block.count : block.count + len(run.items)] = run.items
        block.count += len(run.items)
        block.add_frames(run.frame_items, run.frame_ticks)
        self.newest_ticks = max(self.newest_ticks, int(run.frame_ticks[-1]))
        self._forget()

    def add_events(self, events: NDArray[np.void]) -> None:
        """Events: (n,) records as they came over the link."""
        self._events.append(events.copy())
        self._event_count += len(events)
        while self._event_count > MOST_EVENTS and len(self._events) > 1:
            gone = self._events.popleft()
            self._event_count -= len(gone)
            self.oldest_ticks = max(self.oldest_ticks, int(gone["ticks"].max()) + 1)

    def add_line(self, line: str, is_setup: bool) -> None:
        """A line of text; what tells of the set-up is kept as long as the board runs."""
        if is_setup and len(self._setup) < MOST_SETUP:
            self._setup.append(line)
        else:
            self._lines.append((self.newest_ticks, line))

    def _forget(self) -> None:
        """Let go of what is too old, or too much."""
        limit = min(self.newest_ticks - int(KEPT_S * self.tick_hz), self.held_ticks)
        while True:
            oldest = min(
                (blocks for blocks in self._streams.values() if len(blocks) > 1),
                key=lambda blocks: blocks[0].newest_ticks,
                default=None,
            )
            if oldest is None:
                return
            # What the block after it begins with is still there; all before it may have holes.
            since = oldest[1].first_ticks
            if since > limit and self._bytes <= KEPT_BYTES:
                return
            self._bytes -= oldest[0].items.nbytes
            oldest.popleft()
            self.oldest_ticks = max(self.oldest_ticks, since)
            while self._events and int(self._events[0]["ticks"].max()) < self.oldest_ticks:
                self._event_count -= len(self._events.popleft())

    def first_of(self, stream: int) -> int:
        """Number of the first item of a stream that is kept."""
        blocks = self._streams.get(stream)
        return blocks[0].first if blocks else 0

    def end_of(self, stream: int) -> int:
        """Past the number of its newest item."""
        blocks = self._streams.get(stream)
        return blocks[-1].end if blocks else 0

    def items(
        self, stream: int, begin: int, end: int, step: int = 1
    ) -> tuple[NDArray[Any], NDArray[np.bool_]]:
        """Every ``step``-th item of a stream from ``begin`` to before ``end``, and which of them came and are still
        kept: (⌈(end − begin) / step⌉,) each."""
        blocks = list(self._streams.get(stream, ()))
        dtype = blocks[0].items.dtype if blocks else np.dtype(np.uint16)
        count = max(0, -(-(end - begin) // step))
        items, came = np.zeros(count, dtype=dtype), np.zeros(count, dtype=bool)
        place = bisect_right(blocks, begin, key=lambda block: block.first)
        for block in blocks[max(0, place - 1) :]:
            if block.first >= end:
                break
            place = max(0, -(-(block.first - begin) // step))
            first, last = begin + place * step, min(end, block.end)
            if first < last:
                mine = block.items[first - block.first : last - block.first : step]
                items[place : place + len(mine)] = mine
                came[place : place + len(mine)] = True
        return items, came

    def pairs_since(
        self, stream: int, number: int
    ) -> tuple[int, NDArray[np.int64], NDArray[np.int64]]:
        """Of pairs of stamp and value what came from item ``number`` on: past the number of the last, and instants in
        full and values, (pairs,) each."""
        times: list[NDArray[np.int64]] = []
        values: list[NDArray[np.int64]] = []
        end = number
        for block in list(self._streams.get(stream, ())):
            if block.end <= number:
                continue
            run = block.as_run(stream)
            skip = max(0, number - run.first) // 2
            at = run.pair_ticks()
            times.append(at[skip:])
            values.append(run.items[1 : 2 * len(at) : 2].astype(np.int64)[skip:])
            end = run.first + 2 * len(at)
        nothing = np.empty(0, dtype=np.int64)
        return end, np.concatenate([nothing, *times]), np.concatenate([nothing, *values])

    def events(self) -> tuple[NDArray[Any], ...]:
        """What was told: (n,) records each."""
        return tuple(self._events)

    def instants(self, stream: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Numbers of items and their ticks: of the first of each frame, and of the newest where it has a stamp;
        (frames,) each."""
        firsts, ticks = [], []
        for block in list(self._streams.get(stream, ())):
            items, at = block.all_frames
            firsts.append(block.first + np.cumsum(items) - items)
            ticks.append(at)
        if not firsts:
            return np.empty(0, dtype=np.int64), np.empty(0, dtype=np.int64)
        stamps = self._streams.get(STAMP_STREAM + stream) if stream < STAMP_STREAM else None
        if stamps:
            run = stamps[-1].as_run(STAMP_STREAM + stream)
            last = int(run.frame_items[-1]) - 1
            later = int(run.items[-1]) - int(run.items[-1 - last])
            firsts.append(np.array([run.first + len(run.items) - 1]))
            ticks.append(np.array([int(run.frame_ticks[-1]) + later % (1 << 32)]))
        numbers, all_at = np.concatenate(firsts), np.concatenate(ticks)
        rising = np.append(True, np.diff(numbers) > 0)
        return numbers[rising], all_at[rising]

    def begin_ticks(self, ticks: int) -> int:
        """From when on a take can be written that is to begin at ``ticks``: 0 where that is the whole run."""
        return max(0, ticks, self.oldest_ticks)

    def write(self, writer: TakeWriter, begin_ticks: int, end_ticks: int | None = None) -> None:
        """Write all that came since ``begin_ticks`` (0: of the whole run), which is not before
        :attr:`oldest_ticks`, up to ``end_ticks``.

        Of each converter it begins where its circular buffer and its filters begin anew, so that samples lie
        there as after a start; that is before ``begin_ticks`` where it is kept.

        Raises
        ------
        TakeError
            When the take cannot be written.
        """
        firsts = self._firsts(begin_ticks) if begin_ticks else {}
        for line in self._setup:
            writer.add_log(line)
        for stream, blocks in sorted(self._streams.items()):
            first = firsts.get(stream, 0)
            for block in list(blocks):
                if block.end > first:
                    run = block.as_run(stream).since(first)
                    run = run if end_ticks is None else run.until_ticks(end_ticks)
                    if not len(run.items):
                        break
                    writer.add_run(run)
        for events in self._events:
            mine = events[events["ticks"] >= begin_ticks]
            mine = mine if end_ticks is None else mine[mine["ticks"] <= end_ticks]
            if len(mine):
                writer.add_events(mine.astype(EVENT_DTYPE, copy=False))
        for ticks, line in self._lines:
            if ticks >= begin_ticks:
                writer.add_log(line)

    def first_item(self, stream: int, begin_ticks: int) -> int:
        """With which item of a stream a take begins that begins then."""
        return self._firsts(begin_ticks).get(stream, 0) if begin_ticks else 0

    def ticks_of(self, stream: int, number: int) -> int | None:
        """Those of the frame that an item came with; None while it has not come."""
        blocks = self._streams.get(stream)
        if not blocks or number >= blocks[-1].end:
            return None
        for block in reversed(blocks):
            if block.first <= number < block.end:
                run = block.as_run(stream)
                frame = np.searchsorted(
                    np.cumsum(run.frame_items), number - block.first, side="right"
                )
                return int(run.frame_ticks[int(frame)])
        return None

    def _firsts(self, begin_ticks: int) -> dict[int, int]:
        """Number of the first item of each stream that a take has which begins then."""
        project = self._workspace.project
        firsts: dict[int, int] = {}
        for stream, chain in enumerate(project.chains):
            slots = len(chain.slots)
            blocks = self._streams.get(stream)
            wrap = wrap_scans(self._workspace, chain)
            kept = -(-blocks[0].first // (wrap * slots)) * wrap if blocks else 0
            scans = max(kept, self._number_at(stream, begin_ticks) // (wrap * slots) * wrap)
            firsts[stream] = firsts[STAMP_STREAM + stream] = scans * slots
            for index, signal in enumerate(tapped_signals(project)):
                stage, places = signal.later_filter, len(chain.places_of(signal.name))
                if stage is not None and places:
                    firsts[REDUCED_STREAM + index] = scans * places // rate_divisor(stage)
        for stream in self._streams:
            if stream >= OUTPUT_STREAM:
                firsts[stream] = self._pair_before(stream, begin_ticks)
        return firsts

    def _number_at(self, stream: int, ticks: int) -> int:
        """Number of the first item of the last frame that is not after ``ticks``; of the first that is kept where
        all are."""
        number = None
        for block in self._streams.get(stream, ()):
            if number is not None and block.first_ticks > ticks:
                break
            run = block.as_run(stream)
            frame = max(0, int(np.searchsorted(run.frame_ticks, ticks, side="right")) - 1)
            number = block.first + int(run.frame_items[:frame].sum())
        return number or 0

    def _pair_before(self, stream: int, ticks: int) -> int:
        """Number of the newest pair of stamp and value that came before ``ticks``, so that what an output stood
        at is known, of the first one where none did; of what is sent, the first that is not before."""
        number, stands = None, 0 if stream in self._sent else 1
        for block in self._streams[stream]:
            run = block.as_run(stream)
            before = int(np.count_nonzero(run.pair_ticks() < ticks))
            if number is None or before:
                number = run.first + 2 * max(0, before - stands)
            if 2 * before < len(run.items):
                break
        return number or 0
