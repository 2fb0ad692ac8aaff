"""A project on another part."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.core.model.part.sheet.heron import heron_draft
from tests.paths import EXAMPLE_FILES, EXAMPLES
from wattigram.core.advise.findings import find_all
from wattigram.core.capture.take import Take
from wattigram.core.judge import prove
from wattigram.core.model.design import open_workspace
from wattigram.core.model.design.part_change import on_other_part
from wattigram.core.model.design.workspace import join_workspace
from wattigram.core.model.part import find_part, list_parts
from wattigram.core.predict.timing import scan_timing
from wattigram.core.silicon.deploy import effective_config

LAMP = EXAMPLES / "kiln-lamp" / "kiln-lamp.wattigram.toml"


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=lambda path: path.stem)
def test_on_its_own_part_a_project_stays_as_it_is(path: Path) -> None:
    old = open_workspace(path)
    made = on_other_part(old.project, old.part, old.part, old.project.part)
    assert made.fits
    assert made.replacements == ()
    assert made.project == old.project


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=lambda path: path.stem)
@pytest.mark.parametrize("identifier", [*(entry.id for entry in list_parts()), "heron-h5.toml"])
def test_what_fits_can_be_checked_and_run(path: Path, identifier: str) -> None:
    """Either it fits, and then it is a project like any other; or what is missing is said."""
    old = open_workspace(path)
    new = heron_draft().part() if identifier.endswith(".toml") else find_part(identifier)
    made = on_other_part(old.project, old.part, new, identifier)
    if not made.fits:
        assert made.faults
        return
    assert made.project is not None
    workspace = join_workspace(made.project, "x", new)
    find_all(workspace)
    effective_config(workspace)
    for before, after in zip(old.project.chains, made.project.chains, strict=True):
        first, second = scan_timing(old, before), scan_timing(workspace, after)
        told = {one.kind: one.after for one in made.replacements}
        for slot, other, one in zip(first.slots, second.slots, after.slots, strict=True):
            text = told.get(f"{after.converter}: sampling of {one.signal}")
            assert text is None or text.startswith(f"{one.sampling_cycles:g} clk")
            longest = max(workspace.converter(after).sampling_cycles)
            clocks = other.sampling_s * second.clock_hz
            assert other.sampling_s >= slot.sampling_s or clocks == longest


def test_what_takes_another_name_is_told_with_what_else_could() -> None:
    old = open_workspace(LAMP)
    made = on_other_part(old.project, old.part, heron_draft().part(), "heron-h5.toml")
    told = {one.key: one for one in made.replacements}
    assert told["converter", "ADC 1"].after == "SARC"
    assert (
        told["timer", "Timer 1"].after == "PULSE0"
    )  # it makes pulses; the trigger's starts a converter
    assert told["timer", "Timer 2"].after == "TICK0"
    assert told["DMA channel", "DMA 1"].candidates == ("CH0", "CH1", "CH2")
    assert told["pin", "A3"].after == "P0"
    assert made.project is not None
    assert made.project.part == "heron-h5.toml"
    assert [signal.pin for signal in made.project.signals][:2] == ["P0", "P1"]


def test_another_candidate_can_be_chosen() -> None:
    old = open_workspace(LAMP)
    new = heron_draft().part()
    chosen = {("DMA channel", "DMA 1"): "CH2", ("pin", "A3"): "P7"}
    made = on_other_part(old.project, old.part, new, "heron-h5.toml", chosen)
    assert made.fits
    assert made.project is not None
    assert made.project.chains[0].dma == "CH2"
    assert made.project.signals[0].pin == "P7"
    assert len({signal.pin for signal in made.project.signals}) == len(made.project.signals)


def test_a_clock_that_the_part_has_not_becomes_its_own() -> None:
    old = open_workspace(LAMP)
    fast = old.project.replaced(bus_clock_hz="96 MHz")
    made = on_other_part(fast, old.part, find_part("quill-q8"), "quill-q8")
    assert ("bus clock", "96 MHz") in {one.key for one in made.replacements}
    assert made.faults  # it has neither DMA nor what the lamps hang on


def test_a_design_on_a_described_part_runs_and_is_proved(take_of: Callable[..., Take]) -> None:
    """Signals, pulses, lamps and texts on a part that was described from its sheet, by the model of the
    program: the program's part holds as on the part it was designed for."""
    old, new = open_workspace(LAMP), heron_draft().part()
    made = on_other_part(old.project, old.part, new, "heron-h5.toml")
    assert made.project is not None
    workspace = join_workspace(made.project, "x", new)
    assert {finding.code for finding in find_all(workspace)} == {
        "input-beyond-reference",  # the latch's 3.3 V against a supply of 3 V
        "baud-off",  # the oscillator's 2 %
    }
    proof = prove(workspace, take_of(workspace))
    held = [one.text for one in proof.verdicts if one.outcome == "holds"]
    assert len(held) >= 6
    assert any("Fan follows" in text for text in held)
