"""One run from start to stop: converters advance, hand-overs become frames, values are judged."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from concurrent.futures import Executor
from fractions import Fraction

import numpy as np

from wattigram.core.board.byte_detector import ByteDetector
from wattigram.core.board.channel import Channel, Judgeable
from wattigram.core.board.dma_buffer import BufferPart
from wattigram.core.board.dma_routes import DmaRoute
from wattigram.core.board.event_detection import (
    ComparatorDetector,
    DetectedEvent,
    ThresholdDetector,
)
from wattigram.core.board.isr_timing import Processor
from wattigram.core.board.live_pins import LivePins, is_fed_back
from wattigram.core.board.other_boards import BothWays, CallingBoard, OtherBoard, both_ways
from wattigram.core.board.output_waveforms import Outputs, Wire
from wattigram.core.board.processing import NOTHING, Values
from wattigram.core.board.program_outputs import ProgramOutputs
from wattigram.core.board.program_part import ProgramPart
from wattigram.core.board.sink_trace import SinkTrace, packed
from wattigram.core.board.wire_words import WireWords
from wattigram.core.contract.board_config import EffectiveBench, EffectiveConfig
from wattigram.core.contract.link import (
    EVENT_DTYPE,
    FLAG_FIRST,
    FLAG_TAIL,
    STAMP_STREAM,
    FrameType,
    encode_frame,
)

_WRAP = 1 << 32
LEAST_VALUE, GREATEST_VALUE = -(1 << 31), (1 << 31) - 1
"""Of an event's value; what lies outside is sent as the nearest."""
EVENTS_A_FRAME = 4096


