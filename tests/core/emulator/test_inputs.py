"""Port pins that the program looks at: buttons, switches, lines of another board."""

from __future__ import annotations

import math
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import record
from tests.core.firmware.compiled import built, needs_compiler
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import WattigramError
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.workspace_files import workspace_from_text
from wattigram.core.predict.program import reaction_timing

BUTTON = """
[[bench]]
pin = "{pin}"
source_resistance = "1 kΩ"
[bench.source]
kind = "square"
low = "0 V"
high = "3.3 V"
period = "{period}"
"""
REACTION = """
[[reactions]]
name = "{name}"
[reactions.when]
kind = "input"
pin = "{pin}"
edge = "{edge}"
look_period = "{look}"
[reactions.do]
kind = "pin"
pin = "{out}"
level = "{level}"
"""
DESIGN = """
format = "wattigram-project"
version = 6
name = "buttons"
part = "marten-m3"
reference = "supply"
[[signals]]
name = "Lever"
pin = "A1"
[[chains]]
converter = "ADC 1"
divider = 3
[chains.trigger]
kind = "timer"
timer = "Timer 2"
period = "1 ms"
[chains.readout]
kind = "dma"
channel = "DMA 1"
[chains.buffer]
name = "Loop A"
samples = 20
[[chains.slots]]
signal = "Lever"
sampling_cycles = 64
[[bench]]
pin = "A1"
source_resistance = "1 kΩ"
[bench.source]
kind = "dc"
voltage = "1 V"
[[expectations]]
kind = "reaction"
signal = "Lamp"
within = "1 ms"
"""
LAMP = REACTION.format(
    name="Lamp", pin="B6", edge="both", look="5 ms", out="B4", level="follows-inverted"
)
FLIP = REACTION.format(name="Flip", pin="B5", edge="falling", look="7 ms", out="B3", level="toggle")
BUTTONS = BUTTON.format(pin="B5", period="0.1 s") + BUTTON.format(pin="B6", period="0.164 s")


def design(*more: str) -> Workspace:
    return workspace_from_text(DESIGN + "".join(more), "here")


def changes(period_s: Fraction, look_s: Fraction, seconds: int) -> list[tuple[Fraction, bool]]:
    """What whoever looks so often sees of a square whose first half is low: when, and the level."""
    seen, before = [], False
    for number in range(1, math.floor(seconds / look_s)):
        at_s = number * look_s
        level = at_s % period_s >= period_s / 2
        if level != before:
            seen.append((at_s, level))
        before = level
    return seen


@pytest.mark.parametrize("board", ["design", pytest.param("image", marks=needs_compiler)])
def test_what_a_look_finds_changed_is_acted_upon(board: str, tmp_path: Path) -> None:
    """Each change from look to look is an event, and the pins that follow it change with it."""
    workspace = design(LAMP, FLIP, BUTTONS)
    assert not find_all(workspace)
    address, late = "virtual", 0
    if board == "image":
        address, late = f"image:{built(workspace, tmp_path / 'c').elf}", 2000
    with record(workspace, 2, tmp_path / "take.h5", address) as take:
        hz = take.tick_hz
        for number, (period, look) in enumerate(((Fraction(164, 1000), 5), (Fraction(1, 10), 7))):
            rows = take.events[take.events["source"] == number]
            wanted = changes(period, Fraction(look, 1000), 2)
            assert len(rows) == len(wanted) > 20
            assert rows["entered"].astype(bool).tolist() == [level for _at, level in wanted]
            off = rows["ticks"].astype(np.int64) - [round(at * hz) for at, _level in wanted]
            assert off.min() >= 0
            assert off.max() <= late
        lamp, flip = take.output(0), take.output(1)
        up = [level for _at, level in changes(Fraction(164, 1000), Fraction(5, 1000), 2)]
        assert (lamp.values & 1).astype(bool).tolist()[-len(up) :] == [not level for level in up]
        falls = [at for at, level in changes(Fraction(1, 10), Fraction(7, 1000), 2) if not level]
        assert len(flip.times_s) in {len(falls), len(falls) + 1}  # its first level may be told too
        assert prove(workspace, take).all_hold


def test_a_bounce_between_looks_is_not_seen(tmp_path: Path) -> None:
    """A line that goes there and back within a look stands still for the program."""
    workspace = design(
        LAMP, FLIP, BUTTON.format(pin="B6", period="1 ms"), BUTTON.format(pin="B5", period="1 s")
    )
    with record(workspace, 1, tmp_path / "take.h5") as take:
        assert not np.count_nonzero(take.events["source"] == 0)


def test_what_holds_no_level_is_found_and_wired() -> None:
    workspace = design(LAMP)
    finding = next(one for one in find_all(workspace) if one.code == "input-floats")
    assert finding.remedy is not None
    mended = edited(workspace, finding.remedy)
    wiring = mended.project.wired("B6")
    assert wiring is not None
    assert wiring.source.kind == "switch"
    assert "input-floats" not in {one.code for one in find_all(mended)}
    timing = reaction_timing(workspace, workspace.project.reactions[0])
    assert (timing.least_s, timing.most_s) == (0, Fraction(5, 1000))


def test_a_pin_is_not_looked_at_and_set_at_once() -> None:
    own = REACTION.format(name="Own", pin="B4", edge="both", look="5 ms", out="B7", level="high")
    with pytest.raises(WattigramError, match="which another one sets"):
        design(LAMP, own)
    unknown = REACTION.format(
        name="Own", pin="Z9", edge="both", look="5 ms", out="B7", level="high"
    )
    with pytest.raises(WattigramError, match="Z9"):
        design(LAMP, unknown)
