"""A board that runs, as the Streams page draws it: what is kept of the run, with its end moving on."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.recording import Block
from wattigram.core.capture.session.live_run import LiveChannel, LiveRun, Newest
from wattigram.core.contract.link import OUTPUT_STREAM
from wattigram.core.model.design import Quantity
from wattigram.core.predict.expected import (
    History,
    band_half_width_v,
    expected_settled_at,
    pointed_outputs,
    workspace_at,
)
from wattigram.core.predict.pins import set_while_running
from wattigram.desktop.widgets.streams.changing_strip import now_strips
from wattigram.desktop.widgets.streams.strips import Strip

FloatArray = NDArray[np.float64]
_Worked = tuple[FloatArray, FloatArray, int]
BAND_POINTS = 4
MOST_CELLS = 1 << 14
"""Kept of one strip."""


class NowStrip:
    """A signal of the board, raw or filtered."""

    weight = 1.0

    def __init__(self, channel: LiveChannel, index: int, quantity: Quantity | None = None) -> None:
        """In volts, or in the quantity that the design states."""
        self.channel, self.index, self.quantity = channel, index, quantity
        self.name = channel.signal.name
        self.stage = "filtered" if channel.filtered else "raw"
        self.unit = "V"
        self.step = None if channel.filtered or quantity is not None else channel.code_v
        if quantity is not None:
            self.stage = self.unit = quantity.unit
        self.rate_hz = channel.rate_hz
        self._seen, self._expected = _Cells(), _Cells()

    @property
    def key(self) -> tuple[str, bool]:
        """As the run knows it."""
        return self.name, self.channel.filtered

    @property
    def missing_s(self) -> tuple[tuple[float, float], ...]:
        """Where nothing came there is a gap in the trace; no list of them is kept."""
        return ()

    def span(self) -> tuple[float, float]:
        """Extremes since the start, or since they were forgotten."""
        low, high = self.channel.low_v, self.channel.high_v
        if low > high:
            return math.nan, math.nan
        return self._extremes(low, high)

    def _extremes(self, low_v: float, high_v: float) -> tuple[float, float]:
        low, high = self._between(np.array([low_v]), np.array([high_v]))
        return float(low[0]), float(high[0])

    def _between(self, low_v: FloatArray, high_v: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Volts as what is shown."""
        return (low_v, high_v) if self.quantity is None else self.quantity.between(low_v, high_v)

    def number_at(self, seconds: float) -> int:
        """The sample nearest to an instant."""
        number = round(float(self.channel.numbers_at(np.array([seconds]))[0]))
        return max(self.channel.begin, min(self.channel.end - 1, number))

    def samples(self, begin: int, end: int) -> Block:
        """Samples of some numbers."""
        volts = self.channel.values(begin, end)
        times_s = self.channel.times_s(np.arange(begin, end, dtype=np.float64))
        came = np.isfinite(volts)
        if self.quantity is not None:
            values = self.quantity.of(volts)
            return Block(values, times_s, np.isfinite(values))
        codes = None
        if not self.channel.filtered:
            codes = np.rint(np.where(came, volts, 0.0) / self.channel.code_v).astype(np.int64)
        return Block(volts, times_s, came, codes)

    def columns(
        self, begin_s: float, end_s: float, count: int
    ) -> tuple[FloatArray, FloatArray, FloatArray]:
        """(times, lows, highs); the columns stand on a grid of their own, so that a trace that moves along does not
        flicker."""
        first, last = self.channel.numbers_at(np.array([begin_s, end_s]))
        since, until = (
            max(self.channel.begin, int(first) - 1),
            min(self.channel.end, int(last) + 2),
        )
        if until - since < 2:
            return np.empty(0), np.empty(0), np.empty(0)
        if until - since <= 2 * count:
            near = self.samples(since, until)
            return near.times_s, near.values, near.values
        step_s = _grid_s(begin_s, end_s, count)

        def work(since: int, until: int) -> _Worked:
            edges_s = np.arange(since, until + 1).astype(np.float64) * step_s
            edges = self.channel.numbers_at(edges_s)
            low, high = self.channel.columns(edges)
            return low, high, int(np.searchsorted(edges[1:], self.channel.summed, side="right"))

        first_cell, last_cell = int(begin_s // step_s), int(end_s // step_s) + 1
        low, high = self._seen.between((step_s, self.channel.begun), first_cell, last_cell, work)
        low, high = self._between(low, high)
        middles = (np.arange(first_cell, last_cell).astype(np.float64) + 0.5) * step_s
        return middles, low, high

    def newest(self) -> Newest | None:
        """What a meter shows, in the strip's unit."""
        return self.channel.newest(self.quantity.of if self.quantity is not None else None)

    def band(
        self, history: History, begin_s: float, end_s: float, count: int
    ) -> tuple[FloatArray, FloatArray, FloatArray]:
        """What is expected, in columns of the same grid."""
        workspace = history[-1][1]
        nothing = np.empty(0), np.empty(0), np.empty(0)
        if end_s <= begin_s or set_while_running(workspace, self.channel.signal):
            return nothing
        step_s = _grid_s(begin_s, end_s, count)
        first, last = max(0, int(begin_s // step_s)), int(end_s // step_s) + 1

        def work(since: int, until: int) -> _Worked:
            cells = np.arange(since, until)[:, None]
            times = (cells + (np.arange(BAND_POINTS) + 0.5) / BAND_POINTS).ravel() * step_s
            volts = _expected(history, self.name, times).reshape(-1, BAND_POINTS)
            return volts.min(axis=1), volts.max(axis=1), until - since

        low, high = self._expected.between((step_s, history), first, last, work)
        half = band_half_width_v(workspace, self.channel.chain, self.name, self.channel.filtered)
        middles = np.asarray((np.arange(first, last) + 0.5) * step_s, dtype=np.float64)
        low, high = self._between(low - half, high + half)
        return middles, low, high


def _grid_s(begin_s: float, end_s: float, count: int) -> float:
    """One column of a view; the same for views of one length, wherever they are."""
    return float(f"{(end_s - begin_s) / count:.9e}")


class _Cells:
    """Extremes in each cell of a grid of time; only what is new is worked out."""

    def __init__(self) -> None:
        self._of: object = None
        self._first = 0
        self._low = self._high = np.empty(0)

    def between(
        self, of: object, first: int, last: int, work: Callable[[int, int], _Worked]
    ) -> tuple[FloatArray, FloatArray]:
        """Of cells from ``first`` to before ``last``, of what stays as it is as long as ``of`` does.

        ``work`` gives the lows and highs of some cells, and how many of them stay so.
        """
        known = self._first + len(self._low)
        if of != self._of or not self._first <= first <= known or known - self._first > MOST_CELLS:
            self._of, self._first, known = of, first, first
            self._low = self._high = np.empty(0)
        low, high = self._low, self._high
        if last > known:
            new_low, new_high, done = work(known, last)
            low, high = np.concatenate((low, new_low)), np.concatenate((high, new_high))
            keep = known + done - self._first
            self._low, self._high = low[:keep], high[:keep]
        part = slice(first - self._first, last - self._first)
        return low[part], high[part]


def _expected(history: History, name: str, times_s: FloatArray) -> FloatArray:
    """Settled volts, with the knobs as they stood."""
    if len(history) == 1:
        return expected_settled_at(history[0][1], name, times_s)
    ticks = times_s * history[0][1].bus_clock_hz.numerator
    volts = np.empty(len(times_s))
    ends = [*(since for since, _workspace in history[1:]), 1 << 62]
    for (since, _workspace), until in zip(history, ends, strict=True):
        part = (ticks >= since) & (ticks < until)
        volts[part] = expected_settled_at(workspace_at(history, since), name, times_s[part])
    return volts


class NowData:
    """All signals of a run."""

    grows = True

    def __init__(self, run: LiveRun, history: History) -> None:
        self.run, self.history = run, history
        names = [signal.name for signal in run.workspace.project.signals]
        strips = []
        for (name, filtered), channel in run.channels.items():
            index, quantity = names.index(name), channel.signal.quantity
            strips.append(NowStrip(channel, index))
            if quantity is not None and filtered == (channel.signal.later_filter is not None):
                strips.append(NowStrip(channel, index, quantity))
        self.channels = tuple(strips)
        self.traces: tuple[Strip, ...] = (*self.channels, *now_strips(run, len(names)))

    @property
    def begin_s(self) -> float:
        """Since when all is kept."""
        return self.run.begin_s

    @property
    def end_s(self) -> float:
        """The newest instant."""
        return self.run.end_s

    @property
    def span_s(self) -> float:
        """How much is kept."""
        return max(self.end_s - self.begin_s, 1e-6)

    def events(self, trace: Strip) -> tuple[FloatArray, NDArray[np.bool_]]:
        """Instants in seconds of events of its signal, and whether a condition began then."""
        times, began = [np.empty(0)], [np.empty(0, dtype=bool)]
        for number, watch in enumerate(self.run.workspace.watches):
            if isinstance(trace, NowStrip) and watch.signal == trace.name:
                at_s, entered = self.run.events(number)
                times.append(at_s)
                began.append(entered)
        return np.concatenate(times), np.concatenate(began)

    def _is_untold(self, name: str) -> bool:
        """The program reads a signal at one pin and then at another, and nobody tells when."""
        number = pointed_outputs(self.run.workspace).get(name)
        return number is not None and not len(self.run.output(OUTPUT_STREAM + number)[0])

    def band(
        self, trace: Strip, begin_s: float, end_s: float, count: int
    ) -> tuple[FloatArray, FloatArray, FloatArray]:
        """(times, lows, highs) of what is expected, as far as the board has come."""
        nothing = np.empty(0), np.empty(0), np.empty(0)
        if not isinstance(trace, NowStrip) or not self.history or self._is_untold(trace.name):
            return nothing
        return trace.band(self.history, begin_s, end_s, count)