class Run:
    """Advances in ticks of the board's clock and gives encoded frames.

    With an executor ``advance`` uses up to ``threads`` threads; the frames are the same.
    """

    def __init__(
        self,
        config: EffectiveConfig,
        first_sequence: int = 0,
        threads: int = 1,
        caller: CallingBoard | None = None,
    ) -> None:
        """``caller`` is the board that hears this one, where this one hears it in turn."""
        self.config = config
        self.sequence = first_sequence
        self.ticks = 0
        self.live = LivePins(config, {*self._written_pins(config)})
        self._calling = CallingBoard(self, config.tick_hz, _ports(config))
        hearing = [both_ways(config, number) for number in range(len(config.boards))]
        self.boards: list[OtherBoard] = [
            caller
            if other.is_caller and caller is not None
            else _other_board(other, number, hearing[number], self._calling)
            for number, other in enumerate(config.boards)
        ]
        steps = [int(one.step_s * config.tick_hz) for one in hearing if one is not None]
        self._in_step_ticks = max(1, min(steps)) if steps else None
        """How far it may go before boards that hear it in turn have to follow."""
        self._pin_outputs = outputs = Outputs(config, self.live, self.boards)
        self._processor, self._threads = Processor(), threads
        self.channels: list[Channel] = []
        for _ in config.converters:
            self._add_channel(config)
        self._in_turns = [channel for channel in self.channels if channel.takes_turns]
        """Those whose ISRs wait for one another."""
        self._watchers = [
            ThresholdDetector(watch, number)
            for number, watch in enumerate(config.watches)
            if watch is not None
        ]
        self._comparators = [
            ComparatorDetector(
                comparator, number, config.bench, outputs, config.tick_hz, config.seed
            )
            for number, comparator in enumerate(config.comparators)
        ]
        self._listeners = [
            ByteDetector(wire, WireWords(wire, self.boards, config.tick_hz))
            for wire in config.wires
            if wire.watches
        ]
        self.bench = config.bench
        self._put_in_order(config.bench)
        self._reduced = [0] * len(config.taps)
        self._routes = [
            DmaRoute(config, number, self.boards) for number in range(len(config.routes))
        ]
        self.outputs = ProgramOutputs(config, self.live)
        self._program = ProgramPart(config, self.outputs)
        self._ends = {one.on for one in config.reactions if one.action == "end"}
        """What may end the run."""

    def _add_channel(self, config: EffectiveConfig) -> Channel:
        """The next converter of a configuration."""
        channel = Channel(
            config, self._pin_outputs, len(self.channels), self._threads, self._processor
        )
        self.channels.append(channel)
        return channel

    def _put_in_order(self, bench: EffectiveBench) -> None:
        """What is started by events comes after what makes them, and what looks at a live pin after
        what moves it."""
        samplers = self.live.samplers(self.config, bench)
        leaders = {channel.config.name: channel for channel in self.channels}

        def rank(channel: Channel) -> tuple[bool, bool, bool, bool]:
            leader = leaders.get(channel.config.pace.leader)
            ranks = [
                (
                    one.stream in samplers,
                    one.is_controlled,
                    one.config.pace.kind == "events",
                    leader is not None,
                )
                for one in (channel, leader)
                if one is not None
            ]
            return max(ranks)

        self._in_order = sorted(self.channels, key=rank)
        self._samplers = samplers
        self._is_fed_back = is_fed_back(self.config, samplers)
        self._late = [
            detector
            for detector in self._comparators
            if self.live.reach(bench, detector.comparator.pin)
            or self.live.has(detector.comparator.against)
        ]
        """Comparators that look at a live pin, or are compared with one."""

    @staticmethod
    def _written_pins(config: EffectiveConfig) -> Iterator[str]:
        """Output pins that something writes to while the board runs."""
        yield from (route.output for route in config.routes if route.output)
        for output in config.outputs:
            yield from output.pins

    @property
    def seconds(self) -> Fraction:
        """Board time since the start."""
        return Fraction(self.ticks, self.config.tick_hz)

    @property
    def largest_step_ticks(self) -> int:
        """Ticks that one block of the fastest converter takes; a good step when time does not
        matter."""
        # Without a converter there are still outputs, of which 10 ms at a time are looked at.
        return min(
            (channel.step_ticks for channel in self.channels), default=self.config.tick_hz // 100
        )

    def totals(self) -> dict[str, int]:
        """Counts by name and stream: cycles done, items handed over, items lost to the program,
        triggers missed."""
        first = self.channels[0] if self.channels else None
        done = 0 if first is None else first.cycles
        counts = {"cycles": done, "ticks": self.ticks}
        for channel in self.channels:
            counts[f"items.{channel.stream}"] = channel.handed_over
            counts[f"converted.{channel.stream}"] = channel.converted
            counts[f"lost.{channel.stream}"] = channel.lost
            counts[f"missed.{channel.stream}"] = channel.missed
        for tap, done in zip(self.config.taps, self._reduced, strict=True):
            if tap.stream is not None:
                counts[f"items.{tap.stream}"] = done
        for route in self._routes:
            counts[f"items.{route.route.stream}"] = 2 * route.observed
        for trace in self.outputs.traces:
            counts[f"items.{trace.output.stream}"] = 2 * trace.observed
        return counts

    def next_tick(self) -> int:
        """Earliest trigger that has not been served yet."""
        return min((channel.next_tick(self.ticks) for channel in self.channels), default=self.ticks)

    def set_bench(self, bench: EffectiveBench) -> None:
        """Turn knobs; holds from the next cycle on."""
        self.bench = bench
        self._put_in_order(bench)
        for channel in self.channels:
            channel.set_bench(bench)
        for comparator in self._comparators:
            comparator.set_bench(bench)

    def course(self, pin: str, poles_s: tuple[float, ...]) -> Wire:
        """What a wire from one of its pins carries behind low-passes."""
        return self._pin_outputs.course(pin, poles_s)

    def advance(self, ticks: int, executor: Executor | None = None) -> list[bytes]:
        """Run until ``ticks`` after the start; cycles whose trigger comes before then are done."""
        frames: list[bytes] = []
        while self.ticks < ticks and not self.has_ended:
            frames += self._step(self._step_end(ticks), executor)
        return frames

    @property
    def has_ended(self) -> bool:
        """The program has ended the run, and it has come as far as that."""
        return self._program.ended is not None and self.ticks >= self._program.ended

    def _step_end(self, ticks: int) -> int:
        """Up to where all can be worked out at once: not beyond a scan of what is fed back, or stopped by
        what its ISR finds when its turn comes, nor of what may end the run, nor of a word to a board that
        may answer."""
        if self._in_step_ticks is not None:
            ticks = min(ticks, self.ticks + self._in_step_ticks)
        if self._ends:
            known = [self._program.next_end_ticks() + 1, self._program.ended or ticks]
            ticks = min(ticks, *(max(one, self.ticks + 1) for one in known))
        if self._ends & {"watch", "results"} and self.channels:  # it is not known before
            scan = min(channel.config.cycle_ticks for channel in self.channels)
            ticks = min(ticks, self.ticks + scan)
        if any(channel.stops for channel in self._in_turns):
            scan = min(channel.config.cycle_ticks for channel in self._in_turns)
            ticks = min(ticks, self.ticks + scan)
        if not self._is_fed_back:
            return ticks
        samplers = [self.channels[number] for number in self._samplers]
        scan = self.ticks + max(1, min(channel.config.cycle_ticks for channel in samplers))
        if any(route.converter in self._samplers for route in self.config.routes):
            return min(ticks, scan)
        # The program does nothing with results before it has them.
        marks = [channel.next_mark_ticks() if channel.is_steady else None for channel in samplers]
        known = [mark for mark in marks if mark is not None]
        if len(known) < len(marks):
            return min(ticks, scan)
        return min(ticks, max(self.ticks + 1, min(known)))

    def _step(self, ticks: int, executor: Executor | None) -> list[bytes]:
        self.ticks = ticks
        frames: list[bytes] = []
        frames += self._compare(late=False)
        is_moved = False
        for channel in self._in_order:
            if channel.stream in self._samplers and not is_moved:
                frames += self._moved_frames() + self._compare(late=True)
                is_moved = True
            frames += self._advanced_frames(channel, executor)
        for channel in self._in_turns:  # all that their ISRs may have to wait for is known now
            frames += self._advanced_frames(channel, executor)
        frames += self._moved_frames()
        return frames if is_moved else frames + self._compare(late=True)

    def _advanced_frames(self, channel: Channel, executor: Executor | None) -> list[bytes]:
        """Bring a channel up to now, and act upon what comes of it."""
        if channel.is_controlled:
            return self._controlled(channel, executor)
        frames: list[bytes] = []
        while True:
            before = channel.converted
            parts, judged = channel.advance(self.ticks, executor)
            self._start_followers(channel)
            frames += self._watch(judged)
            frames += self._hand_over(channel, parts)
            if not channel.stops or channel.converted == before:
                return frames

    def _controlled(self, channel: Channel, executor: Executor | None) -> list[bytes]:
        """Bring a channel that the program turns on and off up to now, from one such instant to the
        next; its own results may be why."""
        frames: list[bytes] = []
        program = self._program
        while True:
            mine = [one for one in program.controls if one.converter == channel.stream]
            act = program.next_act_ticks(channel.stream)
            until = min([self.ticks, act, *(one.ticks for one in mine)])
            before = channel.converted
            parts, judged = channel.advance(until, executor)
            self._start_followers(channel)
            frames += self._watch(judged)
            frames += self._hand_over(channel, parts)
            if channel.converted != before:
                continue  # what came of it may be a reason
            due = [one for one in mine if one.ticks <= until]
            for one in due:
                channel.control(one.ticks, one.action, one.places, one.pin)
                program.controls.remove(one)
            if due:
                continue
            if act >= self.ticks:
                return frames
            program.advance(act + 1)

    def _moved_frames(self) -> list[bytes]:
        """What routes and the program moved until now."""
        self._program.advance(self.ticks)
        return [*self._route_frames(), *self._program_frames()]

    def _program_frames(self, until: int | None = None) -> list[bytes]:
        frames: list[bytes] = []
        for trace, taken in self.outputs.take(self.ticks if until is None else until):
            frames += self._trace_frames(trace.output.stream, taken, trace.observed)
            trace.observed += len(taken.ticks)
        return frames

    def _trace_frames(self, stream: int, seen: SinkTrace, before: int) -> Iterator[bytes]:
        """Rows of what leaves the part, of which so many were sent before."""
        if self._in_step_ticks is not None:
            self._calling.left(stream, seen)
        for begin in range(0, len(seen.ticks), EVENTS_A_FRAME):
            part = SinkTrace(
                seen.ticks[begin : begin + EVENTS_A_FRAME],
                seen.values[begin : begin + EVENTS_A_FRAME],
            )
            yield self._frame(
                packed(part).tobytes(),
                stream=stream,
                item_bytes=4,
                flags=FLAG_FIRST if before + begin == 0 else 0,
                ticks=int(part.ticks[0]),
                first=2 * (before + begin),
            )

    def _compare(self, *, late: bool) -> list[bytes]:
        """Let comparators look until now: those that look at live pins, or the others, and UARTs."""
        frames: list[bytes] = []
        for listener in () if late else self._listeners:
            frames += self._told(listener.advance(self.ticks))
        for detector in self._comparators:
            if (detector in self._late) == late:
                frames += self._told(detector.advance(self.ticks))
        return frames

    def _told(self, happened: list[DetectedEvent]) -> list[bytes]:
        """Events that the program hears of as they come."""
        self._start_others(happened, None)
        self._program.happened(happened, None)
        return self._event_frames(happened)

    def _route_frames(self) -> list[bytes]:
        """What routes moved until now, and what became of it."""
        frames: list[bytes] = []
        results = [channel.results for channel in self.channels]
        for route in self._routes:
            config = route.route
            if config.converter is not None:
                for ends, codes, places in results[config.converter] or ():
                    route.feed(ends, codes, places)
            seen = route.advance(float(self.ticks))
            self.live.follow(route.route, seen)
            frames += self._trace_frames(config.stream, seen, route.observed)
            route.observed += len(seen.ticks)
        for kept in results:
            if kept is not None:
                kept.clear()
        return frames

    def finish(self) -> list[bytes]:
        """What is left of each half when the board is stopped."""
        for channel in self.channels:
            channel.end()
        return [
            frame
            for channel in self._in_order
            for frame in self._hand_over(channel, channel.finish())
        ]

    def _hand_over(self, channel: Channel, parts: Iterable[BufferPart]) -> Iterator[bytes]:
        config = channel.config
        for part in parts:
            flags = (FLAG_TAIL if part.is_tail else 0) | (FLAG_FIRST if part.first == 0 else 0)
            ticks = part.first // len(config.slots) * config.cycle_ticks
            if part.held_ticks is not None:
                ticks = int(part.held_ticks[0])
                yield self._frame(
                    (part.held_ticks % _WRAP).astype("<u4").tobytes(),
                    stream=STAMP_STREAM + channel.stream,
                    item_bytes=4,
                    flags=flags,
                    ticks=ticks,
                    first=part.first,
                )
            yield self._frame(
                part.items.tobytes(),
                stream=channel.stream,
                item_bytes=part.items.dtype.itemsize,
                flags=flags,
                ticks=ticks,
                first=part.first,
            )
            judged = channel.judge(part)
            seen = channel.seen_ticks(part)
            is_full = (part.first + len(part.items)) % config.loop.items == 0
            self._program.fetched(channel.stream, seen, judged, is_full=is_full)
            for judgeable in judged:
                yield from self._reduced_frames(judgeable, flags)
            yield from self._watch(judged)

    def _reduced_frames(self, judged: Judgeable, flags: int) -> Iterator[bytes]:
        stream, reduced = self.config.taps[judged.tap].stream, judged.reduced
        if stream is None or not len(reduced.values):
            return
        done = self._reduced[judged.tap]
        self._reduced[judged.tap] += len(reduced.values)
        yield self._frame(
            (reduced.values % _WRAP).astype("<u4").tobytes(),
            stream=stream,
            item_bytes=4,
            flags=(flags & FLAG_TAIL) | (FLAG_FIRST if done == 0 else 0),
            ticks=int(reduced.ticks[0]),
            first=done,
        )

    def _watch(self, judged: list[Judgeable]) -> list[bytes]:
        frames: list[bytes] = []
        for judgeable in judged:
            for watcher in self._watchers:
                watch = watcher.watch
                if judgeable.tap == watch.tap:
                    happened = watcher.feed(self._stream(judgeable, watch.on_reduced))
                elif judgeable.tap == watch.other:
                    happened = watcher.feed(NOTHING, self._stream(judgeable, watch.on_reduced))
                else:
                    continue
                if happened:
                    self._act(watcher, happened, judgeable.seen_ticks)
                    self._start_others(happened, judgeable.seen_ticks)
                    later = self._judged_later(watcher.watch.tap)
                    self._program.happened(happened, judgeable.seen_ticks, later)
                    frames += self._event_frames(happened)
        return frames

    def _judged_later(self, number: int) -> int:
        """Ticks from the held instant of a value until the converter has judged it."""
        tap = self.config.taps[number]
        return self.channels[tap.converter].conversion_ticks(max(tap.places))

    def _stream(self, judged: Judgeable, on_reduced: bool) -> Values:
        has_stage = self.config.taps[judged.tap].stage != "none"
        return judged.reduced if on_reduced and has_stage else judged.raw

    def _act(
        self, watcher: ThresholdDetector, happened: list[DetectedEvent], seen_ticks: int | None
    ) -> None:
        watch = watcher.watch
        first = next((event for event in happened if event.entered), None)
        if watch.stops and first is not None:
            channel = self.channels[self.config.taps[watch.tap].converter]
            channel.stop_after(
                seen_ticks if seen_ticks is not None else first.ticks, watch.rearm_ticks
            )
            watcher.rearm()

    def _start_others(self, happened: list[DetectedEvent], seen_ticks: int | None) -> None:
        for channel in self.channels:
            pace = channel.config.pace
            if pace.kind != "events" or pace.asked or pace.leader:
                continue
            for event in happened:
                wanted = pace.edge == "both" or event.entered == (pace.edge == "rising")
                if event.watch == pace.watch and wanted:
                    channel.pace.trigger_at(
                        float(event.ticks if seen_ticks is None else seen_ticks)
                    )

    def _start_followers(self, leader: Channel) -> None:
        """What follows a converter is started whenever that was."""
        begun, leader.begun = leader.begun, []
        for channel in self.channels:
            if channel.config.pace.leader == leader.config.name:
                for ticks in begun:
                    channel.pace.trigger_at(ticks)

    def _event_frames(self, happened: list[DetectedEvent]) -> list[bytes]:
        frames = []
        for begin in range(0, len(happened), EVENTS_A_FRAME):
            rows = [
                (
                    event.watch,
                    event.entered,
                    0,
                    min(max(event.value, LEAST_VALUE), GREATEST_VALUE),
                    event.ticks,
                )
                for event in happened[begin : begin + EVENTS_A_FRAME]
            ]
            events = np.array(rows, dtype=EVENT_DTYPE)
            ticks = int(events["ticks"][0])
            frames.append(
                self._frame(
                    events.tobytes(), FrameType.EVENTS, stream=0, item_bytes=16, ticks=ticks
                )
            )
        return frames

    def _frame(
        self,
        payload: bytes,
        kind: FrameType = FrameType.SAMPLES,
        *,
        stream: int,
        item_bytes: int,
        flags: int = 0,
        ticks: int = 0,
        first: int = 0,
    ) -> bytes:
        sequence = self.sequence
        self.sequence += 1
        return encode_frame(
            kind,
            payload,
            stream=stream,
            item_bytes=item_bytes,
            flags=flags,
            sequence=sequence,
            ticks=ticks,
            first=first,
        )


