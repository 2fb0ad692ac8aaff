"""A stretch of a stream as it is drawn: captured columns on the expected band."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.session.snapshot import StreamPicture
from wattigram.core.model.design import Chain, Signal, reduced_volts, signal_scale
from wattigram.core.predict.expected import (
    ExpectedStream,
    History,
    SampleTimes,
    expected_filtered,
    expected_raw,
)
from wattigram.core.predict.pins import set_while_running
from wattigram.core.predict.timing import buffer_numbers

FloatArray = NDArray[np.float64]
LARGEST_EXPECTED = 40_000
OUT_OF_BAND_SHARE = 0.002


class ExpectedWindow:
    """Settled values of one signal for a stretch that moves on: only what is new is worked out."""

    def __init__(self, history: History, chain: Chain, signal: Signal) -> None:
        self._history = history
        self._chain = chain
        self._signal = signal
        self._begin = 0
        self._values: FloatArray = np.empty(0)
        self.half_width_v = 0.0
        self.is_known = not set_while_running(history[0][1], signal)
        """Whether anything is expected: not of what a route sets while the board runs."""
        self.instants: SampleTimes | None = None
        """As stamped, where the board's program stamps; None for instants as designed."""

    def fits(self, history: History, signal: Signal) -> bool:
        """Whether what is known still holds."""
        return history is self._history and signal is self._signal

    def values(self, begin: int, end: int) -> FloatArray:
        """Settled values of samples ``begin`` to ``end``, (end − begin,) volts."""
        known_end = self._begin + len(self._values)
        if not self._begin <= begin <= known_end:
            self._begin = known_end = begin
            self._values = np.empty(0)
        if end > known_end:
            fresh = _expected(
                self._history, self._chain, self._signal, known_end, end, self.instants
            )
            self.half_width_v = fresh.half_width_v
            self._values = np.concatenate((self._values[begin - self._begin :], fresh.settled_v))
            self._begin = begin
        return self._values[begin - self._begin : end - self._begin]


def expected_only(
    window: ExpectedWindow, signal: Signal, span_s: float, rate_hz: float, columns: int
) -> StreamPicture:
    """The band alone, from the start, before anything has run."""
    count = max(2, min(LARGEST_EXPECTED, round(span_s * rate_hz)))
    empty = np.empty(0)
    low, high = to_columns(window.values(0, count), columns) if window.is_known else (empty, empty)
    return StreamPicture(
        signal.name,
        0.0,
        count / rate_hz,
        empty,
        empty,
        low,
        high,
        window.half_width_v,
        None,
        float("nan"),
    )


def picture(
    window: ExpectedWindow,
    signal: Signal,
    begin: int,
    volts: FloatArray,
    rate_hz: float,
    columns: int,
) -> StreamPicture:
    """Draw samples ``begin`` onwards of one signal: reduced values where it has a reduce stage,
    else raw ones.

    ``volts`` is (n,) float64.
    """
    count = len(volts)
    low, high = to_columns(volts, columns)
    in_band: bool | None = None
    expected_low = expected_high = np.empty(0)
    if window.is_known:
        settled = window.values(begin, begin + count)
        expected_low, expected_high = to_columns(settled, columns)
        outside = np.count_nonzero(np.abs(volts - settled) > window.half_width_v)
        in_band = bool(outside <= max(1.0, OUT_OF_BAND_SHARE * count))
    newest = max(1, round(min(0.1 * rate_hz, count)))
    return StreamPicture(
        signal.name,
        begin / rate_hz,
        (begin + count) / rate_hz,
        low,
        high,
        expected_low,
        expected_high,
        window.half_width_v,
        in_band,
        float(volts[-newest:].mean()) if count else float("nan"),
    )


def item_volts(history: History, chain: Chain, signal: Signal, items: NDArray[Any]) -> FloatArray:
    """The signal's own volts of items, reduced values where it has a reduce stage.

    ``items`` and the result are (n,).
    """
    workspace = history[0][1]
    if signal.later_filter is not None:
        return reduced_volts(workspace, chain, signal, items)
    return raw_volts(history, chain, signal, items)


def raw_volts(history: History, chain: Chain, signal: Signal, items: NDArray[Any]) -> FloatArray:
    """The signal's own volts of items as they lie in memory.

    ``items`` and the result are (n,).
    """
    return signal_scale(history[0][1], chain, signal.name).item_volts(items) / float(signal.scaling)


def signal_numbers(
    chain: Chain, signal: str, begin_cycle: int, end_cycle: int
) -> NDArray[np.int64]:
    """Numbers of the items that a reader takes for the signal's in a range of cycles.

    (n,) int64.
    """
    slots = len(chain.slots)
    places = np.array(chain.places_of(signal))
    if chain.buffer.samples % slots == 0:
        cycles = np.arange(begin_cycle, end_cycle, dtype=np.int64)
        return np.asarray((cycles[:, None] * slots + places[None, :]).ravel())
    numbers = buffer_numbers(end_cycle * slots, chain.buffer.samples, slots, places)
    return np.asarray(numbers[np.searchsorted(numbers, begin_cycle * slots) :])


def _expected(
    history: History,
    chain: Chain,
    signal: Signal,
    begin: int,
    end: int,
    instants: SampleTimes | None,
) -> ExpectedStream:
    if signal.later_filter is not None:
        return expected_filtered(history, chain.converter, signal.name, begin, end, instants)
    places = len(chain.places_of(signal.name))
    stream = expected_raw(
        history, chain.converter, signal.name, begin // places, -(-end // places), instants
    )
    skip = begin % places
    part = slice(skip, skip + end - begin)
    return ExpectedStream(
        stream.settled_v[part],
        stream.error_v[part],
        stream.noise_v,
        stream.accuracy_v,
        stream.times_s[part],
    )


def to_columns(values: FloatArray, columns: int) -> tuple[FloatArray, FloatArray]:
    """Extremes of at most ``columns`` parts of nearly equal length; the values themselves when they
    are few.

    ``values`` is (n,) float64, the extremes are (columns,) each.
    """
    if len(values) <= columns:
        return values, values
    edges = np.linspace(0, len(values), columns + 1).astype(np.int64)[:-1]
    return np.minimum.reduceat(values, edges), np.maximum.reduceat(values, edges)
