from __future__ import annotations

import xml.etree.ElementTree as ElementTree
from collections.abc import Callable
from fractions import Fraction
from html.parser import HTMLParser
from pathlib import Path
from typing import Literal

import numpy as np
import pytest

from tests.conftest import CURE, edited
from wattigram.core.board import Run
from wattigram.core.capture.take import Take, TakeWriter, open_take
from wattigram.core.capture.transport import Decoder, SampleRun
from wattigram.core.contract.board_config import EffectiveConfig
from wattigram.core.contract.link import EVENT_DTYPE, FrameType
from wattigram.core.judge import Proof, evidence_for, prove, write_html, write_junit
from wattigram.core.judge.evidence import HistogramPanel, ScatterPanel, TracePanel
from wattigram.core.judge.evidence_limits import limits_of
from wattigram.core.judge.suggested_expectations import suggest_expectations
from wattigram.core.judge.svg_pictures import panel_svg
from wattigram.core.model.bench import DcSource, FloatingInput, SineSource, SquareSource, Wiring
from wattigram.core.model.design import (
    Expectation,
    FigureExpectation,
    LevelExpectation,
    NoiseExpectation,
    RateExpectation,
    RedundantPairExpectation,
    SineExpectation,
    SquareExpectation,
    Threshold,
    ThresholdExpectation,
    Workspace,
    project_text,
)
from wattigram.core.model.design.edits import (
    AddExpectation,
    RemoveExpectation,
    RenameSignal,
    SetAlignment,
    SetBufferLength,
    SetReference,
    SetSampling,
    SetThreshold,
    SetWiring,
    apply_edit,
)
from wattigram.core.model.design.expectation_sentences import with_fact
from wattigram.core.silicon.deploy import effective_config

TakeOf = Callable[..., Take]


def take_from(
    workspace: Workspace, config: EffectiveConfig, path: Path, seconds: float = 2.5
) -> Take:
    """A take of a board that does not do what the design says, as after wrong firmware."""
    run = Run(config)
    frames = run.advance(int(config.tick_hz * seconds)) + run.finish()
    writer = TakeWriter(path, project_text(workspace.project), workspace.build_id, config.tick_hz)
    for found in Decoder().feed(b"".join(frames)):
        if isinstance(found, SampleRun):
            writer.add_run(found)
        elif found.type is FrameType.EVENTS:
            writer.add_events(np.frombuffer(found.payload, dtype=EVENT_DTYPE))
    writer.close()
    return open_take(path)


def outcomes(proof: Proof) -> dict[str, str]:
    return {verdict.text: verdict.outcome for verdict in proof.verdicts}


def test_the_demo_fails_once_and_the_cure_makes_all_hold(
    kiln: Workspace, cured: Workspace, take_of: TakeOf
) -> None:
    before = prove(kiln, take_of(kiln))
    assert [verdict.kind for verdict in before.verdicts if verdict.outcome == "fails"] == ["square"]
    assert before.causes[0].cause == "sampling-too-short"
    assert before.causes[0].fit > 0.95
    assert before.causes[0].remedy == CURE
    assert not before.all_hold
    after = prove(cured, take_of(cured))
    assert {verdict.outcome for verdict in after.verdicts} == {"holds"}
    assert after.causes == ()
    assert after.all_hold


