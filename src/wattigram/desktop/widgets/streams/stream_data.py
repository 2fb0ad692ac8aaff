"""An open recording as the Streams page needs it: overviews to draw from, values to read."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.base.quantity import format_si
from wattigram.core.capture.recording import Block, Channel, Reading, Recording, open_recording
from wattigram.core.capture.recording.from_take import (
    FILTERED,
    QuantityChannel,
    TakeChannel,
    TakeRecording,
)
from wattigram.core.capture.take import Overview, Take
from wattigram.core.capture.take.extremes import in_order
from wattigram.core.model.design import later_gain, signal_scale
from wattigram.core.predict.expected import band_half_width_v, expected_settled_at, workspace_at
from wattigram.desktop.widgets.streams.changing_strip import ChangingStrip, take_strips
from wattigram.desktop.widgets.streams.strips import Strip

FloatArray = NDArray[np.float64]
BAND_POINTS = 4


class Trace(msgspec.Struct, frozen=True, dict=True):
    """One channel of a recording: of a take a signal, in one stage of it.

    ``per_step`` is what a step of the overview is worth, in the channel's unit.
    """

    name: str
    stage: str
    index: int
    channel: Channel
    start_s: float
    overview: Overview
    per_step: float
    half_width: float
    rate_hz: float

    @property
    def step(self) -> float | None:
        """What a code is worth, in the unit; None of what has no codes."""
        return self.channel.lsb

    @property
    def weight(self) -> float:
        """How high its strip is, beside others."""
        return 1.0

    @property
    def count(self) -> int:
        """Samples."""
        return self.channel.count

    @property
    def unit(self) -> str:
        """Of its values."""
        return self.channel.unit

    def samples(self, begin: int, end: int) -> Block:
        """A stretch of what the recording holds, read from it."""
        return self.channel.read(begin, end)

    @cached_property
    def missing_s(self) -> tuple[tuple[float, float], ...]:
        """Stretches in which samples never came, (begin, end) of each in seconds."""
        channel = self.channel.source if isinstance(self.channel, QuantityChannel) else self.channel
        if not isinstance(channel, TakeChannel):
            return ()
        return tuple(
            (self.start_s + begin / self.rate_hz, self.start_s + end / self.rate_hz)
            for begin, end in channel.missing
        )

    def span(self) -> tuple[float, float]:
        """Extremes over all of it."""
        low, high = self.overview.columns(0, self.count, 1)
        return float(low[0]) * self.per_step, float(high[0]) * self.per_step

    def number_at(self, seconds: float) -> int:
        """The sample nearest to an instant."""
        if self.channel.rate_hz is None and not isinstance(self.channel, TakeChannel):
            return min(self.count - 1, self.channel.number_at(seconds))
        number = round((seconds - self.start_s) * self.rate_hz)
        return max(0, min(self.count - 1, number))

    def columns(
        self, begin_s: float, end_s: float, count: int
    ) -> tuple[FloatArray, FloatArray, FloatArray]:
        """(times, lows, highs) in seconds and the unit; single samples where there are fewer than
        columns."""
        total = self.count
        first = (begin_s - self.start_s) * self.rate_hz
        last = (end_s - self.start_s) * self.rate_hz
        inside_first, inside_last = max(0, int(first) - 1), min(total, int(last) + 2)
        if inside_last - inside_first < 2:
            return np.empty(0), np.empty(0), np.empty(0)
        if inside_last - inside_first <= 2 * count:
            near = self.samples(inside_first, inside_last)
            values = np.where(near.valid, near.values, np.nan)
            return near.times_s, values, values
        begin, end = max(0.0, first), min(float(total), last)
        columns = max(2, round(count * (end - begin) / (last - first)))
        low, high = self.overview.columns(begin, end, columns)
        edges = np.linspace(begin, end, columns + 1)
        times = self.start_s + (edges[:-1] + edges[1:]) / 2 / self.rate_hz
        scale = self.per_step
        return times, low.astype(np.float64) * scale, high.astype(np.float64) * scale


class OpenRecording:
    """A recording that threads read from: it is closed once nobody wants it and the last of them is through."""

    def __init__(self, recording: Recording) -> None:
        self.recording = recording
        self._lock = threading.Lock()
        self._readers = 0
        self._is_unwanted = False

    @contextmanager
    def reading(self) -> Iterator[Recording]:
        """Within it the file stays open.

        Raises
        ------
        TakeError
            When it has been closed before.
        """
        with self._lock:
            if self._is_unwanted:
                raise TakeError("The recording has been closed.", where=self.recording.title)
            self._readers += 1
        try:
            yield self.recording
        finally:
            with self._lock:
                self._readers -= 1
                is_last = self._is_unwanted and not self._readers
            if is_last:
                self.recording.close()

    def close(self) -> None:
        """Nobody wants it any more."""
        with self._lock:
            is_free = not self._is_unwanted and not self._readers
            self._is_unwanted = True
        if is_free:
            self.recording.close()


class StreamData(msgspec.Struct, frozen=True):
    """A recording with a trace for each channel that holds anything."""

    path: Path
    opened: OpenRecording
    channels: tuple[Trace, ...]
    outputs: tuple[ChangingStrip, ...]
    begin_s: float
    """0, but in a take that begins later than the run."""
    end_s: float

    @property
    def traces(self) -> tuple[Strip, ...]:
        """Channels, and what left the part."""
        return (*self.channels, *self.outputs)

    @property
    def summary(self) -> str:
        """What there is, in a line."""
        length, take = format_si(self.span_s, "s", 5), self.take
        if take is None:
            recording = self.recording
            samples = _grouped(sum(channel.count for channel in recording.channels))
            told = [f"{length} · {samples} samples · {recording.format}", *recording.notes]
            return ". ".join(line.rstrip(".") for line in told)
        lost, came = take.lost_cycles, len(take.events)
        since = f" from {format_si(self.begin_s, 's', 5)} of the run on" if self.begin_s else ""
        return (
            f"{length}{since} · {_grouped(take.samples)} samples · {lost or 'no'} scans lost · {came} "
            f"event{'' if came == 1 else 's'} · build {take.build_id}"
            + ("" if take.complete else " · not finished")
        )

    def events(self, trace: Strip) -> tuple[FloatArray, NDArray[np.bool_]]:
        """Instants in seconds of events of its signal, and whether a condition began then."""
        take, nothing = self.take, (np.empty(0), np.empty(0, dtype=bool))
        if take is None or not isinstance(trace, Trace):
            return nothing
        mine = take.events_of(trace.name)
        return mine["ticks"] / take.tick_hz, mine["entered"].astype(bool)

    @property
    def grows(self) -> bool:
        """It is as long as it is."""
        return False

    @property
    def span_s(self) -> float:
        """How long it is; never 0."""
        return max(self.end_s - self.begin_s, 1e-9)

    @property
    def recording(self) -> Recording:
        """For whoever reads on the window's own thread."""
        return self.opened.recording

    @property
    def take(self) -> Take | None:
        """The take; None of the recording of another tool."""
        return self.recording.take if isinstance(self.recording, TakeRecording) else None

    def close(self) -> None:
        """Let the file go, once whoever reads is through."""
        self.opened.close()

    def band(
        self, trace: Strip, begin_s: float, end_s: float, count: int
    ) -> tuple[FloatArray, FloatArray, FloatArray]:
        """(times, lows, highs) of the expected band in volts; nothing where no design expects any."""
        begin_s, end_s = max(self.begin_s, begin_s), min(self.end_s, end_s)
        nothing = np.empty(0), np.empty(0), np.empty(0)
        take = self.take
        if take is None or end_s <= begin_s or not isinstance(trace, Trace):
            return nothing
        if take.unforeseen(trace.name):
            return nothing
        times = np.linspace(begin_s, end_s, count * BAND_POINTS)
        history = take.history
        if len(history) == 1:
            volts = expected_settled_at(history[0][1], trace.name, times)
        else:
            ticks = times * take.tick_hz
            volts = np.empty(len(times))
            for since, until in zip(history, (*history[1:], (1 << 62, None)), strict=True):
                part = (ticks >= since[0]) & (ticks < until[0])
                volts[part] = expected_settled_at(
                    workspace_at(history, since[0]), trace.name, times[part]
                )
        grouped = volts.reshape(count, BAND_POINTS)
        middle = times.reshape(count, BAND_POINTS).mean(axis=1)
        half = self._half_width_v(trace)
        low, high = grouped.min(axis=1) - half, grouped.max(axis=1) + half
        if isinstance(trace.channel, QuantityChannel):
            low, high = trace.channel.quantity.between(low, high)
        return middle, low, high

    def _half_width_v(self, trace: Trace) -> float:
        """Half the band's own height, in volts also where the trace is of another quantity."""
        if not isinstance(trace.channel, QuantityChannel):
            return trace.half_width
        stage = "filtered" if trace.channel.source.filtered else "raw"
        return next(
            one.half_width for one in self.channels if (one.name, one.stage) == (trace.name, stage)
        )


