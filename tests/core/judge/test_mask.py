"""A signal held against a mask of one's own."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from wattigram.core.base.errors import EditError, ProjectError, QuantityError
from wattigram.core.capture.take import Take
from wattigram.core.judge import Verdict, evidence_for, prove
from wattigram.core.judge.mask_judge import MaskClock
from wattigram.core.model.design import MaskExpectation, Workspace
from wattigram.core.model.design.expectation_sentences import fact_of, fresh_expectation, with_fact
from wattigram.core.model.design.mask import parse_mask

COIL = "Coil current"


def mask(points: str, **facts: object) -> MaskExpectation:
    return MaskExpectation(signal=COIL, points=points, **facts)  # type: ignore[arg-type]


def judged(workspace: Workspace, take: Take, expectation: MaskExpectation) -> Verdict:
    project = workspace.project.replaced(expectations=(expectation,))
    return prove(workspace.with_project(project), take).verdicts[0]


def test_a_mask_is_straight_between_points_and_may_step() -> None:
    read = parse_mask(
        "0 s: 0 V to 1 V; 1 ms: 1 V to 2 V; 1 ms: 1.5 V … 1.6 V; 3 ms: 1.5 V to 1.6 V;"
    )
    low, high = read.at(np.array([-1e-6, 0.0, 5e-4, 2e-3, 3e-3, 3.1e-3]))
    assert np.allclose(low[1:5], [0, 0.5, 1.5, 1.5])
    assert np.allclose(high[1:5], [1, 1.5, 1.6, 1.6])
    assert np.isnan(low[[0, 5]]).all()
    assert read.length_s == 3e-3


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "2 to 256 points"),
        ("0 s: 0 V to 1 V", "2 to 256 points"),
        ("0 s: 0 V to 1 V; 1 ms", "no point of a mask"),
        ("0 s: 0 V to 1 V; 1 ms: 2 V to 1 V", "not below"),
        ("1 ms: 0 V to 1 V; 0 s: 0 V to 1 V", "comes before"),
        ("1 ms: 0 V to 1 V; 1 ms: 0 V to 2 V", "no length"),
        ("0 s: 0 to 1 V; 1 ms: 0 V to 1 V", "no unit"),
        ("0 s: 0 V to 1 V; 1 V: 0 V to 1 V", "“1 V”"),
    ],
)
def test_what_is_no_mask_says_why(text: str, why: str) -> None:
    with pytest.raises(QuantityError, match=why):
        parse_mask(text)


@pytest.mark.parametrize(
    ("facts", "why"),
    [
        ({"begins": "rising"}, "needs the level"),
        ({"at_v": 1.0}, "crosses no level"),
        ({"period_s": "1 ms"}, "longer than its period"),
        ({"share": 0.0}, "above 0 %"),
        ({"share": 1.5}, "at most at 100 %"),
    ],
)
def test_facts_that_do_not_go_together_are_refused(facts: dict[str, object], why: str) -> None:
    with pytest.raises(ValueError, match=why):
        mask("0 s: 0 V to 1 V; 2 ms: 0 V to 1 V", **facts)


def test_it_begins_at_crossings_and_not_again_before_its_end() -> None:
    """Whatever the blocks are that samples come in."""
    times = np.arange(0, 0.1, 1e-4)
    volts = np.sin(2 * np.pi * 50 * times) + 0.3 * np.sin(2 * np.pi * 500 * times)
    one = mask("0 s: -2 V to 2 V; 15 ms: -2 V to 2 V", begins="rising", at_v=0.0)
    whole = MaskClock(one).into(times, volts)
    clock = MaskClock(one)
    parts = [
        clock.into(times[at : at + 37], volts[at : at + 37]) for at in range(0, len(times), 37)
    ]
    assert np.allclose(whole, np.concatenate(parts), equal_nan=True)
    beginnings = np.flatnonzero(np.diff(whole) < 0)
    assert np.allclose(np.diff(times[beginnings]), 0.02, atol=2e-4)
    again = MaskClock(one.replaced(period_s="20 ms")).into(times, volts)
    assert np.nanmax(again) < 0.02
    falling = MaskClock(one.replaced(begins="falling")).into(times, volts)
    assert times[np.flatnonzero(np.isfinite(falling))[0]] == pytest.approx(0.01, abs=2e-3)


def test_a_sine_lies_within_a_mask_that_is_drawn_around_it(
    cured: Workspace, take_of: Callable[..., Take]
) -> None:
    """50 Hz, 0.75 V about 1.65 V: a mask of 41 points around one turn, begun where it rises through the middle."""
    take = take_of(cured)
    at = np.linspace(0, 20e-3, 41)
    course = 1.65 + 0.75 * np.sin(2 * np.pi * 50 * at)

    def around(half_v: float) -> str:
        return "; ".join(
            f"{time * 1e3:.4f} ms: {value - half_v:.4f} V to {value + half_v:.4f} V"
            for time, value in zip(at, course, strict=True)
        )

    begun = {"begins": "rising", "at_v": 1.65, "period_s": "20 ms"}
    wide = judged(cured, take, mask(around(0.03), **begun))
    assert (wide.outcome, wide.measured) == ("holds", 1.0)
    assert wide.samples > 0.9 * take.came(COIL)
    tight = judged(cured, take, mask(around(0.001), **begun))
    assert tight.outcome == "fails"
    assert "beyond" in tight.note
    share = float(tight.measured or 0)
    assert 0 < share < 1
    some = judged(cured, take, mask(around(0.001), share=share - 0.05, **begun))
    straddles = judged(cured, take, mask(around(0.001), share=share, **begun))
    assert straddles.outcome == "open"
    assert "half a step" in straddles.note
    assert some.outcome in {"holds", "open"}
    (panel, *_others) = evidence_for(take, wide).panels
    assert panel.title == f"{COIL}: captured on its mask"
    assert np.isfinite(panel.band_low_v).all()  # type: ignore[union-attr]


def test_a_level_that_is_never_crossed_judges_nothing(
    cured: Workspace, take_of: Callable[..., Take]
) -> None:
    verdict = judged(
        cured, take_of(cured), mask("0 s: 0 V to 3 V; 1 ms: 0 V to 3 V", begins="rising", at_v=3.2)
    )
    assert verdict.outcome == "open"
    assert "never crosses" in verdict.note


def test_zero_volts_are_a_level_too_and_a_mask_begins_with_its_take(
    cured: Workspace, take_of: Callable[..., Take]
) -> None:
    one = mask("0 s: -3 V to 3 V; 1 ms: -3 V to 3 V", begins="rising", at_v=0.0)
    assert "never crosses 0 V" in judged(cured, take_of(cured), one).note
    late = MaskClock(mask("0 s: 0 V to 1 V; 1 ms: 0 V to 1 V"), 5.0)
    assert np.allclose(late.into(np.array([5.0, 5.5]), np.zeros(2)), [0.0, 0.5])


def test_in_a_sentence_a_level_comes_and_goes_with_how_it_begins() -> None:
    one = fresh_expectation(MaskExpectation, COIL)
    rising = with_fact(one, "begins", "a rise through a level")
    assert fact_of(rising, "at") == "1 V"
    assert fact_of(with_fact(rising, "begins", "the take"), "at") == ""
    assert fact_of(with_fact(one, "at", "0.95 V"), "begins") == "a rise through a level"
    assert fact_of(with_fact(rising, "at", ""), "begins") == "the take"
    with pytest.raises(EditError, match="no point"):
        with_fact(one, "points", "0 s: 1 V; 2 ms: 1 V to 2 V")


def test_a_project_with_a_mask_that_is_none_says_where(kiln: Workspace) -> None:
    from wattigram.core.model.design.project_file import parse_project, project_text

    one = mask("0 s: 0 V to 1 V; 2 ms: 0 V to 1 V")
    text = project_text(kiln.project.replaced(expectations=(one,)))
    assert parse_project(text, "x").expectations == (one,)
    with pytest.raises(ProjectError, match="no point of a mask"):
        parse_project(text.replace("2 ms: 0 V to 1 V", "2 ms"), "x")
