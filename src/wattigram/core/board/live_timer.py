"""The counter of a timer whose period is changed, and that is stopped and goes on, while the board runs."""

from __future__ import annotations

import math


class LiveTimer:
    """Where its periods begin. It counts from 0 to ``counts`` − 1, each for ``count_ticks`` of the bus clock.

    A new period holds at once, and the counter goes on where it stands; where that is beyond the period, one
    begins at once. Where the timer has a second register the new one holds from the next period on.
    """

    def __init__(self, counts: int, count_ticks: float, *, runs: bool = True) -> None:
        self.origin = 0.0
        """When one of its periods begins, in ticks."""
        self._counts, self._count_ticks = max(1, counts), count_ticks
        self._later: tuple[float, int, float] | None = None
        """Another period from then on."""
        self._stands: float | None = None if runs else 0.0
        """Where in its period it stands, in counts."""

    @property
    def runs(self) -> bool:
        """It counts."""
        return self._stands is None

    @property
    def period_ticks(self) -> float:
        """As it is now."""
        return self._counts * self._count_ticks

    def position(self, ticks: float) -> float:
        """How many counts of its period are over."""
        self._go_over(ticks)
        if self._stands is not None:
            return self._stands
        return ((ticks - self.origin) % self.period_ticks) / self._count_ticks

    def next_period(self, ticks: float) -> float:
        """When the first period from then on begins; infinite where it stands."""
        self._go_over(ticks)
        if self._stands is not None:
            return math.inf
        done = math.ceil((ticks - self.origin) / self.period_ticks - 1e-9)
        return self.origin + max(0, done) * self.period_ticks

    def set_up(self, ticks: float, counts: int, count_ticks: float, *, waits: bool = False) -> None:
        """Another period: from the next one on, or at once."""
        counts = max(1, counts)
        position = self.position(ticks)
        if waits and self._stands is None and position > 0:
            self._later = self.next_period(ticks), counts, count_ticks
            return
        self._counts, self._count_ticks, self._later = counts, count_ticks, None
        position = position if position < counts else 0.0
        if self._stands is not None:
            self._stands = position
        self.origin = ticks - position * count_ticks

    def run(self, ticks: float, *, on: bool) -> None:
        """It stops where it stands, or goes on from there."""
        if on == self.runs:
            return
        position = self.position(ticks)
        if not on:
            self._stands = position
            return
        self.origin, self._stands = ticks - position * self._count_ticks, None
        if self._later is not None:
            self._later = self.origin + self.period_ticks, *self._later[1:]

    def courses(self, ticks: float) -> list[tuple[float, float | None, float]]:
        """From then on, each from when: the period in ticks, None where it stands, and when one began."""
        self._go_over(ticks)
        if self._stands is not None:
            return [(ticks, None, 0.0)]
        found: list[tuple[float, float | None, float]] = [(ticks, self.period_ticks, self.origin)]
        if self._later is not None:
            begins, counts, count_ticks = self._later
            found.append((begins, counts * count_ticks, begins))
        return found

    def _go_over(self, ticks: float) -> None:
        if self._later is not None and self._stands is None and ticks >= self._later[0]:
            self.origin, self._counts, self._count_ticks = self._later
            self._later = None
