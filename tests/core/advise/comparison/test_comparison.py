from __future__ import annotations

import pytest

from tests.conftest import CURE, edited
from tests.paths import EXAMPLES
from wattigram.core.advise.comparison import DesignDifference, compare_designs, value_text
from wattigram.core.model.design import PinAction, Workspace, open_workspace
from wattigram.core.model.design.edits import RemoveSignal, SetFilter, SetIsrCost, SetPeriod


def of(found: tuple[DesignDifference, ...], subject: str, figure: str) -> DesignDifference:
    return next(one for one in found if (one.subject, one.figure) == (subject, figure))


def test_a_design_is_equal_to_itself(kiln: Workspace) -> None:
    found = compare_designs(kiln, kiln)
    assert len(found) > 50
    assert all(one.is_equal and not one.better for one in found)


def test_a_cure_is_better_where_it_should_be(kiln: Workspace) -> None:
    found = compare_designs(kiln, edited(kiln, CURE))
    settling = of(found, "Door latch", "settling, as wired")
    assert settling.better == "b"
    assert settling.a == pytest.approx(739.88, abs=0.01)
    assert of(found, "whole design", "errors") == DesignDifference(
        "whole design", "errors", "", 1.0, 0.0, "b"
    )
    assert of(found, "Door latch", "sampling instant").better == ""


def test_load_losses_and_rates_are_compared(kiln: Workspace) -> None:
    slow = edited(
        kiln,
        SetIsrCost("ADC 1", 1_000_000),
        SetPeriod("ADC 1", "50 us"),
        SetFilter("Upper zone", None),
    )
    found = compare_designs(kiln, slow)
    assert of(found, "ADC 1", "scan rate").b == 20_000.0
    lost = of(found, "ADC 1", "samples lost").b
    assert isinstance(lost, float)
    assert lost > 0
    assert of(found, "ADC 1", "processor").better == "a"
    assert of(found, "Upper zone", "−3 dB at").b is None


def test_what_only_one_has_is_shown_beside_nothing(kiln: Workspace) -> None:
    found = compare_designs(edited(kiln, RemoveSignal("Door latch")), kiln)
    pin = of(found, "Door latch", "pin")
    assert (pin.a, pin.b, pin.is_equal) == (None, "A4", False)


def test_designs_on_different_parts_can_be_compared() -> None:
    found = compare_designs(
        open_workspace(EXAMPLES / "wheel-pedal"), open_workspace(EXAMPLES / "kiln-safety")
    )
    assert of(found, "whole design", "part").b == "Osprey X2"
    assert of(found, "ADC", "readout").b is None


@pytest.mark.parametrize(
    ("value", "unit", "text"),
    [
        (1e4, "Hz", "10 kHz"),
        (1e-9, "LSB", "0 LSB"),
        (740.2, "LSB", "740 LSB"),
        (3.0, "", "3"),
        (None, "V", "–"),
        ("A2", "", "A2"),
        (0.0033, "%", "0.33 %"),
    ],
)
def test_figures_are_shown_as_people_write_them(
    value: float | str | None, unit: str, text: str
) -> None:
    assert value_text(value, unit) == text


def test_a_reaction_that_does_something_else_is_a_difference() -> None:
    """Two designs that differ in nothing but what the program does are not the same."""
    lamp = open_workspace(EXAMPLES / "kiln-lamp")
    first = lamp.project.reactions[0]
    other = first.replaced(do=PinAction(pin="B4", level="toggle"))
    rest = lamp.project.reactions[1:]
    found = compare_designs(
        lamp, Workspace(lamp.project.replaced(reactions=(other, *rest)), lamp.part)
    )
    assert not of(found, first.name, "does").is_equal
    assert of(found, first.name, "when").is_equal
    within = of(found, first.name, "acts within")
    assert within.is_equal
    assert isinstance(within.a, float)
