"""One run of the silicon with the image's processor in it."""

from __future__ import annotations

import copy
import math
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import Executor
from functools import partial

import numpy as np
from msgspec.structs import replace

from wattigram.core.board import Run
from wattigram.core.board.channel import Channel
from wattigram.core.board.event_detection import (
    ComparatorDetector,
    DetectedEvent,
    ThresholdDetector,
)
from wattigram.core.board.wire_words import WireWords
from wattigram.core.contract.board_config import (
    EffectiveBench,
    EffectiveConfig,
    EffectiveConverter,
    EffectiveWatch,
)
from wattigram.core.contract.link import FLAG_UNSEQUENCED, FrameType, LateWrite
from wattigram.core.emulator.configure import Silicon
from wattigram.core.emulator.followed_setup import FollowedSetUp
from wattigram.core.emulator.hand_overs import Work, Worked
from wattigram.core.emulator.late_setup import Decode
from wattigram.core.emulator.machine import Machine
from wattigram.core.emulator.result_delivery import (
    tell_comparator,
    tell_threshold,
)
from wattigram.core.emulator.uarts import put_word
from wattigram.core.silicon.registers import NO_WINDOW, event_count

LONGEST_STEP_S = 0.02
"""Of board time that is worked out at once, so that converters do not run far ahead of one
another."""
NEVER = 1 << 62


def _at(work: Work) -> int:
    return work[0]


