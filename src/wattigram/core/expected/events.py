"""Window events that design and bench let one expect."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wattigram.core.design import Chain, Watch, Window, limits_v, rate_divisor
from wattigram.core.expected.instants import Instants
from wattigram.core.expected.stream import ExpectedStream, History, expected_raw, expected_reduced

InstantsOf = Callable[[Chain], Instants | None]
CyclesOf = Callable[[Chain], int]


@dataclass(frozen=True)
class ExpectedEvent:
    """A crossing: the condition begins to hold, or has ceased by the hysteresis."""

    time_s: float
    entered: bool
    value_v: float


def best_stream(
    history: History, signal: str, cycles: int, on: str = "reduced", instants: Instants | None = None
) -> ExpectedStream:
    """Expected values of a signal in the first ``cycles`` cycles, of its stage where there is one and ``on`` wants it."""
    project = history[0][1].project
    chain = project.chain_of(signal)
    assert chain is not None
    stage = project.signal(signal).later_stage
    if stage is not None and on == "reduced":
        values = cycles * len(chain.places_of(signal)) // rate_divisor(stage)
        return expected_reduced(history, chain.converter, signal, 0, values, instants)
    return expected_raw(history, chain.converter, signal, 0, cycles, instants)


def expected_events(
    history: History, watch: Watch, cycles_of: CyclesOf, instants_of: InstantsOf = lambda chain: None
) -> tuple[ExpectedEvent, ...]:
    """Events of a window or a twin in the first cycles of each chain, at the held instants that decide them.

    They follow from the predicted readings without noise. Comparators look at a pin all the time and
    are not told by cycles.
    """
    project = history[0][1].project
    signal = project.signal(watch.signal)
    chain = project.chain_of(watch.signal)
    if chain is None or watch.kind == "comparator":
        return ()
    if watch.kind == "twin":
        limit = (signal.twin.within_v if signal.twin else None) or 0.0
        times = signal.twin.times if signal.twin else 1
        window = Window(low=-limit, high=limit, on="reduced", times=times)
        other: str | None = signal.twin_of
        low_v, high_v = -limit, limit
    else:
        window = watch.window(project)
        other = window.target_signal
        low_v, high_v = limits_v(history[0][1], signal, window)
    stream = best_stream(history, signal.name, cycles_of(chain), window.on, instants_of(chain))
    volts = stream.predicted_v - (window.target_v or 0.0)
    their_chain = project.chain_of(other) if other is not None else None
    if other is not None and their_chain is not None:
        theirs = best_stream(history, other, cycles_of(their_chain), window.on, instants_of(their_chain))
        partner_v = _paired(theirs, len(volts)) if watch.kind == "twin" else _newest_at(theirs, stream.times_s)
        volts = stream.predicted_v[: len(partner_v)] - partner_v
    return _events(window, low_v, high_v, volts, stream.times_s)


def _paired(stream: ExpectedStream, count: int) -> NDArray[np.float64]:
    """The values with the same numbers, as many as there are."""
    return stream.predicted_v[:count]


def _newest_at(stream: ExpectedStream, times_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Newest value of a stream at given instants, as far as it goes."""
    if not len(stream.times_s):
        return np.empty(0)
    places = np.searchsorted(stream.times_s, times_s[times_s <= stream.times_s[-1]], side="right") - 1
    return np.asarray(stream.predicted_v[np.maximum(places, 0)])


def _events(
    window: Window, low_v: float, high_v: float, volts: NDArray[np.float64], times_s: NDArray[np.float64]
) -> tuple[ExpectedEvent, ...]:
    if not window.enabled:
        return ()
    enters, leaves = _conditions(window, low_v, high_v, volts)
    if window.times > 1:
        enters = _in_a_row(enters, window.times)
    events: list[ExpectedEvent] = []
    inside, position = False, 0
    while position < len(volts):
        wanted = (leaves | enters) if inside and window.when == "every" else leaves if inside else enters
        step = int(np.argmax(wanted[position:]))
        if not wanted[position + step]:
            break
        position += step
        inside = not bool(leaves[position]) if inside else True
        events.append(ExpectedEvent(float(times_s[position]), inside, float(volts[position])))
        if inside and (not window.rearm or (window.action == "stop" and window.rearm_after_s is None)):
            break
        position += 1
    return tuple(events)


def _in_a_row(holds: NDArray[np.bool_], times: int) -> NDArray[np.bool_]:
    places = np.arange(1, len(holds) + 1)
    since = places - np.maximum.accumulate(np.where(holds, 0, places))
    return np.asarray(holds & (since >= times))


def _conditions(
    window: Window, low: float, high: float, volts: NDArray[np.float64]
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
