"""Window events that design and bench let one expect."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.model.design import Chain, Threshold, Watch, limits_v, rate_divisor
from wattigram.core.predict.accuracy import pair_reach_s
from wattigram.core.predict.expected.sample_times import SampleTimes
from wattigram.core.predict.expected.stream import (
    ExpectedStream,
    History,
    expected_filtered,
    expected_raw,
)

InstantsOf = Callable[[Chain, int, int], SampleTimes | None]
"""Instants of some cycles of a chain; None where they are even."""
CyclesOf = Callable[[Chain], int]
VALUES_AT_ONCE = 1 << 17


class ExpectedEvent(msgspec.Struct, frozen=True):
    """A crossing: the condition begins to hold, or has ceased by the hysteresis."""

    time_s: float
    entered: bool
    value_v: float


class _Stream:
    """Expected values of a signal, of its stage where there is one and ``on`` wants it, read on in
    blocks."""

    def __init__(
        self, history: History, signal: str, on: str, cycles_of: CyclesOf, instants_of: InstantsOf
    ) -> None:
        project = history[0][1].project
        chain = project.chain_of(signal)
        assert chain is not None
        stage = project.signal(signal).later_filter
        self._history, self._signal, self._chain, self._instants_of = (
            history,
            signal,
            chain,
            instants_of,
        )
        self._places = len(chain.places_of(signal))
        self._divisor = rate_divisor(stage) if stage is not None and on == "filtered" else 0
        self.total = cycles_of(chain) * self._places // max(1, self._divisor)
        self._next = 0

    @property
    def is_at_end(self) -> bool:
        return self._next >= self.total

    def read(self) -> ExpectedStream:
        """The next block."""
        each = max(1, self._divisor)
        size = max(1, VALUES_AT_ONCE // each) * self._places
        begin, end = self._next, min(self.total, self._next + size)
        self._next = end
        cycles = begin * each // self._places, -(-end * each // self._places)
        instants = self._instants_of(self._chain, *cycles)
        if self._divisor:
            return expected_filtered(
                self._history, self._chain.converter, self._signal, begin, end, instants
            )
        return expected_raw(self._history, self._chain.converter, self._signal, *cycles, instants)


def expected_events(
    history: History,
    watch: Watch,
    cycles_of: CyclesOf,
    instants_of: InstantsOf = lambda chain, begin, end: None,
    off_v: float = 0.0,
) -> tuple[ExpectedEvent, ...]:
    """Events of a window or a twin in the first cycles of each chain, at the held instants that
    decide them.

    They follow from the predicted readings without noise, all of them ``off_v`` higher. Comparators
    look at a pin all the time and
    are not told by cycles.
    """
    project = history[0][1].project
    chain = project.chain_of(watch.signal)
    if chain is None or watch.kind in {"comparator", "input", "byte"}:
        return ()
    signal = project.signal(watch.signal)
    if watch.kind == "twin":
        limit = (signal.redundant_pair.tolerance_v if signal.redundant_pair else None) or 0.0
        times = signal.redundant_pair.consecutive if signal.redundant_pair else 1
        window = Threshold(low=-limit, high=limit, input="filtered", consecutive=times)
        other: str | None = signal.partner
        low_v, high_v = -limit, limit
    else:
        window = watch.window(project)
        other = window.minus_signal
        low_v, high_v = limits_v(history[0][1], signal, window)
    if not window.interrupt_enabled:
        return ()
    ours = _Stream(history, signal.name, window.input, cycles_of, instants_of)
    partner: _Partner | None = None
    if other is not None and project.chain_of(other) is not None:
        theirs = _Stream(history, other, window.input, cycles_of, instants_of)
        partner = (
            _Nearest(theirs, float(pair_reach_s(history[0][1], signal)))
            if watch.kind == "twin"
            else _Newest(theirs)
        )
    follower = _Follower(window, low_v, high_v)
    while not ours.is_at_end and not follower.is_over:
        stream = ours.read()
        volts = stream.predicted_v - (window.minus_v or 0.0)
        if partner is not None:
            partner_v = partner.beside(stream.times_s)
            volts = stream.predicted_v[: len(partner_v)] - partner_v
        has_partner = ~np.isnan(volts)
        follower.feed(volts[has_partner] + off_v, stream.times_s[: len(volts)][has_partner])
        if len(volts) < len(stream.times_s):
            break  # the other one came to its end
    return tuple(follower.events)


class _Partner:
    """Another stream, read on as far as the first one needs it."""

    def __init__(self, stream: _Stream) -> None:
        self._stream = stream
        self._volts = np.empty(0)
        self._times_s = np.empty(0)

    def _read_on(self) -> None:
        more = self._stream.read()
        self._volts = np.concatenate((self._volts, more.predicted_v))
        self._times_s = np.concatenate((self._times_s, more.times_s))

    def beside(self, times_s: NDArray[np.float64]) -> NDArray[np.float64]:
        """Its values that belong to the next values of the first, held then; fewer where it
        ends."""
        raise NotImplementedError


class _Newest(_Partner):
    """The newest value at each instant."""

    def beside(self, times_s: NDArray[np.float64]) -> NDArray[np.float64]:
        while not self._stream.is_at_end and (
            not len(self._times_s) or self._times_s[-1] < times_s[-1]
        ):
            self._read_on()
        if not len(self._times_s):
            return np.empty(0)
        known_s = times_s[times_s <= self._times_s[-1]]
        newest = np.searchsorted(self._times_s, known_s, side="right") - 1
        known = self._of(known_s, newest)
        past = max(0, int(newest[-1])) if len(newest) else 0
        self._volts, self._times_s = self._volts[past:], self._times_s[past:]
        return known

    def _of(self, known_s: NDArray[np.float64], newest: NDArray[np.int64]) -> NDArray[np.float64]:
        return np.asarray(self._volts[np.maximum(newest, 0)])


class _Nearest(_Newest):
    """The value nearest in time; NaN where none is within reach."""

    def __init__(self, stream: _Stream, reach_s: float) -> None:
        super().__init__(stream)
        self._reach_s = reach_s

    def _of(self, known_s: NDArray[np.float64], newest: NDArray[np.int64]) -> NDArray[np.float64]:
        before, after = np.maximum(newest, 0), np.minimum(newest + 1, len(self._times_s) - 1)
        is_after = np.abs(self._times_s[after] - known_s) < np.abs(known_s - self._times_s[before])
        places = np.where(is_after, after, before)
        far = np.abs(self._times_s[places] - known_s) > self._reach_s
        return np.where(far, np.nan, self._volts[places])


class _Follower:
    """A condition followed through values that come in blocks."""

    def __init__(self, window: Threshold, low_v: float, high_v: float) -> None:
        self._window, self._low_v, self._high_v = window, low_v, high_v
        self._is_inside = False
        self._in_a_row = 0
        self.events: list[ExpectedEvent] = []
        self.is_over = False
        """It tells nothing any more."""

    def feed(self, volts: NDArray[np.float64], times_s: NDArray[np.float64]) -> None:
        """The next values."""
        window = self._window
        enters, leaves = _conditions(window, self._low_v, self._high_v, volts)
        if window.consecutive > 1:
            enters, self._in_a_row = _in_a_row(enters, window.consecutive, self._in_a_row)
        position = 0
        while position < len(volts):
            wanted = (
                (leaves | enters)
                if self._is_inside and window.on == "every-result"
                else leaves
                if self._is_inside
                else enters
            )
            step = int(np.argmax(wanted[position:]))
            if not wanted[position + step]:
                return
            position += step
            self._is_inside = not bool(leaves[position]) if self._is_inside else True
            self.events.append(
                ExpectedEvent(float(times_s[position]), self._is_inside, float(volts[position]))
            )
            is_last = not window.rearm or window.stops_for_good
            if self._is_inside and is_last:
                self.is_over = True
                return
            if self._is_inside and window.action == "stop":
                self._is_inside, self._in_a_row = False, 0  # after the pause it begins anew
            position += 1


def _in_a_row(holds: NDArray[np.bool_], times: int, before: int) -> tuple[NDArray[np.bool_], int]:
    """(where it has held so often in a row, how often it holds at the end), with so many in a row
    before them."""
    places = np.arange(1, len(holds) + 1)
    since = places - np.maximum.accumulate(np.where(holds, -before, places))
    return np.asarray(holds & (since >= times)), int(since[-1]) if len(since) else before


def _conditions(
    window: Threshold, low: float, high: float, volts: NDArray[np.float64]
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Where the condition holds, and where it has ceased by more than the hysteresis."""
    slack = window.hysteresis_v
    match window.condition:
        case "outside":
            return (volts < low) | (volts > high), (volts >= low + slack) & (volts <= high - slack)
        case "inside":
            return (volts >= low) & (volts <= high), (volts < low - slack) | (volts > high + slack)
        case "above":
            return volts > high, volts <= high - slack
        case "below":
            return volts < low, volts >= low + slack
