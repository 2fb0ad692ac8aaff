"""A main loop that looks again and again for what is not there, and whether it does nothing else.

Only then may the rounds until the next event be passed over. What is equal when the program looks once more,
all registers and all data memory, leads to the same round again, for nothing that it reads changes before that
event; but for a clock, which goes on, and by which a program may give up. So after each leap a round is run
and compared: where it is like the one before, all that were passed over were, for a clock only goes forward; where it
is not, all is put back and a shorter leap is tried. A program that counts its rounds, or looks at what
changes by itself, runs them all.
"""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from typing import Any, Protocol

import msgspec
import numpy as np

MOST_ELSEWHERE = 32
"""Looks from other places after which the first one is not waited for any longer."""
MOST_UNLIKE = 64
"""A program that goes on changing is compared no more often than once in so many looks."""
_NEAR = 8
"""Rounds within which a wait gives up as it did the last time."""
_WORD = 1 << 32


class WaitingProcessor(Protocol):
    """What is asked of the processor on its time line."""

    fault: str | None

    @property
    def place(self) -> int:
        """Address of the instruction that it is at."""

    @property
    def done(self) -> int:
        """Instructions that ran until now."""

    @property
    def clock(self) -> int:
        """Clocks since reset at which it is, as it would read them."""

    def registers(self) -> tuple[tuple[int, ...], int]:
        """Registers that hold values, and flags with the stack pointer."""

    @property
    def memory(self) -> ctypes.Array[ctypes.c_char]:
        """Its data memory as it is."""

    def stand(self) -> Any:
        """Where it stands, to come back to."""

    def stand_again(self, stood: Any) -> None:
        """Stand where it was."""

    def leap(self, instructions: int) -> None:
        """Let the time of so many instructions pass."""

    def go_guarded(self, until: int, guard: Callable[[], bool]) -> None:
        """Go on to an instant, and ask ``guard`` before each access to a register."""

    def ask(self, guard: Callable[[], bool] | None) -> None:
        """Ask this one before each access to a register from here on; None asks nobody."""

    def rest(self) -> None:
        """Stop after the instruction that it is at."""


class Wait(msgspec.Struct, frozen=True):
    """A loop that does nothing but look."""

    place: int
    """Address of the instruction that looks."""
    instructions: int
    """Of each round."""
    reads: frozenset[int]
    """Addresses of the instructions that read registers in a round."""


class _Look(msgspec.Struct):
    place: int
    done: int
    clock: int
    registers: tuple[tuple[int, ...], int]


