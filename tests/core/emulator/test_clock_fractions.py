"""Sampling times that are fractions of a converter's clock."""

from __future__ import annotations

import re
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import record
from tests.core.firmware.compiled import built, needs_compiler
from tests.paths import KILN
from wattigram.core.base.errors import EditError, ProjectError, WattigramError
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace, open_workspace, project_text
from wattigram.core.model.design.edits import SetSampling
from wattigram.core.model.part import copy_part, load_part
from wattigram.core.predict.timing import scan_timing
from wattigram.core.silicon.registers import as_set_up
from wattigram.desktop.inspector.panels import panel_for
from wattigram.desktop.state.selection import Selection

TIMES = {8: 7.5, 16: 12.25, 384: 383.5}


@pytest.fixture
def finer(tmp_path: Path) -> Path:
    """The demo project on a part whose sampling times end with a half of a clock."""
    part = tmp_path / "finer.toml"
    copy_part("marten-m3", part, "Finer")
    lines = part.read_text().splitlines(keepends=True)
    for number, line in enumerate(lines):
        if "sampling" in line:
            for whole, broken in TIMES.items():
                if line.startswith("sampling_cycles"):
                    line = line.replace(f" {whole}, ", f" {broken}, ")
                line = line.replace(f'"{whole}" =', f'"{broken}" =')
            lines[number] = line
    part.write_text("".join(lines))
    path = tmp_path / "kiln.wattigram.toml"
    project = KILN.read_text().replace('part = "marten-m3"', 'part = "finer.toml"')
    for whole, broken in TIMES.items():
        project = project.replace(f"sampling_cycles = {whole}\n", f"sampling_cycles = {broken}\n")
    path.write_text(project)
    return path


def cured(path: Path) -> Workspace:
    return edited(open_workspace(path), SetSampling("ADC 1", 2, 383.5, "Door latch"))


def test_fractions_are_kept_exactly(finer: Path) -> None:
    workspace = cured(finer)
    chain = workspace.project.chains[0]
    slot = scan_timing(workspace, chain).slots[2]
    clock_hz = workspace.bus_clock_hz / chain.divider
    assert slot.sampling_s == Fraction(767, 2) / clock_hz
    assert "sampling_cycles = 383.5" in project_text(workspace.project)
    assert as_set_up(workspace).project.chains[0].slots[2].sampling_cycles == 383.5
    panel = panel_for(workspace, Selection("ADC 1", 2, "Door latch", "sample"))
    field = next(one for one in panel.fields if one.label.startswith("sampling"))
    assert field.text == "383.5 clk"
    assert "7.5 clk" in field.options
    edit = field.make("7.5 clk")
    assert edit is not None
    assert edited(workspace, edit).project.chains[0].slots[2].sampling_cycles == 7.5
    with pytest.raises(WattigramError, match="cannot sample for"):
        field.make("7.25 clk")
    with pytest.raises(EditError):
        edited(workspace, SetSampling("ADC 1", 2, 9.5))


@needs_compiler
def test_an_image_samples_as_the_design_does(finer: Path, tmp_path: Path) -> None:
    workspace = cured(finer)
    elf = built(workspace, tmp_path / "c").elf
    with (
        record(workspace, 0.4, tmp_path / "design.h5") as design,
        record(workspace, 0.4, tmp_path / "image.h5", f"image:{elf}") as image,
    ):
        for stream in (0, 1):
            mine, other = design.items(stream), image.items(stream)
            count = min(len(mine), len(other))
            assert count > 3000
            assert np.array_equal(mine[:count], other[:count])
        assert prove(workspace, image).count("fails") == 0


@pytest.mark.parametrize("said", ["1.3", "-2", '"3"'])
def test_what_is_no_time_is_a_sentence(said: str, finer: Path) -> None:
    part = finer.parent / "finer.toml"
    part.write_text(
        part.read_text().replace("sampling_cycles = [3,", f"sampling_cycles = [{said},")
    )
    with pytest.raises(WattigramError, match="sampling"):
        load_part(part)


def test_a_project_may_not_ask_for_less_than_an_eighth(finer: Path) -> None:
    text = re.sub(r"sampling_cycles = \S+", "sampling_cycles = 7.55", finer.read_text(), count=1)
    finer.write_text(text)
    with pytest.raises(ProjectError, match="multiple of an eighth"):
        open_workspace(finer)
