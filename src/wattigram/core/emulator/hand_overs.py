"""What one converter has for the program: hand-overs that wait for their instants, what lies in memory
before them, and what is taken back when the program switches the converter off."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from concurrent.futures import Executor

import msgspec
import numpy as np

from wattigram.core.board.channel import Channel, Judgeable, Standing
from wattigram.core.board.dma_buffer import BufferPart
from wattigram.core.contract.board_config import EffectiveConverter
from wattigram.core.emulator.result_delivery import IntArray, ResultDelivery

Work = tuple[int, Callable[[], None]]
"""Something that comes to the program, and when: ticks since the start."""


class Worked(msgspec.Struct):
    """What was worked out at once; what came after ``until`` did not happen, where it was taken back."""

    until: int | None = None

    def holds_at(self, ticks: int) -> bool:
        """Whether what came of it then did happen."""
        return self.until is None or ticks <= self.until


class _Waiting(msgspec.Struct):
    """A hand-over that the program has not been told of, and when each of its items is there: (n,) int64,
    ticks since reset."""

    part: BufferPart
    ready: IntArray

    def begin(self, count: int) -> _Waiting:
        """Its first items."""
        return _Waiting(
            BufferPart(self.part.items[:count], self.part.first, None), self.ready[:count]
        )


class _LeftOver(msgspec.Struct):
    """Items since the last mark.

    ``known`` says of what state of the channel they are; ``first`` is the number of the first, and
    ``count`` of them lie in memory.
    """

    known: tuple[int, int, int]
    waiting: tuple[_Waiting, ...]
    first: int
    count: int = -1

    def moved(self, now: int) -> list[_Waiting]:
        """What of them is there at ``now``, ticks since reset, in order."""
        moved: list[_Waiting] = []
        for one in self.waiting:
            count = int(np.searchsorted(one.ready, now, side="right"))
            if count < len(one.ready):
                if count:
                    moved.append(one.begin(count))
                break
            moved.append(one)
        return moved


class _Advance(msgspec.Struct):
    """How a channel stood before it was worked out, with the hand-overs that waited then; ``handed`` of
    them, and of those that came of it, have come to the program."""

    standing: Standing
    waiting: tuple[_Waiting, ...]
    handed: int = 0


class HandOvers:
    """Of one channel; ``epoch`` is the start of the run in ticks since reset."""

    def __init__(self, channel: Channel, delivery: ResultDelivery, epoch: int) -> None:
        self._channel = channel
        self._delivery = delivery
        self._epoch = epoch
        self._undone: deque[_Waiting] = deque()
        """Units that the program has not been told of yet."""
        self._begun: _Advance | None = None
        self._left_over: _LeftOver | None = None
        self.worked = Worked()

    @property
    def owners(self) -> set[str]:
        """Peripherals whose registers say how far it is."""
        return self._delivery.owners

    def advance(
        self, ticks: int, executor: Executor | None, *, ahead: bool
    ) -> tuple[list[Work], list[Judgeable]]:
        """What comes of the channel before ``ticks``; with ``ahead`` it may be taken back."""
        channel = self._channel
        self.worked = Worked()
        self._begun = _Advance(channel.standing(), tuple(self._undone)) if ahead else None
        parts, judged = channel.advance(ticks, executor)
        return self._units(self._waiting(parts)), judged

    def take_back(self, until: int, was: EffectiveConverter) -> tuple[list[Work], list[Judgeable]]:
        """The channel has been switched off, or set up otherwise: what began after ``until`` did not
        happen. What still comes, in place of what was to come before; and what was judged until then, once
        more. ``was`` is how it has been set up until now, told by its triggers."""
        begun, channel = self._begun, self._channel
        if begun is None:
            return [], []
        self.worked.until = until
        results = channel.results
        are_taken = results is not None and len(results) <= begun.standing.results
        channel.stand_again(begun.standing)
        kept = len(results or ())
        parts: list[BufferPart] = []
        judged: list[Judgeable] = []
        if channel.is_steady and channel.config.pace.singly:
            # A trigger starts one slot: of the cycle that has begun only those that had theirs.
            begins = until // channel.config.cycle_ticks * channel.config.cycle_ticks
            parts, judged = channel.advance(begins, None)
            channel.leave_steady(was)
        more = channel.advance(until, None)
        parts, judged = parts + more[0], judged + more[1]
        if results is not None and are_taken:
            del results[kept:]  # routes have them already
        waiting = [*begun.waiting, *self._waiting(parts)][begun.handed :]
        self._begun = _Advance(channel.standing(), tuple(waiting))
        self._undone = deque()
        return self._units(waiting), judged

    def set_up(self, slots: int, *, is_carried_anew: bool) -> None:
        """What is converted from now on goes where registers say now."""
        self._delivery.set_up(self._channel.next_number, slots, is_carried_anew=is_carried_anew)
        self._left_over = None

    def _waiting(self, parts: list[BufferPart]) -> list[_Waiting]:
        """Hand-overs of the channel, with the instants at which their items are there."""
        if not parts:
            return []
        instants = self._channel.all_ready_ticks(parts)
        return [
            _Waiting(part, ready + self._epoch) for part, ready in zip(parts, instants, strict=True)
        ]

    def _units(self, waiting: list[_Waiting]) -> list[Work]:
        """Hand-overs with the instants at which they come."""
        self._undone += waiting
        return [(int(one.ready[-1]) - self._epoch, self._handing(one)) for one in waiting]

    def _handing(self, waiting: _Waiting) -> Callable[[], None]:
        undone = self._undone

        def hand() -> None:
            if self._undone is not undone:
                return  # it was taken back
            undone.popleft()
            if self._begun is not None:
                self._begun.handed += 1
            self._delivery.hand(waiting.part, waiting.ready)

        return hand

    def leave(self, now: int, followed: int) -> None:
        """What DMA has moved since the last mark lies in memory: all that was ready at ``now``, in ticks
        since reset. ``followed`` counts how often the silicon followed the program."""
        known = self._channel.converted, len(self._undone), followed
        left = self._left_over
        if left is None or left.known != known:
            rest = self._channel.unfinished
            waiting = (*self._undone, *self._waiting([] if rest is None else [rest]))
            first = waiting[0].part.first if waiting else self._channel.handed_over
            left = self._left_over = _LeftOver(known, waiting, first)
        moved = left.moved(now)
        count = sum(len(one.ready) for one in moved)
        if count == left.count:
            return
        left.count = count
        one = _together(moved, left.first)
        self._delivery.leave(one.part, one.ready)


def _together(waiting: list[_Waiting], first: int) -> _Waiting:
    """Hand-overs that follow each other as one, from the item of number ``first`` on."""
    if len(waiting) == 1:
        return waiting[0]
    nothing = np.empty(0, dtype=np.int64)
    items = np.concatenate([one.part.items for one in waiting]) if waiting else nothing
    ready = np.concatenate([one.ready for one in waiting]) if waiting else nothing
    return _Waiting(BufferPart(items, first, None), ready)
