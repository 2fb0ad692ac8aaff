"""Firmware for a part that was described from its data sheet: interrupts with a bit each, flags that a write
clears, DMA that counts down, sampling times by group in one register, pairs by a bit; and neither clock nor
channel of its own."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.core.emulator.test_image import record
from tests.core.firmware.compiled import built, needs_compiler
from tests.core.model.part.sheet.heron import heron_with_registers
from tests.paths import CASES, EXAMPLES
from wattigram.core.advise.findings import find_all
from wattigram.core.capture.session import record_run
from wattigram.core.capture.session.board_process import ImageBoardProcess
from wattigram.core.capture.take import open_take
from wattigram.core.emulator.board_setup import board_setup
from wattigram.core.judge import prove
from wattigram.core.model.design import (
    Dma,
    Interrupt,
    Polling,
    Workspace,
    open_workspace,
    part_faults,
)
from wattigram.core.model.design.part_change import on_other_part
from wattigram.core.model.design.project_file import parse_project
from wattigram.core.model.design.workspace import join_workspace
from wattigram.core.model.part import Part
from wattigram.core.silicon.registers import as_set_up, differences

pytestmark = needs_compiler
LAMP = EXAMPLES / "kiln-lamp" / "kiln-lamp.wattigram.toml"
BRIDGE = CASES / "parts" / "bridge.wattigram.toml"
SECONDS = 0.4


@pytest.fixture(scope="module")
def heron() -> Part:
    return heron_with_registers().part()


def bridge(part: Part) -> Workspace:
    return join_workspace(parse_project(BRIDGE.read_text(), str(BRIDGE)), str(BRIDGE), part)


def moved(path: Path, part: Part) -> Workspace:
    old = open_workspace(path)
    made = on_other_part(old.project, old.part, part, "heron-h5.toml")
    assert made.project is not None
    return join_workspace(made.project, "x", part)


def fetched(workspace: Workspace, readout: object) -> Workspace:
    project = workspace.project
    chain = project.chains[0].replaced(readout=readout)
    return workspace.with_project(project.replaced(chains=(chain,)))


READOUTS = {
    "interrupts": Interrupt(per="conversion"),
    "polling": Polling(),
    "dma": Dma(channel="CH0"),
    "read when wanted": Dma(channel="CH0", read_period_s=Fraction(1, 200)),
}


@pytest.mark.parametrize("name", READOUTS)
def test_results_are_those_of_the_design(name: str, heron: Part, tmp_path: Path) -> None:
    """A pair, a zone, and the DAC's own pin by a wire; the comparator's edges and the zone's events."""
    workspace = fetched(bridge(heron), READOUTS[name])
    assert not [one for one in find_all(workspace) if one.severity == "error"]
    elf = built(workspace, tmp_path / "c").elf
    with (
        record(workspace, SECONDS, tmp_path / "model.h5") as design,
        record(workspace, SECONDS, tmp_path / "image.h5", f"image:{elf}") as image,
    ):
        assert not image.fault
        assert np.array_equal(image.items(0), design.items(0))
        for watch in (0, 1):
            mine, theirs = (
                take.events["entered"][take.events["source"] == watch].tolist()
                for take in (image, design)
            )
            assert mine == theirs
        assert len(design.events) > 4
        assert not differences(workspace, image.register_writes)
        failed = [one.text for one in prove(workspace, image).verdicts if one.outcome != "holds"]
        # A main loop that looks for results as well comes to a lamp a little later.
        slower = ["Trip lamp acts within 20 µs each time"] if name == "polling" else []
        assert failed == slower


