"""One cycle of a converter: where each slot begins, is held and ends."""

from __future__ import annotations

from fractions import Fraction
from functools import cached_property
from itertools import accumulate

import msgspec
from msgspec.structs import replace

from wattigram.core.model.design.project import Chain
from wattigram.core.model.design.reaction import PeriodElapsed
from wattigram.core.model.design.stage import BlockAverage, SumFilter, rate_divisor
from wattigram.core.model.design.trigger import (
    FreeRunningTrigger,
    SoftwareTrigger,
    TimerTrigger,
)
from wattigram.core.model.design.workspace import Workspace, cached
from wattigram.core.predict.clocks import TimerSetting
from wattigram.core.predict.timing.isr_cost import (
    SoftwareStep,
    gap_cycles,
    half_results,
    has_isr,
    looks_for_results,
    main_cycles,
    restart_step,
    service_cycles,
    starts_each,
)
from wattigram.core.predict.timing.losses import Frames, look_at
from wattigram.core.predict.timing.main_loop_work import kept_by, what_follows
from wattigram.core.predict.timing.passes import IsrTiming, Longer, ServedScan, served_scan
from wattigram.core.predict.timing.trigger import TriggerTiming, serve, trigger_timing

LEAST_LEFT = Fraction(1, 1000)
"""Of the processor's time, however much ISRs want."""


class SlotTiming(msgspec.Struct, frozen=True, dict=True):
    """One slot, in seconds after the cycle's first trigger.

    ``repeats`` conversions follow each other in it, each ``each_s`` long.
    """

    signal: str
    place: int
    start_s: Fraction
    sampling_s: Fraction
    conversion_s: Fraction
    rate_hz: Fraction
    """Items per second of the slot's signal that reach the program, all of its slots counted; 0 where
    it does not go on."""
    converted_hz: Fraction
    """The same of those that are converted."""
    repeats: int = 1

    @cached_property
    def each_s(self) -> Fraction:
        """One sampling and conversion."""
        return self.sampling_s + self.conversion_s

    @cached_property
    def held_s(self) -> Fraction:
        """The instant whose voltage becomes the code; the last one of several."""
        return self.start_s + (self.repeats - 1) * self.each_s + self.sampling_s

    @cached_property
    def end_s(self) -> Fraction:
        """The instant at which the code is ready."""
        return self.held_s + self.conversion_s

    @cached_property
    def drawn_s(self) -> tuple[float, float, float]:
        """Start, end, and the length of one sampling, as floats to be drawn."""
        return float(self.start_s), float(self.end_s), float(self.sampling_s)