JUDGED: list[tuple[Expectation, str, str]] = [
    (LevelExpectation(signal="3.3 V rail", level_v=3.3, within_v=0.02), "holds", "mean 3.300 V"),
    (LevelExpectation(signal="3.3 V rail", level_v=3.2, within_v=0.02), "fails", "mean 3.300 V"),
    (
        SquareExpectation(signal="Door latch", low_v=0.02, high_v=3.28, within_v=0.01),
        "holds",
        "level reads",
    ),
    (
        SquareExpectation(signal="Door latch", low_v=0.02, high_v=3.0, within_v=0.01),
        "fails",
        "upper level reads 3.281 V",
    ),
    (
        SquareExpectation(signal="3.3 V rail", low_v=0.0, high_v=3.3, within_v=0.01),
        "open",
        "only the upper level",
    ),
    (SineExpectation(signal="Coil current", frequency_hz="50 Hz", within=1e-4), "holds", "50 Hz ±"),
    (SineExpectation(signal="Coil current", frequency_hz="50 Hz", within=1e-5), "open", "± 30 ppm"),
    (SineExpectation(signal="Coil current", frequency_hz="51 Hz", within=1e-2), "fails", "50 Hz ±"),
    (
        SineExpectation(signal="Coil current", amplitude_v=0.75, within=1e-3),
        "holds",
        "amplitude 0.75",
    ),
    (SineExpectation(signal="Coil current", rms_v=0.53, within=1e-4), "fails", "0.530"),
    (SineExpectation(signal="Coil current", within=1e-4), "holds", "SINAD"),
    (SineExpectation(signal="Door latch", within=1e-2), "fails", "SINAD"),
    (NoiseExpectation(signal="3.3 V rail", rms_v=0.0010), "holds", "0.83"),
    (NoiseExpectation(signal="3.3 V rail", rms_v=0.0007), "fails", "0.83"),
    (RedundantPairExpectation(signal="Upper zone, twin", within_v=0.006), "holds", "pairs"),
    (RedundantPairExpectation(signal="Upper zone, twin", within_v=0.0005), "fails", "pairs"),
    (
        RedundantPairExpectation(signal="Upper zone", within_v=0.006),
        "open",
        "not paired with another",
    ),
    (ThresholdExpectation(signal="Upper zone", within_s="8 ms"), "holds", "2 of 2 crossings"),
    (ThresholdExpectation(signal="Door latch", within_s="8 ms"), "open", "has no threshold"),
    (RateExpectation(signal="Coil current", within=1e-6), "holds", "25000 scans, none lost"),
]


@pytest.mark.parametrize(
    ("expectation", "outcome", "note"),
    JUDGED,
    ids=[f"{e.kind} {n}" for n, (e, _o, _t) in enumerate(JUDGED)],
)
def test_each_kind_is_judged(
    cured: Workspace, take_of: TakeOf, expectation: Expectation, outcome: str, note: str
) -> None:
    take = take_of(cured)
    (verdict,) = prove(
        Workspace(cured.project.replaced(expectations=(expectation,)), cured.part), take
    ).verdicts
    assert (verdict.outcome, note in verdict.note) == (outcome, True), verdict.note
    if outcome != "open":
        assert verdict.samples > 0
        assert verdict.measured is not None
        if verdict.low is not None and verdict.high is not None:
            assert (verdict.low <= verdict.measured <= verdict.high) == (outcome == "holds")


def test_a_sine_with_several_figures_gives_a_verdict_for_each(
    cured: Workspace, take_of: TakeOf
) -> None:
    both = SineExpectation(signal="Coil current", frequency_hz="50 Hz", rms_v=0.6, within=0.01)
    verdicts = prove(
        Workspace(cured.project.replaced(expectations=(both,)), cured.part), take_of(cured)
    ).verdicts
    assert [(verdict.unit, verdict.outcome) for verdict in verdicts] == [
        ("Hz", "holds"),
        ("V", "fails"),
    ]


def test_what_the_take_does_not_know_stays_open(cured: Workspace, take_of: TakeOf) -> None:
    renamed = edited(cured, RenameSignal("Coil current", "Burden"))
    proof = prove(renamed, take_of(cured))
    assert proof.verdicts[0].outcome == "open"
    assert not proof.mark_matches


def test_nothing_judged_is_not_everything_holds(cured: Workspace, take_of: TakeOf) -> None:
    proof = prove(Workspace(cured.project.replaced(expectations=()), cured.part), take_of(cured))
    assert not proof.all_hold


