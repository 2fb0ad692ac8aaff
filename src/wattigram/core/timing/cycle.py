"""One cycle of a converter: where each slot begins, is held and ends."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property

from wattigram.core.design.model import Chain
from wattigram.core.design.workspace import Workspace, worked_out_once
from wattigram.core.timing.timer import TimerSetting, chain_timer


@dataclass(frozen=True)
class SlotTiming:
    """One slot, in seconds after the trigger; ``held_s`` is where sampling ends."""

    signal: str
    place: int
    start_s: Fraction
    sampling_s: Fraction
    conversion_s: Fraction
    rate_hz: Fraction
    """Samples per second of the slot's signal, all of its slots counted."""

    @cached_property
    def held_s(self) -> Fraction:
        """The instant whose voltage becomes the code."""
        return self.start_s + self.sampling_s

    @cached_property
    def end_s(self) -> Fraction:
        """The instant at which the code is ready."""
        return self.held_s + self.conversion_s


@dataclass(frozen=True)
class CycleTiming:
    """One pass through the slots."""

    converter: str
    clock_hz: Fraction
    timer: TimerSetting
    slots: tuple[SlotTiming, ...]

    @cached_property
    def period_s(self) -> Fraction:
        """Exact time from trigger to trigger."""
        return self.timer.period_s

    @cached_property
    def busy_s(self) -> Fraction:
        """From the trigger to the last code."""
        return self.slots[-1].end_s

    @cached_property
    def slack_s(self) -> Fraction:
        """What is left of the period; negative when the next trigger comes too early."""
        return self.period_s - self.busy_s

    @cached_property
    def triggers_per_cycle(self) -> int:
        """Triggers from one cycle to the next: those that come while it is busy are missed."""
        return max(1, -(-self.busy_s // self.period_s))

    @cached_property
    def cycle_rate_hz(self) -> Fraction:
        """Cycles per second, missed triggers taken into account."""
        return 1 / (self.period_s * self.triggers_per_cycle)


@worked_out_once
def cycle_timing(workspace: Workspace, chain: Chain) -> CycleTiming:
    """Exact timing of a chain's cycle."""
    converter = workspace.converter(chain)
    clock_hz = workspace.bus_clock_hz / chain.divider
    conversion_s = converter.conversion_cycles(chain.bits) / clock_hz
    timer = chain_timer(workspace, chain)
    busy_s = sum((slot.sampling_cycles / clock_hz + conversion_s for slot in chain.slots), Fraction(0))
    per_cycle_s = timer.period_s * max(1, -(-busy_s // timer.period_s))
    slots: list[SlotTiming] = []
    start_s = Fraction(0)
    for place, slot in enumerate(chain.slots):
        rate_hz = len(chain.places_of(slot.signal)) / per_cycle_s
        timing = SlotTiming(slot.signal, place, start_s, slot.sampling_cycles / clock_hz, conversion_s, rate_hz)
        slots.append(timing)
        start_s = timing.end_s
    return CycleTiming(chain.converter, clock_hz, timer, tuple(slots))
