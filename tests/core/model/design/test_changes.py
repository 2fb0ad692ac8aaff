"""What a fix says that it changes."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import CURE, edited
from tests.paths import EXAMPLE_FILES
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import EditError
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.edits import SetSampling, SwapWires, apply_edit
from wattigram.core.model.design.edits.changes import fix_text


def test_each_figure_is_told_before_and_after(kiln: Workspace) -> None:
    assert fix_text(kiln.project, CURE) == "Door latch: sampling 32 clk → 384 clk"


def test_what_changes_nothing_or_cannot_be_done_is_no_fix(kiln: Workspace) -> None:
    assert fix_text(kiln.project, SetSampling("ADC 1", 2, 32)) == ""
    assert fix_text(kiln.project, SetSampling("ADC 1", 99, 32)) == ""


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=lambda path: path.name)
def test_every_fix_of_a_finding_removes_it(path: Path) -> None:
    workspace = open_workspace(path)
    for finding in find_all(workspace):
        if finding.remedy is None:
            continue
        assert finding.fix, finding
        after = apply_edit(workspace, finding.remedy)
        left = {(one.code, one.signal, one.converter) for one in find_all(after)}
        assert (finding.code, finding.signal, finding.converter) not in left, finding.message


def test_wires_are_exchanged_at_both_pins_by_one_edit(kiln: Workspace) -> None:
    pins = [wiring.pin for wiring in kiln.project.bench][:3]
    swapped = edited(kiln, SwapWires(pins[0], pins[1])).project
    assert [swapped.wired(pin).swapped_with for pin in pins] == [pins[1], pins[0], None]  # type: ignore[union-attr]
    moved = SwapWires(pins[1], pins[2]).apply(swapped)
    assert [moved.wired(pin).swapped_with for pin in pins] == [None, pins[2], pins[1]]  # type: ignore[union-attr]
    back = SwapWires(pins[2], None).apply(moved)
    assert back == kiln.project
    with pytest.raises(EditError):
        SwapWires("Z9", pins[0]).apply(kiln.project)
