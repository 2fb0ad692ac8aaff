"""Writing a take: HDF5, chunk by chunk, readable up to the last flush whatever happens.

``docs/take-format.md`` describes the file. Items stand at their own number, so that time never
shifts where data are missing; what is missing is listed under ``gaps``.
"""

from __future__ import annotations

import contextlib
import json
import os
import time
from collections.abc import Callable, Mapping, Sequence
from functools import wraps
from pathlib import Path
from typing import Any, Concatenate, ParamSpec, TypeVar, cast

import h5py
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.take.atomic_file import move_into_place, temporary_path
from wattigram.core.capture.take.disk_space import DiskSpace, check_target
from wattigram.core.capture.take.extremes import ExtremesGatherer
from wattigram.core.capture.take.layout import EVENT_DTYPE, FORMAT, FRAME_DTYPE, GAP_DTYPE, VERSION
from wattigram.core.capture.take.self_description import Described, write_description
from wattigram.core.capture.transport import SampleRun
from wattigram.core.contract.link import STAMP_STREAM

CHUNK_BYTES = 256 * 1024
FLUSH_S = 0.5
CACHE_BYTES = 1 << 18
"""Of chunks, for each table of rows; what is written is not read again, and the default would fill
for half an hour."""
LARGEST_GAP_ITEMS = 1 << 34


Params = ParamSpec("Params")
Result = TypeVar("Result")


def _told(
    method: Callable[Concatenate[TakeWriter, Params], Result],
) -> Callable[Concatenate[TakeWriter, Params], Result]:
    """Whatever the library raises while it writes becomes a :class:`TakeError` that names the
    take."""

    @wraps(method)
    def call(writer: TakeWriter, *args: Params.args, **named: Params.kwargs) -> Result:
        try:
            return method(writer, *args, **named)
        except (OSError, RuntimeError, ValueError) as fault:
            if isinstance(fault, TakeError):
                raise
            raise TakeError(
                f"The take cannot be written on: {_reason(fault)}.",
                where=str(writer.path),
                cure="What came until then is kept.",
            ) from fault

    return cast("Callable[Concatenate[TakeWriter, Params], Result]", call)


def _reason(fault: Exception) -> str:
    """The system's own words, where the library passes its number on; else the library's."""
    number = getattr(fault, "errno", None)
    return os.strerror(number) if number else str(fault).splitlines()[0][:200]


def _cannot_be_written(path: Path, fault: OSError) -> TakeError:
    return TakeError(
        f"The take cannot be written: {_reason(fault)}.",
        where=str(path),
        cure="Choose another place.",
    )


def _halves(described: Mapping[str, Any]) -> tuple[int, ...]:
    """For each slot of a stream half the range of its two's complement numbers, 0 of others; none of a stream that says
    nothing of its values."""
    if "volts_per_code" not in described:
        return ()
    half = 1 << (int(described.get("item_bits", 32)) - 1)
    return tuple(half if signed else 0 for signed in described["signed"])


class _Rows:
    """A growing table of small rows, appended at each flush."""

    def __init__(self, parent: Any, name: str, dtype: np.dtype[Any]) -> None:
        self._data = parent.create_dataset(
            name, (0,), dtype=dtype, maxshape=(None,), chunks=(4096,)
        )
        self._dtype = dtype
        self._waiting: list[tuple[NDArray[Any], ...]] = []

    def add(self, *columns: NDArray[Any]) -> None:
        """Rows given by their columns, in the order of the fields."""
        self._waiting.append(columns)

    def flush(self) -> None:
        if self._waiting:
            rows = np.empty(sum(len(columns[0]) for columns in self._waiting), dtype=self._dtype)
            for name, parts in zip(
                self._dtype.names or (), zip(*self._waiting, strict=True), strict=True
            ):
                rows[name] = np.concatenate(parts)
            self._waiting.clear()
            start = len(self._data)
            self._data.resize((start + len(rows),))
            self._data[start:] = rows


