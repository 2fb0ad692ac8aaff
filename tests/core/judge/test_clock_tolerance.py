"""What a clock that is known only so well leaves open."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.advise.findings import find_all
from wattigram.core.capture.take import Take
from wattigram.core.judge import prove
from wattigram.core.model.design import SineExpectation, Workspace, open_workspace
from wattigram.core.model.design.edits import SetClockTolerance

WHEEL = open_workspace(EXAMPLES / "pedal-to-wheel" / "wheel.wattigram.toml")
TakeOf = Callable[..., Take]


def asked(tolerance: float | None, frequency: str) -> Workspace:
    """The wheel's current, which is 25 Hz, expected at a frequency within 1 %."""
    wanted = SineExpectation(signal="Motor current", frequency_hz=frequency, within=0.01)
    design = WHEEL.with_project(WHEEL.project.replaced(expectations=(wanted,)))
    return edited(design, SetClockTolerance(tolerance))


@pytest.mark.parametrize(
    ("tolerance", "frequency", "outcome"),
    [
        (None, "25 Hz", "holds"),  # the part's own, 20 ppm
        (0.005, "25 Hz", "holds"),
        (0.02, "25 Hz", "open"),
        (0.0, "25.2 Hz", "holds"),
        (0.005, "25.2 Hz", "open"),
        (0.0, "26 Hz", "fails"),
        (0.005, "26 Hz", "fails"),
        (0.05, "26 Hz", "open"),
    ],
)
def test_a_frequency_is_no_surer_than_the_clock(
    take_of: TakeOf, tolerance: float | None, frequency: str, outcome: str
) -> None:
    design = asked(tolerance, frequency)
    take = take_of(asked(0.0, "25 Hz"), 1.0)
    take.__dict__["workspace"] = design  # what it was made from states the clock
    (verdict,) = prove(design, take).verdicts
    assert verdict.outcome == outcome, verdict.note
    assert ("the board's clock is known to" in verdict.note) == (outcome == "open")


def test_both_ends_of_a_serial_line_count() -> None:
    assert not [one for one in find_all(WHEEL) if one.code.startswith("baud")]
    (finding,) = (
        one
        for one in find_all(edited(WHEEL, SetClockTolerance(0.018)))
        if one.code == "baud-differs"
    )
    # The pedal's part states 0.2 %, the wheel's board 1.8 %; the dividers are 0.26 % apart.
    assert finding.severity == "warning"
    assert "± 2 % of the clock" in finding.message
    codes = {one.code for one in find_all(edited(WHEEL, SetClockTolerance(0.03)))}
    assert "baud-off" in codes
