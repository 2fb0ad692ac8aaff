"""A take as it lies in its file: frames, events and counts by stream, and what its log says."""

from __future__ import annotations

import copy
import json
from functools import cached_property
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.base.foreign import reading_foreign
from wattigram.core.capture.take.layout import EVENT_DTYPE, FRAME_DTYPE, GAP_DTYPE, word_in
from wattigram.core.capture.take.validation import REPAIR
from wattigram.core.contract.link import (
    FAILED,
    IMPORTED,
    POLLED,
    STAMP_STREAM,
    ChannelPointing,
    LateWrite,
    RegisterWrite,
    parse_late_write,
    parse_pointing,
    parse_writes,
)
from wattigram.core.model.design import (
    Chain,
    Workspace,
)
from wattigram.core.model.design.workspace_files import boards_from_json, workspace_from_text
from wattigram.core.model.part import Part, parse_part
from wattigram.core.predict.expected import (
    History,
    SampleTimes,
)


class TakeFile:
    """What an open take holds, without a look at its signals."""

    def __init__(self, path: Path, file: Any) -> None:
        self.path = path
        self._file = file
        attributes = file.attrs
        self.build_id = str(attributes[word_in(attributes, "build_id")])
        self.tick_hz = int(attributes["tick_hz"])
        self.board = str(attributes.get("board", ""))
        self.started = str(attributes.get("started", ""))
        self.complete = bool(attributes.get("complete", False))
        self.ended = str(attributes.get("ended", ""))
        """Why it ended before the board said that it had stopped; "" where it did, and where nobody
        could say."""
        self.begins_ticks = int(attributes.get("begins_ticks", 0))
        """From when on it was recorded, in ticks since the board's start."""
        self.project_text: str = file["project"][()].decode("utf-8", "replace")
        self.part_text: str = file["part"][()].decode("utf-8", "replace") if "part" in file else ""
        """The part file; "" in takes that do not carry one."""
        self.boards_text: str = (
            file["boards"][()].decode("utf-8", "replace") if "boards" in file else ""
        )
        """Other projects whose boards were wired to this one; "" in takes without any."""
        self.streams: tuple[int, ...] = tuple(sorted(int(name) for name in file["streams"]))
        self._frames: dict[int, NDArray[Any]] = {}
        self._instants: dict[str, tuple[int, int, SampleTimes]] = {}

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        value: BaseException | None,
        traceback: TracebackType | None,
    ) -> None:
        self.close()

    def close(self) -> None:
        """Close the file; closing twice does nothing."""
        self._file.close()

    @cached_property
    def workspace(self) -> Workspace:
        """The project that the take was made from."""
        where = f"{self.path}: project"
        return workspace_from_text(self.project_text, where, self.part, self.others)

    @cached_property
    def part(self) -> Part | None:
        """The part that the take was made with; None where it does not carry it."""
        return parse_part(self.part_text, f"{self.path}: part") if self.part_text else None

    @cached_property
    def others(self) -> dict[str, Workspace]:
        """Other projects whose boards were wired to this one, by the names of their files."""
        return boards_from_json(self.boards_text, f"{self.path}: boards")

    @cached_property
    def bench_history(self) -> History:
        """The project at the start and after each turn of a knob."""
        entries = [(0, self.workspace)]
        if "bench" in self._file:
            for raw in self._whole("bench"):
                ticks, _, text = raw.decode("utf-8", "replace").partition("\n")
                with reading_foreign(
                    TakeError, "The take's “bench” has a line that is none", str(self.path), REPAIR
                ):
                    at = int(ticks)
                entries.append(
                    (at, workspace_from_text(text, f"{self.path}: bench", self.part, self.others))
                )
        return tuple(entries)

    def _whole(self, name: str) -> NDArray[Any]:
        """All rows or lines of a table."""
        with reading_foreign(
            TakeError, f"The take's “{name}” cannot be read", str(self.path), REPAIR
        ):
            return np.asarray(self._file[name][:])

    def _samples_of(self, stream: int) -> Any:
        group = self._file["streams"][str(stream)]
        return group[word_in(group, "samples")]

    @property
    def begins_s(self) -> float:
        """From when on it was recorded, in seconds since the board's start."""
        return self.begins_ticks / self.tick_hz

    def first_item(self, stream: int) -> int:
        """Number of the first item that was recorded; 0 where the take begins with the run."""
        if not self.begins_ticks or stream not in self.streams:
            return 0
        return int(self._samples_of(stream).attrs.get("first", 0))

    def first_cycle(self, chain: Chain) -> int:
        """The first whole cycle of a chain that was recorded."""
        return -(-self.first_item(self.workspace.project.chains.index(chain)) // len(chain.slots))

    def recorded_cycles(self, chain: Chain) -> int:
        """Cycles of a chain from the first that was recorded to the last."""
        return max(0, self.chain_cycles(chain) - self.first_cycle(chain))

    def item_count(self, stream: int) -> int:
        """Items of a stream since the board's start, gaps counted, and what was before the take."""
        if stream not in self.streams:
            return 0
        return self.first_item(stream) + int(self._samples_of(stream).shape[0])

    def recorded_count(self, stream: int) -> int:
        """Items of a stream from the first that was recorded on, gaps counted."""
        return self.item_count(stream) - self.first_item(stream)

    def items(self, stream: int, begin: int = 0, end: int | None = None) -> NDArray[Any]:
        """Items ``begin`` to ``end`` of a stream, all of them where nothing is said; zero where
        they are missing, or were before the take.

        (items,) unsigned.
        """
        if stream not in self.streams:
            return np.empty(0, dtype=np.uint16)
        if first := self.first_item(stream):
            total = self.item_count(stream)
            end = total if end is None else min(end, total)
            begin = min(begin, end)
            recorded = max(begin, first), max(end, first)
            kept = self._stored(stream, recorded[0] - first, recorded[1] - first)
            return np.concatenate((np.zeros(end - begin - len(kept), dtype=kept.dtype), kept))
        return self._stored(stream, begin, end)

    def _stored(self, stream: int, begin: int, end: int | None) -> NDArray[Any]:
        with reading_foreign(TakeError, f"Stream {stream} cannot be read", str(self.path), REPAIR):
            return np.asarray(self._samples_of(stream)[begin:end])

    def _stored_extremes(
        self, stream: int, slots: int, slot: int
    ) -> tuple[NDArray[np.int64], NDArray[np.int64]] | None:
        group = self._file["streams"][str(stream)] if stream in self.streams else {}
        if "extremes" not in group or group["extremes"].shape[1:] != (slots, 2):
            return None
        with reading_foreign(TakeError, f"Stream {stream} cannot be read", str(self.path), REPAIR):
            cells = np.asarray(group["extremes"][:, slot, :])
        return cells[:, 0], cells[:, 1]

    def frame_rows(self, stream: int) -> NDArray[Any]:
        """``first``, ``count`` and ``ticks`` of each frame.

        (frames,) records.
        """
        if stream not in self.streams:
            return np.empty(0, dtype=FRAME_DTYPE)
        if stream not in self._frames:
            with reading_foreign(
                TakeError, f"The frames of stream {stream} cannot be read", str(self.path), REPAIR
            ):
                self._frames[stream] = np.asarray(self._file["streams"][str(stream)]["frames"][:])
        return self._frames[stream]

    @cached_property
    def events(self) -> NDArray[Any]:
        """Events: ``source`` (number of the event source), ``entered``, ``value``, ``ticks``.

        (events,) records.
        """
        events = np.asarray(self._whole("events")).astype(EVENT_DTYPE)  # fields by their place
        return self._watch_numbers(events) if int(self._file.attrs["version"]) == 1 else events

    def _watch_numbers(self, events: NDArray[Any]) -> NDArray[Any]:
        """Version 1 told the tap, of which each had one window at most."""
        project = self.workspace.project
        names = [
            signal.name
            for signal in project.signals
            if (signal.filter is not None or signal.thresholds)
            and project.chain_of(signal.name) is not None
        ]
        numbers = {
            names.index(watch.signal): number for number, watch in enumerate(self.workspace.watches)
        }
        events = events.copy()
        events["source"] = [numbers.get(int(tap), len(numbers)) for tap in events["source"]]
        return events

    @cached_property
    def gaps(self) -> NDArray[Any]:
        """What never came: ``stream``, ``first``, ``count``.

        (gaps,) records.
        """
        return np.asarray(self._whole("gaps"), dtype=GAP_DTYPE)

    @cached_property
    def repeats(self) -> NDArray[Any]:
        """What came again although it was there already: ``stream``, ``first``, ``count``.

        (repeats,) records.
        """
        if "repeats" not in self._file:
            return np.empty(0, dtype=GAP_DTYPE)
        return np.asarray(self._whole("repeats"), dtype=GAP_DTYPE)

    @cached_property
    def log(self) -> tuple[str, ...]:
        """Lines of text from the board."""
        return tuple(line.decode("utf-8", "replace") for line in self._whole("log"))

    @cached_property
    def fault(self) -> str:
        """How the board's firmware failed, with file and line; "" where it did not."""
        return (
            next((line for line in self.log if line.startswith(FAILED)), "")
            if self.totals.get("fault")
            else ""
        )

    @cached_property
    def is_polled(self) -> bool:
        """It was captured by polling memory: only items came, and what was overwritten between
        polls is missing."""
        return any(POLLED in line for line in self.log)

    @cached_property
    def has_only_samples(self) -> bool:
        """Neither events nor filtered values came, and nobody counted what was lost: memory was polled, or it is
        the recording of another tool."""
        return self.is_polled or any(line.startswith(IMPORTED) for line in self.log)

    @cached_property
    def register_writes(self) -> tuple[RegisterWrite, ...]:
        """What the board's firmware set up, in its order; empty where nobody watched it."""
        parsed = [parse_writes(line) for line in self.log if line.startswith("registers ")]
        return tuple(write for writes in parsed if writes is not None for write in writes)

    @cached_property
    def pointings(self) -> dict[str, ChannelPointing]:
        """Where the board's firmware points converters in turn, as it was seen to; empty where
        nobody watched it."""
        parsed = (parse_pointing(line) for line in self.log if line.startswith("pointed "))
        return dict(one for one in parsed if one is not None)

    @cached_property
    def late_writes(self) -> tuple[LateWrite, ...]:
        """What own code changed while the board ran, as it was seen to; empty where nobody watched."""
        parsed = (parse_late_write(line) for line in self.log if line.startswith("changed "))
        return tuple(write for write in parsed if write is not None)

    def as_of(self, workspace: Workspace) -> Self:
        """The same data beside another design, such as the one that the board really had; closed
        with this one."""
        other = copy.copy(self)
        for name in ("workspace", "bench_history", "history"):
            other.__dict__.pop(name, None)
        other.__dict__["workspace"] = workspace
        other.__dict__["bench_history"] = ((0, workspace),)
        other._instants = {}
        return other

    def repeated_items(self, stream: int) -> int:
        """Items of a stream that came once too often."""
        return int(self.repeats["count"][self.repeats["stream"] == stream].sum())

    def lost_items(self, stream: int) -> int:
        """Items of a stream that never came."""
        return int(self.gaps["count"][self.gaps["stream"] == stream].sum())

    def chain_cycles(self, chain: Chain) -> int:
        """Cycles of a chain since the board's start, up to the end of the take."""
        return self.item_count(self.workspace.project.chains.index(chain)) // len(chain.slots)

    @property
    def lost_cycles(self) -> int:
        """Cycles of which at least one item never came, over all chains."""
        lost = 0
        for stream, chain in enumerate(self.workspace.project.chains):
            slots = len(chain.slots)
            for gap in self.gaps[self.gaps["stream"] == stream]:
                first, count = int(gap["first"]), int(gap["count"])
                lost += (first + count - 1) // slots - first // slots + 1
        return lost

    @property
    def samples(self) -> int:
        """Raw samples that came, over all converters."""
        raw = [stream for stream in self.streams if stream < STAMP_STREAM]
        return sum(self.recorded_count(stream) - self._gap_inside(stream) for stream in raw)

    def _gap_inside(self, stream: int) -> int:
        total = self.item_count(stream)
        mine = self.gaps[(self.gaps["stream"] == stream) & (self.gaps["first"] < total)]
        return int(mine["count"].sum())

    @cached_property
    def totals(self) -> dict[str, int]:
        """The board's own counts when it stopped: ``ticks``, ``items.N``, ``converted.N``,
        ``lost.N``, ``missed.N``."""
        try:
            counts = json.loads(str(self._file.attrs.get("totals", "{}")))
        except ValueError:
            return {}
        if not isinstance(counts, dict):
            return {}
        return {str(key): value for key, value in counts.items() if isinstance(value, int)}
