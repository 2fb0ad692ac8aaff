"""What the program does by itself is the same with firmware and without, but for the time that the
program takes."""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import ELF, measured_and_built, record
from tests.core.firmware.compiled import built, needs_compiler
from tests.core.firmware.judged import judged
from tests.core.firmware.reacting import reacting
from tests.core.silicon.registers.designs import random_workspace
from tests.paths import EXAMPLES
from wattigram.core.capture.take import Take
from wattigram.core.firmware.c_names import c_identifiers
from wattigram.core.model.design import (
    CallAction,
    PeriodElapsed,
    PinAction,
    Reaction,
    Workspace,
    open_workspace,
    program_outputs,
)
from wattigram.core.model.design.edits import SetReaction
from wattigram.core.predict.timing import scan_timing

pytestmark = needs_compiler
CASES = Path(__file__).parents[2] / "cases" / "program"
LONGEST_WORK = 200_000
"""Clocks after which a program has done all that comes before something at the same instant."""
MOST_MISSING = 60
"""Bytes and changes that come after the end, for the program was not through with them."""


def rows(take: Take) -> dict[str, list[tuple[int, int]]]:
    """Ticks and values of everything that the program moved, by its title."""
    project = take.workspace.project
    found = {}
    for number, output in enumerate(program_outputs(project.reactions)):
        seen = take.output(len(project.routes) + number)
        ticks = np.rint(seen.times_s * take.tick_hz).astype(np.int64).tolist()
        found[output.title] = list(zip(ticks, seen.marked.tolist(), strict=True))
    return found


def both(workspace: Workspace, seconds: float, folder: Path) -> tuple[dict, dict]:  # type: ignore[type-arg]
    """What is moved with the image, and without, handlers as long as they were measured."""
    measured = measured_and_built(workspace, folder)
    address = f"image:{folder / ELF}"
    with (
        record(measured, seconds, folder / "image.h5", address) as image,
        record(measured, seconds, folder / "design.h5") as design,
    ):
        assert "fault" not in image.totals
        return rows(image), rows(design)


def at(moved: list[tuple[int, int]], tick: int) -> int | None:
    """What stands at an instant."""
    place = bisect_right(moved, (tick, 1 << 40)) - 1
    return moved[place][1] if place >= 0 else None


def assert_as_designed(
    image: dict[str, list[tuple[int, int]]], design: dict[str, list[tuple[int, int]]]
) -> None:
    """Whatever stays long enough for the program to come to it is there in time, and the same bytes are
    sent."""
    assert image.keys() == design.keys()
    for title, moved in design.items():
        found = image[title]
        if title.startswith("UART"):
            sent, due = (Counter(value & 0xFF for _tick, value in rows) for rows in (found, moved))
            assert (sent - due).total() + (due - sent).total() <= 0.05 * len(moved) + MOST_MISSING
            continue
        lasting = [
            (value, until)
            for (tick, value), (until, _next) in pairwise(moved)
            if until - tick > LONGEST_WORK
        ]
        missed = [until for value, until in lasting if at(found, until - 1) != value]
        assert len(missed) <= 0.05 * len(lasting) + 1, title


@pytest.mark.parametrize(
    ("example", "seed"),
    [
        ("kiln-lamp", 1),
        ("kiln-safety", 2),
        ("studio-kiln", 3),
        ("wheel-pedal", 4),
        ("kiln-ramp", 5),
        ("converter-checkup", 6),
    ],
)
def test_any_reactions_move_the_same(example: str, seed: int, tmp_path: Path) -> None:
    base = open_workspace(EXAMPLES / example)
    image, design = both(reacting(judged(base, seed), seed), 0.1, tmp_path)
    assert_as_designed(image, design)
    assert sum(len(moved) for moved in design.values()) > 20


@pytest.mark.parametrize("seed", [23, 43])
def test_any_design_with_reactions_moves_the_same(seed: int, tmp_path: Path) -> None:
    """A program that fetches results itself has less time for all else: what it sends has the same
    form, and what it does in a period it does as often."""
    image, design = both(reacting(random_workspace(seed), seed), 0.02, tmp_path)
    assert image.keys() == design.keys()
    for title, moved in image.items():
        ticks = [tick for tick, _value in moved]
        assert ticks == sorted(ticks), title


