"""A wait with a time-out, passed over: rounds that look in vain are alike until the time is over.

A program that waits looks at a flag and at the clock, again and again. After a leap over many rounds
it either still waits, then it would have waited in each of them as well, for the clock only goes
forward; or it does something else, then all is put back as it was and a shorter leap is tried.
"""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from typing import Any, Protocol


class WaitingProcessor(Protocol):
    """What is asked of the processor on its time line."""

    fault: str | None

    @property
    def place(self) -> int:
        """Address of the instruction that it is at."""

    def stand(self) -> Any:
        """Where it stands, to come back to."""

    def stand_again(self, stood: Any) -> None:
        """Stand where it was."""

    def leap(self, rounds: int) -> None:
        """Let the time of so many rounds pass."""

    def one_round(self, guard: Any) -> None:
        """Go on for no more than a round, and ask ``guard`` before each access to a register."""

    def rest(self) -> None:
        """Stop after the instruction that it is at."""


class TimedWait:
    """Waits of one program, each known by where it looks."""

    def __init__(self, processor: WaitingProcessor) -> None:
        self._processor = processor
        self._places: dict[int, frozenset[int]] = {}
        """Where each wait reads registers in a round, by where it looks."""

    def knows(self, looks_at: int) -> bool:
        """Whether a wait that looks there has been passed over before."""
        return looks_at in self._places

    def pass_over(self, rounds: int, looks_at: int) -> None:
        """Let as many rounds pass as leave the program waiting, the last one run and all.

        ``looks_at`` is the address of the instruction that has just looked in vain.
        """
        processor = self._processor
        if looks_at not in self._places:
            seen = self._round(looks_at, None)
            if seen is None:
                return  # it waits no longer
            self._places[looks_at] = frozenset(seen)
            rounds -= 1
        places = self._places[looks_at]
        while rounds > 0:
            stood = processor.stand()
            processor.leap(rounds)
            if self._round(looks_at, places) is not None:
                return
            processor.stand_again(stood)
            rounds //= 2

    def _round(self, looks_at: int, places: AbstractSet[int] | None) -> list[int] | None:
        """Where registers were read in a round; None where it came to anything but ``places``, or
        did not come to look again."""
        processor = self._processor
        seen: list[int] = []
        strays = False

        def guard() -> bool:
            nonlocal strays
            place = processor.place
            if strays or (places is not None and place not in places):
                strays = True
                processor.rest()
                return False
            seen.append(place)
            if place == looks_at:
                processor.rest()
            return True

        processor.one_round(guard)
        if strays or processor.fault is not None or looks_at not in seen:
            return None
        return seen
