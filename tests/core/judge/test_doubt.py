"""What a reading is too unsure to decide is not judged, however it came out; what it is sure of
is."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

import pytest

from tests.conftest import edited
from tests.core.board.test_prediction import Design
from wattigram.core.advise.findings import find_all
from wattigram.core.capture.take import Take
from wattigram.core.judge import prove, suggest_expectations
from wattigram.core.judge.causes.base import FailingSignal
from wattigram.core.judge.causes.levels import input_beyond_reference
from wattigram.core.judge.causes.settling import floating_pin
from wattigram.core.judge.verdict import Verdict
from wattigram.core.model.bench import FloatingInput, SineSource, TriangleSource, Wiring
from wattigram.core.model.design import (
    Expectation,
    LevelExpectation,
    Polling,
    RateExpectation,
    SineExpectation,
    SoftwareTrigger,
    Threshold,
    ThresholdExpectation,
    WaveformExpectation,
    Workspace,
    signal_scale,
)
from wattigram.core.model.design.edits import (
    RemoveWiring,
    SetAlignment,
    SetElementWidth,
    SetStartup,
    SetThreshold,
    SetWiring,
)
from wattigram.core.predict.expected import band_half_width_v

UPPER = 2.1
"""Limit of the window of Upper zone, volts, with 10 mV of hysteresis."""


def only(workspace: Workspace, *expectations: Expectation) -> Workspace:
    return Workspace(workspace.project.replaced(expectations=expectations), workspace.part)


def ramped(workspace: Workspace, low_v: float, high_v: float) -> Workspace:
    ramp = TriangleSource(from_v=low_v, to_v=high_v, period_s="400 ms")
    wired = edited(
        workspace, SetWiring(Wiring(pin="A3", source_resistance_ohm=4700.0, source=ramp))
    )
    return only(wired, ThresholdExpectation(signal="Upper zone", within_s="8 ms"))


def judged(design: Workspace, take: Take) -> Verdict:
    (verdict,) = [one for one in prove(design, take).verdicts if one.kind in {"threshold", "sine"}]
    return verdict


@pytest.mark.parametrize("above_v", [-0.0006, -0.0002, 0.0002, 0.0006])
def test_a_peak_that_just_reaches_the_limit_is_not_held_against_the_design(
    above_v: float, cured: Workspace, take_of: Callable[..., Take]
) -> None:
    design = ramped(cured, 1.6, UPPER + above_v)
    verdict = judged(design, take_of(design))
    assert verdict.outcome != "fails"
    if verdict.outcome == "open" and "no crossing" not in verdict.note:
        assert "within the uncertainty of a reading, ±" in verdict.note


def test_a_window_that_tells_every_value_is_judged_by_time_and_by_how_many(
    cured: Workspace, take_of: Callable[..., Take]
) -> None:
    """On a slow slope noise decides where the first and the last of them lie; half of them are
    another matter."""
    every = ramped(cured, 1.6, UPPER + 0.2)
    window = every.project.signal("Upper zone").thresholds[0].replaced(on="every-result")
    design = edited(every, SetThreshold("Upper zone", 0, window))
    take = take_of(design)
    verdict = judged(design, take)
    assert verdict.outcome == "holds"
    assert len(take.events) > 100
    halved = take.as_of(design)
    halved.__dict__["events"] = take.events[::2]
    verdict = judged(design, halved)
    assert verdict.outcome == "fails"


def test_a_peak_well_above_is_judged(cured: Workspace, take_of: Callable[..., Take]) -> None:
    design = ramped(cured, 1.6, UPPER + 0.2)
    assert judged(design, take_of(design)).outcome == "holds"


def test_a_crossing_that_no_doubt_covers_fails(
    cured: Workspace, take_of: Callable[..., Take]
) -> None:
    """The take is of a peak that stays below by several bands; the design's bench crosses."""
    chain = cured.project.chains[0]
    band_v = band_half_width_v(cured, chain, "Upper zone", reduced=True)
    below = ramped(cured, 1.6, UPPER - 5 * band_v)
    expectation = ThresholdExpectation(
        signal="Upper zone", within_s="8 ms", low_v=0.4, high_v=UPPER - 30 * band_v
    )
    verdict = judged(only(below, expectation), take_of(below))
    assert verdict.outcome == "fails"
    assert "0 of" in verdict.note