class _HeardRun(Run):
    """A board that runs for another: nobody reads its frames, and what leaves it is heard."""

    def __init__(
        self, config: EffectiveConfig, hearing: BothWays | None, caller: CallingBoard
    ) -> None:
        super().__init__(config, caller=caller)
        word_s = None if hearing is None else hearing.word_s or 0.0
        self.heard = OtherBoard(self, config.tick_hz, _ports(config), word_s)

    def _trace_frames(self, stream: int, seen: SinkTrace, before: int) -> Iterator[bytes]:
        self.heard.left(stream, seen)
        return iter(())

    def _frame(self, payload: bytes, kind: FrameType = FrameType.SAMPLES, **_where: int) -> bytes:
        return b""


def _ports(config: EffectiveConfig) -> list[tuple[int, str]]:
    """Streams of what leaves each serial port."""
    ports = [(output.stream, output.name) for output in config.outputs if output.kind == "uart"]
    return ports + [(route.stream, route.uart) for route in config.routes if route.sink == "send"]


def _other_board(
    config: EffectiveConfig, number: int, hearing: BothWays | None, caller: CallingBoard
) -> OtherBoard:
    """Another board, with noise of its own."""
    seed = (config.seed + 1 + number) % (1 << 32)
    return _HeardRun(config.unchecked(seed=seed), hearing, caller).heard
