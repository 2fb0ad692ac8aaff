"""Rounds of the main loop: counted in images, and what designs with them predict."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import ELF, measured_and_built, record
from tests.core.firmware.compiled import needs_compiler
from tests.paths import EXAMPLE_FILES
from wattigram.core.emulator.main_rounds import MainRounds
from wattigram.core.model.design import Polling, SoftwareTrigger, Workspace, open_workspace
from wattigram.core.model.design.edits import SetRetrieval, SetTrigger
from wattigram.core.predict.timing import retrieval_timing, scan_timing


def test_a_round_is_from_one_look_to_the_next_for_the_same() -> None:
    rounds = MainRounds()
    rounds.look("ADC 1", 90)
    rounds.begin(100)
    rounds.look("ADC 1", 100)  # where it stood
    for start in (400, 500, 600, 700):
        rounds.look("command", start - 30)
        rounds.look("ADC 1", start)
    assert rounds.empty == 100
    assert rounds.more == 200  # the first round was 300 long


def test_a_main_loop_that_sleeps_has_none() -> None:
    rounds = MainRounds()
    rounds.begin(100)
    rounds.look("command", 150)
    assert rounds.empty is None
    assert rounds.more is None


def software_started(name: str, *, polls: bool) -> Workspace:
    """An example whose first converter software starts pass after pass."""
    path = next(one for one in EXAMPLE_FILES if one.name.startswith(name))
    workspace = open_workspace(path)
    converter = workspace.project.chains[0].converter
    workspace = edited(workspace, SetTrigger(converter, SoftwareTrigger()))
    return edited(workspace, SetRetrieval(converter, Polling())) if polls else workspace


@needs_compiler
@pytest.mark.parametrize(
    ("name", "polls", "run_s", "within"),
    [
        ("wheel.", False, 0.03, 1e-3),
        ("wheel.", True, 0.03, 1e-3),
        ("converter-checkup", False, 0.03, 1e-2),  # a half more or less is as much
        ("kiln-lamp", True, 0.05, 5e-3),
        (
            "converter-checkup",
            True,
            0.03,
            1e-2,
        ),  # it loses half of all, and sends each other by itself
        ("pedal.", True, 0.2, 0.035),  # divisions of the C library take the longer the later it is
    ],
)
def test_passes_come_as_often_as_a_design_with_counted_rounds_says(
    name: str, polls: bool, run_s: float, within: float, tmp_path: Path
) -> None:
    measured = measured_and_built(software_started(name, polls=polls), tmp_path, 0.01)
    chain = measured.project.chains[0]
    assert chain.buffer.round_cycles is not None
    assert chain.buffer.start_cycles is not None
    with (
        record(measured, run_s, tmp_path / "image.h5", f"image:{tmp_path / ELF}") as image,
        record(measured, run_s, tmp_path / "design.h5") as design,
    ):
        due = run_s * float(len(chain.slots) * scan_timing(measured, chain).cycle_rate_hz)
        assert design.item_count(0) == pytest.approx(due, rel=within)
        assert image.item_count(0) == pytest.approx(due, rel=within)
        lost = float(retrieval_timing(measured, chain).lost_hz) * run_s
        assert design.lost_items(0) == pytest.approx(lost, abs=3, rel=within)
        assert image.lost_items(0) == pytest.approx(lost, abs=3, rel=within)