@pytest.mark.parametrize("amplitude_v", [0.0030, 0.0037, 0.0045, 0.02])
def test_a_sine_of_a_few_steps_is_read_as_well_as_steps_let_it(
    amplitude_v: float, cured: Workspace, take_of: Callable[..., Take]
) -> None:
    wiring = cured.wiring("A3")
    assert wiring is not None
    sine = SineSource(offset_v=1.2004, amplitude_v=amplitude_v, frequency_hz=Fraction(41))
    wired = edited(cured, SetWiring(wiring.replaced(source=sine)))
    expectations = [
        suggest_expectation
        for suggest_expectation in suggest_expectations(only(wired), "Upper zone")
        if isinstance(suggest_expectation, SineExpectation)
    ]
    verdicts = [
        verdict
        for verdict in prove(only(wired, *expectations), take_of(wired)).verdicts
        if verdict.text.count("amplitude")
    ]
    assert [one.outcome for one in verdicts] == ["holds"]
    strict = only(
        wired,
        *(expectation.replaced(within=0.0005, frequency_hz=None) for expectation in expectations),
    )
    outcome = judged(strict, take_of(wired)).outcome
    assert outcome != "fails" or amplitude_v >= 0.02


def test_items_without_room_for_the_lower_bits_come_in_longer_steps(cured: Workspace) -> None:
    """12 bits at the top of 8-bit items: a step is 16 counts, and a sine of few such steps is read
    accordingly."""
    wiring = cured.wiring("A3")
    assert wiring is not None
    sine = SineSource(offset_v=1.2004, amplitude_v=0.05, frequency_hz=Fraction(41))
    wired = edited(cured, SetWiring(wiring.replaced(source=sine)))
    cut = edited(wired, SetAlignment("ADC 1", "left"), SetElementWidth("ADC 1", 8))
    scale = signal_scale(cut, cut.project.chains[0], "Upper zone")
    assert scale.step_v == pytest.approx(3.3 / 256)
    whole, short = (
        next(
            suggest_expectation
            for suggest_expectation in suggest_expectations(only(design), "Upper zone")
            if isinstance(suggest_expectation, SineExpectation)
        )
        for design in (wired, cut)
    )
    assert whole.within == 0.01
    assert short.within > 0.05


def test_a_sine_twice_as_high_fails(cured: Workspace, take_of: Callable[..., Take]) -> None:
    wiring = cured.wiring("A3")
    assert wiring is not None
    sine = SineSource(offset_v=1.2004, amplitude_v=0.0037, frequency_hz=Fraction(41))
    wired = edited(cured, SetWiring(wiring.replaced(source=sine)))
    half = only(wired, SineExpectation(signal="Upper zone", amplitude_v=0.0018, within=0.05))
    assert judged(half, take_of(wired)).outcome == "fails"


def test_a_rate_within_its_tolerance_explains_nothing_else(take_of: Callable[..., Take]) -> None:
    """The oscillator of the converter is off as it may be; a pin that nobody drives is not its
    doing."""
    own = Design(
        "x", "quill-q8", SoftwareTrigger(), Polling(), 2, clock="internal", seconds=0.5
    ).workspace()
    signal = own.project.signals[0]
    floats = edited(
        own, SetWiring(Wiring(pin=signal.pin, source_resistance_ohm=500.0, source=FloatingInput()))
    )
    codes = {one.code for one in find_all(floats) if one.signal == signal.name}
    assert "pin-floats" in codes
    assert "input-beyond-reference" not in codes
    wanted = LevelExpectation(signal=signal.name, level_v=0.3, within_v=0.001)
    design = only(floats, wanted)
    proof = prove(design, take_of(design, 0.5))
    assert [verdict.outcome for verdict in proof.verdicts] == ["fails"]
    assert proof.causes
    assert "oscillator-spread" not in {cause.cause for cause in proof.causes}
    rate = RateExpectation(signal=signal.name, within=50e-6)
    again = only(floats, rate)
    assert "oscillator-spread" in {
        cause.cause for cause in prove(again, take_of(design, 0.5)).causes
    }


