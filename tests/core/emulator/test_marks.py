"""Reactions to the first half of a buffer, to all of it, and to the end of a single run."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.core.emulator.test_image import record
from tests.core.emulator.test_inputs import DESIGN
from tests.core.firmware.compiled import built, needs_compiler
from wattigram.core.base.errors import ProjectError
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.workspace_files import workspace_from_text

ON_MARK = """
[[reactions]]
name = "{name}"
[reactions.when]
kind = "results"
converter = "ADC 1"
mark = "{mark}"
[reactions.do]
kind = "pin"
pin = "{pin}"
level = "toggle"
"""
EXPECTED = '[[expectations]]\nkind = "reaction"\nsignal = "{name}"\nwithin = "500 us"\n'
NAMES = {"Half": ("half", "B3"), "Full": ("full", "B4"), "Each": ("each", "B5")}
BARE = DESIGN[: DESIGN.index("[[expectations]]")]


def design(readout: str = 'kind = "dma"\nchannel = "DMA 1"') -> Workspace:
    text = BARE.replace('kind = "dma"\nchannel = "DMA 1"', readout)
    for name, (mark, pin) in NAMES.items():
        text += EXPECTED.format(name=name) + ON_MARK.format(name=name, mark=mark, pin=pin)
    return workspace_from_text(text, "here")


def flips_ms(take: object, number: int) -> list[float]:
    output = take.output(number)  # type: ignore[attr-defined]
    return [round(at * 1000, 1) for at in output.times_s[1:]]


@pytest.mark.parametrize("board", ["design", pytest.param("image", marks=needs_compiler)])
@pytest.mark.parametrize(
    "readout",
    ['kind = "dma"\nchannel = "DMA 1"', 'kind = "interrupt"\nper = "conversion"'],
    ids=["dma", "interrupt"],
)
def test_each_half_has_its_own_reaction(readout: str, board: str, tmp_path: Path) -> None:
    """Twenty samples, one each millisecond from 0 on: half of them after 9 ms, all after 19."""
    workspace = design(readout)
    address = "virtual"
    if board == "image":
        address = f"image:{built(workspace, tmp_path / 'c').elf}"
    with record(workspace, 0.2, tmp_path / "take.h5", address) as take:
        half, full, each = (np.array(flips_ms(take, number)) for number in range(3))
        assert np.all(np.abs(half - (9 + 20 * np.arange(len(half)))) <= 0.2)
        assert np.all(np.abs(full - (19 + 20 * np.arange(len(full)))) <= 0.2)
        assert len(half) == len(full) == 10
        assert sorted([*half, *full]) == each.tolist()
        assert prove(workspace, take).all_hold


@pytest.mark.parametrize("board", ["design", pytest.param("image", marks=needs_compiler)])
def test_the_end_of_a_single_run_is_acted_upon_once(board: str, tmp_path: Path) -> None:
    workspace = design('kind = "dma"\nchannel = "DMA 1"\ncircular = false\nsingle_run = true')
    address = "virtual"
    if board == "image":
        address = f"image:{built(workspace, tmp_path / 'c').elf}"
    with record(workspace, 0.2, tmp_path / "take.h5", address) as take:
        assert [len(flips_ms(take, number)) for number in range(3)] == [1, 1, 2]
        assert flips_ms(take, 1)[0] == pytest.approx(19, abs=0.2)
        assert prove(workspace, take).all_hold


def test_halves_that_nobody_is_told_of_cannot_be_waited_for() -> None:
    with pytest.raises(ProjectError, match="reads the newest only"):
        design('kind = "dma"\nchannel = "DMA 1"\nread_period = "5 ms"')
