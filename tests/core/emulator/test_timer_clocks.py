"""Timers that run from a share of the bus clock: what they are set to, and what comes of it with firmware."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.core.emulator.test_described_part import moved
from tests.core.emulator.test_image import record
from tests.core.emulator.test_program import assert_as_designed, rows
from tests.core.firmware.compiled import built, needs_compiler
from tests.core.model.part.sheet.heron import heron_with_registers
from tests.paths import EXAMPLES
from wattigram.core.advise.explanations import lines, pwm_rate, trigger_period
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace
from wattigram.core.predict.clocks import timer_setting
from wattigram.core.predict.pins import pwm_timing
from wattigram.core.silicon.registers import as_set_up, differences


@pytest.fixture(scope="module")
def lamp() -> Workspace:
    """A design on a part of 64 MHz whose timers have a quarter of that."""
    draft = heron_with_registers()
    for group in range(2):
        draft = draft.with_value(("timers", group, "clock_divider"), 4)
    return moved(EXAMPLES / "kiln-lamp" / "kiln-lamp.wattigram.toml", draft.part())


def test_counts_are_those_of_the_slower_clock(lamp: Workspace) -> None:
    chain = lamp.project.chains[0]
    setting = timer_setting(lamp, chain.trigger)
    assert (setting.prescaler, setting.period_counts, setting.rate_error) == (1, 1600, 0)
    assert pwm_timing(lamp, lamp.project.pwm[0]).counts == 800
    why = trigger_period(lamp, chain)
    assert why is not None
    told = [text for _depth, text, _place in lines(why)]
    assert "timer clock = bus clock / divider" in told
    assert "divider 4: part: TICK0" in told
    assert pwm_rate(lamp, lamp.project.pwm[0]).value == 20_000


def test_registers_say_the_same(lamp: Workspace) -> None:
    there = as_set_up(lamp)
    assert timer_setting(there, there.project.chains[0].trigger).period_s * 10_000 == 1
    assert (
        pwm_timing(there, there.project.pwm[0]).period_s
        == pwm_timing(lamp, lamp.project.pwm[0]).period_s
    )


@needs_compiler
def test_firmware_counts_as_the_design_does(lamp: Workspace, tmp_path: Path) -> None:
    """Scans, and a duty that follows what is read, come as they come without an image."""
    elf = built(lamp, tmp_path / "c").elf
    said = "Set up TICK0. 1 × 1600 clocks of 16 MHz; registers hold one less."
    assert said in (tmp_path / "c" / "wg_setup.c").read_text()
    with (
        record(lamp, 1.0, tmp_path / "model.h5") as design,
        record(lamp, 1.0, tmp_path / "image.h5", f"image:{elf}") as image,
    ):
        assert not differences(lamp, image.register_writes)
        assert np.array_equal(image.items(0), design.items(0))
        assert_as_designed(rows(image), rows(design))
        fan, *_others = [one for one in prove(lamp, image).verdicts if "Fan follows" in one.text]
        assert "100 % of the values as they should be" in fan.note
