"""Whether reactions came in time and with the right values, and why not."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import edited
from tests.core.firmware.compiled import built, needs_compiler
from tests.paths import EXAMPLES
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import Take, open_take
from wattigram.core.judge import evidence_for, prove, suggest_for_reaction
from wattigram.core.judge.evidence import TracePanel
from wattigram.core.judge.reaction_effects import sent_texts
from wattigram.core.model.design import (
    BarAction,
    DutyAction,
    PeriodElapsed,
    PinAction,
    Reaction,
    ReactionExpectation,
    ResultsFetched,
    TextAction,
    TextExpectation,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import AddExpectation, SetReaction, apply_edit

LAMP = open_workspace(EXAMPLES / "kiln-lamp")
MIXER = open_workspace(EXAMPLES / "glaze-mixer")
TakeOf = Callable[..., Take]


def only(workspace: Workspace, *expectations: object) -> Workspace:
    """The design with other expectations."""
    project = workspace.project.replaced(expectations=expectations)
    return Workspace(project, workspace.part)


def test_a_lamp_that_waits_for_a_long_buffer_is_late_and_the_fix_mends_it(take_of: TakeOf) -> None:
    design = only(LAMP, ReactionExpectation(signal="Door lamp", within_s="800 us"))
    proof = prove(design, take_of(design, 3.2))
    assert [verdict.outcome for verdict in proof.verdicts] == ["fails"]
    assert "too late" in proof.verdicts[0].note
    assert proof.causes[0].cause == "reaction-late"
    assert proof.causes[0].remedy is not None
    mended = apply_edit(design, proof.causes[0].remedy)
    assert prove(mended, take_of(mended, 3.2)).all_hold


def test_texts_that_find_no_room_are_missed(take_of: TakeOf) -> None:
    line = TextAction(uart="UART 1", text="zone {Upper zone:V} V, door {Door latch:mV} mV\r\n")
    log = Reaction(name="Log", when=PeriodElapsed(period_s="2 ms"), do=line)
    design = only(
        edited(LAMP, SetReaction("Log", log)), TextExpectation(signal="Log", within_v=0.05)
    )
    proof = prove(design, take_of(design, 1.5))
    assert proof.verdicts[0].outcome == "fails"
    assert "did not come" in proof.verdicts[0].note
    assert proof.causes[0].cause == "report-too-long"
    assert proof.causes[0].remedy is not None
    mended = apply_edit(design, proof.causes[0].remedy)
    assert prove(mended, take_of(mended, 1.5)).all_hold


def test_what_is_suggested_holds(take_of: TakeOf) -> None:
    for base, seconds in ((LAMP, 3.0), (MIXER, 2.0)):
        design = only(base)
        for reaction in base.project.reactions:
            for expectation in suggest_for_reaction(design, reaction.name):
                design = edited(design, AddExpectation(expectation))
        proof = prove(design, take_of(design, seconds))
        assert [verdict.text for verdict in proof.verdicts if verdict.outcome == "fails"] == []
        assert proof.count("holds") > len(base.project.reactions) - 2


def test_values_are_read_back_in_every_form(take_of: TakeOf) -> None:
    said = "{Upper zone:V}/{Upper zone:raw mV}/{Upper zone:code}/{Upper zone:raw hex};"
    both = (
        Reaction(
            name="Log",
            when=PeriodElapsed(period_s="20 ms"),
            do=TextAction(uart="UART 1", text=said),
        ),
        Reaction(
            name="Other",
            when=PeriodElapsed(period_s="30 ms"),
            do=TextAction(uart="UART 1", text="door {Door latch:V} V\r\n"),
        ),
    )
    design = LAMP
    for reaction in both:
        design = edited(design, SetReaction(reaction.name, reaction))
    design = only(
        design,
        TextExpectation(signal="Log", within_v=0.02),
        TextExpectation(signal="Other", within_v=0.05),
    )
    take = take_of(design, 1.0)
    texts, strays = sent_texts(take, "UART 1")
    assert strays == 0
    logs = [text for text in texts if text.reaction == "Log"]
    assert len(logs) == 49
    for text in logs:
        volts, millivolts, code, hexed = text.values_v
        assert volts == pytest.approx(code, abs=1e-4)
        assert millivolts == pytest.approx(hexed, abs=1e-4)
        assert volts == pytest.approx(millivolts, abs=0.02)
    assert prove(design, take).all_hold


def test_evidence_is_drawn_for_pins_and_registers(take_of: TakeOf) -> None:
    take = take_of(LAMP, 4.4)
    for verdict in prove(LAMP, take).verdicts:
        panels = evidence_for(take, verdict).panels
        if verdict.signal == "Hot line":
            assert panels == ()
        elif verdict.kind == "reaction":
            (panel,) = panels
            assert isinstance(panel, TracePanel)
            inside = (panel.low_v >= panel.band_low_v) & (panel.high_v <= panel.band_high_v)
            assert inside.mean() > 0.97, verdict.signal


@pytest.mark.parametrize(
    ("name", "own", "words"),
    [
        ("Hot lamp", "wg_port_b_flip(WG_PIN_B4);", "Port B"),
        ("Fan follows", "TIMER_1_PART = 17u;", "Timer 1"),
    ],
)
@needs_compiler
def test_own_code_that_moves_the_same_is_the_cause(
    name: str, own: str, words: str, tmp_path: Path
) -> None:
    design = only(LAMP, ReactionExpectation(signal=name, within_s="2 ms"))
    folder = tmp_path / "c"
    built(design, folder)
    hook = "void wg_samples_door_latch(const wg_samples *samples)"
    (folder / "own.c").write_text(
        '#include "wg_hooks.h"\n#include "wg_pins.h"\n'
        f"{hook}\n{{\n    (void)samples;\n    {own}\n}}\n"
    )
    elf = built(design, folder).elf
    record_run(design, 2.5, tmp_path / "a.h5", board=f"image:{elf}", fast=True)
    with open_take(tmp_path / "a.h5") as take:
        proof = prove(design, take)
        assert [verdict.outcome for verdict in proof.verdicts] == ["fails"]
        assert proof.causes[0].cause == "own-code-writes"
        assert words in proof.causes[0].title
        assert "own.c:6 first wrote" in proof.causes[0].evidence


def test_what_two_set_cannot_be_told_apart(take_of: TakeOf) -> None:
    fan = LAMP.project.reaction("Fan follows")
    assert fan is not None
    assert isinstance(fan.do, DutyAction)
    two = Reaction(
        name="Other", when=ResultsFetched(converter="ADC 1"), do=fan.do.replaced(high=0.5)
    )
    design = only(
        edited(LAMP, SetReaction("Other", two)),
        ReactionExpectation(signal="Fan follows", within_s="60 us"),
    )
    (verdict,) = prove(design, take_of(design, 1.0)).verdicts
    assert verdict.outcome == "open"
    assert "others set the same" in verdict.note


def test_what_never_happened_is_not_judged(take_of: TakeOf) -> None:
    design = only(LAMP, ReactionExpectation(signal="Hot lamp", within_s="2 ms"))
    proof = prove(design, take_of(design, 0.5))
    assert [(verdict.outcome, verdict.note) for verdict in proof.verdicts] == [
        ("open", "nothing was to happen in this take")
    ]


def test_a_bar_that_shows_bits_is_judged_by_its_number(take_of: TakeOf) -> None:
    bits = Reaction(
        name="Bits",
        when=PeriodElapsed(period_s="10 ms"),
        do=BarAction(
            pins=("B8", "B9", "A9", "A10", "A11"),
            shows="bits",
            signal="Upper zone",
            from_v=1.0,
            to_v=2.4,
        ),
    )
    level = Reaction(
        name="Off", when=PeriodElapsed(period_s="1 s"), do=PinAction(pin="B9", level="low")
    )
    design = only(
        edited(LAMP, SetReaction("Bits", bits)), ReactionExpectation(signal="Bits", within_s="1 ms")
    )
    assert prove(design, take_of(design, 2.0)).all_hold
    spoilt = edited(design, SetReaction("Off", level))
    assert prove(spoilt, take_of(spoilt, 2.0)).verdicts[0].outcome == "fails"
