"""A figure that was measured as something that must hold."""

from __future__ import annotations

import math
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal

from wattigram.core.capture.recording.from_take import FILTERED
from wattigram.core.contract.figure_names import FIGURES, OF_TWO
from wattigram.core.judge.measured.figures import Figure
from wattigram.core.judge.measured.wanted import Wanted
from wattigram.core.model.design import FigureExpectation

THE_MORE_THE_BETTER = frozenset({"sinad", "snr", "sfdr", "enob", "enob-full-scale", "inside"})
THE_LESS_THE_BETTER = frozenset(
    {"thd", "noise", "std", "density", "inl", "dnl", "missing-codes", "noise-lsb", "jitter"}
    | {
        "neighbour-jitter",
        "unanswered",
        "spread",
        "overshoot",
        "settling",
        "rise",
        "outside",
        "farthest",
        "rms-apart",
    }
)
"""Of what is in neither a band about the value is expected."""
LEEWAY, LEEWAY_ABOVE = 0.01, 0.2
"""Share of the value that is allowed beyond its uncertainty: of a band or a least one, and of a most one."""
DIGITS = 3


def as_expectation(wanted: Wanted, figure: Figure) -> FigureExpectation | None:
    """What a figure comes to as an expectation, with limits that it meets; None of one that nobody expects, or that is
    not known."""
    known = FIGURES.get(wanted.kind, {})
    if figure.key not in known or not math.isfinite(figure.value):
        return None
    name = wanted.channels[0]
    is_filtered = name.endswith(FILTERED)
    unsure = 2 * figure.sigma if math.isfinite(figure.sigma) else 0.0
    value = abs(figure.value) if figure.key in {"inl", "dnl"} else figure.value
    at_least = at_most = None
    if figure.key in THE_MORE_THE_BETTER:
        at_least = rounded(value - max(unsure, LEEWAY * abs(value)), ROUND_FLOOR)
    elif figure.key in THE_LESS_THE_BETTER:
        leeway = LEEWAY if known[figure.key][1] == "dB" else LEEWAY_ABOVE
        at_most = rounded(value + max(unsure, leeway * abs(value)), ROUND_CEILING)
    else:
        leeway = max(unsure, LEEWAY * abs(value))
        at_least, at_most = (
            rounded(value - leeway, ROUND_FLOOR),
            rounded(value + leeway, ROUND_CEILING),
        )
    return FigureExpectation(
        signal=name.removesuffix(FILTERED),
        measure=wanted.kind,
        figure=figure.key,
        at_least=at_least,
        at_most=at_most,
        input="filtered" if is_filtered else "raw",
        other=wanted.channels[1].removesuffix(FILTERED) if wanted.kind in OF_TWO else None,
        stimulus=wanted.stimulus or None,
    )


def rounded(value: float, way: str) -> float:
    """To three digits, down or up."""
    if value == 0 or not math.isfinite(value):
        return value
    number = Decimal(repr(float(value)))
    return float(number.quantize(Decimal(1).scaleb(number.adjusted() - DIGITS + 1), rounding=way))
