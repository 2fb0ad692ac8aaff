"""How periods, rates and what is left of them came about."""

from __future__ import annotations

from fractions import Fraction

from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Found,
    Given,
    Place,
    looked_for,
    rounded,
    short,
)
from wattigram.core.advise.explanations.timing import (
    bus_clock,
    scan_time,
    software_terms,
    timer_clock,
)
from wattigram.core.model.design import Chain, SoftwareTrigger, TimerTrigger, Workspace
from wattigram.core.predict.timing import restart_step, scan_timing, starts_each


def trigger_period(workspace: Workspace, chain: Chain) -> Explanation | None:
    """What the timer makes of the period that is wanted; None without one."""
    own = workspace.project.own_trigger(chain)
    setting = scan_timing(workspace, chain).timer
    if not isinstance(own, TimerTrigger) or setting is None:
        return None
    there = Place(chain.converter, facet="start")
    return Explanation(
        "period",
        "prescaler * counts / clock",
        (
            Given("prescaler", "prescaler", setting.prescaler, "", f"{own.timer}", there),
            Given("counts", "counts", setting.period_counts, "", f"{own.timer}", there),
            timer_clock(workspace, own.timer),
        ),
        "s",
        rounded(6),
    )


def trigger_rate(workspace: Workspace, chain: Chain) -> Explanation | None:
    """Triggers in a second, where they come by themselves."""
    trigger = scan_timing(workspace, chain).trigger
    if trigger.pace != "pattern":
        return None
    return Explanation("triggers", "1 / period", (_period_term(workspace, chain),), "Hz", short(6))


def _period_term(workspace: Workspace, chain: Chain) -> Given | Derived | Found:
    """From one trigger to the next: of a timer, as it is stated, or as it is wired."""
    period, cycle = trigger_period(workspace, chain), scan_timing(workspace, chain)
    if period is not None:
        return Derived("period", "period", period)
    there = Place(chain.converter, facet="start")
    own = workspace.project.own_trigger(chain)
    if isinstance(own, SoftwareTrigger) and own.period_s is not None:
        return Given(
            "period",
            "period",
            cycle.period_s,
            "s",
            f"{chain.converter}: started by software",
            there,
        )
    leader = _leader(workspace, cycle.trigger.leader)
    if leader is not None:
        how = f"it is started whenever {leader.converter} is, by the program"
        if starts_each(workspace, leader):
            how += ", slot after slot; the mean"
        its_rate = Derived("rate", f"scan rate of {leader.converter}", scan_rate(workspace, leader))
        return Found("period", "period", cycle.period_s, "s", how, (its_rate,))
    how = "from one of what starts it to the next, on the mean, as the bench is wired"
    return Found("period", "period", cycle.period_s, "s", how)


def _leader(workspace: Workspace, converter: str) -> Chain | None:
    """The chain that software starts, and another with it; None for none."""
    return workspace.project.chain(converter) if converter else None


def timer_counts(workspace: Workspace, chain: Chain) -> tuple[Explanation, ...]:
    """Prescaler and counts of the timer that starts a chain."""
    own = workspace.project.own_trigger(chain)
    setting = scan_timing(workspace, chain).timer
    if not isinstance(own, TimerTrigger) or setting is None:
        return ()
    there = Place(chain.converter, facet="start")
    wanted = Given(
        "wanted", "period wanted", own.period_s, "s", f"{chain.converter}: trigger", there
    )
    how = "of all pairs that the timer allows the smallest error of the rate, then the smallest prescaler"
    return tuple(
        looked_for(title, value, "", how, (wanted, timer_clock(workspace, own.timer)), short(8))
        for title, value in (("prescaler", setting.prescaler), ("counts", setting.period_counts))
    )


def timer_registers(workspace: Workspace, chain: Chain) -> tuple[Explanation, ...]:
    """What the registers of that timer hold: each count less one."""
    return tuple(
        Explanation(
            f"register of {why.title}",
            "count - 1",
            (Derived("count", why.title, why),),
            "",
            short(8),
        )
        for why in timer_counts(workspace, chain)
    )


def trigger_rate_error(workspace: Workspace, chain: Chain) -> Explanation | None:
    """By which share a timer's rate is off what is wanted."""
    own, period = workspace.project.own_trigger(chain), trigger_period(workspace, chain)
    if not isinstance(own, TimerTrigger) or period is None:
        return None
    there = Place(chain.converter, facet="start")
    wanted = Given(
        "wanted", "period wanted", own.period_s, "s", f"{chain.converter}: trigger", there
    )
    return Explanation(
        "rate error",
        "(wanted / period - 1) * 1000000",
        (wanted, Derived("period", "period", period)),
        "ppm",
        lambda value, unit: f"{float(value):+.3g} {unit}" if value else "exact",
    )


