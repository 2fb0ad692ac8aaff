"""Instants of which each may be claimed once."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable


class NearestMatch:
    """Instants, and the nearest that nobody has claimed, found in about logarithmic time."""

    def __init__(self, times: Iterable[float]) -> None:
        self._times = sorted(times)
        # Places at or after, and before, each place that are still free; claimed ones point on.
        self._free_after = list(range(len(self._times) + 1))
        self._free_before = list(range(len(self._times) + 1))

    def claim_nearest(self, at_s: float, within: float) -> float | None:
        """Take the nearest free instant at most ``within`` away, the earlier one of two; None where
        there is none."""
        place = bisect_left(self._times, at_s)
        candidates = [_follow(self._free_before, place) - 1, _follow(self._free_after, place)]
        near = [
            one
            for one in candidates
            if 0 <= one < len(self._times) and abs(self._times[one] - at_s) <= within
        ]
        if not near:
            return None
        chosen = min(near, key=lambda one: abs(self._times[one] - at_s))
        self._free_after[chosen] = chosen + 1
        self._free_before[chosen + 1] = chosen
        return self._times[chosen]

    def rest(self) -> list[float]:
        """What nobody claimed."""
        return [at_s for place, at_s in enumerate(self._times) if self._free_after[place] == place]


def _follow(pointers: list[int], place: int) -> int:
    """End of a chain of pointers; the way is halved in passing."""
    while pointers[place] != place:
        pointers[place] = pointers[pointers[place]]
        place = pointers[place]
    return place
