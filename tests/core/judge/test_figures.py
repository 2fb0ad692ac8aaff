"""Figures as expectations: what holds, what fails, and what is not judged because it cannot be known so well."""

from __future__ import annotations

import copy
from collections.abc import Callable

import numpy as np
import pytest

from wattigram.core.base.errors import TakeError
from wattigram.core.base.validation import ModelError
from wattigram.core.capture.recording import recording_of_take
from wattigram.core.capture.take import Take
from wattigram.core.contract.figure_names import FIGURES, OF_A_STIMULUS, OF_TWO
from wattigram.core.judge import prove
from wattigram.core.judge.measured import KINDS, Wanted, as_expectation, measure
from wattigram.core.judge.verdict import Verdict
from wattigram.core.judge.wording import expectation_text
from wattigram.core.model.design import FigureExpectation, Workspace, project_text
from wattigram.core.model.design.edits import AddExpectation, apply_edit
from wattigram.core.model.design.workspace_files import workspace_from_text

COIL = "Coil current"


def figure(measure_: str, figure_: str, **of: object) -> FigureExpectation:
    return FigureExpectation(signal=COIL, measure=measure_, figure=figure_, **of)  # type: ignore[arg-type]


def judged(kiln: Workspace, take: Take, expectation: FigureExpectation) -> Verdict:
    workspace = apply_edit(kiln, AddExpectation(expectation))
    return prove(workspace, take).verdicts[-1]


@pytest.mark.parametrize(
    ("expectation", "outcome"),
    [
        (figure("sine", "sinad", at_least=50.0), "holds"),
        (figure("sine", "sinad", at_least=56.0), "fails"),
        (figure("sine", "frequency", at_least=49.99, at_most=50.01), "holds"),
        (figure("sine", "frequency", at_least=50.01, at_most=51.0), "fails"),
        (figure("sine", "thd", at_most=-60.0), "holds"),
        (figure("sine", "sfdr", at_least=60.0), "holds"),
        (figure("statistics", "maximum", at_most=2.45), "holds"),
        (figure("statistics", "maximum", at_most=2.3), "fails"),
        (figure("spectrum", "density", at_most=2e-5), "holds"),
        (figure("intervals", "jitter", at_most=1e-3), "holds"),
        (figure("folded", "spread", at_most=8e-3), "holds"),
        (figure("gain", "phase", other="Upper zone", at_most=180.0), "holds"),
        (
            figure(
                "statistics", "mean", at_least=1.62, at_most=1.68, begin_s="0.5 s", end_s="1.5 s"
            ),
            "holds",
        ),
    ],
)
def test_a_figure_is_held_against_its_limits(
    expectation: FigureExpectation, outcome: str, kiln: Workspace, take_of: Callable[..., Take]
) -> None:
    verdict = judged(kiln, take_of(kiln), expectation)
    assert verdict.outcome == outcome, verdict.note
    assert verdict.unit == expectation.unit
    assert verdict.measured is not None
    assert (verdict.low, verdict.high) == (expectation.at_least, expectation.at_most)


def test_what_straddles_a_limit_is_not_judged_and_says_how_long_it_takes(
    kiln: Workspace, take_of: Callable[..., Take]
) -> None:
    take = take_of(kiln)
    sinad = measure(recording_of_take(take), Wanted("sine", (COIL,))).figure("sinad")
    limit = sinad.value - sinad.sigma
    verdict = judged(kiln, take, figure("sine", "sinad", at_least=limit))
    assert verdict.outcome == "open"
    assert "would decide it" in verdict.note
    # Four times as far as twice the uncertainty wants four times as long, and a little more.
    assert "a take of 11 s" in verdict.note
    on_it = judged(kiln, take, figure("sine", "sinad", at_least=sinad.value))
    assert "lies on the limit" in on_it.note


def test_a_limit_that_noise_hides_is_not_judged(
    kiln: Workspace, take_of: Callable[..., Take]
) -> None:
    verdict = judged(kiln, take_of(kiln), figure("sine", "thd", at_most=-120.0))
    assert verdict.outcome == "open"
    assert "noise hides" in verdict.note


def test_what_cannot_be_measured_is_not_judged(
    kiln: Workspace, take_of: Callable[..., Take]
) -> None:
    rail = FigureExpectation(signal="3.3 V rail", measure="sine", figure="sinad", at_least=1.0)
    verdict = judged(kiln, take_of(kiln), rail)
    assert verdict.outcome == "open"
    assert "no sine" in verdict.note
    none = judged(kiln, take_of(kiln), figure("gain", "phase", other="Nothing", at_most=1.0))
    assert "no channel" in none.note


