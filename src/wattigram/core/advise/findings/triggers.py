"""Rules on what starts a converter."""

from __future__ import annotations

import math
from collections.abc import Iterator
from fractions import Fraction
from functools import partial

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.advise.findings.fixes import first_effective_fix
from wattigram.core.base.quantity import format_percent, format_si
from wattigram.core.model.design import (
    Chain,
    EdgeTrigger,
    FollowTrigger,
    SoftwareTrigger,
    TimerTrigger,
    Workspace,
)
from wattigram.core.model.design.edits import Edit, SetDivider, SetPeriod, SetPerTrigger, SetTrigger
from wattigram.core.predict.timing import (
    ScanTiming,
    looks_for_results,
    scan_timing,
    starts_each,
)
from wattigram.core.predict.timing.isr_cost import waits_in_vain


@rule("trigger-too-short")
def trigger_too_short(workspace: Workspace) -> Iterator[Finding]:
    """Every second trigger, or more, finds the converter busy and is lost: the rate halves."""
    for chain in workspace.project.chains:
        cycle = scan_timing(workspace, chain)
        if cycle.missed_hz == 0:
            continue
        share = float(cycle.missed_hz / cycle.trigger.rate_hz)
        yield Finding(
            "trigger-too-short",
            "error",
            chain.converter,
            f"{chain.converter} is still busy when triggered",
            f"A scan takes {format_si(cycle.busy_s, 's')} and a trigger comes every "
            f"{format_si(cycle.period_s, 's')}: "
            f"{format_percent(share)} of them are missed, {format_si(cycle.cycle_rate_hz, 'Hz')} is "
            "left.",
            _room(workspace, chain, cycle),
            converter=chain.converter,
        )


def _room(workspace: Workspace, chain: Chain, cycle: ScanTiming) -> Edit | None:
    """A faster legal clock where that is enough, else a longer period."""
    return first_effective_fix(
        workspace, _rooms(workspace, chain, cycle), partial(_serves_all, converter=chain.converter)
    )


def _serves_all(workspace: Workspace, converter: str) -> bool:
    chain = workspace.project.chain(converter)
    return chain is not None and scan_timing(workspace, chain).missed_hz == 0


def _rooms(workspace: Workspace, chain: Chain, cycle: ScanTiming) -> Iterator[Edit]:
    converter = workspace.converter(chain)
    source_hz = converter.source_clock_hz(workspace.bus_clock_hz, chain.clock == "internal")
    for divider in sorted(converter.dividers, reverse=True):
        if divider < chain.divider and source_hz / divider <= converter.clock_limit_hz(chain.bits):
            yield SetDivider(chain.converter, divider)
    if isinstance(workspace.project.own_trigger(chain), TimerTrigger):
        for needed_s in (cycle.busy_s, 1 / cycle.cycle_rate_hz, 2 / cycle.cycle_rate_hz):
            yield SetPeriod(chain.converter, Fraction(math.ceil(needed_s * 10**6), 10**6))


@rule("never-triggered")
def never_triggered(workspace: Workspace) -> Iterator[Finding]:
    """The chain stays silent."""
    for chain in workspace.project.chains:
        trigger = workspace.project.own_trigger(chain)
        if scan_timing(workspace, chain).trigger.pace != "never":
            continue
        if isinstance(trigger, SoftwareTrigger):
            yield Finding(
                "never-triggered",
                "error",
                chain.converter,
                f"Nothing ever starts {chain.converter}",
                "It waits to be asked, and no reaction starts it.",
                SetTrigger(chain.converter, trigger.replaced(asked=False)),
                converter=chain.converter,
            )
            continue
        where = f"pin {trigger.pin}" if isinstance(trigger, EdgeTrigger) else chain.converter
        yield Finding(
            "never-triggered",
            "error",
            where,
            f"Nothing ever starts {chain.converter}",
            "On the bench as wired, what should start it never crosses its threshold: wire a "
            "source that does, or move "
            "the threshold.",
            converter=chain.converter,
        )


