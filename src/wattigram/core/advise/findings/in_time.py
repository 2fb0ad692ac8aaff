"""Rules on what comes later than it may."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.advise.findings.fixes import first_effective_fix, rule_satisfied
from wattigram.core.base.quantity import format_si
from wattigram.core.model.design import (
    ByteReceived,
    Chain,
    ComparatorSwitched,
    Dma,
    InputChanged,
    PairTripped,
    PeriodElapsed,
    Reaction,
    ReactionExpectation,
    ResultsFetched,
    RunStarted,
    ThresholdCrossed,
    Workspace,
)
from wattigram.core.model.design.edits import Edit, SetBufferLength
from wattigram.core.predict.program import ReactionTiming, reaction_timing


@rule("reaction-late")
def reaction_comes_late(workspace: Workspace) -> Iterator[Finding]:
    """A reaction that comes later than it is expected: always, or at times."""
    for reaction in workspace.project.reactions:
        allowed = [
            expectation.within_s
            for expectation in workspace.project.expectations
            if isinstance(expectation, ReactionExpectation) and expectation.signal == reaction.name
        ]
        least_s, latest_s = _comes_after_s(reaction_timing(workspace, reaction), reaction)
        if not allowed or latest_s <= min(allowed):
            continue
        never = least_s > min(allowed)
        yield Finding(
            "reaction-late",
            "error" if never else "warning",
            reaction.name,
            f"{reaction.name} cannot be in time" if never else f"{reaction.name} can be too late",
            f"It comes up to {format_si(latest_s, 's', 4)} after {_since(reaction)}"
            f"{_why(workspace, reaction)}; {format_si(min(allowed), 's', 4)} are allowed.",
            first_effective_fix(
                workspace,
                _shorter(workspace, reaction, min(allowed)),
                rule_satisfied(reaction_comes_late, reaction.name),
            ),
            signal=reaction.name,
        )


def _comes_after_s(timing: ReactionTiming, reaction: Reaction) -> tuple[Fraction, Fraction]:
    """At least and at most, from the instant that a take is judged from: where it is an event of
    the program's or of a comparator's, from that."""
    if isinstance(reaction.when, (ResultsFetched, InputChanged, ComparatorSwitched)):
        return timing.work_s, timing.work_s + timing.others_s + timing.load_s
    return timing.least_s, timing.latest_s


def _since(reaction: Reaction) -> str:
    match reaction.when:
        case PeriodElapsed() | RunStarted():
            return "it is due"
        case ResultsFetched():
            return "results are fetched"
        case ByteReceived():
            return "the byte came"
        case InputChanged():
            return "the change of the input was seen"
        case ComparatorSwitched():
            return "the comparator switched"
        case _:
            return "the value was held"


def _why(workspace: Workspace, reaction: Reaction) -> str:
    if _waited_for(workspace, reaction) is not None:
        return ", for that waits until others are fetched with it"
    return ""


def _shorter(workspace: Workspace, reaction: Reaction, allowed_s: Fraction) -> Iterator[Edit]:
    """A shorter buffer, as long as the time allows."""
    chain = _waited_for(workspace, reaction)
    timing = reaction_timing(workspace, reaction)
    if chain is None or not timing.most_s:
        return
    unit = 2 * len(chain.slots)
    share = max(Fraction(0), allowed_s - timing.load_s) / timing.most_s
    length = int(chain.buffer.samples * share) // unit * unit
    while length >= unit:
        yield SetBufferLength(chain.converter, length)
        length = length // 2 // unit * unit


def _waited_for(workspace: Workspace, reaction: Reaction) -> Chain | None:
    """The chain whose buffer a value of a reaction waits for."""
    match reaction.when:
        case ThresholdCrossed(signal=name, threshold=number):
            if workspace.project.signal(name).thresholds[number - 1].done_in == "hardware":
                return None
        case PairTripped(signal=name):
            pass
        case _:
            return None
    chain = workspace.project.chain_of(name)
    return chain if chain is not None and isinstance(chain.readout, Dma) else None
