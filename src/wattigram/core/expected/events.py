"""Window events that design and bench let one expect."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wattigram.core.design.model import Window
from wattigram.core.expected.stream import History, expected_raw, expected_reduced


@dataclass(frozen=True)
class ExpectedEvent:
    """A crossing: the window's condition begins to hold, or has ceased by the hysteresis."""

    time_s: float
    entered: bool
    value_v: float


def expected_events(history: History, signal: str, cycles: int) -> tuple[ExpectedEvent, ...]:
    """Events of a signal's window in the first ``cycles`` cycles, at the held instants that decide them.

    They follow from the predicted readings without noise.
    """
    project = history[0][1].project
    window = project.signal(signal).window
    chain = project.chain_of(signal)
    if window is None or chain is None:
        return ()
    reduce = project.signal(signal).reduce
    if reduce is not None and window.on == "reduced":
        values = cycles * len(chain.places_of(signal)) // reduce.count
        stream = expected_reduced(history, chain.converter, signal, 0, values)
    else:
        stream = expected_raw(history, chain.converter, signal, 0, cycles)
    volts = stream.predicted_v
    enters, leaves = _conditions(window, volts)
    events: list[ExpectedEvent] = []
    inside, position = False, 0
    while position < len(volts):
        wanted = leaves if inside else enters
        step = int(np.argmax(wanted[position:]))
        if not wanted[position + step]:
            break
        position += step
        inside = not inside
        events.append(ExpectedEvent(float(stream.times_s[position]), inside, float(volts[position])))
        position += 1
    return tuple(events)


def _conditions(window: Window, volts: NDArray[np.float64]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Where the condition holds, and where it has ceased by more than the hysteresis."""
    low, high, slack = window.low_v, window.high_v, window.hysteresis_v
    match window.condition:
        case "outside":
            return (volts < low) | (volts > high), (volts >= low + slack) & (volts <= high - slack)
        case "inside":
            return (volts >= low) & (volts <= high), (volts < low - slack) | (volts > high + slack)
        case "above":
            return volts > high, volts <= high - slack
        case "below":
            return volts < low, volts >= low + slack