@pytest.mark.parametrize("cycles", [3, 8, 32, 64, 128])
def test_sampling_too_short_is_named_however_short(
    cured: Workspace, take_of: TakeOf, cycles: int
) -> None:
    wrong = edited(
        cured,
        SetSampling("ADC 1", 2, cycles),
        AddExpectation(
            SquareExpectation(signal="Door latch", low_v=0.02, high_v=3.28, within_v=0.002)
        ),
    )
    causes = prove(wrong, take_of(wrong)).causes
    assert causes[0].cause == "sampling-too-short"
    assert causes[0].fit > (0.9 if cycles < 128 else 0.6)
    assert causes[0].remedy is not None
    fixed = apply_edit(wrong, causes[0].remedy)
    assert fixed.project.chains[0].slots[2].sampling_cycles == 384


def test_a_loop_out_of_step_is_named_and_cured(cured: Workspace, take_of: TakeOf) -> None:
    wrong = edited(cured, SetBufferLength("ADC 1", 510))
    proof = prove(wrong, take_of(wrong))
    assert {cause.cause for cause in proof.causes} == {"loop-out-of-step"}
    assert proof.causes[0].fit > 0.99
    assert proof.causes[0].remedy == SetBufferLength("ADC 1", 512)


@pytest.mark.parametrize("design_side", ["right", "left"])
def test_wrong_alignment_is_named(cured: Workspace, tmp_path: Path, design_side: str) -> None:
    """The firmware aligns one way, the design says the other."""
    other = "left" if design_side == "right" else "right"
    design = edited(cured, SetAlignment("ADC 1", design_side))  # type: ignore[arg-type]
    board = edited(cured, SetAlignment("ADC 1", other))  # type: ignore[arg-type]
    with take_from(design, effective_config(board), tmp_path / "t.h5") as take:
        proof = prove(design, take)
    first = proof.causes[0]
    assert first.converter == "ADC 1"
    assert first.cause == "wrong-alignment"
    assert first.fit > 0.9
    assert first.remedy == SetAlignment("ADC 1", other)  # type: ignore[arg-type]


def test_an_input_beyond_the_reference_is_named_and_cured(
    cured: Workspace, take_of: TakeOf
) -> None:
    wrong = edited(cured, SetReference("internal"))
    causes = prove(wrong, take_of(wrong)).causes
    assert {cause.cause for cause in causes} == {"input-beyond-reference"}
    assert causes[0].remedy == SetReference("supply")


def test_an_input_that_the_bench_does_not_know_of_is_named(
    cured: Workspace, tmp_path: Path
) -> None:
    hot = edited(
        cured,
        SetWiring(
            Wiring(
                pin="A2",
                source_resistance_ohm=33.0,
                source=SineSource(offset_v=2.6, amplitude_v=1.5, frequency_hz="50 Hz"),
            )
        ),
    )
    with take_from(cured, effective_config(hot), tmp_path / "t.h5") as take:
        causes = [cause for cause in prove(cured, take).causes if cause.signal == "Coil current"]
    assert causes[0].cause == "input-beyond-reference"
    assert "stand at full scale" in causes[0].evidence


@pytest.mark.parametrize("pin", ["A4", "A6"])
def test_a_floating_pin_is_named(cured: Workspace, tmp_path: Path, pin: str) -> None:
    """The wire has come off, and the bench as described does not know it."""
    name = "Door latch" if pin == "A4" else "3.3 V rail"
    loose = edited(
        cured, SetWiring(Wiring(pin=pin, source_resistance_ohm=1000.0, source=FloatingInput()))
    )
    with take_from(cured, effective_config(loose), tmp_path / "t.h5") as take:
        causes = [cause for cause in prove(cured, take).causes if cause.signal == name]
    assert causes[0].cause == "floating-pin"
    assert "copies the slot before" in causes[0].evidence


def test_nothing_is_guessed_where_nothing_fits(cured: Workspace, tmp_path: Path) -> None:
    """A latch that simply has another level is none of the known mistakes."""
    lower = edited(
        cured,
        SetWiring(
            Wiring(
                pin="A4",
                source_resistance_ohm=1000.0,
                source=SquareSource(low_v=0.3, high_v=2.9, period_s="1 s"),
            )
        ),
    )
    quiet = edited(
        lower,
        SetWiring(Wiring(pin="A6", source_resistance_ohm=1.0, source=DcSource(voltage_v=1.5))),
    )
    with take_from(cured, effective_config(quiet), tmp_path / "t.h5") as take:
        proof = prove(cured, take)
    assert {verdict.signal for verdict in proof.verdicts if verdict.outcome == "fails"} == {
        "Door latch",
        "3.3 V rail",
    }
    assert proof.causes == ()


