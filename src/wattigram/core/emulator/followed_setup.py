"""A run that follows what own code sets up otherwise: converters, what starts them, and where results go."""

from __future__ import annotations

from abc import abstractmethod

from wattigram.core.base.errors import BoardError
from wattigram.core.board import Run
from wattigram.core.board.channel import Channel
from wattigram.core.board.event_detection import ComparatorDetector, ThresholdDetector
from wattigram.core.board.live_timer import LiveTimer
from wattigram.core.board.processing import Tap
from wattigram.core.contract.board_config import EffectiveConverter, EffectivePace
from wattigram.core.emulator.configure import Silicon
from wattigram.core.emulator.hand_overs import HandOvers, Worked
from wattigram.core.emulator.late_setup import Change, Decode, LateSetUp, SetUp, timer_of
from wattigram.core.emulator.machine import Machine
from wattigram.core.emulator.pointing import Pointing
from wattigram.core.emulator.result_delivery import ResultDelivery
from wattigram.core.silicon.registers import NO_WINDOW
from wattigram.core.silicon.registers.equivalents import waits_for_period


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
        self._halted = {one.name: not state.is_on(one.name) for one in silicon.config.converters}
        self._end_ticks = end_ticks
        self._by_name = {channel.config.name: channel for channel in self.channels}
        self._late_set_up = LateSetUp(decode, state)
        self._compared: dict[str, Worked] = {}
        """What each comparator saw since it was set up so."""
        self._timers = {
            name: LiveTimer(*self.counts_of(name), runs=state.flag(name, "run", True))
            for timer in machine.setup.part.timers
            for name in timer.names
            if state.has(name, "period")
        }
        self._inputs = dict(silicon.inputs)
        """Of converters that the program points, slot by slot."""
        self._is_unsettled = any(self._halted.values())
        """Settings were changed, and not all converters that they may concern are on."""
        self._hand_overs = [self._hand_over_of(channel) for channel in self.channels]

    def _hand_over_of(self, channel: Channel) -> HandOvers:
        machine, name = self.machine, channel.config.name
        delivery = ResultDelivery(
            machine, machine.peripherals.state, name, len(channel.config.slots)
        )
        return HandOvers(channel, delivery, self.epoch)

    @abstractmethod
    def _take_back(self, channel: Channel, until: int, was: EffectiveConverter) -> None:
        """What a channel worked out ahead of an instant did not happen; ``was`` is how it has been set up
        until then."""

    @abstractmethod
    def _tell_ahead(self, detector: ComparatorDetector) -> None:
        """A comparator looks anew, up to where it had looked."""

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
        if self._has_ended(now):
            return
        try:
            if self.machine.setup.part.comparators:
                self._compare_anew(self._late_set_up.silicon(state), now)
            if not any(map(state.is_on, self._by_name)):
                return
            changes = list(self._late_set_up.changes(state))
        except BoardError as fault:
            self.machine.fault = fault.message.rstrip(".")
            return
        self._is_unsettled = any(self._halted.values())
        for change in changes:
            channel = self._by_name.get(change.now.converter.name)
            if channel is not None:
                self._change(channel, change, now)

    def _compare_anew(self, silicon: Silicon, now: int) -> None:
        """Comparators that are on, off or otherwise than before; what they saw ahead they did not see."""
        wanted = {one.name: one for one in silicon.config.comparators}
        known = {one.comparator.name: one for one in self._comparators}
        for name in dict.fromkeys([*known, *wanted]):
            comparator, detector = wanted.get(name), known.get(name)
            number = self._number_of(name, NO_WINDOW)
            if comparator is not None:
                comparator = comparator.unchecked(watch=number)
            if detector is not None:
                if detector.comparator == comparator:
                    continue
                self._compared.setdefault(name, Worked()).until = now
                detector.take_back(now)
                for channel in self.channels:
                    if channel.config.pace.kind == "events" and channel.config.pace.watch == number:
                        channel.pace.forget_after(float(now))
            self._compared[name] = Worked()
            if comparator is None:
                self._comparators.remove(known[name])
                continue
            self._know_pins(silicon)
            if detector is None:
                detector = ComparatorDetector(
                    comparator,
                    number,
                    self.bench,
                    self._pin_outputs,
                    self.config.tick_hz,
                    self.config.seed,
                )
                detector.begin(now)
                self._comparators.append(detector)
            detector.set_up(comparator)
            self._tell_ahead(detector)
        ordered = tuple(one.comparator for one in self._comparators)
        if ordered != self.config.comparators:
            self.config = self.config.unchecked(comparators=ordered)
            self._put_in_order(self.bench)

    def _numbered(self, pace: EffectivePace, silicon: Silicon) -> EffectivePace:
        """What starts a converter, with the number that its watch has here."""
        place = silicon.watches.get(pace.watch) if pace.kind == "events" else None
        return pace if place is None else pace.unchecked(watch=self._number_of(*place))

    def _number_of(self, owner: str, index: int) -> int:
        """Of the watch of one of a converter's windows, or of a comparator, also where it is new."""
        place = owner, index
        numbers = {place: number for number, place in self._watch_places.items()}
        if place not in numbers:
            numbers[place] = len(self.config.watches)
            self._watch_places[numbers[place]] = place
            self.config = self.config.unchecked(watches=(*self.config.watches, None))
        return numbers[place]

    def _has_ended(self, now: int) -> bool:
        """What is set up then belongs to no run: firmware turns off what it needs no longer."""
        return self._end_ticks is not None and now >= self._end_ticks

    def first_on(self, name: str, now: int) -> None:
        """A converter is switched on that nobody had set up when the board began to run."""
        if self._has_ended(now):
            return
        try:
            found = self._late_set_up.set_up_of(name, self.machine.peripherals.state)
        except BoardError as fault:
            self.machine.fault = fault.message.rstrip(".")
            return
        if found is None:
            return
        silicon, set_up = found
        self._know_pins(silicon)
        pace = self._numbered(set_up.converter.pace, silicon)
        converter = set_up.converter.unchecked(pace=pace)
        self.config = self.config.unchecked(converters=(*self.config.converters, converter))
        channel = self._by_name[name] = self._add_channel(self.config)
        channel.set_bench(self.bench)
        self._inputs |= {one: silicon.inputs[one] for one in silicon.inputs if one == name}
        self._hand_overs.append(self._hand_over_of(channel))
        self._halted[name] = True
        channel.pace.pause(0.0, None)
        channel.pace.start_by(converter.pace, float(now))
        timer = self.timer(set_up.timer, now)
        if timer is not None:
            channel.pace.follow(timer.courses(float(now)))
        self._judge_anew(channel, set_up)
        self._put_in_order(self.bench)

    def timer(self, name: str, now: int) -> LiveTimer | None:
        """A timer's counter, also of one that is used for the first time; None where it has no period."""
        state = self.machine.peripherals.state
        if name not in self._timers and state.has(name, "period"):
            stood = self._timers[name] = LiveTimer(*self.counts_of(name), runs=False)
            stood.run(float(now), on=state.flag(name, "run", True))
        return self._timers.get(name)

    def _know_pins(self, silicon: Silicon) -> None:
        """What stands on pins that nobody looked at before."""
        pins = {**silicon.config.bench.pins, **self.bench.pins}
        if len(pins) > len(self.bench.pins):
            self.set_bench(self.bench.unchecked(pins=pins))

    def _change(self, channel: Channel, change: Change, now: int) -> None:
        before, after = change.before, change.now
        is_ahead = not self._is_acted_upon(channel) and not self._halted.get(
            channel.config.name, False
        )
        if is_ahead:
            self._take_back(channel, now, before.converter)
        self._know_pins(change.silicon)
        pace = self._numbered(after.converter.pace, change.silicon)
        is_carried_anew = (before.carriers, before.run) != (after.carriers, after.run)
        laps = channel.config.loop.laps
        loop = after.converter.loop.unchecked(laps=laps)
        channel.set_up(
            after.converter.unchecked(loop=loop, pace=pace),
            before.converter,
            is_carried_anew=is_carried_anew,
        )
        self._hand_overs[channel.stream].set_up(
            len(after.converter.slots), is_carried_anew=is_carried_anew
        )
        is_started_otherwise = before.converter.pace.kind != after.converter.pace.kind
        if is_started_otherwise or before.timer != after.timer:
            channel.pace.start_by(pace, float(now))
            timer = self.timer(after.timer, now)
            if timer is not None:
                channel.pace.follow(timer.courses(float(now)))
        self._show_inputs(channel.config, before.converter, now)
        if before.windows != after.windows or before.converter.slots != after.converter.slots:
            self._judge_anew(channel, after)
        if is_ahead:
            self._go_on(channel)

    def _show_inputs(
        self, converter: EffectiveConverter, before: EffectiveConverter, now: int
    ) -> None:
        """Slots that a reaction points are pointed to other inputs, by whomever."""
        known = self.machine.setup.part.converter(converter.name)
        for number, output in enumerate(self.config.outputs):
            if output.kind != "input" or output.name != converter.name or known is None:
                continue
            place = output.places[0]
            if place < min(len(converter.slots), len(before.slots)):
                channel = known.channel(converter.slots[place].pin, converter.slots[place].negative)
                if channel is not None:
                    self.outputs.point(number, float(now), channel)

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
                self._take_back(channel, now, self._late_set_up.before(owner))
            channel.leave_steady(self._late_set_up.before(owner))
            channel.pace.follow(self._timers[name].courses(float(now)))
            if is_ahead and is_on:
                self._go_on(channel)

    def _judge_anew(self, channel: Channel, set_up: SetUp) -> None:
        """The converter's own windows are set up otherwise."""
        name = channel.config.name
        taps = list(self.config.taps)
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
            number = self._number_of(name, window.number)
            watches = list(self.config.watches)
            watches[number] = watch
            self.config = self.config.unchecked(watches=tuple(watches))
            kept.add(number)
            detector = detectors.get(number)
            if detector is None:
                self._watchers.append(ThresholdDetector(watch, number))
            else:
                detector.set_up(watch)
        mine = {number for number, place in self._watch_places.items() if place[0] == name}
        self._watchers = [one for one in self._watchers if one.number not in mine - kept]
        self.config = self.config.unchecked(taps=tuple(taps))
        channel.judge_by(list(judging.items()))

    def waits(self, timer: str) -> bool:
        """What is written to its registers holds from the next period on."""
        return waits_for_period(self.machine.peripherals.state, timer)

    def counts_of(self, timer: str) -> tuple[int, float]:
        """Counts of a period, and ticks of each."""
        state = self.machine.peripherals.state
        count_ticks = state.count_clocks(timer) * self._clock_divisor
        return state.number(timer, "period", 1), float(count_ticks)
