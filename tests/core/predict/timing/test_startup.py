from __future__ import annotations

from itertools import permutations

import pytest

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.model.design import Polling, SoftwareTrigger, Workspace, open_workspace
from wattigram.core.model.design.edits import (
    SetCalibration,
    SetPerTrigger,
    SetRetrieval,
    SetStartup,
    SetTrigger,
)
from wattigram.core.predict.timing import right_order, startup


def steps(workspace: Workspace, chain: int = 0) -> list[str]:
    return [step for step, _why in right_order(workspace, workspace.project.chains[chain])]


def ordered(workspace: Workspace, *order: str):  # type: ignore[no-untyped-def]
    changed = edited(workspace, SetStartup("ADC 1", order))  # type: ignore[arg-type]
    return startup(changed, changed.project.chains[0])


def test_a_chain_has_the_steps_that_it_needs(kiln: Workspace) -> None:
    assert steps(kiln) == ["calibrate", "memory", "interrupt", "converter", "trigger"]
    assert steps(
        edited(kiln, SetCalibration("ADC 1", False), SetRetrieval("ADC 1", Polling()))
    ) == [
        "converter",
        "trigger",
    ]
    assert steps(open_workspace(EXAMPLES / "kiln-safety")) == [
        "calibrate",
        "memory",
        "interrupt",
        "window",
        "converter",
        "trigger",
    ]
    assert steps(open_workspace(EXAMPLES / "wheel-pedal")) == ["interrupt", "converter", "trigger"]


def test_the_right_order_has_no_fault_and_only_it_runs_calibrated(kiln: Workspace) -> None:
    right = tuple(steps(kiln))
    assert startup(kiln, kiln.project.chains[0]).faults == ()
    sound = []
    for order in permutations(right):
        found = ordered(kiln, *order)
        if not found.faults:
            sound.append(order)
        assert bool(found.faults) or (found.runs and found.calibrated)
    assert right in sound
    # Calibration and DMA come before the converter, all of them before the trigger; else any order
    # will do.
    assert len(sound) == 8
    assert all(order[-1] == "trigger" for order in sound)


@pytest.mark.parametrize(
    ("order", "lost"),
    [
        (("memory", "interrupt", "converter", "calibrate", "trigger"), "calibrated"),
        (("calibrate", "interrupt", "converter", "memory", "trigger"), "delivers"),
        (("calibrate", "memory", "converter", "trigger"), "interrupts"),
        (("calibrate", "memory", "interrupt", "trigger"), "starts"),
        (("calibrate", "memory", "interrupt", "converter"), "starts"),
    ],
)
def test_each_step_out_of_place_costs_something(
    kiln: Workspace, order: tuple[str, ...], lost: str
) -> None:
    found = ordered(kiln, *order)
    assert not getattr(found, lost)
    assert found.faults
    assert not found.faults[0].mild


def test_an_early_timer_costs_one_trigger_and_an_early_start_all(kiln: Workspace) -> None:
    early = ("calibrate", "memory", "interrupt", "trigger", "converter")
    timer = ordered(kiln, *early)
    assert timer.starts
    assert timer.faults[0].mild
    software = ordered(edited(kiln, SetTrigger("ADC 1", SoftwareTrigger())), *early)
    assert not software.starts
    endless = ordered(edited(kiln, SetPerTrigger("ADC 1", "continuous")), *early)
    assert not endless.starts