class _Stream:
    """Items of one stream, written in whole chunks; the last, partial chunk again at each flush."""

    def __init__(
        self,
        parent: Any,
        stream: int,
        dtype: np.dtype[Any],
        before_chunk: Callable[[], None],
        first: int = 0,
        halves: Sequence[int] = (),
    ) -> None:
        """``first`` is the number of the item that lies first in the file; ``halves`` as of
        :class:`ExtremesGatherer`, none where no extremes are stored."""
        self._before_chunk = before_chunk
        self.first = first
        self.group = parent.create_group(str(stream))
        self.chunk_items = CHUNK_BYTES // dtype.itemsize
        self.data = self.group.create_dataset(
            "samples", (0,), dtype=dtype, maxshape=(None,), chunks=(self.chunk_items,), fillvalue=0
        )
        if first:
            self.data.attrs["first"] = first
        self.dtype = dtype
        self._extremes: Any = None
        self._gatherer = ExtremesGatherer(halves) if halves else None
        self._cells: list[NDArray[np.int64]] = []
        if halves:
            self._extremes = self.group.create_dataset(
                "extremes",
                (0, len(halves), 2),
                dtype="<i8",
                maxshape=(None, len(halves), 2),
                chunks=(max(1, 4096 // len(halves)), len(halves), 2),
            )
        self._size = 0
        """Items that the file has room for; known here, for asking HDF5 at each chunk is slow."""
        self.frames = _Rows(self.group, "frames", FRAME_DTYPE)
        self.buffer = np.zeros(self.chunk_items, dtype=dtype)
        self.chunk = 0
        self.filled = 0
        self.is_dirty = False
        self.unwritten = 0, 0
        """First and count of items that the file has room for and does not hold."""

    @property
    def next_item(self) -> int:
        return self.first + self.chunk * self.chunk_items + self.filled

    def append(self, items: NDArray[Any]) -> None:
        if self._gatherer is not None:
            self._cells.append(self._gatherer.add(items))
        position = 0
        while position < len(items):
            room = self.chunk_items - self.filled
            part = items[position : position + room]
            if len(part) == self.chunk_items:
                self._write_chunk(part, self.chunk_items)
                self.chunk += 1
            else:
                self.buffer[self.filled : self.filled + len(part)] = part
                self.filled += len(part)
                self.is_dirty = True
                if self.filled == self.chunk_items:
                    self._write_chunk(self.buffer, self.chunk_items)
                    self._next_chunk()
            position += len(part)

    def skip(self, count: int) -> None:
        """Leave ``count`` items out; they stay zero in the file and take no room in it."""
        if self._gatherer is not None:
            self._cells.append(self._gatherer.skip(count))
        target = self.next_item + count - self.first
        self.buffer[self.filled :] = 0
        if target // self.chunk_items != self.chunk and self.filled:
            self._write_chunk(self.buffer, self.chunk_items)
        if target // self.chunk_items != self.chunk:
            self._next_chunk()
            self.chunk = target // self.chunk_items
            self.buffer[:] = 0
        self.filled = target % self.chunk_items

    def _next_chunk(self) -> None:
        self.chunk += 1
        self.filled = 0
        self.is_dirty = False

    def _write_chunk(self, items: NDArray[Any], filled: int) -> None:
        self._before_chunk()
        begin = self.chunk * self.chunk_items
        before = self._size
        # HDF5 takes no chunk beyond the end, so the end moves first. After a chunk that could not
        # be written it cannot
        # be moved back (2.0 then clears the chunk before it), so what is missing becomes a gap: on
        # a full disk
        # zeros would look like samples otherwise.
        self._reach(begin + filled)
        try:
            self.data.id.write_direct_chunk((begin,), items)
        except (OSError, RuntimeError):
            self.unwritten = before, begin + filled - before
            raise

    def _reach(self, items: int) -> None:
        if self._size < items:
            self.data.id.set_extent((items,))
            self._size = items

    def _write_cells(self) -> None:
        cells, self._cells = self._cells, []
        fresh = sum(map(len, cells))
        if self._extremes is not None and fresh:
            begin = len(self._extremes)
            self._extremes.resize(begin + fresh, axis=0)
            self._extremes[begin:] = np.concatenate(cells)

    def stop_asking(self) -> None:
        """The end is written into the room that was kept for it."""
        self._before_chunk = lambda: None

    def flush(self) -> None:
        if self.is_dirty:
            self._write_chunk(self.buffer, self.filled)
            self.is_dirty = False
        self._reach(self.next_item - self.first)
        self._write_cells()
        self.frames.flush()


class TakeWriter:
    """Writes one take. Owned by one thread; ``flush_if_due`` is to be called often.

    Every method that writes raises :class:`TakeError` when it cannot; the take is then to be closed
    as not complete.
    """

    def __init__(
        self,
        path: Path,
        project_text: str,
        build_id: str,
        tick_hz: int,
        board: str = "",
        *,
        part_text: str = "",
        boards_text: str = "",
        started: str = "",
        overwrite: bool = False,
        described: Described | None = None,
        begins_ticks: int = 0,
    ) -> None:
        """``described`` is what each stream's data set says of itself. A take that begins at ``begins_ticks``
        of the run holds of each stream what comes from its first item on: what was before is not missing."""
        self.begins_ticks = begins_ticks
        check_target(path, overwrite)
        self._described = described or {}
        self.path = path
        self._room = DiskSpace(path)
        new = temporary_path(path)
        try:
            self._room.require(0)
            self._room.hold()
            self._file = h5py.File(new, "w", rdcc_nbytes=CACHE_BYTES)
        except OSError as fault:
            self._room.give_back()
            new.unlink(missing_ok=True)
            raise _cannot_be_written(path, fault) from fault
        try:
            self._begin(project_text, build_id, tick_hz, board, part_text, boards_text, started)
            move_into_place(new, path, overwrite)
        except OSError as fault:
            self._abandon()
            raise _cannot_be_written(path, fault) from fault
        except TakeError:
            self._abandon()
            raise
        finally:
            new.unlink(missing_ok=True)

    @_told
    def _begin(
        self,
        project_text: str,
        build_id: str,
        tick_hz: int,
        board: str,
        part_text: str,
        boards_text: str,
        started: str,
    ) -> None:
        self.tick_hz = tick_hz
        self.samples = self.item_bytes = self.lost_scans = 0
        attributes = self._file.attrs
        attributes["format"] = FORMAT
        attributes["version"] = VERSION
        attributes["build_id"] = build_id
        attributes["tick_hz"] = tick_hz
        attributes["board"] = board
        attributes["started"] = started or time.strftime("%Y-%m-%dT%H:%M:%S%z")
        attributes["complete"] = False
        if self.begins_ticks:
            attributes["begins_ticks"] = self.begins_ticks
        text = h5py.string_dtype()
        self._file.create_dataset("project", data=project_text, dtype=text)
        if part_text:
            self._file.create_dataset("part", data=part_text, dtype=text)
        if boards_text:
            self._file.create_dataset("boards", data=boards_text, dtype=text)
        self._log = self._file.create_dataset(
            "log", (0,), dtype=text, maxshape=(None,), chunks=(256,)
        )
        self._bench = self._file.create_dataset(
            "bench", (0,), dtype=text, maxshape=(None,), chunks=(16,)
        )
        self._log_waiting: list[str] = []
        self._streams_group = self._file.create_group("streams")
        self._streams: dict[int, _Stream] = {}
        self._events = _Rows(self._file, "events", EVENT_DTYPE)
        self._gaps = _Rows(self._file, "gaps", GAP_DTYPE)
        self._repeats = _Rows(self._file, "repeats", GAP_DTYPE)
        self._flushed_at = time.monotonic()
        self._file.flush()

    def _before_chunk(self) -> None:
        self._room.require(self.stored_bytes)

    @property
    def stored_bytes(self) -> int:
        """The file as large as it is; what HDF5 has not written yet is within the margin."""
        return self.path.stat().st_size

    @_told
    def add_run(self, run: SampleRun) -> None:
        """Store frames of samples; a jump in item numbers becomes a gap.

        Raises :class:`TakeError` where the numbers or the width of samples do not fit what came before.
        """
        stream = self._streams.get(run.stream)
        if stream is None:
            stream = _Stream(
                self._streams_group,
                run.stream,
                run.items.dtype,
                self._before_chunk,
                run.first if self.begins_ticks else 0,
                _halves(self._described.get(run.stream, {})),
            )
            self._streams[run.stream] = stream
            write_description(stream.data, self._described.get(run.stream, {}))
        missing = run.first - stream.next_item
        if missing < 0 or missing > LARGEST_GAP_ITEMS or run.items.dtype != stream.dtype:
            raise TakeError(
                f"Stream {run.stream} went from sample {stream.next_item} to {run.first}, of "
                f"{run.items.itemsize} bytes each.",
                where=str(self.path),
                cure="Was the board started anew? Record again from a start.",
            )
        if missing:
            self.add_gap(run.stream, stream.next_item, missing)
            stream.skip(missing)
        stream.append(run.items)
        firsts = run.first + np.cumsum(run.frame_items) - run.frame_items
        stream.frames.add(firsts, run.frame_items, run.frame_ticks)
        self.samples += len(run.items)
        self.item_bytes += run.items.nbytes

    def add_frames(self, stream: int, rows: NDArray[Any]) -> None:
        """Note frames of a stream whose items are there already: ``first``, ``count`` and ``ticks``
        of each.

        ``rows`` is (frames,) records.
        """
        known = self._streams.get(stream)
        if known is not None:
            known.frames.add(rows["first"], rows["count"], rows["ticks"])

    def add_gap(self, stream: int, first: int, count: int) -> None:
        """Note that ``count`` items from ``first`` on never came."""
        if stream < STAMP_STREAM and count > 0:
            slots = max(1, len(self._described.get(stream, {}).get("signals", ())))
            self.lost_scans += (first + count - 1) // slots - first // slots + 1
        self._gaps.add(np.array([stream]), np.array([first]), np.array([count]))

    def add_repeat(self, stream: int, first: int, count: int) -> None:
        """Note that ``count`` items from ``first`` on came again; the first ones were kept."""
        self._repeats.add(np.array([stream]), np.array([first]), np.array([count]))

    def close_stream(self, stream: int, items: int) -> int:
        """Note items missing at the end, once the board has said how many it sent; returns their
        count."""
        known = self._streams.get(stream)
        if known is None and self.begins_ticks:
            return 0  # nobody knows what of it came before
        done = known.next_item if known else 0
        missing = items - done
        if missing > 0 and missing <= LARGEST_GAP_ITEMS:
            self.add_gap(stream, done, missing)
            return missing
        return 0

    def add_events(self, events: NDArray[Any]) -> None:
        """Store window events as they came over the link.

        ``events`` is (n,) records.
        """
        self._events.add(*(events[name] for name in EVENT_DTYPE.names or ()))

    @_told
    def add_bench(self, ticks: int, project_text: str) -> None:
        """Store the whole project as it stands after knobs were turned at ``ticks``."""
        self._bench.resize((len(self._bench) + 1,))
        self._bench[-1] = f"{ticks}\n{project_text}"

    def add_log(self, line: str) -> None:
        """Store a line of text."""
        self._log_waiting.append(line.replace("\x00", "�")[:4000])

    def flush_if_due(self) -> None:
        """Make all up to now safe, if the last time is half a second ago."""
        if time.monotonic() - self._flushed_at >= FLUSH_S:
            self.flush()

    @_told
    def flush(self) -> None:
        """Make all up to now safe against the end of this process."""
        self._room.require(self.stored_bytes)
        self._flush_all()

    def _flush_all(self) -> None:
        self._gaps.flush()  # before the items that come after them
        self._repeats.flush()
        for stream in self._streams.values():
            stream.flush()
        self._events.flush()
        if self._log_waiting:
            start = len(self._log)
            self._log.resize((start + len(self._log_waiting),))
            self._log[start:] = self._log_waiting
            self._log_waiting = []
        self._file.flush()
        self._flushed_at = time.monotonic()

    def close(
        self, lost_cycles: int = 0, totals: Mapping[str, int] | None = None, *, ended: str = ""
    ) -> None:
        """Finish the take; ``totals`` are the board's own counts.

        ``ended`` says why it ended before the board said that it had stopped; the take is not
        complete then.

        Raises
        ------
        TakeError
            When not even the end could be written; the take is then as at its last flush.
        """
        self._room.give_back()
        try:
            self._finish(lost_cycles, dict(totals or {}), ended)
        except TakeError:
            self._abandon()
            raise

    @_told
    def _finish(self, lost_cycles: int, totals: dict[str, int], ended: str) -> None:
        for number, stream in self._streams.items():
            stream.stop_asking()
            first, count = stream.unwritten
            if count > 0:
                self.add_gap(number, stream.first + first, count)
                stream.is_dirty = False
        self._flush_all()
        self._file.attrs["totals"] = json.dumps(totals)
        self._file.attrs["complete"] = not ended
        self._file.attrs["ended"] = ended
        self._file.attrs["scans_lost"] = lost_cycles
        self._file.close()

    def _abandon(self) -> None:
        """Let the file go as it is."""
        self._room.give_back()
        with contextlib.suppress(OSError, RuntimeError, ValueError):
            self._file.close()