def test_own_code_is_called_in_its_period_and_may_use_the_ports(tmp_path: Path) -> None:
    base = open_workspace(EXAMPLES / "kiln-lamp")
    design = edited(
        base,
        SetReaction(
            "Watchdog",
            Reaction(
                name="Watchdog",
                when=PeriodElapsed(period_s="4 ms"),
                do=CallAction(function="feed_the_dog"),
            ),
        ),
        SetReaction(
            "Shown",
            Reaction(
                name="Shown",
                when=PeriodElapsed(period_s="1 s"),
                do=PinAction(pin="B9", level="toggle"),
            ),
        ),
    )
    built(design, tmp_path / "c")
    own = tmp_path / "c" / "own.c"
    own.write_text(
        '#include "wg_hooks.h"\n#include "wg_pins.h"\n'
        "void feed_the_dog(void)\n{\n    wg_port_b_flip(WG_PIN_B9);\n}\n"
    )
    address = f"image:{built(design, tmp_path / 'c').elf}"
    with record(design, 0.05, tmp_path / "image.h5", address) as take:
        tick = take.tick_hz // 1000
        moved = rows(take)["B9"]
        assert [value for _at, value in moved] == [n % 2 for n in range(13)]
        late = [at - 4 * tick * n for n, (at, _value) in enumerate(moved)]
        assert late[0] == 0
        assert all(0 < ticks < 2000 for ticks in late[1:])
        writes = [(write.owner, write.setting, write.place) for write in take.late_writes]
        assert writes == [("Port B", "output", "own.c:5")]


def test_a_pin_that_comes_back_swings_as_its_circuit_does(tmp_path: Path) -> None:
    """A pin charges 10 µF over 10 kΩ until the voltage there is above 2 V, and lets it go below 1.5 V;
    the program looks at each half of its buffer, 8 ms. Held against the circuit worked out by hand."""
    design = open_workspace(CASES / "thermostat.wattigram.toml")
    image, board = both(design, 1.5, tmp_path)
    assert [value for _at, value in image["B4"]] == [value for _at, value in board["B4"]]
    late = [mine - due for (mine, _), (due, _) in zip(image["B4"], board["B4"], strict=True)]
    assert late[0] == 0
    assert all(0 < ticks < 5000 for ticks in late[1:])
    tick_hz, tau_s = 96_000_000, 0.1
    held_s, ready_s = 4e-6, 4.4064e-6
    volts, since_s, is_high, is_warm = 0.0, 0.0, True, False
    wanted = [(0, 1)]
    for half in range(187):
        fetched_s = (8 * half + 7) * 1e-3 + ready_s
        changes = []
        for scan in range(8 * half, 8 * half + 8):
            level = 3.3 if is_high else 0.0
            now_s = scan * 1e-3 + held_s
            there_v = level + (volts - level) * np.exp(-(now_s - since_s) / tau_s)
            if there_v > 2.0 if not is_warm else there_v <= 1.5:
                is_warm = not is_warm
                changes.append(not is_warm)
        for level_after in changes[-1:]:
            level = 3.3 if is_high else 0.0
            volts = level + (volts - level) * np.exp(-(fetched_s - since_s) / tau_s)
            since_s, is_high = fetched_s, level_after
            wanted.append((round(fetched_s * tick_hz), int(level_after)))
    assert board["B4"] == wanted