class ScanTiming(msgspec.Struct, frozen=True, dict=True):
    """One pass through the slots.

    Attributes
    ----------
    cycle_s : Fraction
        From cycle to cycle, missed triggers and software in the path included; the mean where it
        varies.
    jitter_s : Fraction
        By how much a cycle's instants vary, peak to peak.
    busy_s : Fraction
        From the first trigger until the next one can be served.
    missed_hz : Fraction
        Triggers per second that find the converter busy.
    items_limit : int or None
        Items after which no more come: it stands still, or a single run has filled its buffer. None
        where it goes on.
    stamped : bool
        Instants cannot be told from a number alone, so the board's program tells them with the
        items.
    """

    converter: str
    clock_hz: Fraction
    trigger: TriggerTiming
    slots: tuple[SlotTiming, ...]
    cycle_s: Fraction
    jitter_s: Fraction
    busy_s: Fraction
    missed_hz: Fraction
    triggers_per_cycle: int
    items_limit: int | None
    stamped: bool
    is_even: bool = True
    """Instants follow from numbers: scans follow each other evenly, and nothing stops them."""
    read_period_s: Fraction | None = None
    """How often the program reads the newest results, where no interrupt tells of them."""
    is_single_run: bool = False
    """It ends when its buffer is full, as meant; the others with a limit end by mistake."""
    served: ServedScan | None = None
    """What becomes of each pass, in clocks of the processor, where its handler starts the next
    one."""
    longer: tuple[Longer, ...] = ()
    """Passes that are longer than most, because a half of a buffer is full, in the same clocks."""

    @property
    def timer(self) -> TimerSetting | None:
        """Setting of the timer that triggers it, where one does."""
        return self.trigger.timer

    @cached_property
    def period_s(self) -> Fraction:
        """Time between triggers, the mean where it varies; the cycle itself where it paces
        itself."""
        rate_hz = self.trigger.rate_hz
        return 1 / rate_hz if rate_hz else self.cycle_s

    @cached_property
    def longest_slot_s(self) -> float:
        """Length of the longest slot, to be drawn."""
        return max(slot.drawn_s[1] - slot.drawn_s[0] for slot in self.slots)

    @cached_property
    def slack_s(self) -> Fraction:
        """What is left of the period; negative when the next trigger comes too early."""
        shortest_s = self.trigger.shortest_s
        return (self.period_s if shortest_s is None else shortest_s) - self.busy_s

    def busy_with_s(self, clock_hz: Fraction) -> Fraction:
        """Scan time with another clock of the converter: all of it is counted in that clock."""
        return self.busy_s * self.clock_hz / clock_hz

    @cached_property
    def cycle_rate_hz(self) -> Fraction:
        """Cycles per second while it runs."""
        return 1 / self.cycle_s

    @cached_property
    def handed_s(self) -> Fraction:
        """From one scan that reaches the program to the next."""
        return self.cycle_s if self.read_period_s is None else self.read_period_s

    @cached_property
    def handed_rate_hz(self) -> Fraction:
        """Scans per second that reach the program, those that are lost counted."""
        return 1 / self.handed_s


@cached
def scan_timing(workspace: Workspace, chain: Chain) -> ScanTiming:
    """Exact timing of a chain's cycle."""
    converter = workspace.converter(chain)
    clock_hz = (
        converter.source_clock_hz(workspace.bus_clock_hz, chain.clock == "internal") / chain.divider
    )
    conversion_s = converter.conversion_cycles(chain.bits) / clock_hz
    trigger = what_starts(workspace, chain)
    samplings = [slot.sampling / clock_hz for slot in chain.slots]
    repeats = slot_repeats(workspace, chain)
    by_hand = starts_each(workspace, chain)
    lengths = [
        count * (sampling_s + conversion_s)
        for count, sampling_s in zip(repeats, samplings, strict=True)
    ]
    jitter_s = Fraction(0)
    served = None
    longer: tuple[Longer, ...] = ()
    if by_hand:
        step = restart_step(workspace, chain)
        jitter_s = Fraction(0) if step.round_s else step.jitter_s * len(lengths)
        if trigger.by_software:
            # Halves that were full after a scan are worked on while the first slot of the next is converted.
            first = [lengths[slot_order(workspace, chain)[0]]]
            longer = _served(workspace, chain, first).longer
        lengths = [length_s + started_after_s(step, length_s) for length_s in lengths]
        lengths[-1] += sum(one.more / one.passes for one in longer) / workspace.bus_clock_hz
        jitter_s += sum(max(one.more, Fraction(0)) for one in longer) / workspace.bus_clock_hz
    elif trigger.by_software:
        # The program fetches the results and starts the next pass.
        served = _served(workspace, chain, lengths)
        longer = served.longer
        jitter_s = (served.most - served.least) / workspace.bus_clock_hz
        lengths[-1] += served.mean / workspace.bus_clock_hz - sum(lengths, Fraction(0))
    if trigger.leader:
        jitter_s += _leader_timing(workspace, trigger.leader).jitter_s
    singly = chain.per_trigger == "conversion" and trigger.pace != "self"
    units = lengths if singly else [sum(lengths, Fraction(0))]
    starts, cycle_s, per_cycle, missed_hz = serve(trigger, units)
    slots: list[SlotTiming] = []
    runs = trigger.pace in {"pattern", "self"}
    handed_s = cycle_s if chain.read_period_s is None else chain.read_period_s
    at_s = Fraction(0)
    for place, slot in enumerate(chain.slots):
        places = len(chain.places_of(slot.signal)) if runs else 0
        start_s = starts[place] if singly else at_s
        at_s += lengths[place]
        slots.append(
            SlotTiming(
                slot.signal,
                place,
                start_s,
                samplings[place],
                conversion_s,
                places / handed_s,
                places / cycle_s,
                repeats[place],
            )
        )
    limit = {"once": 1 if singly else len(slots), "never": 0}.get(trigger.pace)
    is_single_run = (
        limit is None and chain.readout.ends_as_meant and not workspace.project.is_rearmed(chain)
    )
    if is_single_run:
        limit = chain.buffer.samples
    is_uneven = _is_uneven(
        workspace, chain, trigger, by_hand or trigger.by_software or bool(trigger.leader)
    )
    return ScanTiming(
        chain.converter,
        clock_hz,
        trigger,
        tuple(slots),
        cycle_s,
        jitter_s,
        units[0],
        missed_hz,
        per_cycle,
        limit,
        is_uneven or chain.read_period_s is not None,
        not is_uneven,
        chain.read_period_s,
        is_single_run,
        served,
        longer,
    )


