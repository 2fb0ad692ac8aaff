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


class _LeftOver(msgspec.Struct):
    """Items since the last mark.

    ``known`` says of what state of the channel they are; ``items`` and ``ready``, when each was
    there, are (n,) int64, ``first`` is the number of the first, and ``count`` of them lie in memory.
    """

    known: tuple[int, int, int]
    items: IntArray
    ready: IntArray
    first: int
    count: int = -1


class _Advance(msgspec.Struct):
    """How a channel stood before it was worked out, with the hand-overs that waited then; ``handed`` of
    them, and of those that came of it, have come to the program."""

    standing: Standing
    waiting: tuple[BufferPart, ...]
    handed: int = 0


class HandOvers:
    """Of one channel; ``epoch`` is the start of the run in ticks since reset."""

    def __init__(self, channel: Channel, delivery: ResultDelivery, epoch: int) -> None:
        self._channel = channel
        self._delivery = delivery
        self._epoch = epoch
        self._undone: deque[BufferPart] = deque()
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
        return self._units(parts), judged

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
        parts = [*begun.waiting, *parts][begun.handed :]
        self._begun = _Advance(channel.standing(), tuple(parts))
        self._undone = deque()
        return self._units(parts), judged

    def set_up(self, slots: int, *, is_carried_anew: bool) -> None:
        """What is converted from now on goes where registers say now."""
        self._delivery.set_up(self._channel.next_number, slots, is_carried_anew=is_carried_anew)
        self._left_over = None

    def _units(self, parts: list[BufferPart]) -> list[Work]:
        """Hand-overs with the instants at which they come."""
        if not parts:
            return []
        works: list[Work] = []
        for part, ready in zip(parts, self._channel.all_ready_ticks(parts), strict=True):
            works.append((int(ready[-1]), self._handing(part, ready + self._epoch)))
        self._undone += parts
        return works

    def _handing(self, part: BufferPart, ready: IntArray) -> Callable[[], None]:
        undone = self._undone

        def hand() -> None:
            if self._undone is not undone:
                return  # it was taken back
            undone.popleft()
            if self._begun is not None:
                self._begun.handed += 1
            self._delivery.hand(part, ready)

        return hand

    def leave(self, now: int, followed: int) -> None:
        """What DMA has moved since the last mark lies in memory: all that was ready at ``now``, in ticks
        since reset. ``followed`` counts how often the silicon followed the program."""
        known = self._channel.converted, len(self._undone), followed
        left = self._left_over
        if left is None or left.known != known:
            left = self._left_over = self._left(known)
        count = int(np.searchsorted(left.ready, now, side="right"))
        if count != left.count:
            left.count = count
            part = BufferPart(left.items[:count], left.first, None)
            self._delivery.leave(part, left.ready[:count])

    def _left(self, known: tuple[int, int, int]) -> _LeftOver:
        """Items that nobody was told of yet, with those to come that are worked out already."""
        channel = self._channel
        rest = channel.unfinished
        parts = [*self._undone, *([rest] if rest is not None else [])]
        if not parts:
            nothing = np.empty(0, dtype=np.int64)
            return _LeftOver(known, nothing, nothing, channel.handed_over)
        items = np.concatenate([part.items for part in parts])
        ready = np.concatenate([channel.ready_ticks(part) for part in parts]) + self._epoch
        return _LeftOver(known, items, ready, parts[0].first)
