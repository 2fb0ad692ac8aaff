"""Reading a take: by stream as it lay in memory, by signal as it lay in time."""

from __future__ import annotations

import copy
import json
from collections.abc import Iterator
from functools import cached_property
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.base.foreign import reading_foreign, visible_text
from wattigram.core.capture.take.layout import EVENT_DTYPE, FRAME_DTYPE, GAP_DTYPE, word_in
from wattigram.core.capture.take.opening import open_file
from wattigram.core.capture.take.signal_samples import OutputSamples, SignalSamples
from wattigram.core.capture.take.validation import REPAIR, check_take
from wattigram.core.contract.link import (
    FAILED,
    OUTPUT_STREAM,
    POLLED,
    REDUCED_STREAM,
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
    rate_divisor,
    reduced_volts,
    signal_scale,
    tap_index,
)
from wattigram.core.model.design.workspace import workspace_from_text
from wattigram.core.model.part import Part, parse_part
from wattigram.core.predict.expected import (
    History,
    SampleTimes,
    SteadyTimes,
    TimestampedTimes,
    unwrap_stamps,
)
from wattigram.core.predict.timing import buffer_numbers, scan_timing

BLOCK_SAMPLES = 1 << 18
LOOKED_AT = 1 << 18
FEWEST_VALUES = 64
"""In a block of values, however many samples each is made of."""
STAMPS_BEFORE = 1 << 12
"""Cycles before a stretch whose instants are read with it."""


