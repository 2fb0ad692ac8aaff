"""When the conversions of an unsteady converter begin."""

from __future__ import annotations

import math
from collections import deque

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.board.isr_timing import MainWork, looked_at
from wattigram.core.contract.board_config import EffectiveConverter, EffectivePace, EffectiveService

MOST_TRIGGERS = 1 << 14
"""Followed at a stretch."""
_CHUNK = 1024


class Starts(msgspec.Struct, frozen=True):
    """Conversions in the order of time.

    Attributes
    ----------
    ticks : (n,) float64, when each begins
    places : (n,) int64, the slot of each
    fetched : (n,) bool, whether the program that starts passes fetches it; None where others tell
    """

    ticks: NDArray[np.float64]
    places: NDArray[np.int64]
    fetched: NDArray[np.bool_] | None = None

    def __len__(self) -> int:
        return len(self.ticks)


class TriggerSchedule:
    """Follows triggers one by one; gives the conversions that each of them starts: a cycle, or one
    slot."""

    def __init__(self, converter: EffectiveConverter, index: int, seed: int) -> None:
        self._pace = converter.pace
        self._key = (seed, index, 0x9ACE)
        self._place = 0
        self._slots = 0
        self.set_up(converter)
        self._origin = 0.0
        """When the pattern of triggers began."""
        self._period: float | None = self._pace.period_ticks
        """Of the pattern; None where the timer stands."""
        self._later: list[tuple[float, float | None, float]] = []
        """What its timer does later: from when, its period, and when one began."""
        self._random: NDArray[np.int64] | None = None
        self._random_block = -1
        self.triggers = 0
        self.missed = 0
        self.cycles = 0
        self.free_ticks = 0.0
        self._next = 0
        self._waiting: deque[float] = deque([0.0] if self._pace.begins else [])
        self._paused_until: float | None = 0.0
        self._late_ticks = 0.0
        """What the program still does when a pass begins, because of the one before."""
        self.started = False

    def set_up(self, converter: EffectiveConverter) -> None:
        """Other slots; a scan that has begun is brought to its end."""
        if converter.pace.kind == self._pace.kind:
            self._pace = converter.pace
        self._service = (
            converter.service
            if converter.service is not None and converter.service.keep == "scan"
            else None
        )
        sends = self._service is not None and self._service.gap_ticks
        self._work = MainWork(self._service) if self._service is not None and sends else None
        lengths = [slot.end_ticks - slot.start_ticks for slot in converter.slots]
        self._ends = np.cumsum(lengths).tolist()
        self._length = [
            length + slot.after_ticks for length, slot in zip(lengths, converter.slots, strict=True)
        ]
        self._jitter = np.array([slot.jitter_ticks for slot in converter.slots], dtype=np.int64)
        if len(lengths) != self._slots:
            self._place = 0
        self._slots = len(lengths)

    def take_over(self, cycles: int, triggers: int, missed: int, free_ticks: float) -> None:
        """Go on where a steady converter stands, after so many whole scans and triggers."""
        self.cycles, self.triggers, self.missed = cycles, triggers, missed
        self._next = triggers
        self.free_ticks = free_ticks
        self.started = triggers > 0

    def start_by(self, pace: EffectivePace, ticks: float) -> None:
        """Something else starts cycles from now on."""
        self._pace = pace
        self._later = [(ticks, pace.period_ticks, ticks)]
        self._go_over()

    def follow(self, courses: list[tuple[float, float | None, float]]) -> None:
        """The timer that starts cycles is set up anew: from when, its period, None where it stands, and when
        one began."""
        if self._pace.kind == "pattern":
            self._later = [one for one in self._later if one[0] < courses[0][0]] + courses

    def _go_over(self) -> None:
        """The next pattern begins."""
        begins, self._period, self._origin = self._later.pop(0)
        if self._period is None or not self._pace.offsets_ticks:
            return
        count = len(self._pace.offsets_ticks)
        self._next = max(0, int((begins - self._origin) // self._period)) * count
        while self._at(self._next) < begins:
            self._next += 1

    def _at(self, number: int) -> float:
        """When a trigger of the pattern comes; never where the timer stands."""
        if self._period is None:
            return math.inf
        period, place = divmod(number, len(self._pace.offsets_ticks))
        return self._origin + period * self._period + self._pace.offsets_ticks[place]

    def _due(self) -> float:
        """When the next trigger of the pattern comes."""
        while self._later and self._at(self._next) >= self._later[0][0]:
            self._go_over()
        return self._at(self._next)

    def trigger_at(self, ticks: float) -> None:
        """An event that starts a cycle, in the order of time."""
        self._waiting.append(ticks)

    def forget_after(self, ticks: float) -> None:
        """Events after that do not happen."""
        self._waiting = deque(at for at in self._waiting if at <= ticks)

    def next_ticks(self) -> float:
        """When the next trigger comes that is known, not before the converter is free; infinite where
        none is."""
        pace = self._pace
        if self._paused_until is None or pace.kind == "never":
            return math.inf
        earliest = max(self.free_ticks, self._paused_until)
        match pace.kind:
            case "events":
                return self._waiting[0] if self._waiting else math.inf
            case "self" | "once":
                is_over = pace.skip_first or (pace.kind == "once" and self.started)
                return math.inf if is_over else earliest
            case _:
                return self._due()

    def pause(self, since_ticks: float, until_ticks: float | None) -> None:
        """Nothing is started until then; never again where it is None."""
        self.free_ticks = max(self.free_ticks, since_ticks)
        self._paused_until = until_ticks

    @property
    def place(self) -> int:
        """The slot that is converted next."""
        return self._place

    def point(self, place: int) -> None:
        """Software points elsewhere before it starts the next slot."""
        self._place = place

    def begin_scan(self, since_ticks: float) -> None:
        """It is turned off and on: what is started from then on begins with the first slot."""
        self._place = 0
        self.pause(since_ticks, since_ticks)

    def go_on(self, since_ticks: float) -> None:
        """End a pause that has no end of its own; what goes on already goes on."""
        if self._paused_until is None:
            self._paused_until = since_ticks

    def advance(self, until_ticks: float, most_triggers: int = MOST_TRIGGERS) -> Starts:
        """What is started before ``until_ticks``, by no more than so many triggers."""
        first = self._place
        if self._paused_until is None:
            return self._starts(first, np.empty(0))
        if self._service is not None:
            return self._passes(self._service, until_ticks, most_triggers)
        is_whole = self._pace.kind == "once" or (
            self._pace.kind == "self" and not self._pace.singly
        )
        if is_whole and not self._jitter.any():
            return self._starts(first, self._regular(until_ticks, most_triggers))
        instants: list[float] = []
        for _ in range(most_triggers):
            start = self._trigger(until_ticks)
            if start is None:
                break
            for _ in range(self.slots_a_trigger):
                instants.append(start)
                start += self._length[self._place] + self._draw(self._place)
                self._step(1)
            if self._place == 0:
                start += self._kept(self.cycles)
            self.free_ticks = start
        return self._starts(first, np.array(instants, dtype=np.float64))

    def _passes(self, service: EffectiveService, until_ticks: float, most_triggers: int) -> Starts:
        """Passes that the handler of their results starts, and which of the results it finds."""
        offsets = [0.0, *self._ends[:-1]]
        instants: list[float] = []
        fetched: list[bool] = []
        for _ in range(most_triggers):
            start = self._trigger(until_ticks)
            if start is None:
                break
            instants += [start + offset for offset in offsets]
            free, unit = start + service.leave_ticks * (self.cycles > 0), service.unit
            free += self._kept(self.cycles) + self._late_ticks
            number = unit - 1  # the last slot of the unit that the next call looks for
            while number < self._slots:
                read = looked_at(service, free, start + self._ends[number])
                read += self._wait(number, service.jitter_ticks)
                lost = 0
                while number + unit < self._slots and start + self._ends[number + unit] <= read:
                    lost += unit
                    number += unit
                fetched += [False] * lost + [True] * unit
                if self._work is not None:
                    self._late_ticks = self._work.after(unit, lost)
                free = read + service.rest_ticks + self._late_ticks
                number += unit
            self._step(self._slots)
            # The next pass is started before anything is sent.
            self.free_ticks = free - self._late_ticks - service.leave_ticks + service.restart_ticks
        first = self._place
        starts = self._starts(first, np.array(instants, dtype=np.float64))
        return Starts(starts.ticks, starts.places, np.array(fetched, dtype=bool))

    def _kept(self, cycles: int) -> float:
        """By how much a cycle is later for the halves that the one before has filled."""
        if not cycles:
            return 0.0
        return sum(
            (cycles * one.results // one.half - (cycles - 1) * one.results // one.half)
            * one.later_ticks
            for one in self._pace.kept
        )

    @property
    def slots_a_trigger(self) -> int:
        """Conversions that a trigger starts."""
        return 1 if self._pace.singly else self._slots

    def _step(self, conversions: int) -> None:
        cycles, self._place = divmod(self._place + conversions, self._slots)
        self.cycles += cycles

    def _starts(self, first: int, ticks: NDArray[np.float64]) -> Starts:
        return Starts(ticks, (first + np.arange(len(ticks))) % self._slots)

    def _regular(self, until_ticks: float, most_triggers: int) -> NDArray[np.float64]:
        """Cycles that follow each other without anything random, or what one trigger starts."""
        begin = max(self.free_ticks, self._paused_until or 0.0)
        if (
            begin >= until_ticks
            or self._pace.skip_first
            or (self._pace.kind == "once" and self.started)
        ):
            return np.empty(0)
        self.started = True
        length = sum(self._length)
        count = 1
        if self._pace.kind == "self":
            count = min(most_triggers, int(-(-(until_ticks - begin) // length)))
        offsets = np.concatenate(([0.0], np.cumsum(self._length)[:-1]))[: self.slots_a_trigger]
        begins = begin + np.arange(count + 1) * length
        for kept in self._pace.kept:
            halves = (self.cycles + np.arange(count + 1)) * kept.results // kept.half
            begins += (halves - halves[0]) * kept.later_ticks
        if self._pace.kept:
            count = min(count, int(np.searchsorted(begins, until_ticks)))
        starts = begins[:count, None] + offsets[None, :]
        self._step(starts.size)
        self.triggers += count
        self.free_ticks = float(begins[count])
        return np.asarray(starts.ravel())

    def _trigger(self, until_ticks: float) -> float | None:
        """The next trigger that is served, if it comes before ``until_ticks``."""
        earliest = max(self.free_ticks, self._paused_until or 0.0)
        pace = self._pace
        if pace.kind == "never":
            return None
        if pace.kind in {"self", "once"}:
            if earliest >= until_ticks or pace.skip_first or (pace.kind == "once" and self.started):
                return None
            self.started = True
            self.triggers += 1
            return earliest
        while True:
            if pace.kind == "events":
                if not self._waiting:
                    return None
                at = self._waiting.popleft()
            else:
                at = self._due()
                if at >= until_ticks:
                    return None
                self._next += 1
            self.triggers += 1
            if pace.skip_first and self.triggers == 1:
                continue
            if at >= earliest:
                return at
            self.missed += 1

    def _draw(self, place: int) -> int:
        """A random wait of the program after a slot."""
        return self._wait(place, int(self._jitter[place]))

    def _wait(self, place: int, most: int) -> int:
        """A random wait up to a longest one; each has a number, so that runs repeat."""
        if most == 0:
            return 0
        number = self.cycles * self._slots + place
        block = number // _CHUNK
        if self._random is None or block != self._random_block:
            generator = np.random.Generator(np.random.SFC64([*self._key, block]))
            self._random = generator.integers(0, 1 << 32, _CHUNK)
            self._random_block = block
        return int(self._random[number % _CHUNK]) * (most + 1) >> 32
