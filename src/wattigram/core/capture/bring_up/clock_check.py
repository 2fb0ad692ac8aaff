"""A board's ticks against the clock of whoever listens."""

from __future__ import annotations

from collections import deque
from fractions import Fraction

import msgspec
import numpy as np

LEAST_S, FEWEST = 5.0, 8
"""So long it is listened to at least, with so many different instants."""
MOST_KEPT = 4000
SURE_SHARE = 0.005
"""A clock that is known no better than that is listened to further."""
LARGEST_PART = 12
"""Of fractions that a divider or a multiplier may be wrong by."""


class SeenClock(msgspec.Struct, frozen=True):
    """How fast a board's clock goes.

    Attributes
    ----------
    ratio : its seconds in a second of the listener
    uncertainty : share by which that may be off at most: what came early or late by the link, at both ends
    span_s : how long it was listened to
    """

    ratio: float
    uncertainty: float
    span_s: float

    @property
    def is_sure(self) -> bool:
        """Known well enough to be judged."""
        return self.uncertainty <= SURE_SHARE

    def is_within(self, tolerance: float) -> bool:
        """It may be as fast as designed, give or take a share."""
        return abs(self.ratio - 1) <= tolerance + self.uncertainty

    @property
    def fraction(self) -> Fraction | None:
        """The simple fraction that it is of the designed one; None for none, or for the whole."""
        near = Fraction(self.ratio).limit_denominator(LARGEST_PART)
        is_near = near > 0 and abs(self.ratio / float(near) - 1) <= max(0.002, self.uncertainty)
        return near if near != 1 and near.numerator <= LARGEST_PART and is_near else None


class ClockCheck:
    """Takes pairs of instants, of the board and of the listener, and draws a line through them."""

    def __init__(self) -> None:
        self._pairs: deque[tuple[float, float]] = deque(maxlen=MOST_KEPT)

    def look(self, board_s: float, wall_s: float) -> None:
        """What the board says its time is, as heard at an instant; a board that began anew is
        listened to anew."""
        if self._pairs and board_s < self._pairs[-1][0]:
            self._pairs.clear()
        if board_s > 0 and (not self._pairs or board_s > self._pairs[-1][0]):
            self._pairs.append((board_s, wall_s))

    def forget(self) -> None:
        """Listen anew."""
        self._pairs.clear()

    @property
    def seen(self) -> SeenClock | None:
        """How fast it goes; None where it was not listened to for long enough."""
        if len(self._pairs) < FEWEST:
            return None
        board, wall = np.array(self._pairs).T
        span_s = float(wall[-1] - wall[0])
        if span_s < LEAST_S:
            return None
        middle = wall - wall.mean()
        slope = float(middle @ (board - board.mean()) / (middle @ middle))
        apart = board - board.mean() - slope * middle
        return SeenClock(slope, float(np.ptp(apart)) / span_s, span_s)
