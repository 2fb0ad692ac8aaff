"""A converter with all that takes its results: handler, memory, reduce stages."""

from __future__ import annotations

import copy
import math
from concurrent.futures import Executor
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from wattigram.core.board.converter_codes import ConverterSynth, codes_on
from wattigram.core.board.dma_buffer import BufferPart, DmaBuffer
from wattigram.core.board.event_timed_codes import TimedSynth, combine
from wattigram.core.board.isr_timing import IsrTimeline, Processor
from wattigram.core.board.newest_reads import NewestReads
from wattigram.core.board.output_waveforms import Outputs
from wattigram.core.board.processing import Tap, Values
from wattigram.core.board.slot_times import SlotTimes
from wattigram.core.board.trigger_schedule import Starts, TriggerSchedule
from wattigram.core.contract.board_config import (
    EffectiveBench,
    EffectiveConfig,
    EffectiveConverter,
)

IntArray = NDArray[np.int64]
UNSTEADY_STEP_CYCLES = 512


class Judgeable(msgspec.Struct, frozen=True):
    """New values of one tap, raw and reduced; ``seen_ticks`` is when the program looks at them, if
    it is the program."""

    tap: int
    raw: Values
    reduced: Values
    seen_ticks: int | None = None


class Standing(msgspec.Struct, frozen=True):
    """How far a converter has come, with what lies in memory and not handed over."""

    cycles: int
    converted: int
    memory: tuple[int, NDArray[Any], IntArray | None]
    pace: TriggerSchedule | None
    timed: tuple[Any, ...]
    """Both of one that is not steady."""
    taps: list[tuple[int, Tap]]
    """Those of the converter itself."""
    results: int
    """Of those that routes have not taken."""