def test_evidence_fits_its_verdict(kiln: Workspace, take_of: TakeOf) -> None:
    take = take_of(kiln)
    proof = prove(kiln, take)
    for verdict in proof.verdicts:
        panels = evidence_for(take, verdict).panels
        kinds = [type(panel) for panel in panels]
        assert (
            kinds == [TracePanel, ScatterPanel, HistogramPanel]
            if verdict.outcome == "fails"
            else [TracePanel, HistogramPanel]
        )
        trace = panels[0]
        assert isinstance(trace, TracePanel)
        assert (
            len(trace.times_s)
            == len(trace.low_v)
            == len(trace.high_v)
            == len(trace.band_low_v)
            > 10
        )
        codes = panels[-1]
        assert isinstance(codes, HistogramPanel)
        assert codes.counts.sum() == 25_000


class _Reader(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.tags: list[str] = []
        self.links: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append(tag)
        self.links += [value or "" for name, value in attrs if name in {"href", "src"}]


def test_the_report_is_one_file_with_pictures(
    kiln: Workspace, take_of: TakeOf, tmp_path: Path
) -> None:
    take = take_of(kiln)
    hostile = Workspace(kiln.project.replaced(name="<script>kiln</script>"), kiln.part)
    write_html(hostile, take, prove(hostile, take), tmp_path / "r.html")
    text = (tmp_path / "r.html").read_text()
    reader = _Reader()
    reader.feed(text)
    assert reader.tags.count("svg") == 8 * 2 + 1
    assert reader.links == []
    assert "script" not in reader.tags
    assert "Sampling too short for 47 kΩ" in text
    assert "Door latch: sampling 32 clk → 384 clk" in text
    # Each signal as on screen, and what the take was made of.
    assert "--signal:#B4552D" in text
    assert "--signal:#4B5BA7" in text
    assert f"build {kiln.build_id}" in text


def test_junit_counts_what_holds(kiln: Workspace, take_of: TakeOf, tmp_path: Path) -> None:
    take = take_of(kiln, 0.4)
    proof = prove(kiln, take)
    write_junit(kiln, proof, tmp_path / "r.xml")
    suite = ElementTree.parse(tmp_path / "r.xml").getroot()
    assert suite.attrib["tests"] == str(len(proof.verdicts)) == "8"
    assert len(suite.findall("testcase/skipped")) == proof.count("open") == 2
    assert len(suite.findall("testcase/failure")) == proof.count("fails") == 0
    told = {one.attrib["name"]: one.attrib["value"] for one in suite.findall("properties/property")}
    assert told["build"] == kiln.build_id
    first = {
        one.attrib["name"]: one.attrib["value"]
        for one in suite.findall("testcase")[0].iter("property")
    }
    assert float(first["measured"]) == pytest.approx(50, abs=0.1)
    assert first["unit"] == "Hz"


def test_evidence_of_events_has_levels_and_events(cured: Workspace, take_of: TakeOf) -> None:
    take = take_of(cured)
    verdict = next(one for one in prove(cured, take).verdicts if one.kind == "threshold")
    panel = evidence_for(take, verdict).panels[0]
    assert isinstance(panel, TracePanel)
    assert panel.levels == ((0.4, "threshold 0.400 V"), (2.1, "threshold 2.100 V"))
    assert panel.events
    for at_s, began in panel.events:
        assert panel.times_s[0] <= at_s <= panel.times_s[-1]
        near = int(np.argmin(np.abs(panel.times_s - at_s)))
        assert panel.high_v[near] == pytest.approx(2.1, abs=0.03), "where the signal crosses"
        after = int(np.searchsorted(panel.times_s, at_s + 0.1))
        if after < len(panel.times_s):
            assert (panel.low_v[after] > 2.1) == began
    svg = panel_svg(panel)
    assert svg.count('class="level"') == 2
    assert svg.count('class="began"') == sum(began for _at_s, began in panel.events)
    others = [one for one in prove(cured, take).verdicts if one.kind not in {"threshold", "edges"}]
    for one in others:
        for shown in evidence_for(take, one).panels:
            assert not isinstance(shown, TracePanel) or not (shown.levels or shown.events)


def test_what_is_allowed_lies_on_the_evidence(cured: Workspace, take_of: TakeOf) -> None:
    """Each line states the fact that it stands for: put back into the sentence it changes nothing."""
    take = take_of(cured)
    seen = set()
    for verdict in prove(cured, take).verdicts:
        for panel in evidence_for(take, verdict).panels:
            limits = panel.limits if isinstance(panel, TracePanel) else ()
            for limit in limits:
                text = limit.moved_text(limit.value, 1e-6)
                assert with_fact(verdict.expectation, limit.fact, text, ()) == verdict.expectation
                seen.add((verdict.kind, limit.fact))
            assert panel_svg(panel).count('class="limit"') == len(limits)
    assert seen == {
        ("level", "level"),
        ("level", "within"),
        ("square", "low"),
        ("square", "high"),
        ("square", "within"),
        ("redundant-pair", "within"),
    }


@pytest.mark.parametrize(("values", "said"), [("raw", False), ("filtered", True)])
def test_a_figure_s_limits_lie_on_the_values_that_it_is_of(
    cured: Workspace, take_of: TakeOf, values: Literal["raw", "filtered"], said: bool
) -> None:
    aim = FigureExpectation(
        signal="Upper zone", measure="statistics", figure="maximum", at_most=3.0, input=values
    )
    take = take_of(edited(cured, AddExpectation(aim)))
    verdict = prove(take.workspace, take).verdicts[-1]
    assert verdict.expectation == aim
    panel = evidence_for(take, verdict).panels[0]
    assert isinstance(panel, TracePanel)
    assert ("reduced" in panel.title) == said
    assert [limit.value for limit in panel.limits] == [3.0]


@pytest.mark.parametrize(
    ("expectation", "fact", "text"),
    [
        (
            FigureExpectation(
                signal="Rail", measure="statistics", figure="mean", at_least=1.0, at_most=2.0
            ),
            "at_most",
            "2.5",
        ),
        (
            ThresholdExpectation(signal="Rail", within_s=Fraction(1, 1000), high_v=2.0),
            "high",
            "2.5 V",
        ),
        (LevelExpectation(signal="Rail", level_v=2.0, within_v=0.1), "level", "2.5 V"),
    ],
    ids=["figure", "threshold", "level"],
)
def test_a_limit_says_where_it_was_moved_to(expectation: Expectation, fact: str, text: str) -> None:
    limit = next(one for one in limits_of(expectation) if one.fact == fact)
    assert limit.moved_text(2.4996, 0.005) == text
    moved = with_fact(expectation, fact, text, ())
    assert next(one for one in limits_of(moved) if one.fact == fact).value == 2.5


@pytest.mark.parametrize(
    "window",
    [
        Threshold(low=2.1, high=1.8, condition="above"),
        Threshold(low=1.5, high=1.3, condition="below"),
    ],
    ids=["above", "below"],
)
def test_the_limit_that_counts_for_nothing_judges_nothing(
    cured: Workspace, take_of: TakeOf, window: Threshold
) -> None:
    workspace = edited(cured, SetThreshold("Upper zone", 0, window))
    take = take_of(workspace, 6.0)
    verdict = next(one for one in prove(workspace, take).verdicts if one.kind == "threshold")
    assert verdict.outcome == "holds", verdict.note
    assert verdict.samples >= 3
    asked_anew = edited(workspace, RemoveExpectation(verdict.index))
    suggested = suggest_expectations(asked_anew, "Upper zone")
    aims = [one for one in suggested if isinstance(one, ThresholdExpectation)]
    assert [(aim.low_v, aim.high_v) for aim in aims] == [(None, None)]
