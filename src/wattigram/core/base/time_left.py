"""How long work still takes, as people say it."""

from __future__ import annotations

LEAST_SHARE = 1 / 2000
LEAST_SPENT_S = 0.5
LONG_S = 60.0
"""From here on work is long: who began it is told before they wait."""


def seconds_left(share: float, spent_s: float) -> float | None:
    """Time to go at the pace so far, in seconds; None before that can be told, and at the end.

    Parameters
    ----------
    share : float
        Of the work that is done, 0 to 1.
    spent_s : float
        Since it began, in seconds.
    """
    if share < LEAST_SHARE or share >= 1 or spent_s < LEAST_SPENT_S:
        return None
    return spent_s * (1 - share) / share


def left_text(seconds: float) -> str:
    """A time to go: seconds, or minutes, or hours and minutes."""
    if seconds < 100:
        return f"{seconds:.0f} s"
    minutes = round(seconds / 60)
    if minutes < 100:
        return f"{minutes} min"
    return f"{minutes // 60} h {minutes % 60:02d} min"
