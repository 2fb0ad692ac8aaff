"""Making a sound take of one that another program, a full disk or a copy cut short has damaged.

The damaged file is never changed: what can be believed goes into a new one, and what is missing
becomes gaps.
"""

from __future__ import annotations

import json
import os
import resource
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import h5py
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError, WattigramError
from wattigram.core.capture.take.layout import EVENT_DTYPE, FORMAT, FRAME_DTYPE, GAP_DTYPE, word_in
from wattigram.core.capture.take.opening import DAMAGED, SIGNATURE, open_file, stored_end
from wattigram.core.capture.take.self_description import Described, stream_descriptions
from wattigram.core.capture.take.validation import (
    ITEM_TYPES,
    LARGEST_ITEM,
    LARGEST_STREAM_ITEMS,
    LARGEST_TEXT_BYTES,
    LARGEST_TICKS,
)
from wattigram.core.capture.take.writer import TakeWriter
from wattigram.core.capture.transport import SampleRun
from wattigram.core.model.design.workspace_files import boards_from_json, workspace_from_text
from wattigram.core.model.part import parse_part

BLOCK_ITEMS = 1 << 20
LEAST_S, BYTES_A_SECOND = 10, 4 << 20
"""Of processor time: to start, and what even a slow machine mends."""
NOTHING = np.empty(0, dtype=np.int64)
Range = tuple[int, int]


def repair_take(path: Path, out: Path) -> tuple[str, ...]:
    """Write a sound take to ``out`` from what can be read of ``path``; says what was mended,
    nothing where nothing was.

    Another process does it, with a limit of processor time: some damage lets the HDF5 library loop
    or fault.

    Raises
    ------
    TakeError
        When too little of it is left: no project, no clock, or no HDF5 at all; or when ``out``
        cannot be written.
    """
    was_there = out.exists()
    command = [sys.executable, "-m", __name__, str(path.absolute()), str(out.absolute())]
    done = subprocess.run(command, stdin=subprocess.DEVNULL, capture_output=True, check=False)
    try:
        answer = json.loads(done.stdout)
    except ValueError:
        if not was_there:
            out.unlink(missing_ok=True)
        raise TakeError(
            "The take is damaged so that reading it does not end or makes the HDF5 library fail.",
            where=str(path),
            cure=DAMAGED,
        ) from None
    if "message" in answer:
        raise TakeError(**answer)
    return tuple(answer["mended"])


def _mend(path: Path, out: Path) -> tuple[str, ...]:
    where = str(path)
    try:
        with _opened(path) as (file, whole_bytes):
            return _Repair(file, where, whole_bytes).write(out)
    except TakeError:
        raise
    except (OSError, RuntimeError, ValueError, KeyError, TypeError, AttributeError) as fault:
        raise TakeError(
            f"Too little of it can be read: {str(fault).splitlines()[0][:200]}.",
            where=where,
            cure="Take a copy from before the damage.",
        ) from fault


@contextmanager
def _opened(path: Path) -> Iterator[tuple[Any, int]]:
    """The file, and how many of its bytes are really there: one cut short is opened as a copy of
    its full length."""
    size = path.stat().st_size
    with path.open("rb") as stream:
        head = stream.read(64)
    if not head.startswith(SIGNATURE):
        raise TakeError(
            "This is no HDF5 file.", where=str(path), cure="Choose a take of Wattigram."
        )
    wanted = stored_end(head)
    if wanted <= size or wanted > size + LARGEST_STREAM_ITEMS:
        with open_file(path) as file:
            yield file, size
        return
    with tempfile.TemporaryDirectory(prefix="wattigram-repair-") as folder:
        longer = Path(folder) / "longer.h5"
        shutil.copyfile(path, longer)
        os.truncate(longer, wanted)
        with open_file(longer) as file:
            yield file, size


