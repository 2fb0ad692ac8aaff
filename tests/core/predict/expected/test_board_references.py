"""References as a board really has them: what is measured counts, and what may be off is in the band."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import record
from tests.core.firmware.compiled import built, needs_compiler
from tests.paths import CASES, EXAMPLES
from wattigram.core.advise.explanations import band
from wattigram.core.base.errors import ProjectError
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import open_take
from wattigram.core.judge import prove
from wattigram.core.model.bench import DcSource, Jumper, TiedInput, Wiring
from wattigram.core.model.design import (
    ConstantLevel,
    Generator,
    LevelExpectation,
    Threshold,
    Workspace,
    limits_v,
    open_workspace,
    part_faults,
    signal_scale,
)
from wattigram.core.model.design.edits import SetBoardReference, SetReference, SetWiring
from wattigram.core.model.design.part_change import on_other_part
from wattigram.core.model.design.project_file import build_id, parse_project, project_text
from wattigram.core.model.part.catalogue import find_part
from wattigram.core.predict.expected import band_half_width_v
from wattigram.core.predict.pins import input_extent_v, tolerance_error_v
from wattigram.core.silicon.registers import as_set_up

MEASURED = SetBoardReference("supply", 3.02)


def half_v(workspace: Workspace, name: str) -> float:
    chain = workspace.project.chain_of(name)
    assert chain is not None
    return band_half_width_v(workspace, chain, name, reduced=False)


def wired(workspace: Workspace, pin: str, source: object) -> Workspace:
    return edited(workspace, SetWiring(Wiring(pin=pin, source_resistance_ohm=0.0, source=source)))


def test_a_supply_that_was_measured_is_full_scale(kiln: Workspace) -> None:
    """Counts, what is a share of it, and the other end of pulls follow; the design on the board is another."""
    other = edited(kiln, MEASURED)
    chain = other.project.chains[0]
    assert other.reference_v == other.supply_v == 3.02
    assert signal_scale(other, chain, chain.slots[0].signal).lsb_v == 3.02 / 4096
    assert other.build_id != kiln.build_id
    assert other.tolerance_of("supply") == 0
    text = project_text(other.project)
    assert 'name = "supply"\nvoltage = "3.02 V"' in text
    assert parse_project(text, "x") == other.project
    assert edited(other, SetBoardReference("supply")).project == kiln.project


def test_a_share_of_the_supply_follows_it() -> None:
    rail = open_workspace(EXAMPLES / "kiln-safety" / "kiln-safety.wattigram.toml")
    other = edited(rail, MEASURED)
    signal = other.project.signal("3.3 V rail")
    assert input_extent_v(other, signal) == pytest.approx((1.51, 1.51))
    loose = edited(rail, SetBoardReference("supply", None, 0.02))
    assert tolerance_error_v(loose, signal) == 0, "a share of what it is measured against"


def test_what_a_reference_may_be_off_is_in_the_band(kiln: Workspace) -> None:
    name = "Coil current"
    loose = edited(kiln, SetBoardReference("supply", None, 0.01))
    highest_v = max(input_extent_v(kiln, kiln.project.signal(name)))
    more_v = half_v(loose, name) - half_v(kiln, name)
    assert more_v == pytest.approx(0.01 * highest_v / float(kiln.project.signal(name).scaling))
    chain = loose.project.chains[0]
    why = band(loose, chain, loose.project.signal(name), filtered=False)
    assert float(why.value) == pytest.approx(half_v(loose, name), rel=1e-12)


def test_what_is_wired_may_be_off_too(kiln: Workspace) -> None:
    """A divider of 1 % resistors; also where it brings a share of the reference itself, or feeds two pins."""
    wiring = kiln.project.wired("A3")
    assert wiring is not None
    loose = edited(kiln, SetWiring(wiring.replaced(tolerance=0.01)))
    highest_v = max(input_extent_v(kiln, kiln.project.signal("Upper zone")))
    for name in ("Upper zone", "Upper zone, twin"):
        off_v = tolerance_error_v(loose, loose.project.signal(name))
        assert off_v == pytest.approx(0.01 * highest_v), name
        chain = loose.project.chain_of(name)
        assert chain is not None
        why = band(loose, chain, loose.project.signal(name), filtered=True)
        known = band_half_width_v(loose, chain, name, reduced=True)
        assert float(why.value) == pytest.approx(known, rel=1e-12)
    tied = Wiring(
        pin="A2", source_resistance_ohm=0.0, source=TiedInput(to="reference"), tolerance=0.002
    )
    both = edited(kiln, SetWiring(tied), SetBoardReference("supply", None, 0.01))
    assert tolerance_error_v(both, both.project.signal("Coil current")) == pytest.approx(0.0066)
    text = project_text(both.project)
    assert 'tolerance = "0.2 %"' in text
    assert parse_project(text, "x") == both.project


@pytest.mark.parametrize("to", ["ground", "reference", "supply", "half"])
def test_what_is_tied_to_it_reads_the_same_whatever_it_is(kiln: Workspace, to: str) -> None:
    workspace = wired(edited(kiln, SetBoardReference("supply", None, 0.01)), "A2", TiedInput(to=to))
    assert tolerance_error_v(workspace, workspace.project.signal("Coil current")) == 0
    internal = edited(
        workspace, SetReference("internal"), SetBoardReference("internal", None, 0.005)
    )
    off_v = tolerance_error_v(internal, internal.project.signal("Coil current"))
    level_v = {"ground": 0.0, "reference": 0.0, "supply": 3.3, "half": 1.65}[to]
    assert off_v == pytest.approx(level_v * 0.015)


def test_a_dac_s_reference_counts_where_it_is_another(kiln: Workspace) -> None:
    level = Generator(name="Level", dac="DAC 1", output=ConstantLevel(voltage_v=1.0))
    project = kiln.project.replaced(generators=(level,))
    looped = wired(kiln.with_project(project), "A2", Jumper(pin=kiln.part.dacs[0].pin))
    loose = edited(looped, SetBoardReference("supply", None, 0.01))
    signal = loose.project.signal("Coil current")
    assert tolerance_error_v(loose, signal) == 0
    dac = loose.part.dacs[0]
    part = loose.part.replaced(
        dacs=(dac.replaced(references=("supply", "internal")), *loose.part.dacs[1:])
    )
    own = level.replaced(reference="internal")
    project = loose.project.replaced(generators=(own,))
    other = Workspace(project, part)
    assert tolerance_error_v(other, signal) == pytest.approx(0.01 * 1.0, rel=2e-3)


def test_a_board_within_its_tolerance_keeps_what_is_derived(
    kiln: Workspace, tmp_path: Path
) -> None:
    """0.8 % more than it should have: seen without a tolerance, and allowed for with one."""
    real = wired(
        edited(kiln, SetBoardReference("supply", 3.3 * 1.008)), "A2", DcSource(voltage_v=3.0)
    )
    record_run(real, 0.2, tmp_path / "real.h5")
    outcomes = []
    for tolerance in (None, 0.01):
        design = wired(kiln, "A2", DcSource(voltage_v=3.0))
        if tolerance:
            design = edited(design, SetBoardReference("supply", None, tolerance))
        allowed_v = half_v(design, "Coil current")
        level = LevelExpectation(signal="Coil current", level_v=3.0, within_v=allowed_v)
        design = design.with_project(design.project.replaced(expectations=(level,)))
        with open_take(tmp_path / "real.h5") as take:
            outcomes += [one.outcome for one in prove(design, take.as_of(design)).verdicts]
    assert outcomes == ["fails", "holds"]


@needs_compiler
def test_firmware_has_the_same_counts(kiln: Workspace, tmp_path: Path) -> None:
    workspace = edited(kiln, MEASURED)
    elf = built(workspace, tmp_path / "c").elf
    with (
        record(workspace, 0.2, tmp_path / "model.h5") as design,
        record(workspace, 0.2, tmp_path / "image.h5", f"image:{elf}") as image,
    ):
        assert np.array_equal(image.items(0), design.items(0))
        assert image.events["entered"].tolist() == design.events["entered"].tolist()


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('name = "supply"', "neither voltage nor tolerance"),
        ('name = "supply"\nvoltage = "0 V"', "above 0"),
        (
            'name = "supply"\nvoltage = "3 V"\n[[references]]\nname = "supply"\ntolerance = "1 %"',
            "Two references",
        ),
    ],
)
def test_what_cannot_be_is_refused(kiln: Workspace, text: str, said: str) -> None:
    head = project_text(kiln.project)
    place = head.index("[[signals]]")
    with pytest.raises(ProjectError, match=said):
        parse_project(f"{head[:place]}[[references]]\n{text}\n\n{head[place:]}", "x")


def test_a_reference_that_the_part_does_not_have_is_told(kiln: Workspace) -> None:
    project = SetBoardReference("bandgap", 1.2).apply(kiln.project)
    (fault,) = part_faults(project, kiln.part)
    assert "bandgap is not to be had on Marten M3" in fault


def test_an_unchanged_design_keeps_its_build_id(kiln: Workspace) -> None:
    assert build_id(kiln.project) == build_id(kiln.project.replaced(references=()))


def test_registers_are_read_with_what_is_wired_to_a_reference_s_pin() -> None:
    """Limits in registers are counts: of 2 V at the pin, not of the 2.5 V that the sheet expects there."""
    text = CASES / "circuit" / "reference-pin-unwired.wattigram.toml"
    workspace = wired(open_workspace(text), "B7", DcSource(voltage_v=2.0))
    assert workspace.reference_v == 2.0
    window = Threshold(low=0.5, high=1.5, condition="outside", done_in="hardware", input="raw")
    signal = workspace.project.signals[0].replaced(filter=None, thresholds=(window,))
    project = workspace.project.replaced(signals=(signal, *workspace.project.signals[1:]))
    there = as_set_up(workspace.with_project(project))
    (back,) = there.project.signals[0].thresholds
    assert limits_v(there, there.project.signals[0], back) == pytest.approx((0.5, 1.5), abs=1e-3)


def test_on_another_part_the_supply_is_what_it_is(kiln: Workspace) -> None:
    """A reference inside the part that was measured is another one there."""
    measured = edited(kiln, MEASURED, SetBoardReference("internal", 1.203))
    other = find_part("osprey-x2")
    change = on_other_part(measured.project, measured.part, other, "osprey-x2")
    assert change.project is not None
    (own,) = change.project.references
    assert (own.name, own.voltage_v) == ("supply", 3.02)
    (gone,) = [one for one in change.replacements if one.kind == "internal is"]
    assert (gone.before, gone.after) == ("1.203 V", "as the part has it")


def test_what_feeds_a_reference_s_pin_may_be_off() -> None:
    text = CASES / "circuit" / "reference-pin-unwired.wattigram.toml"
    feed = Wiring(
        pin="B7", source_resistance_ohm=0.0, source=DcSource(voltage_v=2.5), tolerance=0.001
    )
    workspace = edited(open_workspace(text), SetWiring(feed))
    assert workspace.tolerance_of("external") == 0.001
    signal = workspace.project.signals[0]
    highest_v = max(input_extent_v(workspace, signal))
    assert tolerance_error_v(workspace, signal) == pytest.approx(0.001 * highest_v)
    project = SetBoardReference("external", 2.4).apply(workspace.project)
    (fault,) = part_faults(project, workspace.part)
    assert "State it on the bench" in fault