def scan_jitter(workspace: Workspace, chain: Chain) -> Explanation:
    """By how much a scan's instants vary, peak to peak."""
    cycle = scan_timing(workspace, chain)
    leader = _leader(workspace, cycle.trigger.leader)
    if leader is not None:
        its = Derived("its", f"jitter of {leader.converter}", scan_jitter(workspace, leader))
        return Explanation("jitter", "its", (its,), "s", rounded(3))
    step = restart_step(workspace, chain)
    if not starts_each(workspace, chain) or step.round_s:
        how = "the longest scan less the shortest, each followed result by result"
        return looked_for(
            "jitter", cycle.jitter_s, "s", how, software_terms(workspace, chain), rounded(3)
        )
    terms = (
        Given(
            "each",
            "a wait varies by",
            step.jitter,
            "clk",
            f"part: processor of {workspace.part.name}",
        ),
        Given("count", "slots of the scan", len(chain.slots), "", f"{chain.converter}: sequence"),
        bus_clock(workspace),
    )
    if not cycle.longer:
        return Explanation("jitter", "count * each / clock", terms, "s", rounded(3))
    clocks = sum((max(one.more, Fraction(0)) for one in cycle.longer), Fraction(0))
    how = "by which the scan is longer that comes after all halves that can be full at once"
    halves = Found("halves", "halves that are full", clocks, "clk", how)
    return Explanation(
        "jitter", "(count * each + halves) / clock", (*terms, halves), "s", rounded(3)
    )


def slack(workspace: Workspace, chain: Chain) -> Explanation:
    """What is left of the period."""
    busy = Derived("busy", "scan time", scan_time(workspace, chain))
    period, shortest_s = (
        _period_term(workspace, chain),
        scan_timing(workspace, chain).trigger.shortest_s,
    )
    if shortest_s is not None:
        how = "from one of what starts it to the next where no half was full"
        period = Found("period", "period", shortest_s, "s", how, (period,))
    return Explanation("slack", "period - busy", (period, busy), "s", rounded(6))


def scan_rate(workspace: Workspace, chain: Chain) -> Explanation:
    """Scans in a second."""
    cycle = scan_timing(workspace, chain)
    trigger = cycle.trigger
    if trigger.pace != "pattern" and (cycle.served is None or cycle.cycle_s == cycle.busy_s):
        scan = scan_time(workspace, chain)
        if scan.value == cycle.cycle_s:
            terms = (Derived("busy", "scan time", scan),)
            return Explanation("scan rate", "1 / busy", terms, "Hz", short(6))
    period = _period_term(workspace, chain)
    if trigger.pace == "pattern" and cycle.triggers_per_cycle == 1:
        return Explanation("scan rate", "1 / period", (period,), "Hz", short(6))
    if trigger.pace == "pattern" and len(trigger.offsets_s) == 1:
        how = (
            "triggers until all slots have had theirs; one that finds the converter busy is missed"
        )
        busy = Derived("busy", "scan time", scan_time(workspace, chain))
        taken = Found("taken", "triggers a scan", cycle.triggers_per_cycle, "", how, (busy,))
        return Explanation("scan rate", "1 / (taken * period)", (taken, period), "Hz", short(6))
    how = "followed from trigger to trigger until they come round again"
    return looked_for("scan rate", cycle.cycle_rate_hz, "Hz", how, (period,), short(6))


def signal_rate(workspace: Workspace, chain: Chain, place: int) -> Explanation:
    """Samples of a slot's signal in a second, of all its slots, as they reach the program."""
    slot = chain.slots[place]
    count = len(chain.places_of(slot.signal))
    there = Place(chain.converter, place, slot.signal, "sample")
    slots = Given("slots", "slots of the signal", count, "", f"{chain.converter}: sequence", there)
    if chain.read_period_s is not None:
        reads = Given(
            "each",
            "read newest every",
            chain.read_period_s,
            "s",
            chain.buffer.name,
            Place(chain.converter, place, slot.signal, "transfer"),
        )
        return Explanation("rate", "slots / each", (slots, reads), "Hz", short(5))
    rate = Derived("scans", "scan rate", scan_rate(workspace, chain))
    return Explanation("rate", "slots * scans", (slots, rate), "Hz", short(5))