@rule("started-once")
def started_once(workspace: Workspace) -> Iterator[Finding]:
    """Exactly one value comes, then silence."""
    for chain in workspace.project.chains:
        trigger = chain.trigger
        if (
            not isinstance(trigger, SoftwareTrigger)
            or trigger.repeat
            or trigger.period_s is not None
            or trigger.asked
            or chain.per_trigger == "continuous"
        ):
            continue
        what = (
            "one value"
            if chain.per_trigger == "conversion" or len(chain.slots) == 1
            else "one scan"
        )
        yield Finding(
            "started-once",
            "error",
            chain.converter,
            f"Nobody restarts {chain.converter}",
            f"Software starts it once and never again: exactly {what} comes, then nothing.",
            SetTrigger(chain.converter, trigger.replaced(repeat=True)),
            converter=chain.converter,
        )


@rule("started-once")
def nobody_starts_the_second(workspace: Workspace) -> Iterator[Finding]:
    """A start is good for one conversion, and the program is called only when all slots are
    converted."""
    for chain in workspace.project.chains:
        if (
            isinstance(chain.trigger, SoftwareTrigger)
            and chain.trigger.follows_itself
            and waits_in_vain(chain)
        ):
            yield Finding(
                "started-once",
                "error",
                chain.converter,
                f"Nobody starts the second conversion of {chain.converter}",
                "A start is good for one conversion, and the interrupt that starts the next one "
                "comes after a whole scan: "
                "exactly one value comes, then nothing.",
                SetPerTrigger(chain.converter, "scan"),
                converter=chain.converter,
            )


@rule("software-sets-rate")
def software_sets_rate(workspace: Workspace) -> Iterator[Finding]:
    """The rate is what the program's own time leaves, and it moves when the program changes."""
    for chain in workspace.project.chains:
        cycle = scan_timing(workspace, chain)
        by_hand = starts_each(workspace, chain)
        if not (cycle.trigger.by_software or by_hand) or (
            cycle.items_limit is not None and not cycle.is_single_run
        ):
            continue
        converting_s = _converting_s(cycle)
        trigger = chain.trigger
        every = (
            f", started every {format_si(trigger.period_s, 's', 6)} by the program"
            if isinstance(trigger, SoftwareTrigger) and trigger.period_s is not None
            else ""
        )
        counts = looks_for_results(chain) and chain.buffer.round_cycles is None
        unknown = (
            " A main loop that has other work comes round later: its round is not stated, and an image counts it."
            if counts
            else ""
        )
        yield Finding(
            "software-sets-rate",
            "note",
            chain.converter,
            f"Software is in the path of {chain.converter}",
            f"A scan converts for {format_si(converting_s, 's')}, and the program takes "
            f"{format_si(cycle.busy_s - converting_s, 's')} "
            f"in between{every}: {format_si(cycle.cycle_rate_hz, 'Hz', 5)} with "
            f"{format_si(cycle.jitter_s, 's', 3)} of jitter.{unknown}",
            converter=chain.converter,
        )


def _converting_s(cycle: ScanTiming) -> Fraction:
    return sum((slot.repeats * slot.each_s for slot in cycle.slots), Fraction(0))


@rule("out-of-step")
def follower_is_longer(workspace: Workspace) -> Iterator[Finding]:
    """The converter in step with another one misses triggers that the other serves."""
    for chain in workspace.project.chains:
        if not isinstance(chain.trigger, FollowTrigger):
            continue
        leader = workspace.project.chain(chain.trigger.follows)
        if leader is None:
            continue
        mine, theirs = scan_timing(workspace, chain), scan_timing(workspace, leader)
        if mine.cycle_s == theirs.cycle_s:
            continue
        yield Finding(
            "out-of-step",
            "warning",
            chain.converter,
            f"{chain.converter} falls out of step with {leader.converter}",
            f"Its scan comes every {format_si(mine.cycle_s, 's')}, that of {leader.converter} "
            "every "
            f"{format_si(theirs.cycle_s, 's')}: their values no longer belong together.",
            converter=chain.converter,
        )