def what_starts(workspace: Workspace, chain: Chain) -> TriggerTiming:
    """Triggers of a chain. One that follows a converter which software starts is started whenever that is."""
    leader = workspace.project.chain(what_follows(chain))
    if leader is None or not isinstance(leader.trigger, SoftwareTrigger):
        return trigger_timing(workspace, chain)
    if chain.per_trigger == "continuous":
        return TriggerTiming("self")
    cycle = scan_timing(workspace, leader)
    if leader.per_trigger == "continuous":
        return TriggerTiming("once")
    each = starts_each(workspace, leader)
    if cycle.trigger.pace != "self" and not (each and cycle.trigger.pace == "pattern"):
        return replace(cycle.trigger, by_software=False, leader=leader.converter)
    if each:
        starts = tuple(slot.start_s for slot in cycle.slots)
        return TriggerTiming("pattern", cycle.cycle_s, starts, leader=leader.converter)
    later_s = sum(one.more / one.passes for one in cycle.longer) / workspace.bus_clock_hz
    return TriggerTiming(
        "pattern",
        cycle.cycle_s,
        (Fraction(0),),
        leader=leader.converter,
        shortest_s=cycle.cycle_s - later_s,
    )


def _leader_timing(workspace: Workspace, converter: str) -> ScanTiming:
    leader = workspace.project.chain(converter)
    assert leader is not None
    return scan_timing(workspace, leader)


def started_after_s(step: SoftwareStep, length_s: Fraction) -> Fraction:
    """From the end of a conversion of this length, which the program started, until it starts the next; the
    mean."""
    if not step.round_s:
        return step.notice_s + step.handle_s + step.restart_s
    found_s = look_at(step.leave_s, length_s, step.round_s)
    return found_s + step.handle_s + step.restart_s - length_s


