"""Twins whose values do not belong together: found before the run, named after it."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

import pytest

from tests.conftest import edited
from wattigram.core.advise.findings import Finding, find_all
from wattigram.core.capture.take import Take
from wattigram.core.judge import prove
from wattigram.core.model.design import (
    BlockAverage,
    FollowTrigger,
    SoftwareTrigger,
    Threshold,
    TimerTrigger,
    Workspace,
)
from wattigram.core.model.design.edits import (
    AddThreshold,
    RemoveSlot,
    SetBufferLength,
    SetFilter,
    SetRedundantPair,
    SetTrigger,
    apply_edit,
)
from wattigram.core.predict.accuracy import pair_rates_hz

TWIN = "Upper zone, twin"
PAUSE = Threshold(
    low="1 V", high="4 V", action="stop", rearm_after_s="150 ms", hysteresis_v="100 mV"
)


def found(workspace: Workspace, code: str) -> list[Finding]:
    return [finding for finding in find_all(workspace) if finding.code == code]


def at(workspace: Workspace, every: str) -> Workspace:
    """The twin's converter with a timer of its own."""
    return edited(workspace, SetTrigger("ADC 2", TimerTrigger(timer="Timer 3", period_s=every)))


def rates(workspace: Workspace) -> tuple[Fraction, Fraction] | None:
    return pair_rates_hz(workspace, workspace.project.signal(TWIN))


def test_a_pair_in_step_is_well(cured: Workspace) -> None:
    both = rates(cured)
    assert both is not None
    assert both[0] == both[1]
    assert not found(cured, "twin-out-of-step")
    assert not found(cured, "twin-pauses")


def test_rates_are_those_of_the_values_that_are_compared(cured: Workspace) -> None:
    reduced = [SetFilter(name, BlockAverage(count=16, shift=4)) for name in (TWIN, "Upper zone")]
    plain = edited(cured, *(SetFilter(name, None) for name in (TWIN, "Upper zone")))
    assert rates(plain) == (10_000, 10_000)
    assert rates(at(plain, "200 us")) == (5000, 10_000)
    assert rates(edited(plain, reduced[0])) == (10_000, 10_000)  # only where both have a stage
    assert rates(edited(plain, *reduced)) == (625, 625)
    other = SetFilter("Upper zone", BlockAverage(count=4, shift=2))
    assert rates(edited(plain, reduced[0], other)) == (625, 2500)


def test_no_rates_where_there_is_no_pair(cured: Workspace) -> None:
    assert pair_rates_hz(cured, cured.project.signal("Coil current")) is None
    assert rates(edited(cured, SetRedundantPair(TWIN, None))) is None
    assert rates(edited(cured, RemoveSlot("ADC 1", 1))) is None
    once = edited(cured, SetTrigger("ADC 2", SoftwareTrigger(repeat=False)))
    assert rates(once) is None


def test_a_timer_of_its_own_is_cured_by_following(cured: Workspace) -> None:
    finding = found(at(cured, "110 us"), "twin-out-of-step")[0]
    assert "568.18 Hz and Upper zone at 625 Hz" in finding.message
    assert "the nearest one of Upper zone, up to 800 µs away" in finding.message
    assert finding.remedy == SetTrigger("ADC 2", FollowTrigger(follows="ADC 1"))
    assert not found(apply_edit(at(cured, "110 us"), finding.remedy), "twin-out-of-step")


def test_other_counts_are_not_cured_by_following(cured: Workspace) -> None:
    wrong = edited(
        cured,
        SetFilter(TWIN, BlockAverage(count=16, shift=4)),
        SetFilter("Upper zone", BlockAverage(count=4, shift=2)),
    )
    assert found(wrong, "twin-out-of-step")[0].remedy is None


@pytest.mark.parametrize(
    "window",
    [
        PAUSE.replaced(rearm_after_s=None),
        PAUSE.replaced(action="event"),
        PAUSE.replaced(interrupt_enabled=False),
    ],
)
def test_only_what_goes_on_again_is_out_of_step(cured: Workspace, window: Threshold) -> None:
    assert not found(edited(cured, AddThreshold("Door latch", window)), "twin-pauses")


def test_a_pair_of_which_one_pauses_is_compared_by_time(
    cured: Workspace, take_of: Callable[..., Take]
) -> None:
    wrong = edited(cured, AddThreshold("Door latch", PAUSE))
    assert "stops ADC 1 and starts it again" in found(wrong, "twin-pauses")[0].message
    proof = prove(wrong, take_of(wrong, 2.5))
    twin = next(verdict for verdict in proof.verdicts if verdict.kind == "redundant-pair")
    assert twin.outcome == "holds"
    assert "trips" not in twin.note


@pytest.mark.parametrize("period", ["110 us", "190 us", "37 us"])
def test_a_pair_of_two_rates_does_not_trip(
    period: str, cured: Workspace, take_of: Callable[..., Take]
) -> None:
    """Over seconds the numbers of the two run far apart; their instants do not."""
    proof = prove(at(cured, period), take_of(at(cured, period), 2.5))
    twin = next(verdict for verdict in proof.verdicts if verdict.kind == "redundant-pair")
    assert twin.outcome == "holds"
    assert "trips" not in twin.note


@pytest.mark.parametrize("by", ["twin", "window"])
def test_values_that_wait_longer_than_they_are_kept(cured: Workspace, by: str) -> None:
    plain = edited(cured, *(SetFilter(name, None) for name in (TWIN, "Upper zone")))
    if by == "window":
        plain = edited(
            plain,
            SetRedundantPair(TWIN, None),
            AddThreshold(TWIN, Threshold(low="-1 V", high="1 V", minus_signal="Upper zone")),
        )
    assert not found(plain, "window-waits")
    slow = edited(plain, SetBufferLength("ADC 2", 8192))
    finding = found(slow, "window-waits")[0]
    assert "halves of 410 ms, in which 4098 values come" in finding.message
    assert finding.remedy == SetBufferLength(
        "ADC 2", 256
    )  # the longest half of which 512 values hold twice as many
    assert not found(apply_edit(slow, finding.remedy), "window-waits")