class _Repair:
    """Reads what is left, piece by piece, and notes what is not."""

    def __init__(self, file: Any, where: str, whole_bytes: int) -> None:
        self._file = file
        self._where = where
        self._whole_bytes = whole_bytes
        self._mended: list[str] = []

    def write(self, out: Path) -> tuple[str, ...]:
        attributes = self._file.attrs
        if attributes.get("format") != FORMAT:
            self._mended.append("It did not say that it is a take.")
        tick_hz = attributes.get("tick_hz")
        if tick_hz is None or not 0 < int(tick_hz) <= 10**10:
            raise TakeError(
                "It does not say how many ticks a second has.",
                where=self._where,
                cure="Record it again.",
            )
        text = self._text("project")
        if not text:
            raise TakeError(
                "It does not hold its project.", where=self._where, cure="Record it again."
            )
        writer = TakeWriter(
            out,
            text,
            str(attributes.get(word_in(attributes, "build_id"), "")),
            int(tick_hz),
            str(attributes.get("board", "")),
            part_text=self._text("part"),
            boards_text=self._text("boards"),
            started=str(attributes.get("started", "")),
            described=self._described(text),
            begins_ticks=self._begins_ticks(),
        )
        ended = str(attributes.get("ended", ""))
        try:
            self._copy(writer)
            was_complete = bool(attributes.get("complete", False))
            if not was_complete and not ended:
                ended = "The recording was never finished."
            if self._mended and not ended:
                ended = "The take was damaged and repaired."
        finally:
            writer.close(
                int(attributes.get(word_in(attributes, "scans_lost"), 0)),
                self._totals(),
                ended=ended,
            )
        return tuple(self._mended)

    def _copy(self, writer: TakeWriter) -> None:
        gaps = self._table("gaps", GAP_DTYPE)
        for line in self._lines("log"):
            writer.add_log(line)
        for entry in self._lines("bench"):
            ticks, _, project = entry.partition("\n")
            if ticks.isascii() and ticks.isdigit() and len(ticks) < 19:
                writer.add_bench(int(ticks), project)
        events = self._table("events", EVENT_DTYPE)
        if len(events):
            writer.add_events(events)
        for row in self._table("repeats", GAP_DTYPE):
            writer.add_repeat(int(row["stream"]), int(row["first"]), int(row["count"]))
        groups = self._file.get("streams")
        for name in sorted(groups) if isinstance(groups, h5py.Group) else []:
            mine = (
                gaps[gaps["stream"] == int(name)]
                if name.isascii() and name.isdigit() and int(name) < 256
                else None
            )
            if mine is None:
                self._mended.append(
                    f"A stream “{name[:20]}” was left out: streams are numbers below 256."
                )
                continue
            self._copy_stream(
                writer,
                int(name),
                [(int(g["first"]), int(g["first"]) + int(g["count"])) for g in mine],
            )

    def _described(self, text: str) -> Described:
        """What streams say of themselves; nothing where the project cannot be read."""
        try:
            part = parse_part(self._text("part"), self._where) if self._text("part") else None
            others = boards_from_json(self._text("boards"), self._where)
            return stream_descriptions(workspace_from_text(text, self._where, part, others))
        except WattigramError:
            return {}

    def _copy_stream(self, writer: TakeWriter, stream: int, gaps: list[Range]) -> None:
        group = self._file["streams"].get(str(stream))
        items = group.get(word_in(group, "samples")) if isinstance(group, h5py.Group) else None
        if (
            not isinstance(items, h5py.Dataset)
            or items.ndim != 1
            or items.dtype.str not in ITEM_TYPES
        ):
            self._mended.append(f"Stream {stream} was left out: it holds no row of samples.")
            return
        count = min(len(items), LARGEST_STREAM_ITEMS)
        frames = self._frames(group, stream)
        since = self._first(items) if self._begins_ticks() else 0
        inside = [(begin - since, end - since) for begin, end in gaps if begin >= since]
        missing = merged(inside + self._absent(items, count))
        lost = covered(missing, count) - covered(merged(inside), count)
        if lost:
            self._mended.append(
                f"Stream {stream}: {lost} of {count} samples are not in the file; they are gaps now."
            )
        for begin, end in present(missing, count):
            for first in range(begin, end, BLOCK_ITEMS):
                try:
                    block = items[first : min(first + BLOCK_ITEMS, end)]
                except (OSError, RuntimeError):
                    size = min(first + BLOCK_ITEMS, end) - first
                    self._mended.append(
                        f"Stream {stream}: {size} samples from {first} on cannot be read; they are "
                        "a gap now."
                    )
                    continue
                run = SampleRun(stream, since + first, block, NOTHING, NOTHING, False)
                writer.add_run(run)
        last = max((end for _begin, end in gaps), default=0)
        writer.close_stream(stream, max(since + count, last))
        writer.add_frames(stream, frames)

    def _begins_ticks(self) -> int:
        ticks = self._file.attrs.get("begins_ticks", 0)
        return int(ticks) if 0 < int(ticks) < LARGEST_TICKS else 0

    @staticmethod
    def _first(items: Any) -> int:
        first = int(items.attrs.get("first", 0))
        return first if 0 < first <= LARGEST_ITEM else 0

    def _frames(self, group: Any, stream: int) -> NDArray[Any]:
        dataset = group.get("frames")
        if (
            isinstance(dataset, h5py.Dataset)
            and dataset.ndim == 1
            and set(dataset.dtype.names or ()) == set(FRAME_DTYPE.names or ())
        ):
            rows = np.asarray(dataset[:]).astype(FRAME_DTYPE)
            sound = rows[rows["count"] > 0]
            if len(sound) < len(rows):
                self._mended.append(
                    f"Stream {stream}: {len(rows) - len(sound)} frames without samples were left out."
                )
            return sound
        self._mended.append(
            f"Stream {stream} has lost its list of frames, and with it its board times."
        )
        return np.empty(0, dtype=FRAME_DTYPE)

    def _absent(self, items: Any, count: int) -> list[Range]:
        """Items whose chunk the file does not hold, or not in full."""
        if items.chunks is None:
            return []
        size = items.chunks[0]
        held = set()
        for number in range(items.id.get_num_chunks()):
            info = items.id.get_chunk_info(number)
            if info.byte_offset is not None and info.byte_offset + info.size <= self._whole_bytes:
                held.add(info.chunk_offset[0] // size)
        return [
            (number * size, min((number + 1) * size, count))
            for number in range(-(-count // size))
            if number not in held
        ]

    def _table(self, name: str, dtype: np.dtype[Any]) -> NDArray[Any]:
        try:
            rows = np.asarray(self._file[name][:])
            table = np.empty(len(rows), dtype=dtype)
            for column in dtype.names or ():
                table[column] = rows[word_in(rows.dtype.names or (), column)]
            return table
        except (OSError, RuntimeError, KeyError, ValueError, TypeError, IndexError):
            if name in self._file:
                self._mended.append(f"“{name}” cannot be read and was left out.")
            return np.empty(0, dtype=dtype)

    def _totals(self) -> dict[str, int]:
        try:
            counts = json.loads(str(self._file.attrs.get("totals", "{}")))
        except ValueError:
            return {}
        return (
            {key: value for key, value in counts.items() if isinstance(value, int)}
            if isinstance(counts, dict)
            else {}
        )

    def _text(self, name: str) -> str:
        data = self._file.get(name)
        if (
            not isinstance(data, h5py.Dataset)
            or data.shape != ()
            or h5py.check_string_dtype(data.dtype) is None
        ):
            return ""
        content = data[()]
        return bytes(content)[:LARGEST_TEXT_BYTES].decode("utf-8", "replace")

    def _lines(self, name: str) -> list[str]:
        try:
            return [bytes(line).decode("utf-8", "replace") for line in self._file[name][:]]
        except (OSError, RuntimeError, KeyError, ValueError, TypeError):
            if name in self._file:
                self._mended.append(f"“{name}” cannot be read and was left out.")
            return []


def merged(ranges: list[Range]) -> list[Range]:
    """Ranges in order, those that touch made one."""
    joined: list[Range] = []
    for begin, end in sorted(ranges):
        if joined and begin <= joined[-1][1]:
            joined[-1] = joined[-1][0], max(joined[-1][1], end)
        elif end > begin:
            joined.append((begin, end))
    return joined


def covered(ranges: list[Range], count: int) -> int:
    """How many of the numbers below ``count`` lie in ordered ranges."""
    return sum(max(0, min(end, count) - min(begin, count)) for begin, end in ranges)


def present(missing: list[Range], count: int) -> Iterator[Range]:
    """What lies between ordered ranges, below ``count``."""
    place = 0
    for begin, end in missing:
        if min(begin, count) > place:
            yield place, min(begin, count)
        place = max(place, end)
    if place < count:
        yield place, count


def _main(path: Path, out: Path) -> None:
    """Mend the file and tell what came of it as JSON, within a limit of processor time."""
    size = path.stat().st_size if path.exists() else 0
    seconds = LEAST_S + size // BYTES_A_SECOND
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))  # a fault leaves no file behind
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 1))
    try:
        answer: dict[str, Any] = {"mended": _mend(path, out)}
    except TakeError as fault:
        answer = {"message": fault.message, "where": fault.where, "cure": fault.cure}
    print(json.dumps(answer))


if __name__ == "__main__":
    _main(Path(sys.argv[1]), Path(sys.argv[2]))