class MainWait:
    """Looks of one program's main loop."""

    def __init__(self, processor: WaitingProcessor) -> None:
        self._processor = processor
        self.wait: Wait | None = None
        self._known: dict[int, Wait] = {}
        """Waits that were seen before, by their place."""
        self._reaches: dict[int, int] = {}
        """Rounds after which a wait gave up the last time, or somewhat fewer, by its place."""
        self._may_leap = False
        """What woke the program is done with, so that it waits as before where it waited before."""
        self._last = 0
        """Instructions that had run when it looked last."""
        self._mark: _Look | None = None
        """The look there with which the next one is compared."""
        self._reads: set[int] = set()
        """Where registers were read since then."""
        self._anchor: int | None = None
        """Where the program looked first since it woke; only who comes back there is compared."""
        self._elsewhere = self._unlike = self._passed_by = 0
        self.has_read_clock = False
        self.sees_change = False
        """It read what may change without an event."""
        self._memory = ctypes.create_string_buffer(len(processor.memory))
        """Data memory at the mark."""

    def anew(self, *, has_found: bool = False) -> None:
        """The program has something to look at, or has found it: what it does from here on is seen anew."""
        self.wait = self._anchor = None
        self._forget()
        self._may_leap = has_found
        self._unlike = self._passed_by = 0

    def _forget(self) -> None:
        """Compare nothing with the look that is marked."""
        if self._mark is not None:
            self._mark = None
            self._processor.ask(None)

    def _sees_read(self) -> bool:
        self._reads.add(self._processor.place)
        return True

    @property
    def goes_on(self) -> bool:
        """The processor is within a round of its wait."""
        return self.wait is not None and self._processor.done - self._last <= self.wait.instructions

    def looks_in_vain(self) -> bool:
        """The main loop looks for what is not there; whether it may be waiting from here on."""
        processor = self._processor
        place, done = processor.place, processor.done
        if self.wait is not None:
            if place != self.wait.place:
                return False
            if done - self._last in {0, self.wait.instructions}:
                self._last = done
                return False
            self.anew()
        if self._may_leap and place in self._known:
            self.wait, self._last = self._known[place], done
            return True
        if self._passed_by:
            self._passed_by -= 1
            return False
        if place != self._anchor:
            self._elsewhere += 1
            if self._anchor is None or self._elsewhere > MOST_ELSEWHERE:
                self._forget()
                self._anchor, self._elsewhere = place, 0
            return False
        self._elsewhere = 0
        mark = self._mark
        if mark is not None:
            if self._is_alike(mark, 0):
                self._forget()
                self.wait = Wait(place, done - mark.done, frozenset(self._reads | {place}))
                self._known[place], self._last = self.wait, done
                return True
            self._keep_off()
        self._forget()
        if not self._passed_by:
            self._mark = self._look(place, done)
            self._reads.clear()
            processor.ask(self._sees_read)
        return False

    def _keep_off(self) -> None:
        """It was no wait: look less often whether it is one."""
        self._unlike = min(MOST_UNLIKE, 2 * self._unlike + 1)
        self._passed_by = self._unlike - 1

    def _look(self, place: int, done: int) -> _Look:
        """How all is at a look."""
        processor = self._processor
        ctypes.memmove(self._memory, processor.memory, len(self._memory))
        self.has_read_clock = self.sees_change = False
        return _Look(place, done, processor.clock, processor.registers())

    def _is_alike(self, mark: _Look, leapt: int) -> bool:
        """Whether a round has led to where it began, but for the time; ``leapt`` clocks were passed over shortly
        before it, so that instants that it read lately have moved by those as well."""
        processor = self._processor
        values, others = processor.registers()
        if self.sees_change or others != mark.registers[1]:
            return False
        changes = [
            (now - before) % _WORD
            for before, now in zip(mark.registers[0], values, strict=True)
            if before != now
        ]
        if _differs(self._memory, processor.memory):
            before_words = np.frombuffer(memoryview(self._memory), "<u4")
            now_words = np.frombuffer(memoryview(processor.memory), "<u4")
            at = np.nonzero(before_words != now_words)[0]
            changes += (now_words[at] - before_words[at]).tolist()
        if not changes:
            return True
        # An instant that it read has moved with the clock, what is left until one the other way.
        clocks = processor.clock - mark.clock
        near = {
            (sign * moved + by) % _WORD
            for moved in (clocks, leapt + clocks)
            for sign in (1, -1)
            for by in (-1, 0, 1)
        }
        return self.has_read_clock and near.issuperset(changes)

    def passes_over(self, rounds: int, until: int) -> bool:
        """Come to an instant by passing over as many rounds as leave the program waiting, of those that end
        before it; false where it gives up before that, or there are none: what is left is to be run."""
        processor, wait = self._processor, self.wait
        if wait is None:
            return False
        # One of them is run, and what is left of the one that it is in.
        most = rounds - (1 if processor.done == self._last else 2)
        if most <= 0:
            return False
        if self._passes(wait, most, until, stops=False):
            return True
        # It gives up before that: how long it waits is halved down to, but for one that waited as long before.
        reached = self._reaches.get(wait.place, 0)
        total = 0
        if 0 < reached < most and self._passes(wait, reached, until, stops=True):
            total, most = reached, min(most - reached, _NEAR)
        passed = most // 2
        while passed > 0:
            if self._passes(wait, passed, until, stops=True):
                total += passed + 1
            passed //= 2
        self._reaches[wait.place] = max(0, total - _NEAR // 2)
        unlike = self._unlike
        self.anew()
        self._unlike = unlike
        self._keep_off()
        return False

    def _passes(self, wait: Wait, passed: int, until: int, *, stops: bool) -> bool:
        """Pass over so many rounds, and go on to an instant, or to the end of the next round where it ``stops``; all is
        as it was where that round is another one."""
        processor = self._processor
        since_look, unlike = processor.done - self._last, self._unlike
        stood, before = processor.stand(), processor.clock
        processor.leap(passed * wait.instructions)
        if self._comes_round(wait, until, processor.clock - before, stops=stops):
            if stops:
                self._last = processor.done
            return True
        processor.stand_again(stood)
        self._unlike = unlike
        self.wait, self._last = wait, processor.done - since_look
        return False

    def _comes_round(self, wait: Wait, until: int, leapt: int, *, stops: bool) -> bool:
        """Go on, so many clocks after where it was, to an instant or to the end of the first whole round; whether
        that was like all others."""
        processor = self._processor
        mark: _Look | None = None
        is_alike = False

        def guard() -> bool:
            nonlocal mark, is_alike
            place = processor.place
            if place in wait.reads:
                if place != wait.place:
                    return True
                if mark is None:
                    mark = self._look(place, processor.done)
                    return True
                is_whole = processor.done - mark.done == wait.instructions
                is_alike = is_whole and self._is_alike(mark, leapt)
                if is_alike and not stops:
                    processor.ask(None)
                    return True
            processor.rest()
            return False

        processor.go_guarded(until, guard)
        return is_alike and processor.fault is None


def _differs(one: Any, other: Any) -> bool:
    return bool(_COMPARE(one, other, len(one)))


_COMPARE = ctypes.CDLL(None).memcmp
_COMPARE.argtypes = ctypes.c_void_p, ctypes.c_void_p, ctypes.c_size_t