def _grouped(count: int) -> str:
    return f"{count:,}".replace(",", "\u202f")


class LaidUnder(msgspec.Struct, frozen=True):
    """A recording that lies below another, so many seconds later than it was."""

    data: StreamData
    shift_s: float

    @property
    def title(self) -> str:
        """As its channels are called."""
        return self.data.path.stem

    def trace_like(self, trace: Strip) -> Trace | None:
        """Its trace of the same channel."""
        return next(
            (
                one
                for one in self.data.channels
                if (one.name, one.stage) == (trace.name, trace.stage)
            ),
            None,
        )


def load_stream(
    path: Path, progress: Callable[[float], None], reading: Reading | None = None
) -> StreamData:
    """Open a take, or a recording of another tool, and prepare all of it for drawing.

    Raises
    ------
    TakeError
        When it cannot be read, or something must be said that was not.
    """
    recording = open_recording(path, reading)
    try:
        traces: list[Trace] = []
        names: dict[str, int] = {}
        for number, channel in enumerate(recording.channels):
            owner = (
                channel.source.signal.name
                if isinstance(channel, QuantityChannel)
                else channel.name.removesuffix(FILTERED)
            )
            index = names.setdefault(owner, len(names))
            if channel.count >= 2:
                traces.append(_trace(channel, index))
            progress((number + 1) / len(recording.channels))
        take = recording.take if isinstance(recording, TakeRecording) else None
        begin_s = take.begins_s if take is not None else 0.0
        end_s = take.seconds if take is not None else recording.seconds
        outputs = take_strips(take, len(names)) if take is not None else ()
        return StreamData(path, OpenRecording(recording), tuple(traces), outputs, begin_s, end_s)
    except BaseException:
        recording.close()
        raise


