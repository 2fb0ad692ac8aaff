"""Figures held against limits, their uncertainty with them."""

from __future__ import annotations

import math

from wattigram.core.base.errors import TakeError
from wattigram.core.base.quantity import format_si
from wattigram.core.capture.recording import recording_of_take
from wattigram.core.capture.recording.from_take import FILTERED
from wattigram.core.capture.take import Take
from wattigram.core.judge.judgement import Judgement, not_judged
from wattigram.core.judge.measured import Figure, Measured, Wanted, measure
from wattigram.core.judge.verdict import Outcome
from wattigram.core.model.design import FigureExpectation

OF_SIZE = frozenset({"inl", "dnl"})
"""Figures whose sign does not matter."""
LONGEST_S = 1e6
"""Of a take that would decide; a longer one is not told."""


def judge_figure(take: Take, expectation: FigureExpectation) -> Judgement:
    """Holds where the value with twice its standard uncertainty lies between the limits, fails where all of it lies
    outside, and is not judged where it straddles one."""
    filtered = FILTERED if expectation.input == "filtered" else ""
    names = [expectation.signal + filtered]
    if expectation.other is not None:
        names.append(expectation.other + filtered)
    wanted = Wanted(
        expectation.measure,
        tuple(names),
        None if expectation.begin_s is None else float(expectation.begin_s),
        None if expectation.end_s is None else float(expectation.end_s),
        stimulus=expectation.stimulus or "",
    )
    try:
        measured = measure(recording_of_take(take), wanted)
        figure = measured.figure(expectation.figure)
    except TakeError as fault:
        return not_judged(fault.message.rstrip("."))
    except KeyError:
        return not_judged(f"no {expectation.title} was found in what came")
    value = abs(figure.value) if figure.key in OF_SIZE else figure.value
    if math.isnan(value):
        return not_judged(f"no {expectation.title} was found in what came")
    unsure = 2 * figure.sigma if math.isfinite(figure.sigma) else 0.0
    low, high = expectation.at_least, expectation.at_most
    outcome, why = _outcome(value, unsure, low, high, figure)
    note = figure.text
    if outcome == "open":
        note += f": {why or _straddles(value, unsure, low, high, measured)}"
    return Judgement(outcome, value, expectation.unit, low, high, measured.samples, note)


def _outcome(
    value: float, unsure: float, low: float | None, high: float | None, figure: Figure
) -> tuple[Outcome, str]:
    """The outcome, and why where it is open for another reason than that it straddles a limit."""
    below, above = value - unsure, value + unsure
    if figure.bound == "at most":
        below = -math.inf
    elif figure.bound == "at least":
        above = math.inf
    if (low is None or below >= low) and (high is None or above <= high):
        return "holds", ""
    if (low is not None and above < low) or (high is not None and below > high):
        return "fails", ""
    return "open", "noise hides what lies beyond" if figure.bound else ""


def _straddles(
    value: float, unsure: float, low: float | None, high: float | None, measured: Measured
) -> str:
    """With how long a take would decide it: uncertainty falls with the root of time."""
    apart = min(abs(value - limit) for limit in (low, high) if limit is not None)
    length_s = measured.end_s - measured.begin_s
    if apart <= 0 or length_s * (unsure / apart) ** 2 > LONGEST_S:
        return "it lies on the limit"
    needed_s = 1.1 * length_s * (unsure / apart) ** 2
    return f"its uncertainty straddles the limit; a take of {format_si(needed_s, 's', 2)} would decide it"
