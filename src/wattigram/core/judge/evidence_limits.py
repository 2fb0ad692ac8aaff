"""What an expectation allows, as lines on its evidence that can be moved."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.model.design.expectation import (
    Expectation,
    FigureExpectation,
    LevelExpectation,
    RedundantPairExpectation,
    SquareExpectation,
    ThresholdExpectation,
)

OF_VALUES = frozenset({"mean", "minimum", "maximum"})
"""Figures of the statistics that are values of the signal themselves."""


class Limit(msgspec.Struct, frozen=True):
    """A value that is allowed, in the unit of its panel; with a ``centre``, how far from that.

    ``fact`` is the key of what the expectation's sentence says there.
    """

    fact: str
    value: float
    label: str = ""
    centre: float | None = None
    unit: str = "V"

    def moved_text(self, value: float, step: float) -> str:
        """What the sentence says where the line lies at ``value``, to a multiple of ``step``."""
        said = value if self.centre is None else abs(value - self.centre)
        said = round(said / step) * step if step > 0 else said
        if self.unit == "V":
            return format_si(said, "V", 6)
        return format_si(said, self.unit, 6) if self.unit else f"{said:.6g}"


def limits_of(expectation: Expectation) -> tuple[Limit, ...]:
    """What is allowed of the values of the signal, in volts; of some kinds nothing that is a line on them."""
    match expectation:
        case LevelExpectation():
            return tuple(_about("level", expectation.level_v, expectation.within_v))
        case SquareExpectation():
            of_each = [("low", expectation.low_v), ("high", expectation.high_v)]
            return tuple(
                limit
                for key, volts in of_each
                for limit in _about(key, volts, expectation.within_v)
            )
        case ThresholdExpectation():
            ends = [("low", expectation.low_v), ("high", expectation.high_v)]
            return tuple(
                Limit(key, volts, f"must be {format_volts(volts)}")
                for key, volts in ends
                if volts is not None
            )
        case FigureExpectation(measure="statistics", figure=figure) if figure in OF_VALUES:
            bounds = [
                ("at_least", "at least", expectation.at_least),
                ("at_most", "at most", expectation.at_most),
            ]
            return tuple(
                Limit(key, volts, f"{figure} {words} {format_volts(volts)}", unit="")
                for key, words, volts in bounds
                if volts is not None
            )
        case _:
            return ()


def _about(key: str, volts: float, within_v: float) -> Iterator[Limit]:
    yield Limit(key, volts, f"must be {format_volts(volts)} ± {format_volts(within_v)}")
    for edge in (volts - within_v, volts + within_v):
        yield Limit("within", edge, "", volts)


def difference_limits(expectation: Expectation) -> tuple[Limit, ...]:
    """How far two that should be equal may be apart, on their difference in volts."""
    if not isinstance(expectation, RedundantPairExpectation):
        return ()
    within_v = expectation.within_v
    return symmetric_limits("within", within_v, f"at most {format_volts(within_v)} apart", "V")


def symmetric_limits(fact: str, value: float, label: str, unit: str) -> tuple[Limit, ...]:
    """As far above 0 as below."""
    return (Limit(fact, value, label, 0.0, unit), Limit(fact, -value, "", 0.0, unit))