def _served(workspace: Workspace, chain: Chain, lengths: list[Fraction]) -> ServedScan:
    """Passes of these slots, in seconds, that the chain's program fetches and starts."""
    clock_hz, step = workspace.bus_clock_hz, restart_step(workspace, chain)
    order = slot_order(workspace, chain) if len(lengths) > 1 else [0]
    ends = list(accumulate(lengths[place] * clock_hz for place in order))
    by_result = chain.readout.kind in {"polling", "interrupt"}
    unit = min(chain.results_per_isr if by_result else len(ends), len(ends))
    if step.round_s:
        entry, jitter = Fraction(0), 0
    else:
        entry, jitter = (step.notice_s - step.jitter_s / 2) * clock_hz, step.jitter
    # An interrupt has the processor for itself; a main loop has what ISRs of others leave.
    free = left_by_others(workspace, chain) if looks_for_results(chain) else Fraction(1)
    handler = IsrTiming(
        entry,
        jitter,
        step.handle_s * clock_hz / free,
        step.restart_s * clock_hz / free,
        step.leave_s * clock_hz / free,
        step.round_s * clock_hz / free,
    )
    halves = kept_by(workspace, chain)
    return served_scan(
        ends[unit - 1 :: unit],
        handler,
        [replace(one, isr=one.isr / free, later=one.later / free) for one in halves],
        Frames(
            float(half_results(chain) / unit),
            float(main_cycles(chain) / free),
            float(gap_cycles(chain) / free),
        ),
    )


def left_by_others(workspace: Workspace, chain: Chain) -> Fraction:
    """Share of the processor's time that is left to the main loop by ISRs of other converters that hardware
    starts, by what it does itself with halves that these tell of, and by reactions that come every so
    often."""
    taken = sum(
        (
            (one.cycles or 0) / (workspace.bus_clock_hz * one.when.period_s)
            for one in workspace.project.reactions
            if isinstance(one.when, PeriodElapsed)
        ),
        Fraction(0),
    )
    for other in workspace.project.chains:
        own = workspace.project.own_trigger(other)
        by_software = isinstance(own, SoftwareTrigger) and other.per_trigger != "continuous"
        if other.converter == chain.converter or by_software:
            continue
        cycle = scan_timing(workspace, other)
        if has_isr(other) and cycle.items_limit is None:
            by_result = other.readout.kind == "interrupt"
            unit = Fraction(other.results_per_isr) if by_result else half_results(other)
            calls_hz = len(other.slots) * cycle.handed_rate_hz / unit
            taken += calls_hz * service_cycles(workspace, other) / workspace.bus_clock_hz
    return max(1 - taken, LEAST_LEFT)


def slot_repeats(workspace: Workspace, chain: Chain) -> list[int]:
    """Conversions in each slot."""
    by_name = {}
    for signal in workspace.project.signals:
        stage = signal.filter
        by_name[signal.name] = (
            stage.count
            if isinstance(stage, (SumFilter, BlockAverage)) and stage.done_in == "hardware"
            else 1
        )
    return [by_name[slot.signal] for slot in chain.slots]


def slot_order(workspace: Workspace, chain: Chain) -> list[int]:
    """Places in the order in which the converter really takes them: by channel where it knows no
    other."""
    places = list(range(len(chain.slots)))
    converter = workspace.converter(chain)
    if converter.sequence != "ascending":
        return places

    def channel(place: int) -> int:
        signal = workspace.project.signal(chain.slots[place].signal)
        number = converter.channel(signal.pin, signal.negative)
        return 256 if number is None else number

    return sorted(places, key=channel)


def signal_rate_hz(
    workspace: Workspace, chain: Chain, signal: str, *, filtered: bool = False
) -> Fraction:
    """Samples of a signal per second, of all its slots together; of its values after the stage in
    memory where ``filtered``."""
    rate_hz = scan_timing(workspace, chain).handed_rate_hz * len(chain.places_of(signal))
    return rate_hz / (
        rate_divisor(workspace.project.signal(signal).later_filter) if filtered else 1
    )


def _is_uneven(
    workspace: Workspace, chain: Chain, trigger: TriggerTiming, by_software: bool
) -> bool:
    own = workspace.project.own_trigger(chain)
    steady = isinstance(own, (TimerTrigger, FreeRunningTrigger)) or trigger.pace in {
        "once",
        "self",
    }
    stops = workspace.project.is_stopped_by_events(chain) or workspace.project.is_pointed(chain)
    return (
        not steady
        or by_software
        or chain.clock == "internal"
        or stops
        or chain.readout.kind in {"polling", "interrupt"}
    )
