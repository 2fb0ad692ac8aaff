"""Timer solver: prescaler and period counts for a wanted period."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from functools import lru_cache

import msgspec
import numpy as np
from msgspec.structs import replace

from wattigram.core.model.design.outputs import Playback
from wattigram.core.model.design.trigger import TimerTrigger
from wattigram.core.model.design.workspace import Workspace


class TimerSetting(msgspec.Struct, frozen=True):
    """What a timer is set to. Registers hold each count minus one."""

    timer_hz: Fraction
    prescaler: int
    period_counts: int
    wanted_s: Fraction

    @property
    def ticks(self) -> int:
        """Timer clocks from one trigger to the next."""
        return self.prescaler * self.period_counts

    @property
    def period_s(self) -> Fraction:
        """Exact period that the timer really has, in seconds."""
        return self.ticks / self.timer_hz

    @property
    def rate_error(self) -> Fraction:
        """Share by which the rate is too high; 0 where it is exact."""
        return self.wanted_s / self.period_s - 1


@lru_cache(maxsize=256)
def solve_timer(
    timer_hz: Fraction,
    wanted_s: Fraction,
    prescaler_choices: int | tuple[int, ...],
    counter_bits: int,
) -> TimerSetting:
    """Over all legal pairs the smallest error of the rate, then the smallest prescaler.

    The search ranks candidates in float64 and decides among the best ones exactly.
    Prescalers are those listed, or all up to a number. A period beyond the longest possible gives the
    longest; one below a tick gives one tick.
    """
    wanted_ticks = timer_hz * wanted_s
    longest = 1 << counter_bits
    prescalers = (
        np.arange(1, prescaler_choices + 1, dtype=np.int64)
        if isinstance(prescaler_choices, int)
        else np.array(prescaler_choices, dtype=np.int64)
    )
    counts = np.floor(float(wanted_ticks) / prescalers).astype(np.float64)
    best: tuple[Fraction, int, int] | None = None
    ranked: list[tuple[int, int]] = []
    for extra in (0, 1):
        candidates = np.clip(counts + extra, 1, longest).astype(np.int64)
        errors = np.abs(float(wanted_ticks) / (candidates * prescalers.astype(np.float64)) - 1)
        nearest = np.flatnonzero(errors <= errors.min() + 1e-13)
        ranked += [(int(prescalers[index]), int(candidates[index])) for index in nearest]
    for prescaler, count in ranked:
        error = abs(wanted_ticks / (prescaler * count) - 1)
        if best is None or (error, prescaler) < best[:2]:
            best = (error, prescaler, count)
    assert best is not None
    return TimerSetting(timer_hz, best[1], best[2], wanted_s)


def set_timer(
    workspace: Workspace,
    name: str,
    every_s: Fraction,
    prescaler_register: int | None = None,
    period_register: int | None = None,
    alone: bool = False,
) -> TimerSetting:
    """What a timer of the part is really set to. Timers run from the bus clock, or a share of it.

    Registers as written, else solved. Of several who set one timer up the last one has it, unless
    it is asked
    what this one would give ``alone``.
    """
    own = _own_setting(workspace, name, every_s, prescaler_register, period_register)
    if alone:
        return own
    ruling = _timers_in_force(workspace).get(name)
    return own if ruling is None else replace(ruling, wanted_s=every_s)


def _own_setting(
    workspace: Workspace,
    name: str,
    every_s: Fraction,
    prescaler_register: int | None,
    period_register: int | None,
) -> TimerSetting:
    timer = workspace.part.timer(name)
    assert timer is not None
    solved = solve_timer(
        workspace.bus_clock_hz / timer.clock_divider,
        every_s,
        timer.prescaler_choices,
        timer.counter_bits,
    )
    if prescaler_register is None and period_register is None:
        return solved
    return TimerSetting(
        solved.timer_hz,
        solved.prescaler if prescaler_register is None else prescaler_register + 1,
        solved.period_counts if period_register is None else period_register + 1,
        every_s,
    )


def _timers_in_force(workspace: Workspace) -> dict[str, TimerSetting]:
    """Timers that are set up more than once, as the last one leaves them."""
    return workspace.known.answer(_timers_in_force, lambda: _last_settings(workspace))


def _last_settings(workspace: Workspace) -> dict[str, TimerSetting]:
    users: dict[str, list[TimerSetting]] = {}
    for name, every_s, prescaler, period in _users(workspace):
        users.setdefault(name, []).append(_own_setting(workspace, name, every_s, prescaler, period))
    return {name: settings[-1] for name, settings in users.items() if len(settings) > 1}


def _users(workspace: Workspace) -> Iterator[tuple[str, Fraction, int | None, int | None]]:
    """Whoever sets a timer up, in the order in which the program does it."""
    project = workspace.project
    triggers: list[object] = [chain.trigger for chain in project.chains]
    triggers += [
        generator.output.update_trigger
        for generator in project.generators
        if isinstance(generator.output, Playback)
    ]
    for trigger in triggers:
        if isinstance(trigger, TimerTrigger):
            yield (
                trigger.timer,
                trigger.period_s,
                trigger.prescaler_register,
                trigger.period_register,
            )
    for pwm in project.pwm:
        yield pwm.timer, pwm.period_s, pwm.prescaler_register, pwm.period_register
    for route in project.routes:
        if route.timer is not None:
            yield route.timer.timer, route.timer.period_s, None, None


def timer_setting(workspace: Workspace, trigger: TimerTrigger, alone: bool = False) -> TimerSetting:
    """The timer of a trigger."""
    registers = trigger.prescaler_register, trigger.period_register
    return set_timer(workspace, trigger.timer, trigger.period_s, *registers, alone=alone)