class Channel:
    """One converter; ``stream`` numbers it."""

    def __init__(
        self,
        config: EffectiveConfig,
        outputs: Outputs,
        stream: int,
        threads: int,
        processor: Processor | None = None,
    ) -> None:
        self.config = config.converters[stream]
        self.stream = stream
        self._slots = len(self.config.slots)
        self.is_steady = self.config.pace.kind == "steady"
        self._synths = (
            [
                ConverterSynth(
                    self.config, stream, config.bench, outputs, config.tick_hz, config.seed
                )
                for _ in range(threads)
            ]
            if self.is_steady
            else []
        )
        self._seed = config.seed
        self._bench = config.bench
        self._timed = TimedSynth(
            self.config, stream, config.bench, outputs, config.tick_hz, config.seed
        )
        self.pace = TriggerSchedule(self.config, stream, config.seed)
        service = self.config.service
        loop = self.config.loop
        self._service = (
            IsrTimeline(service, (config.seed, stream), processor if service.by_isr else None)
            if service is not None and service.keep != "scan" and loop.delivers
            else None
        )
        self._reads = NewestReads(self.config) if loop.read_ticks else None
        self._memory = DmaBuffer(
            loop.unchecked(items=2 * self._slots, repeat=True) if loop.read_ticks else loop
        )
        self._times = SlotTimes(self.config)
        loop_items = self.config.loop.items if self._reads is None else 2 * self._slots
        self.taps = [
            (number, Tap(tap, self._slots, loop_items if not tap.by_hardware else self._slots))
            for number, tap in enumerate(config.taps)
            if tap.converter == stream
        ]
        self._by_hardware = [(number, tap) for number, tap in self.taps if tap.tap.by_hardware]
        self._waiting_halves: list[BufferPart] = []
        self._codes_waiting: NDArray[Any] = np.empty(0, dtype=np.int64)
        self._held_waiting: IntArray = np.empty(0, dtype=np.int64)
        self._first_judged = 0
        """Of all that was converted, the first since its own taps or slots were set anew."""
        self.cycles = 0
        self.converted = 0
        self.lost = 0
        self.results: list[tuple[NDArray[np.float64], IntArray, IntArray]] | None = (
            [] if stream in {route.converter for route in config.routes} else None
        )
        """Ends, results and slots of what has been converted, where a route reads the register."""
        self.begun: list[float] = []
        """When triggers were served that started it, in ticks; whoever wants to know takes them."""
        self._is_stamped = self.config.stamped
        """Instants of items do not follow from their numbers, or do so no longer."""
        self._any_repeats = any(slot.repeats > 1 for slot in self.config.slots)
        stopping = [
            config.taps[watch.tap]
            for watch in config.watches
            if watch is not None and watch.stops and config.taps[watch.tap].converter == stream
        ]
        self.is_controlled = any(
            reaction.controls and reaction.acts_on == stream for reaction in config.reactions
        )
        """The program turns it off and on."""
        self.stops = bool(stopping) or self.is_controlled
        self.is_followed = False
        """Each trigger by itself: what comes of one may change what the next one finds."""
        self._stops_at_once = any(tap.by_hardware for tap in stopping)

    @property
    def handed_over(self) -> int:
        """Items that reached the program, those lost before them counted."""
        return self._memory.written if self.config.loop.delivers else 0

    @property
    def missed(self) -> int:
        """Triggers that found the converter busy."""
        if self.is_steady:
            return self.cycles * (self.config.triggers_per_cycle - self.units_per_cycle)
        return self.pace.missed

    @property
    def units_per_cycle(self) -> int:
        """Triggers that a cycle makes use of."""
        return self._slots if self.config.pace.singly else 1

    @property
    def step_ticks(self) -> int:
        """A good step when time does not matter."""
        cycles = self._synths[0].block_cycles if self._synths else UNSTEADY_STEP_CYCLES
        return self.config.cycle_ticks * cycles

    def set_bench(self, bench: EffectiveBench) -> None:
        """Turn knobs; holds from the next cycle on."""
        self._bench = bench
        for synth in self._synths:
            synth.set_bench(bench)
        self._timed.set_bench(bench)

    @property
    def next_number(self) -> int:
        """Of the item that is converted next, among those that reach memory."""
        return self._memory.written + self._memory.waiting

    def set_up(
        self,
        converter: EffectiveConverter,
        was: EffectiveConverter,
        *,
        is_carried_anew: bool = False,
    ) -> None:
        """Its registers hold something else from now on; a scan that has begun is brought to its end.

        ``was`` is how it has been set up until now, told by its triggers; what starts cycles is told to its
        pace by itself. With ``is_carried_anew`` memory is filled from its first element on.
        """
        self.leave_steady(was)
        before, self.config = self.config, converter
        slots_differ = before.slots != converter.slots
        self._slots = len(converter.slots)
        self.pace.set_up(converter)
        self._timed.set_up(converter, self._bench)
        if is_carried_anew or converter.loop != before.loop:
            self._memory.set_up(converter.loop)
        if slots_differ:
            self._times.set_up(converter, self.next_number)
            self._first_judged = self.converted
        self._any_repeats = any(slot.repeats > 1 for slot in converter.slots)

    def judge_by(self, taps: list[tuple[int, Tap]]) -> None:
        """The converter's own taps are set anew."""
        self.taps = [one for one in self.taps if not one[1].tap.by_hardware] + taps
        self._by_hardware = taps
        self._first_judged = self.converted

    def leave_steady(self, was: EffectiveConverter) -> None:
        """From now on it is followed trigger by trigger, and stamps its items; ``was`` tells its triggers."""
        if not self.is_steady:
            return
        if not self._is_stamped:
            self._is_stamped = True
            self._memory.stamp(self._times.held)
        free = 0.0
        if self.cycles:
            free = (self.cycles - 1) * self.config.cycle_ticks + self.config.slots[-1].end_ticks
        missed = self.missed
        triggers = self.cycles * self.config.triggers_per_cycle
        self.pace = TriggerSchedule(was, self.stream, self._seed)
        self.pace.take_over(self.cycles, triggers, missed, free)
        self.is_steady = False

    def next_tick(self, now: int) -> int:
        """Earliest trigger that has not been served yet."""
        return self.cycles * self.config.cycle_ticks if self.is_steady else now

    def next_start_ticks(self) -> float:
        """When the next trigger comes that is known; infinite where none is."""
        return float(self.next_tick(0)) if self.is_steady else self.pace.next_ticks()

    def advance(
        self, ticks: int, executor: Executor | None
    ) -> tuple[list[BufferPart], list[Judgeable]]:
        """Do the cycles whose trigger comes before ``ticks``."""
        judged: list[Judgeable] = []
        if self.is_steady:
            filled = self._advance_steady(ticks, executor, judged)
            return filled + self._fetch_waiting(float(ticks)), judged
        return self._advance_timed(ticks, judged), judged

    @property
    def takes_turns(self) -> bool:
        """What its ISR finds depends on the ISRs of other converters."""
        return self._service is not None and self._service.takes_turns

    def _fetch_waiting(self, known_ticks: float) -> list[BufferPart]:
        """What the program gets of results that were ready before."""
        if self._service is None or not (self._service.waiting or self.takes_turns):
            return []
        if self.config.service is not None and self.config.service.keep == "halves":
            return self._serve_halves([], known_ticks)
        nothing = np.empty(0, dtype=np.int64)
        return self._fetch(nothing, nothing, np.empty(0), known_ticks)

    def _advance_steady(
        self, ticks: int, executor: Executor | None, judged: list[Judgeable]
    ) -> list[BufferPart]:
        end = max(self.cycles, -(-ticks // self.config.cycle_ticks))
        if self._reads is not None:
            if self._by_hardware or self.results is not None:
                self._steady_until(end, float(ticks), executor, judged)
            self.cycles, self.converted = end, end * self._slots
            return self._read_even(self._reads, float(ticks)) if self.config.loop.delivers else []
        if not self.config.loop.halts:
            return self._steady_until(end, float(ticks), executor, judged)
        filled: list[BufferPart] = []
        while self.cycles < end and not self._memory.is_full:
            scans = -(-self._memory.until_full // self._slots)
            part = min(end, self.cycles + scans)
            filled += self._steady_until(part, float(ticks), executor, judged)
        return filled

    def _steady_until(
        self, end: int, ticks: float, executor: Executor | None, judged: list[Judgeable]
    ) -> list[BufferPart]:
        """Do the cycles before ``end``."""
        codes = self._even_codes(self.cycles, end, executor)
        self.cycles = end
        if self._by_hardware:
            numbers = np.arange(self.converted, self.converted + len(codes), dtype=np.int64)
            judged += self._judge_hardware(codes, self._times.held(numbers))
        self.converted = end * self._slots
        codes = self._times.aligned(codes)
        if self.results is not None and len(codes):
            ends = self._times.end(self._numbers(end, len(codes)))
            self.results.append((ends, codes.astype(np.int64), np.arange(len(codes)) % self._slots))
        if not self.config.loop.delivers or self._reads is not None:
            return []
        if self._service is None or self.config.service is None:
            held = self._times.held(self._numbers(end, len(codes))) if self._is_stamped else None
            return self._memory.write(codes, held)
        if self.config.service.keep == "halves":
            return self._serve_halves(self._memory.write(codes), ticks)
        held = self._times.held(self._numbers(end, len(codes))) if self.config.stamped else None
        return self._serve_items(
            codes, held, self._times.end(self._numbers(end, len(codes))), ticks
        )

    def _even_codes(self, begin: int, end: int, executor: Executor | None) -> NDArray[Any]:
        """Results of the slots of cycles, one after the other."""
        codes: NDArray[Any] = codes_on(self._synths, begin, end, executor)
        if self._any_repeats and len(codes):
            edges = np.concatenate(
                ([0], np.cumsum([slot.repeats for slot in self.config.slots])[:-1])
            )
            rows = codes.reshape(end - begin, -1).astype(np.int64)
            sums = np.add.reduceat(rows, edges, axis=1).ravel()
            codes = combine(sums, np.arange(len(sums)) % self._slots, self.config)
        return codes

    def _read_even(self, reads: NewestReads, ticks: float) -> list[BufferPart]:
        """What the program reads before ``ticks`` of a converter whose scans are even: only what it
        reads is worked out."""
        instants = reads.due(ticks)
        scans = reads.scans_at(instants)
        filled: list[BufferPart] = []
        places = np.arange(self._slots)
        for at, row in zip(instants.tolist(), scans, strict=True):
            first = int(row.min())
            if first < 0:
                continue
            codes = self._times.aligned(self._even_codes(first, int(row.max()) + 1, None))
            numbers = row * self._slots + places
            filled += self._read(
                at, codes[numbers - first * self._slots], self._times.held(numbers)
            )
        return filled

    def _read_fed(self, reads: NewestReads, ticks: float) -> list[BufferPart]:
        """The same of a converter that goes by no even time."""
        instants = reads.due(ticks)
        found, codes, held = reads.newest(instants)
        filled: list[BufferPart] = []
        for at, row, stamps in zip(instants[found].tolist(), codes, held, strict=True):
            filled += self._read(at, row, stamps)
        return filled

    def _read(self, at: float, codes: NDArray[Any], held: IntArray) -> list[BufferPart]:
        return [replace(part, seen_ticks=int(at)) for part in self._memory.write(codes, held)]

    def _advance_timed(self, until: int, judged: list[Judgeable]) -> list[BufferPart]:
        ticks = float(until)
        filled: list[BufferPart] = []
        reads = self._reads if self.config.loop.delivers else None
        while not self._is_through and len(
            starts := self.pace.advance(ticks, self._most_triggers())
        ):
            self.begun += starts.ticks[:: self.pace.slots_a_trigger].tolist()
            filled += self._convert(starts, ticks, judged)
            if self.stops or self.is_followed:
                break
        # What is followed one by one has come as far as its next trigger.
        is_partial = (self.stops or self.is_followed) and not self._is_through
        known = min(ticks, self.pace.next_ticks()) if is_partial else ticks
        return filled + (
            self._fetch_waiting(known) if reads is None else self._read_fed(reads, known)
        )

    @property
    def _is_through(self) -> bool:
        """A single run is over, and the program has turned the converter off."""
        return self.config.loop.halts and self._memory.is_full

    def _most_triggers(self) -> int:
        """Triggers until something may stop the chain: the next one, or the next mark, where the
        program looks."""
        if self._stops_at_once or self.is_followed:
            return 1
        if not self.stops and not self.config.loop.halts:
            return UNSTEADY_STEP_CYCLES
        items = self._memory.until_mark if self.stops else self._memory.until_full
        if self.config.loop.halts:
            items = min(items, self._memory.until_full)
        return max(1, items // self.pace.slots_a_trigger)

    def _convert(self, starts: Starts, ticks: float, judged: list[Judgeable]) -> list[BufferPart]:
        places = starts.places
        held, ends = self._times.of_starts(starts.ticks, places)
        codes = self._timed.codes(held, places)
        instants = self._times.last_held(held, places)
        judged += self._judge_hardware(codes, instants)
        self.converted += len(codes)
        self.cycles = self.pace.cycles
        codes = self._times.aligned(codes, int(places[0]))
        if self.results is not None:
            self.results.append((ends, codes.copy(), places))
        if self._reads is not None:
            self._reads.feed(ends, codes, instants, places)
            return []
        if starts.fetched is not None and self.config.loop.delivers:
            return self._keep(
                codes, instants if self.config.stamped else None, np.flatnonzero(starts.fetched)
            )
        return self._fetch(codes, instants, ends, ticks)

    def stop_after(self, watch_ticks: int, rearm_ticks: int | None) -> None:
        """A window has stopped the chain."""
        since = max(float(watch_ticks), self.pace.free_ticks)
        self.pace.pause(since, None if rearm_ticks is None else since + rearm_ticks)

    def control(self, ticks: int, action: str, places: tuple[int, ...], pin: str) -> None:
        """The program turns it on or off, asks for a scan, re-arms it, or points slots to a pin; a scan that
        has begun is brought to its end."""
        if action == "point":
            self._point(places, pin)
        elif action == "rearm":
            self._rearm(float(ticks))
        elif self.config.pace.asked:
            self.pace.trigger_at(float(ticks))
        elif action == "start":
            self.pace.go_on(float(ticks))
        else:
            self.pace.pause(float(ticks), None)

    def _point(self, places: tuple[int, ...], pin: str) -> None:
        self.config = self.config.unchecked(
            slots=tuple(
                slot.unchecked(pin=pin) if place in places else slot
                for place, slot in enumerate(self.config.slots)
            )
        )
        self._timed.set_up(self.config, self._bench)

    def _rearm(self, ticks: float) -> None:
        """A single run that is over begins once more: with a scan, at the first element."""
        if not self._memory.is_full:
            return
        self._memory.begin_run()
        self.pace.begin_scan(ticks)

    def _fetch(
        self, codes: IntArray, held: IntArray, ends: NDArray[np.float64], ticks: float
    ) -> list[BufferPart]:
        """What the program gets of results that are ready at ``ends``."""
        if not self.config.loop.delivers:
            return []
        stamps = held if self.config.stamped else None
        if self._service is None or self.config.service is None:
            return self._memory.write(codes, stamps)
        if self.config.service.keep == "halves":
            return self._serve_halves(self._memory.write(codes, stamps), ticks)
        return self._serve_items(codes, stamps, ends, ticks)

    def _serve_items(
        self,
        codes: NDArray[np.int32] | IntArray,
        held: IntArray | None,
        ends: NDArray[np.float64],
        ticks: float,
    ) -> list[BufferPart]:
        assert self._service is not None
        assert self.config.service is not None
        all_codes = np.concatenate((self._codes_waiting, codes))
        all_held = np.concatenate((self._held_waiting, held)) if held is not None else None
        served = self._service.serve(ends, ticks)
        done = len(all_codes) - self._service.waiting
        self._codes_waiting = all_codes[done:]
        if all_held is not None:
            self._held_waiting = all_held[done:]
        part = slice(0, done)
        return self._keep(
            all_codes[part], None if all_held is None else all_held[part], served.places
        )

    def _keep(
        self, codes: NDArray[Any], held: IntArray | None, fetched: IntArray
    ) -> list[BufferPart]:
        """Put into memory what was fetched; a FIFO knows how many were not, one register does
        not."""
        self.lost += len(codes) - len(fetched)
        assert self.config.service is not None
        if self.config.service.keep != "oldest" and not self.config.loop.numbered:
            return (
                self._memory.write(codes[fetched], None if held is None else held[fetched])
                if len(fetched)
                else []
            )
        filled: list[BufferPart] = []
        begin = 0
        breaks = np.flatnonzero(np.diff(fetched) > 1) + 1
        for run in np.split(fetched, breaks) if len(fetched) else []:
            if run[0] > begin:
                filled += self._memory.skip(int(run[0]) - begin)
            part = slice(int(run[0]), int(run[-1]) + 1)
            filled += self._memory.write(codes[part], None if held is None else held[part])
            begin = part.stop
        if len(codes) > begin:
            filled += self._memory.skip(len(codes) - begin)
        return filled

    def _serve_halves(self, halves: list[BufferPart], ticks: float) -> list[BufferPart]:
        """Halves that the handler still finds; it is called at each mark."""
        assert self._service is not None
        ends = np.array([self._mark_ticks(half) for half in halves])
        self._waiting_halves = [*self._waiting_halves, *halves]
        served = self._service.serve(ends, ticks)
        done = len(self._waiting_halves) - self._service.waiting
        kept = [self._waiting_halves[place] for place in served.places]
        dropped = set(range(done)) - set(served.places.tolist())
        self.lost += sum(len(self._waiting_halves[place].items) for place in dropped)
        self._waiting_halves = self._waiting_halves[done:]
        return kept

    def _mark_ticks(self, half: BufferPart) -> float:
        if half.held_ticks is not None:
            return float(half.held_ticks[-1])
        last = np.array([half.first + len(half.items) - 1])
        return float(self._times.end(last)[0])

    def finish(self) -> list[BufferPart]:
        """What is left when the board is stopped."""
        if not self.config.loop.delivers:
            return []
        filled: list[BufferPart] = []
        filled += self._fetch_waiting(math.inf)
        return filled + self._memory.finish()

    def end(self) -> None:
        """Nothing is converted any more."""
        if self._service is not None:
            self._service.end()

    @property
    def unfinished(self) -> BufferPart | None:
        """Items since the last mark; they stay where they are."""
        return self._memory.unfinished if self.config.loop.delivers else None

    def next_mark_ticks(self) -> int | None:
        """Tick after which a steady converter has filled its next unit; None where nothing is handed
        over."""
        if not self.config.loop.delivers:
            return None
        if self._reads is not None:
            return int(self._reads.next_ticks()) + 1
        last = np.array([self.converted + max(1, self._memory.until_mark) - 1])
        return int(self._times.end(last)[0]) + 2

    def standing(self) -> Standing:
        """Where it stands, to come back to."""
        pace = None if self.is_steady else copy.deepcopy(self.pace)
        taps = copy.deepcopy(self._by_hardware)
        results = len(self.results or ())
        memory, timed = self._memory.standing(), self._timed.standing()
        return Standing(self.cycles, self.converted, memory, pace, timed, taps, results)

    def stand_again(self, standing: Standing) -> None:
        """Stand where it was: what has been worked out since then has not happened."""
        self.cycles, self.converted = standing.cycles, standing.converted
        self._memory.stand_again(standing.memory)
        if standing.pace is not None:
            self.pace = copy.deepcopy(standing.pace)
            self._timed.stand_again(standing.timed)
        self._by_hardware = copy.deepcopy(standing.taps)
        if self.results is not None:
            del self.results[standing.results :]

    def all_ready_ticks(self, parts: list[BufferPart]) -> list[IntArray]:
        """The same of each of several hand-overs that follow each other, each (n,) int64."""
        if len(parts) < 2:
            return [self.ready_ticks(part) for part in parts]
        counts = [len(part.items) for part in parts]
        numbers = np.concatenate(
            [np.arange(part.first, part.first + len(part.items)) for part in parts]
        )
        held = (
            np.concatenate([part.held_ticks for part in parts if part.held_ticks is not None])
            if parts[0].held_ticks is not None
            else self._times.held(numbers)
        )
        ready = self._times.ready(numbers, held)
        ends = np.cumsum(counts).tolist()
        return [ready[end - count : end] for end, count in zip(ends, counts, strict=True)]

    def ready_ticks(self, part: BufferPart) -> IntArray:
        """Instants at which the items of a hand-over were ready, (n,) ticks."""
        numbers = np.arange(part.first, part.first + len(part.items))
        return self._times.ready(numbers, self.held_ticks(part))

    def held_ticks(self, part: BufferPart) -> IntArray:
        """Held instant of each item of a hand-over, as its number says or as it was stamped.

        (items,) int64.
        """
        return (
            self._times.held(np.arange(part.first, part.first + len(part.items), dtype=np.int64))
            if part.held_ticks is None
            else part.held_ticks
        )

    def _numbers(self, end_cycle: int, count: int) -> IntArray:
        """Numbers of the last items of the cycles before one."""
        return np.arange(end_cycle * self._slots - count, end_cycle * self._slots, dtype=np.int64)

    def conversion_ticks(self, place: int) -> int:
        """From the held instant of a slot's value until it is ready."""
        nothing = np.zeros(1, dtype=np.int64)
        return int(self._times.ready(nothing + place, nothing)[0])

    def seen_ticks(self, part: BufferPart) -> int:
        """When the program looks at a hand-over."""
        if part.seen_ticks is not None:
            return part.seen_ticks
        if not len(part.items):
            return 0
        last = slice(len(part.items) - 1, len(part.items))
        held = None if part.held_ticks is None else part.held_ticks[last]
        end = BufferPart(part.items[last], part.first + len(part.items) - 1, held)
        return int(self.ready_ticks(end)[0])

    def judge(self, part: BufferPart) -> list[Judgeable]:
        """What the program's own taps make of a hand-over."""
        mine = [(number, tap) for number, tap in self.taps if not tap.tap.by_hardware]
        if not mine:
            return []
        held = self.held_ticks(part)
        seen = self.seen_ticks(part)
        return [
            Judgeable(number, *tap.feed(part.items, part.first, held), seen) for number, tap in mine
        ]

    def _judge_hardware(self, codes: NDArray[Any], held: IntArray) -> list[Judgeable]:
        """What the converter's own taps make of codes as they are converted."""
        return [
            Judgeable(number, *tap.feed(codes, self.converted - self._first_judged, held))
            for number, tap in self._by_hardware
        ]