@pytest.mark.parametrize(
    ("of", "match"),
    [
        ({"measure": "loudness", "figure": "x", "at_most": 1.0}, "nothing that is measured"),
        ({"measure": "sine", "figure": "loudness", "at_most": 1.0}, "no figure of sine"),
        ({"measure": "sine", "figure": "sinad"}, "at_least, at_most or both"),
        ({"measure": "sine", "figure": "sinad", "at_least": 2.0, "at_most": 1.0}, "Exchange"),
        ({"measure": "gain", "figure": "phase", "at_most": 1.0}, "second signal"),
        (
            {"measure": "sine", "figure": "sinad", "at_most": 1.0, "other": "Upper zone"},
            "takes one signal",
        ),
        ({"measure": "histogram", "figure": "inl", "at_most": 1.0}, "what was put in"),
    ],
)
def test_what_makes_no_sense_is_refused(of: dict[str, object], match: str) -> None:
    with pytest.raises(ModelError, match=match):
        FigureExpectation(signal=COIL, **of)  # type: ignore[arg-type]


def test_it_is_written_read_and_worded(kiln: Workspace) -> None:
    expectation = figure("statistics", "drift", at_least=-0.01, at_most=0.01, begin_s="0.5 s")
    text = project_text(apply_edit(kiln, AddExpectation(expectation)).project)
    assert 'figure = "drift"' in text
    assert 'begin = "500 ms"' in text or 'begin = "0.5 s"' in text
    again = workspace_from_text(text, "here").project.expectations[-1]
    assert again == expectation
    assert expectation_text(again) == "Coil current: drift from -10 mV/s to 10 mV/s"
    assert (
        expectation_text(figure("sine", "sinad", at_least=50.0))
        == "Coil current: SINAD at least 50 dB"
    )


def test_every_figure_that_can_be_expected_is_measured(
    kiln: Workspace, take_of: Callable[..., Take]
) -> None:
    """Names and units of one table and of what is measured are the same."""
    take = take_of(kiln)
    assert set(FIGURES) <= {kind.name for kind in KINDS}
    for kind in ("statistics", "expected", "sine", "spectrum", "intervals", "folded"):
        found = {
            one.key: one for one in measure(recording_of_take(take), Wanted(kind, (COIL,))).figures
        }
        for key, (_, unit) in FIGURES[kind].items():
            assert found[key].unit == unit
    found = {
        one.key: one
        for one in measure(
            recording_of_take(take), Wanted("histogram", (COIL,), stimulus="sine")
        ).figures
    }
    assert set(FIGURES["histogram"]) == set(OF_A_STIMULUS) <= set(found)
    for kind in OF_TWO - {"response"}:
        told = measure(recording_of_take(take), Wanted(kind, (COIL, COIL)))
        assert {one.key for one in told.figures} >= set(FIGURES[kind])


@pytest.mark.parametrize("kind", ["statistics", "expected", "sine", "spectrum", "intervals"])
def test_what_was_measured_holds_as_an_expectation(
    kind: str, kiln: Workspace, take_of: Callable[..., Take]
) -> None:
    take = take_of(kiln)
    wanted = Wanted(kind, (COIL,))
    for one in measure(recording_of_take(take), wanted).figures:
        expectation = as_expectation(wanted, one)
        if expectation is None:
            assert one.key not in FIGURES[kind]
            continue
        verdict = judged(kiln, take, expectation)
        assert verdict.outcome == "holds", (one, verdict.note)


def test_events_are_listed_beside_when_they_were_due(
    kiln: Workspace, take_of: Callable[..., Take]
) -> None:
    take = take_of(kiln, 8.0)
    told = measure(recording_of_take(take), Wanted("events", ("Upper zone",)))
    assert len(told.figures) == 4
    assert [one.title.split()[-1] for one in told.figures] == ["enters", "leaves"] * 2
    for one in told.figures:
        assert one.predicted is not None
        assert one.value == pytest.approx(one.predicted, abs=3e-3)
        assert one.note.endswith(("late", "early"))
    part = measure(recording_of_take(take), Wanted("events", ("Upper zone",), 1.0, 2.0))
    assert len(part.figures) == 1
    for name, match in (
        ("Coil current", "no threshold"),
        ("Upper zone, twin", "no event|no threshold"),
    ):
        with pytest.raises(TakeError, match=match):
            measure(recording_of_take(take), Wanted("events", (name,)))


def test_an_event_that_did_not_come_says_so(kiln: Workspace, take_of: Callable[..., Take]) -> None:
    take = take_of(kiln, 8.0)
    without = copy.copy(take)
    without.__dict__["events"] = take.events[1:]
    told = measure(recording_of_take(without), Wanted("events", ("Upper zone",)))
    assert len(told.figures) == 4
    assert told.figures[0].note == "did not come"
    assert told.figures[0].text == "–"
    assert told.figures[0].predicted_text.startswith("1.80")


def test_what_a_sine_comes_to_is_predicted(kiln: Workspace, take_of: Callable[..., Take]) -> None:
    found = measure(recording_of_take(take_of(kiln)), Wanted("sine", (COIL,)))
    bits = found.figure("enob-full-scale")
    assert bits.predicted == pytest.approx(bits.value, abs=0.1)
    at_level = found.figure("enob")
    assert at_level.predicted == pytest.approx(at_level.value, abs=0.1)
    level = found.figure("level").value
    assert bits.predicted is not None
    assert at_level.predicted is not None
    bit_db = 20 * np.log10(2)
    assert bits.predicted - at_level.predicted == pytest.approx(-level / bit_db, abs=1e-3)