def _trace(channel: Channel, index: int) -> Trace:
    """A channel made ready for drawing."""
    ends = [float(channel.read(at, at + 1).times_s[0]) for at in (0, channel.count - 1)]
    rate_hz = (channel.count - 1) / max(ends[1] - ends[0], 1e-9)
    if isinstance(channel, TakeChannel):
        return _take_trace(channel, ends[0], rate_hz)

    def values(begin: int, end: int) -> NDArray[Any]:
        return channel.read(begin, end).values.astype(np.float32)

    overview = Overview(channel.count, values)
    name, stage = channel.name, "raw"
    if isinstance(channel, QuantityChannel):
        name, stage = channel.source.signal.name, channel.unit
    return Trace(name, stage, index, channel, ends[0], overview, 1.0, 0.0, rate_hz)


def _take_trace(channel: TakeChannel, start_s: float, rate_hz: float) -> Trace:
    """Of a take the overview is of items, as narrow as they are stored."""
    take, signal = channel.take, channel.signal
    chain = take.workspace.project.chain_of(signal.name)
    assert chain is not None
    scale = signal_scale(take.workspace, chain, signal.name)

    half = 0
    if scale.signed:
        half = 1 << (31 if channel.filtered else scale.item_bits - 1)

    def items(begin: int, end: int) -> NDArray[Any]:
        stored = channel.read_items(begin, end)
        return stored if not half else in_order(stored, half).astype(np.int32)

    factor = later_gain(signal) if channel.filtered else 1.0
    per_step = scale.lsb_v / 2.0**scale.shift / scale.gain / factor / float(signal.scaling)
    return Trace(
        signal.name,
        "filtered" if channel.filtered else "raw",
        take.workspace.project.signals.index(signal),
        channel,
        start_s,
        Overview(channel.count, items, take.extremes(signal.name, channel.filtered)),
        per_step,
        band_half_width_v(take.workspace, chain, signal.name, channel.filtered),
        rate_hz,
    )
