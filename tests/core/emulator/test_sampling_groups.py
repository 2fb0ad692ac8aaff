"""Channels of a converter that share a sampling time: a register for each group, or for each channel."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import record
from tests.core.firmware.compiled import built, needs_compiler
from tests.paths import KILN
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import EditError, WattigramError
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.edits import AddSlot, SetSampling
from wattigram.core.model.design.templates import slot_for
from wattigram.core.model.part import copy_part, load_part
from wattigram.core.silicon.registers import as_set_up
from wattigram.desktop.inspector.panels import panel_for
from wattigram.desktop.state.selection import Selection

HOLD = re.compile(r'^ *\{ name = "HOLD".*\n', re.MULTILINE)
FAST, SLOW = (2, 4), tuple(number for number in range(19) if number not in (2, 4))
"""Channels of the demo's coil and door, and all others."""
OpenPart = Callable[[str], Workspace]


def grouped_text(text: str, of: str, groups: str) -> str:
    """A part whose sampling times lie in registers of their own, and not in those of the slots."""
    hold = HOLD.search(text)
    assert hold is not None
    text = text.replace(hold[0], "")
    count, offset = (2, "0x24") if of == "group" else (19, "0x200")
    register = (
        f'[[blocks.registers]]\nname = "SHARE"\noffset = {offset}\ncount = {count}\nstep = 4\n'
        f'of = "{of}"\ntitle = "sampling time"\nfields = [\n{hold[0]}]\n\n'
    )
    text = text.replace(
        '[[blocks.registers]]\nname = "REACH"', register + '[[blocks.registers]]\nname = "REACH"'
    )
    return re.sub(
        r"^(sampling_cycles = .*\n)", rf"\1sampling_groups = {groups}\n", text, flags=re.MULTILINE
    )


@pytest.fixture
def of_part(tmp_path: Path) -> OpenPart:
    """The demo project on a part whose channels share sampling times."""

    def opened(of: str) -> Workspace:
        part = tmp_path / "shared.toml"
        copy_part("marten-m3", part, "Shared")
        groups = f"[{list(FAST)}, {list(SLOW)}]" if of == "group" else "[]"
        part.write_text(grouped_text(part.read_text(), of, groups))
        project = KILN.read_text().replace('part = "marten-m3"', 'part = "shared.toml"')
        (tmp_path / "kiln.wattigram.toml").write_text(project)
        return open_workspace(tmp_path / "kiln.wattigram.toml")

    return opened


def samplings(workspace: Workspace) -> list[float]:
    return [slot.sampling_cycles for slot in workspace.project.chains[0].slots]


def test_those_of_a_group_are_set_together(of_part: OpenPart) -> None:
    workspace = of_part("group")
    assert samplings(workspace) == [32, 128, 32, 128]
    with pytest.raises(EditError, match=r"slot 1 \(Coil current\) and slot 3 for one and the same"):
        edited(workspace, SetSampling("ADC 1", 2, 384, "Door latch"))
    panel = panel_for(workspace, Selection("ADC 1", 2, "Door latch", "sample"))
    assert panel is not None
    field = next(one for one in panel.fields if one.label == "sampling of slots 1, 3")
    edit = field.make("384 clk")
    assert edit is not None
    assert samplings(edited(workspace, edit)) == [384, 128, 384, 128]
    (finding,) = (one for one in find_all(workspace) if one.code == "sampling-too-short")
    assert finding.remedy is not None
    cured = edited(workspace, finding.remedy)
    assert samplings(cured)[0] == samplings(cured)[2] > 32
    assert not [one for one in find_all(cured) if one.code == "sampling-too-short"]


def test_a_new_slot_takes_what_its_group_has(of_part: OpenPart) -> None:
    workspace = of_part("group")
    edit = slot_for(workspace, "Coil current", "A2")
    assert isinstance(edit, AddSlot)
    assert edit.sampling_cycles == 32
    edit = slot_for(workspace, "3.3 V rail", "A0")
    assert isinstance(edit, AddSlot)
    assert edit.sampling_cycles == 128


@pytest.mark.parametrize("of", ["group", "channel"])
def test_registers_say_what_the_design_says(of_part: OpenPart, of: str) -> None:
    workspace = of_part(of)
    assert samplings(as_set_up(workspace)) == [32, 128, 32, 128]


def test_a_channel_with_a_sampling_time_has_it_in_all_its_slots(of_part: OpenPart) -> None:
    workspace = edited(of_part("channel"), AddSlot("ADC 1", "Door latch", 32))
    assert samplings(as_set_up(workspace)) == [32, 128, 32, 128, 32]
    with pytest.raises(EditError, match="for one and the same time"):
        edited(workspace, SetSampling("ADC 1", 4, 64, "Door latch"))
    panel = panel_for(workspace, Selection("ADC 1", 2, "Door latch", "sample"))
    assert panel is not None
    edit = next(one for one in panel.fields if one.label.startswith("sampling")).make("64 clk")
    assert edit is not None
    assert samplings(as_set_up(edited(workspace, edit))) == [32, 128, 64, 128, 64]


@needs_compiler
@pytest.mark.parametrize("of", ["group", "channel"])
def test_an_image_samples_as_the_design_does(of_part: OpenPart, of: str, tmp_path: Path) -> None:
    workspace = of_part(of)
    elf = built(workspace, tmp_path / "c").elf
    with (
        record(workspace, 0.2, tmp_path / "design.h5") as design,
        record(workspace, 0.2, tmp_path / "image.h5", f"image:{elf}") as image,
    ):
        mine, other = design.items(0), image.items(0)
        count = min(len(mine), len(other))
        assert count > 1500
        assert np.array_equal(mine[:count], other[:count])


@pytest.mark.parametrize(
    ("groups", "said"),
    [
        ("[[2, 4], [4]]", "sampling_groups"),
        ("[[2, 99]]", "channel 99"),
        ("[[2, 4]]", "is in none"),
        (f"[[2], [4], {list(SLOW)}]", "sampling_groups. Make them as many"),
        ("[[]]", "sampling_groups"),
    ],
)
def test_groups_that_cannot_be_are_a_sentence(groups: str, said: str, tmp_path: Path) -> None:
    part = tmp_path / "shared.toml"
    copy_part("marten-m3", part, "Shared")
    part.write_text(grouped_text(part.read_text(), "group", groups))
    with pytest.raises(WattigramError, match=said):
        load_part(part)