class ImageRun(FollowedSetUp):
    """Like :class:`Run`, but what converters give goes to an image, and only what it sends is
    sent."""

    def __init__(
        self,
        silicon: Silicon,
        machine: Machine,
        end_ticks: int | None,
        first_sequence: int = 0,
        threads: int = 1,
        *,
        decode: Decode,
    ) -> None:
        super().__init__(silicon, machine, end_ticks, first_sequence, threads, decode)
        config = silicon.config
        # What the image stops or starts must be seen at once, and an end that is not known may be
        # any alarm.
        self._is_split = end_ticks is None or any(
            self._is_acted_upon(channel) for channel in self.channels
        )
        self._followed = 0
        """How often the silicon followed the program."""
        self._judges: dict[int, list[ThresholdDetector]] = {}
        """How those that judge each channel's results stood before it was last worked out."""
        self._again: list[Work] = []
        """What comes of channels that were worked out anew."""
        self._ahead: list[Work] = []
        """What silicon has worked out already and comes to the program later than now: the rest of
        a long cycle."""
        self._events: list[DetectedEvent] = []
        self._happened: Counter[str] = Counter()
        """How often the condition of each watch of the hardware began to hold, and ended; ticks of
        the first beginning."""
        self._moved: list[bytes] = []
        """What routes moved before somebody looked at the pins that they move."""
        self._pins = {dac.name: dac.pin for dac in config.dacs}
        self._pins |= {pwm.name: pwm.pin for pwm in config.pwm}
        """Pin of each DAC, and of each timer that puts out pulses."""
        self._output_numbers: dict[tuple[str, str], int] = {
            (output.kind, output.name): number for number, output in enumerate(config.outputs)
        }
        self._clock = config.tick_hz
        self._converters = {converter.name for converter in machine.setup.part.converters}
        self._ports = {port.name: port.bits for port in machine.setup.part.ports}
        taken = {route.wire for route in config.routes}
        self._wires = [
            (wire.uart, WireWords(wire, self.boards, config.tick_hz))
            for number, wire in enumerate(config.wires)
            if number not in taken  # else DMA takes what comes
        ]
        machine.levels_on_pins = self._levels_on_pins
        machine.leave_partials = self.leave_partials
        machine.conversion_ticks = {
            one.name: min(slot.end_ticks - slot.start_ticks for slot in one.slots)
            for one in config.converters
        }
        machine.busy_ticks = {"isr": 0, "main": 0}
        self._is_split_anyway = self._is_split
        self._follow_samplers()

    def set_bench(self, bench: EffectiveBench) -> None:
        """Turn knobs; holds from the next cycle on."""
        super().set_bench(bench)
        self._follow_samplers()

    def _follow_samplers(self) -> None:
        """What is sampled may follow from what the program did last: each result by itself."""
        self._is_split = self._is_split_anyway or bool(self._samplers or self._late)
        for channel in self.channels:
            channel.is_followed = bool(self._samplers) and not channel.is_steady

    @staticmethod
    def _written_pins(config: EffectiveConfig) -> Iterator[str]:
        """Whatever the program may write to, beside what routes do."""
        yield from Run._written_pins(config)
        yield from (dac.pin for dac in config.dacs if dac.steady)
        yield from (pwm.pin for pwm in config.pwm)

    @property
    def largest_step_ticks(self) -> int:
        """Ticks to be worked out at once."""
        return min(super().largest_step_ticks, max(1, int(LONGEST_STEP_S * self.config.tick_hz)))

    def advance(self, ticks: int, executor: Executor | None = None) -> list[bytes]:
        """Run until ``ticks`` after the start; gives what the board saw at pins, and leaves what
        the image sent."""
        machine = self.machine
        while self.ticks < ticks and machine.fault is None:
            target = ticks
            if self._end_ticks is not None and self.ticks < self._end_ticks:
                target = min(target, self._end_ticks)
            alarm = self._alarm()
            if self._is_split and alarm is not None:
                target = min(target, max(self.ticks, alarm))
            if self._samplers or self._late:
                target = min(target, self._next_hand_over())
            if self._in_step_ticks is not None:
                target = min(target, self.ticks + self._in_step_ticks)
            self._until(target, executor)
            self._set_now(self.ticks)
            if self._in_step_ticks is not None:  # who hears this board must know what has left it
                self._moved += self._left_frames()
            if self.ticks == self._end_ticks:
                self._moved += self._route_frames()  # what comes later belongs to no run
        moved, self._moved = [*self._moved, *self._left_frames()], []
        return moved

    def _left_frames(self) -> list[bytes]:
        """What routes and the program moved until now."""
        frames = self._route_frames()
        self._take_bytes()
        return [*frames, *self._program_frames(self._shown_until)]

    @property
    def _shown_until(self) -> int:
        """Ticks until which is told what left the part: not beyond the end of the run."""
        return self.ticks if self._end_ticks is None else min(self.ticks, self._end_ticks)

    def _next_hand_over(self) -> int:
        """The next instant at which a steady converter has something for the program, not before the
        next tick; a scan from now where others may have."""
        steady, others = [], []
        for channel in self.channels:
            if channel.is_followed:
                others.append(self.ticks + channel.config.cycle_ticks)
            mark = channel.next_mark_ticks() if channel.is_steady else None
            if mark is not None:
                steady.append(mark)
        return max(self.ticks + 1, min([*steady, *others], default=NEVER))

    def _alarm(self) -> int | None:
        """When the system's alarm comes next, in ticks since the start."""
        due = self.machine.peripherals.alarm_at
        return None if due is None else due * self._clock_divisor - self.epoch

    def _process(self, until: int) -> bool:
        """Let the program come to an instant, through the alarms before it and at it; whether it did
        something to the silicon, which then comes first."""
        machine = self.machine
        while machine.fault is None:
            due = self._alarm()
            limit = until if due is None else min(until, due)
            machine.run(self.epoch + limit)
            if self._follow():
                return True
            if machine.is_waited_for:
                continue
            due = self._alarm()
            if due is None or due > limit:
                if limit == until:
                    return False
                continue
            self._set_now(due)
            machine.alarm()
        return False

    def _until(self, ticks: int, executor: Executor | None) -> None:
        self.ticks = max(self.ticks, ticks)
        work, self._ahead = self._ahead, []
        self._compare(late=False)
        if self._late:
            self._moved += self._route_frames()
            self._compare(late=True)
        work += self._waiting_events()
        work += self._arriving_words()
        if self._samplers:
            self._do(work, [], executor)
            work = []
        for channel in self._in_order:
            if channel.stream in self._samplers:
                self._moved += self._route_frames()
            if not self._is_acted_upon(channel) and not self._is_over:
                work += self._advanced(channel, executor)
        self._do(work, [one for one in self._in_order if self._is_acted_upon(one)], executor)

    def _do(self, work: list[Work], stepped: list[Channel], executor: Executor | None) -> None:
        """What happens until now, in the order of time: something comes to the program, a trigger to
        one of the channels that go step by step, or the program goes on."""
        queue = sorted(work, key=_at)
        machine = self.machine
        while machine.fault is None:
            first = queue[0][0] if queue else NEVER
            soonest = min(
                ((self._start_of(channel), channel.stream) for channel in stepped),
                default=(math.inf, 0),
            )
            if self._process(min(first, self.ticks, math.ceil(min(soonest[0], NEVER)))):
                again, self._again = self._again, []
                queue = sorted([*queue, *again], key=_at)
                continue
            if soonest[0] < self.ticks and soonest[0] <= first:
                more = self._advanced(self.channels[soonest[1]], executor)
                queue = sorted([*queue, *more], key=_at)
            elif first <= self.ticks:
                at, one = queue.pop(0)
                self._set_now(at)
                one()
            else:
                break
        self._ahead += queue

    def _start_of(self, channel: Channel) -> float:
        """When a channel that goes step by step begins its next scan, or slot; never while it is
        off."""
        return math.inf if self._is_over else channel.next_start_ticks()

    @property
    def _is_over(self) -> bool:
        """The end has passed, and only the program still goes on."""
        return self._end_ticks is not None and self.ticks > self._end_ticks

    def _route_frames(self) -> list[bytes]:
        return [] if self._is_over else super()._route_frames()

    def _go_on(self, channel: Channel) -> None:
        """Work out anew what comes of a channel up to now."""
        self._again += self._advanced(channel, None)

    def _tell_ahead(self, detector: ComparatorDetector) -> None:
        """A comparator looks anew, up to where it had looked."""
        self._told(detector.advance(self.ticks))
        self._again += self._waiting_events()

    def _advanced(self, channel: Channel, executor: Executor | None) -> list[Work]:
        """What comes of a channel up to now, or up to where it must be asked again."""
        ahead = not self._is_acted_upon(channel)
        if ahead:
            self._judges[channel.stream] = copy.deepcopy(list(self._judging(channel)))
        works, judged = self._hand_overs[channel.stream].advance(self.ticks, executor, ahead=ahead)
        self._start_followers(channel)
        self._watch(judged)
        return [*self._waiting_events(), *works]

    def _judging(self, channel: Channel) -> Iterator[ThresholdDetector]:
        """Those of the converter itself that judge a channel's results."""
        for watcher in self._watchers:
            tap = self.config.taps[watcher.watch.tap]
            if tap.by_hardware and tap.converter == channel.stream:
                yield watcher

    def _take_back(self, channel: Channel, until: int, was: EffectiveConverter) -> None:
        """A channel that was worked out ahead has been switched off: what began later did not happen."""
        works, judged = self._hand_overs[channel.stream].take_back(until, was)
        channel.begun.clear()  # followers have heard of them
        for follower in self.channels:
            if follower.config.pace.leader == channel.config.name:
                follower.pace.forget_after(float(until))
        self._again += works
        before = {one.number: one for one in self._judges.pop(channel.stream, ())}
        self._watchers = [before.get(one.number, one) for one in self._watchers]
        for judgeable in judged:  # events until then were told
            for watcher in self._judging(channel):
                if watcher.watch.tap == judgeable.tap:
                    watcher.feed(self._stream(judgeable, watcher.watch.on_reduced))
        self._judges[channel.stream] = copy.deepcopy(list(self._judging(channel)))

    def _act(
        self, watcher: ThresholdDetector, happened: list[DetectedEvent], seen_ticks: int | None
    ) -> None:
        """A window of the hardware stops its converter, which is off then until the image switches
        it on again."""
        super()._act(watcher, happened, seen_ticks)
        watch = watcher.watch
        if watch.stops and any(event.entered for event in happened):
            name = self.config.converters[self.config.taps[watch.tap].converter].name
            self._halted[name] = True
            self.machine.peripherals.switch_off(name)

    def _event_frames(self, happened: list[DetectedEvent]) -> list[bytes]:
        self._events += happened
        return []

    def _waiting_events(self) -> list[Work]:
        waiting = []
        for event in self._events:
            place = self._watch_places.get(event.watch)
            if place is not None:
                self._happened[event_count(place, "began" if event.entered else "ended")] += 1
                if event.entered:
                    self._happened.setdefault(event_count(place, "first"), event.ticks)
                watch = self.config.watches[event.watch]
                later = self._judged_later(watch.tap) if watch is not None else 0
                waiting.append((event.ticks + later, self._telling(place, event, watch)))
        self._events = []
        return waiting

    def _arriving_words(self) -> list[Work]:
        """Words that have come over serial ports until now."""
        if self._is_over:
            return []
        return [
            (math.ceil(at), partial(self._put_word, uart, word, faults))
            for uart, words in self._wires
            for came in [words.take(self.ticks)]
            for at, word, faults in zip(
                came.ticks.tolist(), came.words.tolist(), came.faults.tolist(), strict=True
            )
        ]

    def _put_word(self, uart: str, word: int, faults: int) -> None:
        if put_word(self.machine.peripherals, uart, word, faults):
            self.machine.interrupt(uart)
        self.machine.look_up()

    def _telling(
        self, place: tuple[str, int], event: DetectedEvent, watch: EffectiveWatch | None
    ) -> Callable[[], None]:
        owner, index = place
        if index == NO_WINDOW or watch is None:
            worked = self._compared.setdefault(owner, Worked())
        else:
            worked = self._hand_overs[self.config.taps[watch.tap].converter].worked

        def tell() -> None:
            if worked.holds_at(event.ticks):
                if index == NO_WINDOW:
                    tell_comparator(self.machine, owner, event, self.epoch)
                else:
                    tell_threshold(self.machine, owner, index, event, self.epoch)
            else:
                self._happened[event_count(place, "began" if event.entered else "ended")] -= 1
                if self._happened[event_count(place, "first")] == event.ticks:
                    del self._happened[event_count(place, "first")]

        return tell

    def _set_now(self, ticks: int) -> None:
        self.machine.now = max(self.machine.now, self.epoch + ticks)

    def _follow(self) -> bool:
        """What the image did to the silicon takes effect; whether there was anything."""
        activity = self.machine.activity
        if not activity:
            return False
        for owner, on, instant in activity.enabled:
            now = max(0, instant - self.epoch)
            if on:
                self._late_set_up.runs[owner] += 1
                if owner not in self._by_name and owner in self._converters:
                    self.first_on(owner, now)
            channel = self._by_name.get(owner)
            timer = self.timer(owner, now)
            if timer is not None:
                timer.run(float(now), on=on)
                self.timer_changed(owner, now)
            pulses = self.live.pulses.get(self._pins.get(owner, ""))
            if pulses is not None:
                pulses.run(float(now), on=on)
            if channel is None or self._halted.get(owner, False) != on:
                continue
            if on and self._is_unsettled:
                self.set_up_anew(now)
            self._halted[owner] = not on
            is_ahead = not self._is_acted_upon(channel)
            if not on:
                end = now if self._end_ticks is None else min(now, self._end_ticks)
                if is_ahead:
                    self._take_back(channel, end, self._late_set_up.before(owner))
                channel.leave_steady(self._late_set_up.before(owner))
            since = max(float(now), channel.pace.free_ticks)
            channel.pace.pause(since, float(now) if on else None)
            if on and is_ahead:
                self._go_on(channel)
        if activity.set_up is not None:
            self.set_up_anew(max(0, activity.set_up - self.epoch))
        for owner, instant, where in activity.started:
            now = max(0, instant - self.epoch)
            channel = self._by_name.get(owner)
            if channel is None or channel.config.pace.kind != "events":
                continue
            if owner in self._inputs:
                self.point_to(channel, where, now)
            if self._halted.get(owner, False):
                continue  # one that is off hears no start
            # Software that starts slot after slot goes on with the scan that it has begun.
            is_amid = len(channel.config.slots) > 1 and not channel.config.pace.singly
            if not is_amid or now >= channel.pace.free_ticks:
                channel.pace.trigger_at(float(now))
        for owner, at, code in activity.coded:
            ticks = max(0.0, at - self.epoch)
            dac = self.live.dacs.get(self._pins.get(owner, ""))
            if dac is not None:
                dac.put(np.array([ticks]), np.array([code]))
            self._show("dac", owner, ticks, ticks, code)
        for owner, setting, at in activity.retimed:
            self._retime(owner, setting, max(0, at - self.epoch))
        for owner, at, levels in activity.levels:
            pins = self._ports.get(owner, {})
            self.outputs.set_pins(
                max(0.0, at - self.epoch),
                {pin: bool(levels >> bit & 1) for pin, bit in pins.items()},
            )
        activity.clear()
        self._followed += 1
        return True

    def _show(self, kind: str, owner: str, at: float, effect: float, value: int) -> None:
        """A register of an output was written."""
        number = self._output_numbers.get((kind, owner))
        if number is not None:
            self.outputs.show(number, at, effect, value)

    def _levels_on_pins(self, port: str) -> int:
        """What stands on the pins of a port: what it drives itself, else what the bench has there;
        above half the supply is high."""
        now_s = np.array([max(0, self.machine.instant - self.epoch) / self._clock])
        half_v = self.config.ports[0].high_v / 2 if self.config.ports else 0.0
        state = self.machine.peripherals.state
        driven = state.number(port, "outputs", 0)
        levels = state.number(port, "output", 0) & driven
        for pin, bit in self._ports.get(port, {}).items():
            drive = self.bench.pins.get(pin)
            if not driven >> bit & 1 and drive is not None:
                is_high = float(self._pin_outputs.drive_voltage(drive, now_s)[0]) > half_v
                levels |= is_high << bit
        return levels

    def _retime(self, timer: str, setting: str, ticks: int) -> None:
        """A timer's registers hold something else: from the next period on, where they have second
        ones, else at once."""
        timer_now = self.timer(timer, ticks)
        if timer_now is not None and setting != "compare":
            timer_now.set_up(float(ticks), *self.counts_of(timer), waits=self.waits(timer))
            self.timer_changed(timer, ticks)
        pulses = self.live.pulses.get(self._pins.get(timer, ""))
        if pulses is None:
            return
        state = self.machine.peripherals.state
        at = float(ticks)
        effect = pulses.next_period(at) if self.waits(timer) else at
        if setting == "compare":
            self._show("duty", timer, at, effect, state.number(timer, "compare", 0))
        elif setting == "period":
            self._show("pulse-period", timer, at, effect, state.number(timer, "period", 1))
        pulses.put(
            np.array([effect]),
            counts=np.array([state.number(timer, "period", 1)]),
            high_counts=np.array([state.number(timer, "compare", 0)]),
            count_ticks=float(state.count_clocks(timer) * self._clock_divisor),
        )

    def leave_partials(self, owner: str = "") -> None:
        """Before the program looks, or may stop: what DMA has moved since the last mark lies in memory,
        of all channels or of one converter or DMA channel."""
        for one in self._hand_overs:
            if not owner or owner in one.owners:
                one.leave(self._shown_now, self._followed)

    @property
    def _shown_now(self) -> int:
        """The instant at which the program is, or the end of the run where it is beyond: ticks since
        reset."""
        instant = max(self.machine.now, self.machine.instant)
        return instant if self._end_ticks is None else min(instant, self.epoch + self._end_ticks)

    def late_writes(self) -> list[LateWrite]:
        """What own code changed since the last call, in ticks since the start."""
        late, self.machine.late = self.machine.late, []
        return [replace(write, ticks=max(0, write.ticks - self.epoch)) for write in late]

    def silicon_totals(self) -> dict[str, int]:
        """Counts that only the silicon knows."""
        counts = self.totals()
        counts |= self._happened
        counts |= {f"busy.{who}": ticks for who, ticks in self.machine.busy_ticks.items()}
        raw = {f"items.{channel.stream}" for channel in self.channels}
        raw |= {f"items.{tap.stream}" for tap in self.config.taps}
        return {
            name: count for name, count in counts.items() if name not in raw and name != "ticks"
        }

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
        """A frame of the board's own, aside of those that the image numbers."""
        return super()._frame(
            payload,
            kind,
            stream=stream,
            item_bytes=item_bytes,
            flags=flags | FLAG_UNSEQUENCED,
            ticks=ticks,
            first=first,
        )

    def _take_bytes(self) -> None:
        """Bytes that left UARTs which the program feeds."""
        for name, line in self.machine.uarts.items():
            number = self._output_numbers.get(("uart", name))
            ready = [one for one in line.bytes if one[0] - self.epoch < self._shown_until]
            line.bytes = line.bytes[len(ready) :]
            if number is not None:
                for at, byte in ready:
                    self.outputs.traces[number].add(at - self.epoch, byte)