@pytest.mark.parametrize("reference", ["internal", "supply", None])
def test_a_dac_has_the_reference_that_is_chosen_for_it(
    reference: str | None, heron: Part, tmp_path: Path
) -> None:
    """Its full scale follows in the table's codes, in the register that chooses, and at the pin."""
    workspace = fetched(bridge(heron), Dma(channel="CH0"))
    project = workspace.project
    wave = project.tables[0].replaced(amplitude_v=0.5, offset_v=0.7)
    output = project.generators[0].replaced(reference=reference)
    workspace = workspace.with_project(project.replaced(generators=(output,), tables=(wave,)))
    dac = heron.dacs[0]
    full_v = {"internal": 1.5, "supply": 3.0, None: 3.0}[reference]
    assert workspace.full_scale_v(dac) == full_v
    built_c = built(workspace, tmp_path / "c")
    with (
        record(workspace, SECONDS, tmp_path / "model.h5") as design,
        record(workspace, SECONDS, tmp_path / "image.h5", f"image:{built_c.elf}") as image,
    ):
        assert np.array_equal(image.items(0), design.items(0))
        assert not differences(workspace, image.register_writes)
        verdicts = prove(workspace, image).verdicts
        assert [one.outcome for one in verdicts if "Trip lamp" not in one.text].count("fails") == 0
    (played,) = as_set_up(workspace).project.generators
    assert played.reference == (reference or "supply")


def test_a_reference_that_a_dac_does_not_have_is_refused(heron: Part) -> None:
    project = bridge(heron).project
    output = project.generators[0].replaced(reference="bandgap")
    faults = part_faults(project.replaced(generators=(output,)), heron)
    assert faults == (
        "“Sine”: reference of VOUT bandgap is not to be had on Heron H5. Choose one of supply, internal, pin.",
    )


def test_a_dac_s_reference_pin_must_be_wired(heron: Part) -> None:
    workspace = bridge(heron)
    output = workspace.project.generators[0].replaced(reference="pin")
    project = workspace.project.replaced(generators=(output,))
    (found,) = [
        one
        for one in find_all(workspace.with_project(project))
        if one.code.startswith("reference-")
    ]
    assert (found.code, found.signal) == ("reference-not-wired", "Sine")
    assert found.remedy is not None
    mended = workspace.with_project(found.remedy.apply(project))
    assert mended.full_scale_v(heron.dacs[0]) == 2.5
    assert not [one for one in find_all(mended) if one.code.startswith("reference-")]


@pytest.mark.parametrize("core", ["cortex-m4", "cortex-m0plus"])
def test_lamps_pulses_and_texts_on_either_kind_of_core(core: str, tmp_path: Path) -> None:
    """With a cycle counter and without, the same comes, and the program is as quick as its clock lets it."""
    part = heron_with_registers().with_value(("processor", "core"), core).part()
    workspace = moved(LAMP, part)
    elf = built(workspace, tmp_path / "c").elf
    port = (tmp_path / "c" / "port.c").read_text()
    assert ("CYCLES" in port) == (core == "cortex-m4")
    assert "R0, R1: SERIAL" in port
    with (
        record(workspace, 2.5, tmp_path / "model.h5") as design,
        record(workspace, 2.5, tmp_path / "image.h5", f"image:{elf}") as image,
    ):
        assert np.array_equal(image.items(0), design.items(0))
        assert np.array_equal(image.items(128), design.items(128))
        verdicts = prove(workspace, image).verdicts
        held = {one.text for one in verdicts if one.outcome == "holds"}
        for text in ("Hot lamp acts", "Hot line acts", "Door lamp acts", "comes at every scan"):
            assert any(text in one for one in held), text


def test_frames_come_out_of_the_mailbox_through_a_debug_server(heron: Part, tmp_path: Path) -> None:
    """Where nothing but a debug probe reads the board, the firmware's own frames come, with its own ticks."""
    workspace = fetched(bridge(heron), Dma(channel="CH0"))
    elf = built(workspace, tmp_path / "c").elf
    assert elf is not None
    with ImageBoardProcess(board_setup(workspace, 1), elf) as board:
        address = f"gdb:127.0.0.1:{board.ready['gdb']}"
        record_run(workspace, SECONDS, tmp_path / "probed.h5", board=address, elf=elf)
    with (
        record(workspace, SECONDS, tmp_path / "model.h5") as design,
        open_take(tmp_path / "probed.h5") as probed,
    ):
        assert not probed.is_polled
        count = min(probed.item_count(0), design.item_count(0))
        assert count > 0.8 * design.item_count(0)
        assert not len(probed.gaps)
        assert np.array_equal(probed.items(0)[:count], design.items(0)[:count])
