"""When triggers come: exactly, in seconds, as a pattern that repeats."""

from __future__ import annotations

from fractions import Fraction

import msgspec

from wattigram.core.model.bench import Driven
from wattigram.core.model.design.project import Chain
from wattigram.core.model.design.reaction import PeriodElapsed
from wattigram.core.model.design.scale import limits_v
from wattigram.core.model.design.stage import Comparator, Threshold
from wattigram.core.model.design.trigger import (
    ComparatorTrigger,
    EdgeTrigger,
    FreeRunningTrigger,
    SoftwareTrigger,
    ThresholdTrigger,
    TimerTrigger,
)
from wattigram.core.model.design.workspace import Workspace, cached
from wattigram.core.predict.clocks import TimerSetting, timer_setting
from wattigram.core.predict.pins import comparator_inputs, input_source
from wattigram.core.predict.timing.isr_cost import waits_in_vain

LONGEST_PATTERN = 4096
"""Triggers after which an irregular pattern is taken for what it was so far."""
Edges = tuple[Fraction, tuple[Fraction, ...]]


class TriggerTiming(msgspec.Struct, frozen=True):
    """What starts a chain.

    Attributes
    ----------
    pace : str
        "pattern": triggers come at ``offsets_s`` of every ``period_s``, whatever the converter
        does.
        "self": the next pass begins when this one is done. "once": there is one trigger. "asked": they
        come when something happens, and nobody knows when that is. "never": none comes.
    by_software : bool
        Software starts each pass, so that its time is part of the cycle.
    leader : str
        The converter that software starts, and this one with it; "" for none.
    shortest_s : Fraction or None
        From one trigger to the next, of most, where some come later than others.
    """

    pace: str
    period_s: Fraction = Fraction(0)
    offsets_s: tuple[Fraction, ...] = ()
    by_software: bool = False
    timer: TimerSetting | None = None
    leader: str = ""
    shortest_s: Fraction | None = None

    @property
    def spacing_s(self) -> Fraction:
        """Time in which a converter must be through not to miss the next of a steady pattern."""
        return self.period_s if self.shortest_s is None else self.shortest_s

    @property
    def rate_hz(self) -> Fraction:
        """Triggers per second where they come by themselves."""
        return len(self.offsets_s) / self.period_s if self.pace == "pattern" else Fraction(0)


NEVER = TriggerTiming("never")


@cached
def trigger_timing(workspace: Workspace, chain: Chain) -> TriggerTiming:
    """Triggers of a chain, its own or its leader's; endless chains need the first only."""
    trigger = workspace.project.own_trigger(chain)
    match trigger:
        case SoftwareTrigger():
            if trigger.asked:
                return _asked(workspace, chain)
            if chain.per_trigger == "continuous":
                return TriggerTiming("self")
            if trigger.period_s is not None:
                return TriggerTiming("pattern", trigger.period_s, (Fraction(0),))
            again = trigger.repeat and not waits_in_vain(chain)
            return TriggerTiming("self" if again else "once", by_software=again)
        case FreeRunningTrigger():
            return TriggerTiming("self")
        case TimerTrigger():
            setting = timer_setting(workspace, trigger)
            timing = TriggerTiming("pattern", setting.period_s, (Fraction(0),), timer=setting)
        case EdgeTrigger():
            timing = _pattern(
                _edges(workspace, trigger.pin, trigger.level_v, trigger.level_v, trigger.edge)
            )
        case ComparatorTrigger():
            comparator = workspace.project.comparator(trigger.comparator)
            timing = (
                _pattern(_comparator_edges(workspace, comparator, trigger.edge))
                if comparator
                else NEVER
            )
        case ThresholdTrigger():
            timing = _pattern(_window_entries(workspace, trigger))
    if timing.pace == "pattern" and chain.per_trigger == "continuous":
        return TriggerTiming("self", timer=timing.timer)
    return timing


def _asked(workspace: Workspace, chain: Chain) -> TriggerTiming:
    """Triggers of a chain that reactions start; the first of a period comes when one is over."""
    causes = [reaction.when for reaction in workspace.project.starters_of(chain)]
    if not causes:
        return NEVER
    match causes:
        case [PeriodElapsed(period_s=period_s)]:
            return TriggerTiming("pattern", period_s, (Fraction(0),))
        case _:
            return TriggerTiming("asked")


def _pattern(edges: Edges | None) -> TriggerTiming:
    return TriggerTiming("pattern", edges[0], edges[1]) if edges is not None and edges[1] else NEVER