def test_a_crossing_on_a_slow_slope_may_be_late_and_not_absent(
    cured: Workspace, take_of: Callable[..., Take]
) -> None:
    """At 0.1 V/s a reading decides over tens of milliseconds when it comes; that it comes is
    sure."""
    ramp = TriangleSource(from_v=1.9, to_v=2.3, period_s="8 s")
    wired = edited(cured, SetWiring(Wiring(pin="A3", source_resistance_ohm=4700.0, source=ramp)))
    design = only(wired, ThresholdExpectation(signal="Upper zone", within_s="2 ms"))
    take = take_of(design, 5.0)
    assert judged(design, take).outcome in {"holds", "open"}
    silent = take.as_of(design)
    silent.__dict__["events"] = take.events[:0]
    assert judged(design, silent).outcome == "fails"


def test_a_stop_that_no_window_made_is_none_by_design(
    cured: Workspace, take_of: Callable[..., Take]
) -> None:
    pauses = Threshold(low=0.4, high=2.1, hysteresis_v=0.01, action="stop", rearm_after_s="50 ms")
    design = edited(
        cured,
        SetThreshold("Upper zone", 0, pauses),
        SetStartup("ADC 1", ("calibrate", "memory", "interrupt", "converter")),
    )
    design = only(design, LevelExpectation(signal="3.3 V rail", level_v=3.3, within_v=0.05))
    proof = prove(design, take_of(design, 0.5))
    assert [verdict.outcome for verdict in proof.verdicts] == ["fails"]
    assert proof.causes[0].cause == "startup-trigger"


def test_what_is_known_of_one_pin_is_not_known_of_another(
    cured: Workspace, take_of: Callable[..., Take]
) -> None:
    """That nobody says what feeds one pin does not make a floating pin of two whose wires are
    exchanged."""
    unsaid = edited(cured, RemoveWiring("A2"))
    first, second = (unsaid.project.wired(pin) for pin in ("A4", "A6"))
    assert first is not None
    assert second is not None
    real = edited(unsaid, SetWiring(first.replaced(pin="A6")), SetWiring(second.replaced(pin="A4")))
    design = only(
        unsaid,
        LevelExpectation(signal="3.3 V rail", level_v=3.3, within_v=0.03),
        WaveformExpectation(signal="Door latch", within_v=0.03),
    )
    proof = prove(design, take_of(real).as_of(design))
    assert [verdict.outcome for verdict in proof.verdicts] == ["fails", "fails"]
    assert proof.causes[0].cause == "wires-exchanged"
    assert (
        set(proof.causes[0].signals) >= {"3.3 V rail", "Door latch"}
        or "Door latch" in proof.causes[0].title
    )


def test_values_that_no_converter_reads_are_not_those_of_a_pin(
    cured: Workspace, take_of: Callable[..., Take]
) -> None:
    take = take_of(cured, 0.5)
    wide = take.as_of(edited(cured, SetAlignment("ADC 1", "right")))
    expectation = LevelExpectation(signal="3.3 V rail", level_v=3.3, within_v=0.03)
    raw = take.raw("3.3 V rail")
    assert raw is not None
    case = FailingSignal(
        wide, cured.project.chains[0], cured.project.signal("3.3 V rail"), (), {"level"}
    )
    assert case.is_reading
    case.__dict__.pop("is_reading")
    case.__dict__["measured_v"] = case.measured_v + 100.0
    assert not case.is_reading
    case.__dict__["is_off"] = True
    assert floating_pin(case) is None
    assert input_beyond_reference(case) is None
    assert prove(only(cured, expectation), take).count("holds") == 1
