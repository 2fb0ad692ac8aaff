"""Ratios of our code to a bound measured in the same run, interleaved, medians of several
rounds."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass

ROUNDS = 7


@dataclass(frozen=True)
class Row:
    """One line of the table."""

    what: str
    bound: str
    ratio: float
    goal: float
    ours_s: float
    bound_s: float

    def line(self) -> str:
        """The row as text."""
        mark = "✓" if self.ratio <= self.goal else "✕"
        numbers = f"{self.ratio:8.4f} {self.goal:8.4f}  {mark}"
        return f"{self.what:<46}{self.bound:<40}{numbers}  {self.ours_s * 1e3:9.2f} ms {self.bound_s * 1e3:9.2f} ms"


def seconds(work: Callable[[], object]) -> float:
    """Time of one call."""
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def compare(
    what: str, bound: str, goal: float, ours: Callable[[], object], limit: Callable[[], object]
) -> Row:
    """Time both by turns; the ratio is the median of the rounds' ratios."""
    ours()
    limit()
    mine: list[float] = []
    theirs: list[float] = []
    for _ in range(ROUNDS):
        theirs.append(seconds(limit))
        mine.append(seconds(ours))
    ratio = statistics.median(a / b for a, b in zip(mine, theirs, strict=True))
    return Row(what, bound, ratio, goal, statistics.median(mine), statistics.median(theirs))
