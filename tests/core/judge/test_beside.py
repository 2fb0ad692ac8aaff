"""Causes that lie beside what is read: a stated cost, the other one of a pair, the expectation."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from tests.conftest import edited
from wattigram.core.capture.take import Take
from wattigram.core.judge import prove
from wattigram.core.model.bench import TriangleSource
from wattigram.core.model.design import Interrupt, LevelExpectation, Workspace
from wattigram.core.model.design.edits import (
    AddExpectation,
    SetIsrCost,
    SetRetrieval,
    SetWiring,
    apply_edit,
)

TakeOf = Callable[..., Take]


@pytest.fixture
def by_interrupt(cured: Workspace) -> Workspace:
    """The other converter's ISR is short enough not to hold it up."""
    return edited(edited(cured, SetRetrieval("ADC 1", Interrupt())), SetIsrCost("ADC 2", 100))


def test_an_isr_that_costs_more_than_stated_is_named_with_its_counted_clocks(
    by_interrupt: Workspace, take_of: TakeOf
) -> None:
    clocks = 1500
    real, stated = (edited(by_interrupt, SetIsrCost("ADC 1", cost)) for cost in (clocks, 60))
    take = take_of(real, 0.5).as_of(stated)
    take.__dict__["totals"] = take.totals | {"handler.0": clocks}
    assert take.totals.get("lost.0", 0) + take.lost_items(0) > 0
    proof = prove(stated, take)
    assert proof.count("fails")
    first = proof.causes[0]
    assert (first.cause, first.converter) == ("handler-costs-more", "ADC 1")
    assert "1500" in first.fix
    assert first.remedy is not None
    assert apply_edit(stated, first.remedy).project.chains[0].buffer.isr_cycles == clocks
    take.__dict__["totals"] = take.totals | {"handler.0": 61}
    assert "handler-costs-more" not in {cause.cause for cause in prove(stated, take).causes}


@pytest.mark.parametrize("off_v", [0.05, -0.04])
def test_a_pair_apart_says_which_is_off_and_by_how_much(
    cured: Workspace, take_of: TakeOf, off_v: float
) -> None:
    twin = cured.project.signal("Upper zone, twin")
    wiring = cured.project.wired(twin.pin)
    assert wiring is not None
    source = TriangleSource(from_v=1.2 + off_v, to_v=2.2 + off_v, period_s="4 s", noise_v=0.002)
    real = edited(cured, SetWiring(wiring.replaced(source=source)))
    proof = prove(cured, take_of(real).as_of(cured))
    apart = next(cause for cause in proof.causes if cause.cause == "pair-apart")
    assert apart.title.startswith("Upper zone, twin reads ")
    assert apart.title.endswith("too high" if off_v > 0 else "too low")
    told_mv = float(apart.title.split(" reads ")[1].split(" mV")[0])
    assert told_mv == pytest.approx(abs(off_v) * 1e3, abs=1.0)
    assert "source or its wire" in apart.evidence or "cannot be told apart" in apart.evidence


def test_an_expectation_beside_its_bench_is_told(cured: Workspace, take_of: TakeOf) -> None:
    wanted = LevelExpectation(signal="3.3 V rail", level_v=3.2, within_v=0.02)
    project = cured.project.replaced(expectations=())
    other = edited(Workspace(project, cured.part), AddExpectation(wanted))
    proof = prove(other, take_of(cured))
    assert [cause.cause for cause in proof.causes] == ["expectation-beside-bench"]
    assert "100" in proof.causes[0].evidence
    assert "below" in proof.causes[0].evidence
    right = wanted.replaced(level_v=3.3)
    assert (
        prove(edited(Workspace(project, cured.part), AddExpectation(right)), take_of(cured)).causes
        == ()
    )