def test_with_its_clocks_put_in_a_design_comes_as_late_as_its_firmware(tmp_path: Path) -> None:
    base = open_workspace(CASES / "thermostat.wattigram.toml")
    (reaction,) = base.project.reactions
    image, board = both(base, 0.5, tmp_path)
    late = [mine - due for (mine, _), (due, _) in zip(image["B4"], board["B4"], strict=True)][1:]
    measured = edited(
        base, SetReaction(reaction.name, reaction.replaced(cycles=sorted(late)[len(late) // 2]))
    )
    with record(measured, 0.5, tmp_path / "measured.h5") as take:
        found = rows(take)["B4"]
    assert [value for _at, value in found] == [value for _at, value in image["B4"]]
    apart = [mine - due for (mine, _), (due, _) in zip(image["B4"], found, strict=True)]
    assert max(map(abs, apart)) < 300


def test_what_a_hook_takes_delays_and_loses(tmp_path: Path) -> None:
    """A long loop in own code: what comes after it is late, and a main loop that is kept for longer than
    a half of the buffer lasts does not send it."""
    base = open_workspace(EXAMPLES / "kiln-lamp")
    design = edited(
        base,
        SetReaction(
            "Long",
            Reaction(
                name="Long",
                when=PeriodElapsed(period_s="20 ms"),
                do=CallAction(function="take_long"),
            ),
        ),
    )
    folder = tmp_path / "c"
    built(design, folder)
    totals, lost = [], []
    for turns in (0, 300_000):
        (folder / "own.c").write_text(
            '#include "wg_hooks.h"\nvolatile uint32_t turns;\nvoid take_long(void)\n{\n'
            f"    for (turns = 0u; turns < {turns}u; turns++) {{\n    }}\n}}\n"
        )
        address = f"image:{built(design, folder).elf}"
        with record(design, 0.2, tmp_path / f"{turns}.h5", address) as take:
            assert not take.fault
            totals.append(take.totals)
            lost.append(take.lost_items(0))
    assert lost[0] == 0
    assert lost[1] > 0
    assert totals[0]["busy.main"] < 0.3 * totals[0]["ticks"]
    assert totals[1]["busy.main"] > 0.7 * totals[1]["ticks"]


def test_own_code_in_an_isr_comes_before_all_that_the_main_loop_does(tmp_path: Path) -> None:
    base = open_workspace(EXAMPLES / "kiln-lamp")
    shown = Reaction(
        name="Shown",
        when=PeriodElapsed(period_s="1 s"),
        do=PinAction(pin="B9", level="toggle"),
    )
    design = edited(base, SetReaction("Shown", shown))
    built(design, tmp_path / "c")
    (tmp_path / "c" / "own.c").write_text(
        '#include "wg_hooks.h"\n#include "wg_pins.h"\n'
        "void wg_isr_half_adc_1(bool is_second)\n{\n    if (is_second) {\n"
        "        wg_port_b_flip(WG_PIN_B9);\n    }\n}\n"
    )
    address = f"image:{built(design, tmp_path / 'c').elf}"
    chain = design.project.chains[0]
    cycle = scan_timing(design, chain)
    scans = chain.buffer.samples // len(chain.slots)
    with record(design, 0.1, tmp_path / "image.h5", address) as take:
        moved = rows(take)["B9"][1:]
        full_s = float((scans - 1) * cycle.cycle_s + cycle.slots[-1].end_s)
        wrap_s = float(scans * cycle.cycle_s)
        late = [
            tick - (full_s + number * wrap_s) * take.tick_hz
            for number, (tick, _level) in enumerate(moved)
        ]
    assert len(moved) > 20
    assert all(0 < ticks < 600 for ticks in late)


def test_the_clocks_of_each_reaction_are_counted(tmp_path: Path) -> None:
    """A loop in own code costs what it takes, a text more than a pin."""
    base = open_workspace(EXAMPLES / "kiln-lamp")
    calls = Reaction(
        name="Own loop", when=PeriodElapsed(period_s="20 ms"), do=CallAction(function="loops")
    )
    design = edited(base, SetReaction("Own loop", calls))
    folder = tmp_path / "c"
    built(design, folder)
    found = []
    for rounds in (10, 1010):
        (folder / "own.c").write_text(
            '#include "wg_hooks.h"\nvolatile uint32_t tries;\n'
            "void react_to_nothing(void)\n{\n    tries++;\n}\n"
            "void loops(void)\n{\n"
            f"    for (volatile uint32_t n = 0u; n < {rounds}u; n++) {{\n    }}\n}}\n"
        )
        with record(
            design, 0.1, tmp_path / f"{rounds}.h5", f"image:{built(design, folder).elf}"
        ) as take:
            names = c_identifiers(one.name for one in design.project.reactions)
            # What own code calls so is its own.
            assert "reaction.to_nothing" not in take.totals
            counted = {name: take.totals[f"reaction.{c}"] for name, c in names.items()}
            found.append(counted)
    assert set(found[0]) == {one.name for one in design.project.reactions}
    assert found[1]["Own loop"] - found[0]["Own loop"] == pytest.approx(1000 * 6, rel=0.4)
    rest = [{name: n for name, n in one.items() if name != "Own loop"} for one in found]
    assert rest[0] == rest[1]
    assert rest[0]["Hot line"] > 3 * rest[0]["Hot lamp"] > 0
