"""A run that follows what own code sets up otherwise: converters, what starts them, and where results go."""

from __future__ import annotations

from abc import abstractmethod

from wattigram.core.base.errors import BoardError
from wattigram.core.board import Run
from wattigram.core.board.channel import Channel
from wattigram.core.board.event_detection import ThresholdDetector
from wattigram.core.board.live_timer import LiveTimer
from wattigram.core.board.processing import Tap
from wattigram.core.emulator.configure import Silicon
from wattigram.core.emulator.hand_overs import HandOvers
from wattigram.core.emulator.late_setup import Change, Decode, LateSetUp, SetUp, timer_of
from wattigram.core.emulator.machine import Machine
from wattigram.core.emulator.pointing import Pointing
from wattigram.core.emulator.result_delivery import ResultDelivery


class FollowedSetUp(Run):
    """Instants are ticks since the start of the run; ``epoch`` is that in ticks since reset."""

    def __init__(
        self,
        silicon: Silicon,
        machine: Machine,
        end_ticks: int | None,
        first_sequence: int,
        threads: int,
        decode: Decode,
    ) -> None:
        super().__init__(silicon.config, first_sequence, threads)
        state = machine.peripherals.state
        self.machine = machine
        machine.now = self.epoch = max(machine.now, machine.free_at)
        self._clock_divisor = machine.setup.clock_divisor
        self._watch_places = silicon.watches
        self._halted: dict[str, bool] = {}
        self._end_ticks = end_ticks
        self._by_name = {channel.config.name: channel for channel in self.channels}
        self._late_set_up = LateSetUp(decode, state)
        self._timers = {
            name: LiveTimer(*self.counts_of(name), runs=state.flag(name, "run", True))
            for timer in machine.setup.part.timers
            for name in timer.names
            if state.has(name, "period")
        }
        self._inputs = dict(silicon.inputs)
        """Of converters that the program points, slot by slot."""
        self._is_unsettled = False
        """Settings were changed, and not all converters that they may concern are on."""
        self._hand_overs = [
            HandOvers(
                channel,
                ResultDelivery(machine, state, channel.config.name, len(channel.config.slots)),
                self.epoch,
            )
            for channel in self.channels
        ]

    @abstractmethod
    def _take_back(self, channel: Channel, until: int) -> None:
        """What a channel worked out ahead of an instant did not happen."""

    @abstractmethod
    def _go_on(self, channel: Channel) -> None:
        """Work out anew what comes of a channel up to now."""

    def _is_acted_upon(self, channel: Channel) -> bool:
        """What the program does may start or stop it, so that it goes step by step."""
        return channel.stops or channel.is_followed or channel.config.pace.kind == "events"

    def set_up_anew(self, now: int) -> None:
        """Settings by which converters run were changed."""
        state = self.machine.peripherals.state
        self._is_unsettled = True
        none_is_on = not any(map(state.is_on, self._by_name))
        if none_is_on or self._has_ended(now):
            return
        try:
            changes = list(self._late_set_up.changes(state))
        except BoardError as fault:
            self.machine.fault = fault.message.rstrip(".")
            return
        self._is_unsettled = any(self._halted.values())
        for change in changes:
            channel = self._by_name.get(change.now.converter.name)
            if channel is not None:
                self._change(channel, change, now)

    def _has_ended(self, now: int) -> bool:
        """What is set up then belongs to no run: firmware turns off what it needs no longer."""
        return self._end_ticks is not None and now >= self._end_ticks

    def _change(self, channel: Channel, change: Change, now: int) -> None:
        before, after = change.before, change.now
        is_ahead = not self._is_acted_upon(channel) and not self._halted.get(
            channel.config.name, False
        )
        if is_ahead:
            self._take_back(channel, now)
        pins = {**change.silicon.config.bench.pins, **self.bench.pins}
        if len(pins) > len(self.bench.pins):
            self.set_bench(self.bench.unchecked(pins=pins))
        is_carried_anew = (before.carriers, before.run) != (after.carriers, after.run)
        laps = channel.config.loop.laps
        loop = after.converter.loop.unchecked(laps=laps)
        channel.set_up(
            after.converter.unchecked(loop=loop), before.converter, is_carried_anew=is_carried_anew
        )
        self._hand_overs[channel.stream].set_up(
            len(after.converter.slots), is_carried_anew=is_carried_anew
        )
        is_started_otherwise = before.converter.pace.kind != after.converter.pace.kind
        if is_started_otherwise or before.timer != after.timer:
            channel.pace.start_by(after.converter.pace, float(now))
            if after.timer in self._timers:
                channel.pace.follow(self._timers[after.timer].courses(float(now)))
        if before.windows != after.windows or before.converter.slots != after.converter.slots:
            self._judge_anew(channel, after)
        if is_ahead:
            self._go_on(channel)

    def point_to(self, channel: Channel, where: Pointing, now: int) -> None:
        """The program starts a converter that it has pointed somewhere: the next of its slots, or another."""
        name = channel.config.name
        inputs = self._inputs[name]
        if inputs[channel.pace.place] == where:
            return
        if where not in inputs:
            self._inputs[name] = inputs = (*inputs, where)
            self._late_set_up.point_to(name, inputs)
            self.set_up_anew(now)
        channel.pace.point(inputs.index(where))

    def timer_changed(self, name: str, now: int) -> None:
        """A timer stands, goes on, or has another period: so do the converters that it starts."""
        if self._has_ended(now):
            return
        for channel in self.channels:
            owner = channel.config.name
            if timer_of(self.machine.peripherals.state, owner) != name:
                continue
            is_ahead = not self._is_acted_upon(channel)
            is_on = not self._halted.get(owner, False)
            if is_ahead and is_on:
                self._take_back(channel, now)
            channel.leave_steady(self._late_set_up.before(owner))
            channel.pace.follow(self._timers[name].courses(float(now)))
            if is_ahead and is_on:
                self._go_on(channel)

    def _judge_anew(self, channel: Channel, set_up: SetUp) -> None:
        """The converter's own windows are set up otherwise."""
        name = channel.config.name
        taps, watches = list(self.config.taps), list(self.config.watches)
        numbers = {place: number for number, place in self._watch_places.items()}
        detectors = {one.number: one for one in self._watchers}
        known = {number: tap for number, tap in channel.taps if tap.tap.by_hardware}
        judging: dict[int, Tap] = {}
        kept = set()
        for window in set_up.windows:
            tap = window.tap.unchecked(converter=channel.stream)
            place = next((one for one, other in enumerate(taps) if other == tap), len(taps))
            taps += [tap] if place == len(taps) else []
            slots = len(channel.config.slots)
            judging[place] = known.get(place) or Tap(tap, slots, slots)
            watch = window.watch.unchecked(tap=place)
            number = numbers.get((name, window.number), len(watches))
            if number == len(watches):
                watches.append(watch)
                self._watch_places[number] = name, window.number
            watches[number] = watch
            kept.add(number)
            detector = detectors.get(number)
            if detector is None:
                self._watchers.append(ThresholdDetector(watch, number))
            else:
                detector.set_up(watch)
        mine = {number for number, place in self._watch_places.items() if place[0] == name}
        self._watchers = [one for one in self._watchers if one.number not in mine - kept]
        self.config = self.config.unchecked(taps=tuple(taps), watches=tuple(watches))
        channel.judge_by(list(judging.items()))

    def waits(self, timer: str) -> bool:
        """What is written to its registers holds from the next period on."""
        return self.machine.peripherals.state.flag(timer, "preload", False)

    def counts_of(self, timer: str) -> tuple[int, float]:
        """Counts of a period, and ticks of each."""
        state = self.machine.peripherals.state
        count_ticks = state.number(timer, "prescaler", 1) * self._clock_divisor
        return state.number(timer, "period", 1), float(count_ticks)
