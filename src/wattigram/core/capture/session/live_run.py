"""The kept stretch of a run by signal, as it can be drawn while it grows.

The thread that receives it brings it up to date; another one reads it meanwhile. Nothing that has been read is ever
changed: what is kept lies in blocks that only grow at their end, and what is summed up lies in rings whose oldest part
nobody looks at any more.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.session.kept_run import KEPT_BYTES, KEPT_S, KeptRun
from wattigram.core.capture.session.stream_view import item_volts, raw_volts
from wattigram.core.contract.link import (
    OUTPUT_STREAM,
    OVERWRITTEN,
    REDUCED_STREAM,
    STAMP_STREAM,
    TORN,
)
from wattigram.core.model.design import (
    Chain,
    Signal,
    Workspace,
    program_outputs,
    rate_divisor,
    signal_scale,
    tap_index,
)
from wattigram.core.predict.expected import SteadyTimes, pointed_outputs
from wattigram.core.predict.timing import buffer_numbers, scan_timing, signal_rate_hz

FloatArray = NDArray[np.float64]
FACTOR, LEVELS = 16, 3
AT_ONCE = 1 << 18
"""Samples; a multiple of the largest cell."""
SPARE = 1.25
"""Of the rings: what is being read is never written over."""
NEWEST_SAMPLES = 1 << 13
MOST_CHANGES = 1 << 18
"""Of an output that are kept."""


class Newest(msgspec.Struct, frozen=True):
    """What a meter shows, in volts or another unit; ``low`` and ``high`` since they were last forgotten, ``mean``
    and ``sigma`` of the last ``count`` samples."""

    value: float
    code: int | None
    low: float
    high: float
    mean: float
    sigma: float
    count: int


class LiveChannel:
    """A signal of a board that runs, as it was converted or after its filter."""

    def __init__(self, kept: KeptRun, workspace: Workspace, signal: Signal, filtered: bool) -> None:
        chain = workspace.project.chain_of(signal.name)
        assert chain is not None
        self._kept, self._workspace = kept, workspace
        self.chain: Chain = chain
        self.signal, self.filtered = signal, filtered
        index = tap_index(workspace.project, signal.name)
        chains = workspace.project.chains
        self.stream = REDUCED_STREAM + (index or 0) if filtered else chains.index(chain)
        slots = len(chain.slots)
        self._lap = buffer_numbers(
            chain.buffer.samples,
            chain.buffer.samples,
            slots,
            np.array(chain.places_of(signal.name)),
        )
        self._loop = chain.buffer.samples
        steps = np.diff(np.append(self._lap, self._lap[:1] + self._loop))
        self._is_regular = len(self._lap) > 0 and bool((steps == steps[0]).all())
        """Its items lie evenly in the stream."""
        self.rate_hz = float(signal_rate_hz(workspace, chain, signal.name, filtered=filtered))
        timing = scan_timing(workspace, chain)
        self._is_steady = not timing.stamped
        self._stamps = STAMP_STREAM + chains.index(chain)
        self.start_s = self._first_held_s()
        scale = signal_scale(workspace, chain, signal.name)
        self.code_v = scale.lsb_v / float(signal.scaling)
        most = min(self.rate_hz * KEPT_S, KEPT_BYTES / 2) * SPARE
        sizes = [int(most / FACTOR ** (level + 1)) + 64 for level in range(LEVELS)]
        self._low = [np.full(size, np.nan, dtype=np.float32) for size in sizes]
        self._high = [np.full(size, np.nan, dtype=np.float32) for size in sizes]
        self.begun = 0
        """How often it began anew, so that nothing that was summed up holds any more."""
        self._done = 0
        self._since = 0
        """First sample that is summed up."""
        self.low_v, self.high_v = np.inf, -np.inf

    def _first_held_s(self) -> float:
        """When the first sample, or the last one of the first value, is held."""
        if not self._is_steady:
            return 0.0
        stage = self.signal.later_filter
        places = self.chain.places_of(self.signal.name)
        number = rate_divisor(stage) - 1 if self.filtered and stage is not None else 0
        cycle, place = number // len(places), places[number % len(places)]
        times = SteadyTimes(self._workspace, self.chain).held_s(cycle, cycle + 1)
        return float(times[0, place])

    @property
    def is_even(self) -> bool:
        """Its samples come evenly: by design, and no stamps say otherwise."""
        return self._is_steady and not self._kept.end_of(self._stamps)

    def _before(self, item: int) -> int:
        """Samples before an item of the stream."""
        if self.filtered:
            return item
        laps, rest = divmod(item, self._loop)
        return laps * len(self._lap) + int(np.searchsorted(self._lap, rest))

    @property
    def begin(self) -> int:
        """Number of the first sample that is kept."""
        return self._before(self._kept.first_of(self.stream))

    @property
    def end(self) -> int:
        """Past the number of the newest sample."""
        return self._before(self._kept.end_of(self.stream))

    @property
    def summed(self) -> int:
        """Past the newest sample that columns know of, whatever they are wide."""
        return self._done

    def values(self, begin: int, end: int) -> FloatArray:
        """Volts of samples, (end − begin,); NaN where they never came, or are no longer kept."""
        if end <= begin:
            return np.empty(0)
        items, came = self._items(begin, end)
        read = item_volts if self.filtered else raw_volts
        volts = read(((0, self._workspace),), self.chain, self.signal, items)
        return volts if came.all() else np.asarray(np.where(came, volts, np.nan))

    def _items(self, begin: int, end: int) -> tuple[NDArray[Any], NDArray[np.bool_]]:
        """What lay in memory of some samples, and which of it is kept."""
        if self.filtered or not len(self._lap):
            return self._kept.items(self.stream, begin, end)
        each = self._loop // len(self._lap)
        if self._is_regular:
            first = begin * each + int(self._lap[0])
            return self._kept.items(self.stream, first, first + (end - begin - 1) * each + 1, each)
        wanted = np.arange(begin, end, dtype=np.int64)
        numbers = wanted // len(self._lap) * self._loop + self._lap[wanted % len(self._lap)]
        since = int(numbers[0])
        items, came = self._kept.items(self.stream, since, int(numbers[-1]) + 1)
        return items[numbers - since], came[numbers - since]

    def times_s(self, numbers: NDArray[np.float64]) -> FloatArray:
        """When samples were held, in seconds since the board's start; in between where numbers are; (n,) each."""
        if self.is_even:
            return np.asarray(self.start_s + numbers / self.rate_hz)
        firsts, ticks = self._kept.instants(self.stream)
        if not len(firsts):
            return np.asarray(numbers / self.rate_hz)
        known = np.array([self._before(int(first)) for first in firsts], dtype=np.float64)
        return np.interp(numbers, known, ticks / self._kept.tick_hz)

    def numbers_at(self, times_s: FloatArray) -> FloatArray:
        """Numbers of the samples at some instants, ascending; fractions between them; (n,) each."""
        if self.is_even:
            return np.asarray((times_s - self.start_s) * self.rate_hz)
        firsts, ticks = self._kept.instants(self.stream)
        if not len(firsts):
            return np.asarray(times_s * self.rate_hz)
        known = np.array([self._before(int(first)) for first in firsts], dtype=np.float64)
        at = np.interp(times_s, ticks / self._kept.tick_hz, known)
        late = times_s > ticks[-1] / self._kept.tick_hz
        return np.asarray(np.where(late, float(self.end), at))

    def update(self) -> None:
        """Sum up what has come since the last time, a part of it where that is much; of the receiving thread only,
        which must not let the link wait for long."""
        begin, end = self.begin, self.end
        cell = FACTOR**LEVELS
        if begin > self._done or end < self._done:  # of a run that began anew, or too long ago
            self.begun += 1
            self._done = self._since = -(-begin // cell) * cell
            if end < self._done:
                return
        if self._done + FACTOR <= end:
            upto = min(end // FACTOR * FACTOR, self._done + AT_ONCE)
            low = high = self.values(self._done, upto).astype(np.float32)
            if np.isfinite(low).any():
                self.low_v = min(self.low_v, float(np.nanmin(low)))
                self.high_v = max(self.high_v, float(np.nanmax(high)))
            place = self._done
            for level in range(LEVELS):
                size = FACTOR ** (level + 1)
                first, last = place // size, upto // size
                if level:
                    low, high = (
                        self._cells(level - 1, first * FACTOR, last * FACTOR, side)
                        for side in (0, 1)
                    )
                if last == first:
                    break
                places = np.arange(first, last) % len(self._low[level])
                self._low[level][places] = np.fmin.reduce(low.reshape(-1, FACTOR), axis=1)
                self._high[level][places] = np.fmax.reduce(high.reshape(-1, FACTOR), axis=1)
                place = first * size
            self._done = upto

    def _cells(self, level: int, first: int, last: int, side: int) -> NDArray[np.float32]:
        ring = (self._low, self._high)[side][level]
        return ring[np.arange(first, last) % len(ring)]

    def columns(self, edges: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Extremes between edges, (n + 1,) ascending numbers of samples: (lows, highs), (n,) volts each; NaN where
        nothing came."""
        step = float(edges[-1] - edges[0]) / (len(edges) - 1)
        level = -1
        while level + 1 < LEVELS and FACTOR ** (level + 2) * 2 <= step:
            level += 1
        size = FACTOR ** (level + 1)
        lowest = max(self.begin, self._since) if level >= 0 else self.begin
        highest = self._done if level >= 0 else self.end
        first = np.floor(edges[:-1] / size).astype(np.int64)
        last = np.maximum(np.ceil(edges[1:] / size).astype(np.int64), first + 1)
        first, last = (np.clip(at, -(-lowest // size), highest // size) for at in (first, last))
        since, until = int(first[0]), int(last[-1])
        nothing = np.full(len(first), np.nan)
        if until <= since:
            return nothing, nothing
        if level >= 0:
            low, high = (
                self._cells(level, since, until, side).astype(np.float64) for side in (0, 1)
            )
        else:
            low = high = self.values(since, until)
        pairs = np.empty(2 * len(first), dtype=np.int64)
        pairs[::2], pairs[1::2] = first - since, last - since
        ends = []
        for part, ufunc in ((low, np.fmin), (high, np.fmax)):
            extremes = ufunc.reduceat(np.append(part, np.nan), pairs)[::2]
            ends.append(np.where(last > first, extremes, np.nan))
        return ends[0], ends[1]

    def newest(self, shown: Callable[[FloatArray], FloatArray] | None = None) -> Newest | None:
        """What a meter shows, of volts as they are or as ``shown`` makes other values of them, (n,) each; None before
        anything came."""
        end = self.end
        count = int(min(end - self.begin, NEWEST_SAMPLES, max(2.0, self.rate_hz)))
        if count < 1:
            return None
        volts = self.values(end - count, end)
        volts = volts[np.isfinite(volts)]
        if not len(volts):
            return None
        code = None if self.filtered or shown else round(float(volts[-1]) / self.code_v)
        held = np.array([min(self.low_v, volts.min()), max(self.high_v, volts.max())])
        values = volts if shown is None else shown(volts)
        held = held if shown is None else np.sort(shown(held))
        sigma = float(values.std(ddof=1)) if len(values) > 1 else 0.0
        low, high = held.tolist()
        return Newest(float(values[-1]), code, low, high, float(values.mean()), sigma, len(values))

    def forget_extremes(self) -> None:
        """Lowest and highest are those from now on."""
        self.low_v, self.high_v = np.inf, -np.inf


class LiveRun:
    """All signals of a board that runs: those that are looked at are kept up to date."""

    def __init__(self, kept: KeptRun, workspace: Workspace) -> None:
        self.kept, self.workspace = kept, workspace
        project = workspace.project
        channels: dict[tuple[str, bool], LiveChannel] = {}
        for signal in project.signals:
            if project.chain_of(signal.name) is None:
                continue
            channels[signal.name, False] = LiveChannel(kept, workspace, signal, filtered=False)
            if signal.later_filter is not None:
                channels[signal.name, True] = LiveChannel(kept, workspace, signal, filtered=True)
        self.channels: Mapping[tuple[str, bool], LiveChannel] = channels
        self._leads = {one.stream: one for one in channels.values() if not one.filtered}
        """A signal of each converter."""
        moved = program_outputs(project.reactions)
        self._output_streams = range(
            OUTPUT_STREAM, OUTPUT_STREAM + len(project.routes) + len(moved)
        )
        self._is_pointed = bool(pointed_outputs(workspace))
        """What is expected follows from what the program does."""
        self._outputs: dict[int, tuple[FloatArray, FloatArray]] = {}
        self._output_ends: dict[int, int] = {}
        self.shown: frozenset[tuple[str, bool]] = frozenset()
        """What is looked at, by name and whether after its filter."""

    def output(self, stream: int) -> tuple[FloatArray, FloatArray]:
        """What left the part: instants in seconds, and what took effect then, (n,) each."""
        return self._outputs.get(stream, (np.empty(0), np.empty(0)))

    def events(self, source: int) -> tuple[FloatArray, NDArray[np.bool_]]:
        """Instants in seconds of what a source told, and whether it began then, (n,) each."""
        mine = [rows[rows["source"] == source] for rows in self.kept.events()]
        times = [rows["ticks"] / self.kept.tick_hz for rows in mine]
        began = [rows["entered"].astype(bool) for rows in mine]
        return np.concatenate([np.empty(0), *times]), np.concatenate(
            [np.empty(0, dtype=bool), *began]
        )

    @property
    def begin_s(self) -> float:
        """Since when all is kept, in seconds since the board's start."""
        return self.kept.oldest_ticks / self.kept.tick_hz

    @property
    def end_s(self) -> float:
        """The newest instant."""
        ends = [self.kept.newest_ticks / self.kept.tick_hz, self.begin_s + 1e-6]
        for stream in range(len(self.workspace.project.chains)):
            channel = self._leads.get(stream)
            if channel is not None and channel.end:
                ends.append(float(channel.times_s(np.array([channel.end - 1.0]))[0]))
        return max(ends)

    def update(self) -> None:
        """Bring what is looked at up to date; of the receiving thread only."""
        if self.shown or self._is_pointed:
            for stream in self._output_streams:
                self._update_output(stream)
        for key in self.shown:
            channel = self.channels.get(key)
            if channel is not None:
                channel.update()

    def _update_output(self, stream: int) -> None:
        done = self._output_ends.get(stream, 0)
        times, values = self.output(stream)
        if self.kept.end_of(stream) < done:  # of a run that began anew
            done, times, values = 0, np.empty(0), np.empty(0)
            self._outputs[stream] = times, values
        end, ticks, marked = self.kept.pairs_since(stream, done)
        self._output_ends[stream] = end
        if not len(ticks):
            return
        took = (marked & OVERWRITTEN) == 0
        times = np.concatenate((times, ticks[took] / self.kept.tick_hz))
        values = np.concatenate((values, (marked[took] & (TORN - 1)).astype(np.float64)))
        if len(times) > 2 * MOST_CHANGES or (len(times) and times[0] < self.begin_s - KEPT_S):
            since = max(len(times) - MOST_CHANGES, int(np.searchsorted(times, self.begin_s)) - 1, 0)
            times, values = times[since:], values[since:]
        self._outputs[stream] = times, values
