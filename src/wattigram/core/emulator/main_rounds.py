"""Rounds of a main loop that looks again and again, in instructions."""

from __future__ import annotations

KEPT = 3
"""Looks for one thing that are remembered: the first since the main loop woke, and the last two."""


class MainRounds:
    """Counts from one look in vain to the next one for the same thing."""

    def __init__(self) -> None:
        self._looks: dict[str, list[int]] = {}
        self._woke_at = 0
        self._stood_at = ""
        """What it looked for in vain when it last woke."""
        self._last = ""

    def begin(self, instructions: int) -> None:
        """The main loop wakes where it looked last."""
        self._looks.clear()
        self._woke_at, self._stood_at = instructions, self._last

    def look(self, what: str, instructions: int) -> None:
        """It looks for something in vain."""
        self._last = what
        looks = self._looks.setdefault(what, [self._woke_at])
        if instructions > looks[-1]:  # the access that it woke at is made once more
            if len(looks) > KEPT:
                del looks[2]
            looks.append(instructions)

    @property
    def empty(self) -> int | None:
        """Of a round in which nothing is found; None where it was not seen to go round."""
        rounds = [looks[-1] - looks[-2] for looks in self._looks.values() if len(looks) > 2]
        return min(rounds) if rounds else None

    @property
    def more(self) -> int | None:
        """By how much the first round since it woke was longer; None where it was not seen to go round."""
        looks, empty = self._looks.get(self._stood_at, []), self.empty
        return looks[1] - looks[0] - empty if empty is not None and len(looks) > 1 else None