class Take:
    """An open take; close it, or use it in a ``with`` statement."""

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
        self.project_text: str = file["project"][()].decode("utf-8", "replace")
        self.part_text: str = file["part"][()].decode("utf-8", "replace") if "part" in file else ""
        """The part file; "" in takes that do not carry one."""
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
        return workspace_from_text(self.project_text, f"{self.path}: project", self.part)

    @cached_property
    def part(self) -> Part | None:
        """The part that the take was made with; None where it does not carry it."""
        return parse_part(self.part_text, f"{self.path}: part") if self.part_text else None

    @cached_property
    def history(self) -> History:
        """The project at the start and after each turn of a knob."""
        entries = [(0, self.workspace)]
        if "bench" in self._file:
            for raw in self._whole("bench"):
                ticks, _, text = raw.decode("utf-8", "replace").partition("\n")
                with reading_foreign(
                    TakeError, "The take's “bench” has a line that is none", str(self.path), REPAIR
                ):
                    at = int(ticks)
                entries.append((at, workspace_from_text(text, f"{self.path}: bench", self.part)))
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

    def item_count(self, stream: int) -> int:
        """Items of a stream, gaps counted."""
        return int(self._samples_of(stream).shape[0]) if stream in self.streams else 0

    def items(self, stream: int, begin: int = 0, end: int | None = None) -> NDArray[Any]:
        """Items ``begin`` to ``end`` of a stream, all of them where nothing is said; zero where
        they are missing.

        (items,) unsigned.
        """
        if stream not in self.streams:
            return np.empty(0, dtype=np.uint16)
        with reading_foreign(TakeError, f"Stream {stream} cannot be read", str(self.path), REPAIR):
            return np.asarray(self._samples_of(stream)[begin:end])

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

    def as_of(self, workspace: Workspace) -> Take:
        """The same data beside another design, such as the one that the board really had; closed
        with this one."""
        other = copy.copy(self)
        for name in ("workspace", "history"):
            other.__dict__.pop(name, None)
        other.__dict__["workspace"] = workspace
        other.__dict__["history"] = ((0, workspace),)
        other._instants = {}
        return other

    def repeated_items(self, stream: int) -> int:
        """Items of a stream that came once too often."""
        return int(self.repeats["count"][self.repeats["stream"] == stream].sum())

    def lost_items(self, stream: int) -> int:
        """Items of a stream that never came."""
        return int(self.gaps["count"][self.gaps["stream"] == stream].sum())

    def chain_cycles(self, chain: Chain) -> int:
        """Cycles of a chain that the take spans."""
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
        return sum(self.item_count(stream) - self._gap_inside(stream) for stream in raw)

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

    @property
    def seconds(self) -> float:
        """How long the board ran: as it said itself, else the length of the longest stream."""
        if "ticks" in self.totals:
            return self.totals["ticks"] / self.tick_hz
        lengths = [0.0]
        for chain in self.workspace.project.chains:
            cycles = self.chain_cycles(chain)
            if cycles:
                lengths.append(
                    float(
                        self.instants(chain, cycles - 1, cycles).held_s(cycles - 1, cycles)[0, -1]
                    )
                )
                if not scan_timing(self.workspace, chain).stamped:
                    lengths.append(float(cycles * scan_timing(self.workspace, chain).cycle_s))
        return max(lengths)

    def cycle_rate_hz(self, chain: Chain) -> float | None:
        """Cycles per second as the board's ticks tell; None where too few came.

        Lost items count as done: their numbers are passed over.
        """
        stream = self.workspace.project.chains.index(chain)
        slots = len(chain.slots)
        if STAMP_STREAM + stream in self.streams:
            cycles = self.chain_cycles(chain)
            if cycles < 3:
                return None
            begin_s = float(self.instants(chain, 0, 1).held_s(0, 1)[0, 0])
            end_s = float(self.instants(chain, cycles - 1, cycles).held_s(cycles - 1, cycles)[0, 0])
            return (cycles - 1) / (end_s - begin_s) if end_s > begin_s else None
        rows = self.frame_rows(stream)
        ticks = rows["ticks"].astype(np.int64)  # careless firmware counts to below zero
        if len(rows) < 2 or ticks[-1] <= ticks[0]:
            return None
        done = (int(rows["first"][-1]) - int(rows["first"][0])) / slots
        return done * self.tick_hz / int(ticks[-1] - ticks[0])

    def running_rate_hz(self, chain: Chain) -> float | None:
        """Cycles per second while the board ran: the usual rate from frame to frame; None where too
        few came."""
        stream = self.workspace.project.chains.index(chain)
        slots = len(chain.slots)
        if STAMP_STREAM + stream in self.streams:
            looked = min(self.chain_cycles(chain), LOOKED_AT)
            steps = np.diff(self.instants(chain, 0, looked).held_s(0, looked)[:, 0])
            return (
                float(1 / np.median(steps))
                if len(steps) > 2 and float(np.median(steps)) > 0
                else None
            )
        rows = self.frame_rows(stream)
        ticks = np.diff(rows["ticks"].astype(np.int64))
        items = np.diff(rows["first"].astype(np.int64))
        good = ticks > 0
        if np.count_nonzero(good) < 2:
            return None
        return float(np.median(items[good] / slots * self.tick_hz / ticks[good]))

    def instants(self, chain: Chain, begin: int = 0, end: int | None = None) -> SampleTimes:
        """Held instants of a chain's cycles ``begin`` to ``end``: as stamped where they were, else
        as designed.

        Those of some cycles before them are known too, for what settling carries over.
        """
        stream = STAMP_STREAM + self.workspace.project.chains.index(chain)
        if stream not in self.streams:
            if chain.converter not in self._instants:
                self._instants[chain.converter] = 0, 1 << 62, SteadyTimes(self.workspace, chain)
            return self._instants[chain.converter][2]
        total = self.item_count(stream) // len(chain.slots)
        end = total if end is None else min(end, total)
        known = self._instants.get(chain.converter)
        if known is None or not known[0] <= begin <= end <= known[1]:
            first = max(0, min(begin, end) - STAMPS_BEFORE)
            known = first, end, self._read_stamps(chain, stream, first, end)
            self._instants[chain.converter] = known
        return known[2]

    def _read_stamps(self, chain: Chain, stream: int, begin: int, end: int) -> SampleTimes:
        """Stamps of cycles ``begin`` to ``end``, made whole by the ticks of their frames."""
        slots = len(chain.slots)
        rows = self.frame_rows(stream)
        firsts, starts = rows["first"].astype(np.int64), rows["ticks"].astype(np.int64)
        # Whole frames, for each tells the ticks of its first stamp in full.
        frame = max(0, int(np.searchsorted(firsts, begin * slots, side="right")) - 1)
        since = int(firsts[frame]) if len(firsts) else 0
        since = min(since, begin * slots)
        last = int(np.searchsorted(firsts, end * slots))
        stamps = self.items(stream, since, end * slots).astype(np.uint32)
        ticks = unwrap_stamps(stamps, firsts[frame:last] - since, starts[frame:last])
        numbers = np.arange(since, since + len(ticks), dtype=np.int64)
        came = self.valid(stream, numbers)
        if came.any() and not came.all():  # what was lost was held somewhere between its neighbours
            ticks[~came] = np.rint(np.interp(numbers[~came], numbers[came], ticks[came])).astype(
                np.int64
            )
        first = -(-since // slots)
        ticks = ticks[first * slots - since :]
        whole = len(ticks) // slots * slots
        return TimestampedTimes(
            self.workspace, chain, ticks[:whole].reshape(-1, slots), self.tick_hz, first
        )

    def valid(self, stream: int, numbers: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Which of some item numbers of a stream, ascending, really came.

        ``numbers`` and the result are (n,).
        """
        valid = np.ones(len(numbers), dtype=bool)
        for gap in self.gaps[self.gaps["stream"] == stream]:
            first = np.searchsorted(numbers, int(gap["first"]))
            last = np.searchsorted(numbers, int(gap["first"]) + int(gap["count"]))
            valid[first:last] = False
        return valid

    def raw_count(self, name: str) -> int:
        """Unreduced samples of a signal that the take has places for; 0 where no chain converts
        it."""
        chain = self.workspace.project.chain_of(name)
        if chain is None:
            return 0
        total = self.item_count(self.workspace.project.chains.index(chain))
        lap = self._lap(chain, name)
        laps, rest = divmod(total, chain.buffer.samples)
        return laps * len(lap) + int(np.searchsorted(lap, rest))

    @staticmethod
    def _lap(chain: Chain, name: str) -> NDArray[np.int64]:
        """Places of a signal's items in one lap of the loop."""
        return buffer_numbers(
            chain.buffer.samples,
            chain.buffer.samples,
            len(chain.slots),
            np.array(chain.places_of(name)),
        )

    def raw(self, name: str, begin: int = 0, end: int | None = None) -> SignalSamples | None:
        """Unreduced samples of a signal, taken from the loop places that the design gives it; a
        part of them by number.

        None when no chain converts it.
        """
        workspace = self.workspace
        chain = workspace.project.chain_of(name)
        if chain is None:
            return None
        stream = workspace.project.chains.index(chain)
        signal = workspace.project.signal(name)
        slots, lap = len(chain.slots), self._lap(chain, name)
        count = self.raw_count(name)
        wanted = np.arange(
            min(begin, count), count if end is None else min(end, count), dtype=np.int64
        )
        numbers = (
            wanted // len(lap) * chain.buffer.samples + lap[wanted % len(lap)]
            if len(lap)
            else wanted[:0]
        )
        since = int(numbers[0]) if len(numbers) else 0
        mine = self.items(stream, since, int(numbers[-1]) + 1 if len(numbers) else 0)[
            numbers - since
        ]
        cycles = numbers // slots
        believed = numbers % chain.buffer.samples % slots
        volts = signal_scale(workspace, chain, name).item_volts(mine) / float(signal.scaling)
        return SignalSamples(
            signal,
            mine,
            volts,
            cycles,
            self.valid(stream, numbers),
            lambda: self._held_s(chain, cycles, believed),
        )

    def _held_s(
        self, chain: Chain, cycles: NDArray[np.int64], places: NDArray[np.int64]
    ) -> NDArray[np.float64]:
        """When slots of some cycles, ascending, were held."""
        if not len(cycles):
            return np.empty(0)
        first, last = int(cycles[0]), int(cycles[-1]) + 1
        return np.asarray(
            self.instants(chain, first, last).held_s(first, last)[cycles - first, places]
        )

    def reduced_count(self, name: str) -> int:
        """Values of a signal's stage that the take has places for."""
        index = tap_index(self.workspace.project, name)
        return self.item_count(REDUCED_STREAM + index) if index is not None else 0

    def reduced(self, name: str, begin: int = 0, end: int | None = None) -> SignalSamples | None:
        """Values of a signal's stage after memory, a part of them by number; None when it has
        none."""
        workspace = self.workspace
        chain = workspace.project.chain_of(name)
        signal = workspace.project.signal(name)
        index = tap_index(workspace.project, name)
        stage = signal.later_filter
        if chain is None or index is None or stage is None:
            return None
        values = self.items(REDUCED_STREAM + index, begin, end)
        numbers = np.arange(begin, begin + len(values), dtype=np.int64)
        places = chain.places_of(name)
        last = (numbers + 1) * rate_divisor(stage) - 1
        cycles, slots = last // len(places), np.array(places)[last % len(places)]
        volts = reduced_volts(workspace, chain, signal, values)
        valid = self.valid(REDUCED_STREAM + index, numbers)
        return SignalSamples(
            signal, values, volts, cycles, valid, lambda: self._held_s(chain, cycles, slots), True
        )

    def stretches(
        self, name: str, reduced: bool = False, since: int = 0
    ) -> Iterator[tuple[int, int]]:
        """Numbers of a signal's samples, or of its stage's values, in stretches that come of about
        as many samples."""
        stage = self.workspace.project.signal(name).later_filter
        each = rate_divisor(stage) if reduced and stage is not None else 1
        count = self.reduced_count(name) if reduced else self.raw_count(name)
        size = max(FEWEST_VALUES, BLOCK_SAMPLES // each)
        for begin in range(since, count, size):
            yield begin, min(count, begin + size)

    def blocks(self, name: str, reduced: bool = False, since: int = 0) -> Iterator[SignalSamples]:
        """All samples of a signal, or values of its stage, from one on, in blocks of a few
        megabytes."""
        read = self.reduced if reduced else self.raw
        for begin, end in self.stretches(name, reduced, since):
            block = read(name, begin, end)
            if block is not None:
                yield block

    def missing(self, name: str, reduced: bool = False) -> tuple[tuple[int, int], ...]:
        """Samples of a signal, or values of its stage, that never came: numbers of the first and
        past the last."""
        project = self.workspace.project
        chain, index = project.chain_of(name), tap_index(project, name)
        if chain is None or (reduced and index is None):
            return ()
        stream = REDUCED_STREAM + (index or 0) if reduced else project.chains.index(chain)
        total, lap = self.item_count(stream), self._lap(chain, name)

        def before(number: int) -> int:
            if reduced:
                return min(number, total)
            laps, rest = divmod(min(number, total), chain.buffer.samples)
            return laps * len(lap) + int(np.searchsorted(lap, rest))

        gaps = self.gaps[self.gaps["stream"] == stream]
        ranges = (
            (before(int(gap["first"])), before(int(gap["first"]) + int(gap["count"])))
            for gap in gaps
        )
        return tuple((first, last) for first, last in ranges if first < last)

    def came(self, name: str) -> int:
        """Unreduced samples of a signal that really came."""
        return self.raw_count(name) - sum(last - first for first, last in self.missing(name))

    def output(self, number: int) -> OutputSamples:
        """What took effect at the end of route ``number``, or left a UART as the report of that
        number after them."""
        stream = OUTPUT_STREAM + number
        pairs = self.items(stream)
        pairs = pairs[: len(pairs) // 2 * 2].reshape(-1, 2)
        if not len(pairs):
            return OutputSamples(np.empty(0), np.empty(0, dtype=np.int64))
        rows = self.frame_rows(stream)
        firsts, starts = rows["first"].astype(np.int64) // 2, rows["ticks"].astype(np.int64)
        ticks = unwrap_stamps(pairs[:, 0].astype(np.uint32), firsts, starts)
        return OutputSamples(ticks / self.tick_hz, pairs[:, 1].astype(np.int64))


def open_take(path: Path) -> Take:
    """Open a take.

    Raises
    ------
    TakeError
        When the file is no take, or one of a newer version.
    """
    where = str(path)
    try:
        file = open_file(path)
    except (OSError, RuntimeError, ValueError) as fault:
        is_there = "\0" not in where and path.exists()
        reason = "it is no HDF5 file, or a damaged one" if is_there else "there is no such file"
        raise TakeError(
            f"The take cannot be opened: {reason}.",
            where=visible_text(where),
            cure=f"Choose a take of Wattigram; {REPAIR}"
            if is_there
            else "Choose a take of Wattigram.",
        ) from fault
    try:
        with reading_foreign(TakeError, "The take is damaged", where, REPAIR):
            check_take(file, where)
            return Take(path, file)
    except TakeError:
        file.close()
        raise
