"""An open take as the Takes page needs it: overviews to draw from, values to read."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.take import Overview, SignalSamples, Take, open_take
from wattigram.core.model.design import Chain, Scale, Signal, Workspace, later_gain, signal_scale
from wattigram.core.predict.expected import band_half_width_v, expected_settled_at, workspace_at
from wattigram.core.predict.pins import set_while_running

FloatArray = NDArray[np.float64]
BAND_POINTS = 4


class Trace(msgspec.Struct, frozen=True, dict=True):
    """One signal of a take, one stage of it."""

    name: str
    stage: str
    index: int
    take: Take
    count: int
    start_s: float
    overview: Overview
    volts_per_code: float
    half_width_v: float
    rate_hz: float
    code_shift: int

    def samples(self, begin: int, end: int) -> SignalSamples:
        """A stretch of what the take holds, read from it."""
        read = self.take.reduced if self.stage == "filtered" else self.take.raw
        read_samples = read(self.name, begin, end)
        assert read_samples is not None
        return read_samples

    @cached_property
    def missing(self) -> tuple[tuple[int, int], ...]:
        """Stretches of samples that never came, (first, past the last) of each."""
        return self.take.missing(self.name, self.stage == "filtered")

    def span_v(self) -> tuple[float, float]:
        """Extremes over the whole take."""
        low, high = self.overview.columns(0, self.count, 1)
        return float(low[0]) * self.volts_per_code, float(high[0]) * self.volts_per_code

    def number_at(self, seconds: float) -> int:
        """The sample nearest to an instant."""
        number = round((seconds - self.start_s) * self.rate_hz)
        return max(0, min(self.count - 1, number))

    def columns(
        self, begin_s: float, end_s: float, count: int
    ) -> tuple[FloatArray, FloatArray, FloatArray]:
        """(times, lows, highs) in seconds and volts; single samples where there are fewer than
        columns."""
        total = self.count
        first = (begin_s - self.start_s) * self.rate_hz
        last = (end_s - self.start_s) * self.rate_hz
        inside_first, inside_last = max(0, int(first) - 1), min(total, int(last) + 2)
        if inside_last - inside_first < 2:
            return np.empty(0), np.empty(0), np.empty(0)
        if inside_last - inside_first <= 2 * count:
            near = self.samples(inside_first, inside_last)
            volts = np.where(near.valid, near.volts, np.nan)
            return near.times_s, volts, volts
        begin, end = max(0.0, first), min(float(total), last)
        columns = max(2, round(count * (end - begin) / (last - first)))
        low, high = self.overview.columns(begin, end, columns)
        edges = np.linspace(begin, end, columns + 1)
        times = self.start_s + (edges[:-1] + edges[1:]) / 2 / self.rate_hz
        scale = self.volts_per_code
        return times, low.astype(np.float64) * scale, high.astype(np.float64) * scale


class TakeData(msgspec.Struct, frozen=True):
    """A take with a trace for each signal that it holds."""

    path: Path
    take: Take
    workspace: Workspace
    traces: tuple[Trace, ...]
    seconds: float

    def band(
        self, trace: Trace, begin_s: float, end_s: float, count: int
    ) -> tuple[FloatArray, FloatArray, FloatArray]:
        """(times, lows, highs) of the expected band in volts."""
        begin_s, end_s = max(0.0, begin_s), min(self.seconds, end_s)
        signal = self.workspace.project.signal(trace.name)
        if end_s <= begin_s or set_while_running(self.workspace, signal):
            return np.empty(0), np.empty(0), np.empty(0)
        times = np.linspace(begin_s, end_s, count * BAND_POINTS)
        history = self.take.history
        if len(history) == 1:
            volts = expected_settled_at(history[0][1], trace.name, times)
        else:
            ticks = times * self.take.tick_hz
            volts = np.empty(len(times))
            for since, until in zip(history, (*history[1:], (1 << 62, None)), strict=True):
                part = (ticks >= since[0]) & (ticks < until[0])
                volts[part] = expected_settled_at(
                    workspace_at(history, since[0]), trace.name, times[part]
                )
        grouped = volts.reshape(count, BAND_POINTS)
        middle = times.reshape(count, BAND_POINTS).mean(axis=1)
        half = trace.half_width_v
        return middle, grouped.min(axis=1) - half, grouped.max(axis=1) + half


def load_take(path: Path, progress: Callable[[float], None]) -> TakeData:
    """Open a take and prepare all its signals for drawing; raises :class:`TakeError`."""
    take = open_take(path)
    try:
        workspace = take.workspace
        traces: list[Trace] = []
        signals = workspace.project.signals
        for index, signal in enumerate(signals):
            chain = workspace.project.chain_of(signal.name)
            if chain is not None:
                scale = signal_scale(workspace, chain, signal.name)
                for stage in ("raw", "filtered"):
                    trace = _trace(take, chain, signal, index, scale, stage)
                    if trace is not None:
                        traces.append(trace)
            progress((index + 1) / len(signals))
        return TakeData(path, take, workspace, tuple(traces), take.seconds)
    except BaseException:
        take.close()
        raise


def _trace(
    take: Take, chain: Chain, signal: Signal, index: int, scale: Scale, stage: str
) -> Trace | None:
    """A signal made ready for drawing; None where too little came."""
    is_reduced = stage == "filtered"
    count = take.reduced_count(signal.name) if is_reduced else take.raw_count(signal.name)
    if count < 2:
        return None
    read = take.reduced if is_reduced else take.raw

    def codes(begin: int, end: int) -> NDArray[Any]:
        samples = read(signal.name, begin, end)
        assert samples is not None
        return _codes(samples, scale, stage)

    ends = [read(signal.name, at, at + 1) for at in (0, count - 1)]
    first_s, last_s = (float(one.times_s[0]) for one in ends if one is not None)
    factor = later_gain(signal) if is_reduced else 1.0
    per_code = scale.lsb_v / 2.0**scale.shift / scale.gain / factor / float(signal.scaling)
    half = band_half_width_v(take.workspace, chain, signal.name, is_reduced)
    rate_hz = (count - 1) / max(last_s - first_s, 1e-9)
    overview = Overview(count, codes)
    return Trace(
        signal.name,
        stage,
        index,
        take,
        count,
        first_s,
        overview,
        per_code,
        half,
        rate_hz,
        scale.shift,
    )


def _codes(samples: SignalSamples, scale: Scale, stage: str) -> NDArray[Any]:
    """Items in an order that numbers have; those of a difference with their sign."""
    if not scale.signed:
        return samples.items
    half = 1 << (31 if stage == "filtered" else scale.item_bits - 1)
    return ((samples.items.astype(np.int64) + half) % (2 * half) - half).astype(np.int32)