def _edges(
    workspace: Workspace, pin: str, rising_v: float, falling_v: float, edge: str
) -> Edges | None:
    """Instants at which a pin rises through one level or falls through another."""
    return _crossed(input_source(workspace, pin), rising_v, falling_v, edge)


def _crossed(source: Driven, rising_v: float, falling_v: float, edge: str) -> Edges | None:
    """Instants at which a source rises through one level or falls through another."""
    up, down = source.crossings(rising_v), source.crossings(falling_v)
    if up is None or down is None:
        return None
    instants = [at_s for at_s, rises in up[1] if rises and edge != "falling"]
    instants += [at_s for at_s, rises in down[1] if not rises and edge != "rising"]
    return up[0], tuple(sorted(instants))


def _comparator_edges(workspace: Workspace, comparator: Comparator, edge: str) -> Edges | None:
    what = comparator_inputs(workspace, comparator)
    if what.rising_v >= what.falling_v:
        return _crossed(what.source, what.rising_v, what.falling_v, edge)
    # A threshold that sweeps past the input: the output rises when that falls.
    turned = {"rising": "falling", "falling": "rising"}.get(edge, edge)
    return _crossed(what.source, what.falling_v, what.rising_v, turned)


def _window_entries(workspace: Workspace, trigger: ThresholdTrigger) -> Edges | None:
    """Instants at which a window's condition begins to hold, without what judging it takes."""
    signal = workspace.project.signal(trigger.signal)
    window: Threshold = signal.thresholds[trigger.threshold - 1]
    low_v, high_v = limits_v(workspace, signal, window)
    source = input_source(workspace, signal.pin)
    instants: list[Fraction] = []
    period_s = None
    for level_v, wanted in {
        "outside": ((low_v, False), (high_v, True)),
        "inside": ((low_v, True), (high_v, False)),
        "above": ((high_v, True),),
        "below": ((low_v, False),),
    }[window.condition]:
        crossings = source.crossings(signal.at_pin(level_v))
        if crossings is not None:
            period_s = crossings[0]
            instants += [at_s for at_s, rises in crossings[1] if rises == wanted]
    return (period_s, tuple(sorted(instants))) if period_s is not None else None


def serve(
    trigger: TriggerTiming, units: list[Fraction]
) -> tuple[list[Fraction], Fraction, int, Fraction]:
    """Starts of each unit in a cycle, the cycle's length, its triggers, and missed triggers per
    second.

    A unit is what one trigger starts; a trigger that comes while a unit lasts is missed.
    """
    if trigger.pace != "pattern":
        starts = [sum(units[:index], Fraction(0)) for index in range(len(units))]
        return starts, sum(units, Fraction(0)), len(units), Fraction(0)
    if len(trigger.offsets_s) == 1:
        period_s = trigger.period_s
        taken = [max(1, -(-length_s // trigger.spacing_s)) for length_s in units]
        starts = [sum(taken[:index]) * period_s for index in range(len(units))]
        per_cycle = sum(taken)
        cycle_s = per_cycle * period_s
        return starts, cycle_s, per_cycle, (per_cycle - len(units)) / cycle_s
    return _serve_pattern(trigger, units)


def _serve_pattern(
    trigger: TriggerTiming, units: list[Fraction]
) -> tuple[list[Fraction], Fraction, int, Fraction]:
    """The same for triggers that come unevenly, followed until they repeat."""
    seen: dict[tuple[int, int], tuple[int, int, Fraction]] = {}
    free_s, served = Fraction(-1), 0
    first_s = trigger.offsets_s[0]
    count = len(trigger.offsets_s)
    begin = (0, 0, first_s)
    at_s, number = first_s, 0
    for number in range(LONGEST_PATTERN):
        at_s = number // count * trigger.period_s + trigger.offsets_s[number % count]
        if at_s < free_s:
            continue
        state = (number % count, served % len(units))
        if state in seen:
            begin = seen[state]
            break
        seen[state] = (number, served, at_s)
        free_s = at_s + units[served % len(units)]
        served += 1
    triggers, done, span_s = number - begin[0], served - begin[1], at_s - begin[2]
    cycle_s = span_s * len(units) / done
    starts = [index * cycle_s / len(units) for index in range(len(units))]
    per_cycle = max(1, round(Fraction(triggers * len(units), done)))
    return starts, cycle_s, per_cycle, (triggers - done) / span_s
