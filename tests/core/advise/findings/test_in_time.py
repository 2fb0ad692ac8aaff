"""Findings on reactions that are expected sooner than they come."""

from __future__ import annotations

import pytest

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.advise.findings import Finding, find_all
from wattigram.core.model.design import (
    InputChanged,
    PeriodElapsed,
    PinAction,
    Reaction,
    ReactionExpectation,
    TextAction,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import AddExpectation, SetReaction, apply_edit

LAMP = open_workspace(EXAMPLES / "kiln-lamp")


def late(workspace: Workspace) -> list[Finding]:
    return [finding for finding in find_all(workspace) if finding.code == "reaction-late"]


def expecting(signal: str, within_s: str) -> Workspace:
    """The lamp's design with one expectation."""
    expectation = ReactionExpectation(signal=signal, within_s=within_s)
    return Workspace(LAMP.project.replaced(expectations=(expectation,)), LAMP.part)


def test_a_value_that_waits_for_its_buffer_is_late_until_the_buffer_is_shorter() -> None:
    design = expecting("Door lamp", "800 us")
    (finding,) = late(design)
    assert finding.severity == "warning"
    assert finding.title == "Door lamp can be too late"
    assert "after the value was held, for that waits until others are fetched with it" in (
        finding.message
    )
    assert finding.remedy is not None
    mended = apply_edit(design, finding.remedy)
    assert late(mended) == []
    before, after = (one.project.chains[0].buffer.samples for one in (design, mended))
    assert after < before


@pytest.mark.parametrize(("within", "severity"), [("2 ms", None), ("5 us", "error")])
def test_what_is_always_in_time_or_never_is_told_apart(within: str, severity: str | None) -> None:
    found = late(expecting("Hot lamp", within))
    assert [finding.severity for finding in found] == ([severity] if severity else [])


def test_a_reaction_to_results_counts_from_when_they_are_fetched() -> None:
    """The oldest of them is much older than 120 us by then."""
    assert late(expecting("Fan follows", "120 us")) == []
    (finding,) = late(expecting("Fan follows", "20 us"))
    assert "after results are fetched" in finding.message


def test_the_time_of_the_others_counts_where_it_is_stated() -> None:
    line = TextAction(uart="UART 1", text="on\r\n")
    tick = Reaction(name="Tick", when=PeriodElapsed(period_s="50 ms"), do=line, cycles=4_800)
    expectation = ReactionExpectation(signal="Tick", within_s="150 us")
    design = edited(
        expecting("Alive", "1 s"), SetReaction("Tick", tick), AddExpectation(expectation)
    )
    assert late(design) == []
    slow = LAMP.project.reactions[0].replaced(cycles=48_000)
    (finding,) = late(edited(design, SetReaction(slow.name, slow)))
    assert "after it is due" in finding.message
    assert "150 µs are allowed" in finding.message


def test_what_a_look_finds_counts_from_the_look() -> None:
    """A lamp by a button that is looked at every 5 ms is in time for whoever counts from there."""
    when = InputChanged(pin="B9", edge="rising", look_period_s="5 ms")
    lamp = Reaction(name="Lamp", when=when, do=PinAction(pin="B10", level="high"), cycles=4_800)
    expectation = ReactionExpectation(signal="Lamp", within_s="1 ms")
    design = edited(
        expecting("Alive", "1 s"), SetReaction("Lamp", lamp), AddExpectation(expectation)
    )
    assert late(design) == []
    sooner = lamp.replaced(cycles=192_000)
    (finding,) = late(edited(design, SetReaction("Lamp", sooner)))
    assert finding.severity == "error"
    assert "2 ms after the change of the input was seen" in finding.message
