"""Boards of two projects on one time line: serial ports and pins wired from one to the other."""

from __future__ import annotations

import shutil
from pathlib import Path

import h5py
import numpy as np
import pytest

from tests.core.emulator.test_image import record
from tests.core.firmware.compiled import built, needs_compiler
from tests.paths import EXAMPLES
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import open_take
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.workspace_files import save_workspace
from wattigram.core.predict.timing import other_end

PAIR = EXAMPLES / "pedal-to-wheel"
LAMPS = """
format = "wattigram-project"
version = 6
name = "lamps"
part = "osprey-x2"
reference = "supply"
[[pwm]]
name = "Glow"
timer = "Timer 1"
period = "200 us"
duty = "25 %"
[[reactions]]
name = "Blink"
[reactions.when]
kind = "period"
period = "{blink}"
[reactions.do]
kind = "pin"
pin = "B3"
level = "toggle"
"""
LISTENER = """
format = "wattigram-project"
version = 6
name = "listener"
part = "marten-m3"
reference = "supply"
[[signals]]
name = "Glow"
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
signal = "Glow"
sampling_cycles = 64
[[bench]]
pin = "A1"
source_resistance = "1 kΩ"
capacitor = "10 uF"
[bench.source]
kind = "board"
project = "lamps.wattigram.toml"
output = "{glow}"
[[bench]]
pin = "B6"
source_resistance = "1 kΩ"
[bench.source]
kind = "board"
project = "lamps.wattigram.toml"
output = "B3"
[[reactions]]
name = "Follow"
[reactions.when]
kind = "input"
pin = "B6"
edge = "both"
look_period = "5 ms"
[reactions.do]
kind = "pin"
pin = "B4"
level = "follows"
[[expectations]]
kind = "waveform"
signal = "Glow"
within = "30 mV"
[[expectations]]
kind = "reaction"
signal = "Follow"
within = "1 ms"
"""


def pair(folder: Path, **changed: str) -> Path:
    """The two projects in a folder, with words of the pedal's replaced."""
    shutil.copytree(PAIR, folder)
    pedal = folder / "pedal.wattigram.toml"
    text = pedal.read_text()
    for old, new in changed.items():
        assert old in text
        text = text.replace(old, new)
    pedal.write_text(text)
    return folder / "wheel.wattigram.toml"


def listener(folder: Path, blink: str = "40 ms") -> Workspace:
    folder.mkdir(exist_ok=True)
    (folder / "lamps.wattigram.toml").write_text(LAMPS.format(blink=blink))
    glow = open_workspace(folder / "lamps.wattigram.toml")
    pin = glow.part.timer("Timer 1").pwm_pins["Timer 1"]  # type: ignore[union-attr]
    path = folder / "listener.wattigram.toml"
    path.write_text(LISTENER.format(glow=pin))
    return open_workspace(path)


@pytest.mark.parametrize("board", ["design", pytest.param("image", marks=needs_compiler)])
def test_bytes_of_one_board_are_duties_of_the_other(board: str, tmp_path: Path) -> None:
    """What the pedal's board sends by itself is, byte for byte, what comes out at the wheel's, a frame
    later."""
    wheel = open_workspace(PAIR / "wheel.wattigram.toml")
    pedal = wheel.others["pedal.wattigram.toml"]
    address = "virtual"
    if board == "image":
        address = f"image:{built(wheel, tmp_path / 'c').elf}"
    record_run(pedal, 3, tmp_path / "pedal.h5", fast=True, seed=2)
    with (
        open_take(tmp_path / "pedal.h5") as alone,
        record(wheel, 3, tmp_path / "wheel.h5", address) as take,
    ):
        sent, duties = alone.output(0), take.output(0)
        count = len(duties.values)
        assert count >= len(sent.values) - 1 > 550
        assert np.array_equal(duties.values, sent.values[:count])
        frame_s = 10 / float(other_end(wheel, "UART 1").baud_hz)  # type: ignore[union-attr]
        late_s = duties.times_s - sent.times_s[:count] - frame_s
        assert late_s.min() > -1e-6
        assert late_s.max() < 51.2e-6 + 5e-6  # up to a period of the motor's pulses
        assert prove(wheel, take).all_hold


@pytest.mark.parametrize("board", ["design", pytest.param("image", marks=needs_compiler)])
def test_pins_of_one_board_are_read_by_the_other(board: str, tmp_path: Path) -> None:
    workspace = listener(tmp_path / "both")
    assert not [one for one in find_all(workspace) if one.severity == "error"]
    address = "virtual"
    if board == "image":
        address = f"image:{built(workspace, tmp_path / 'c').elf}"
    with record(workspace, 1, tmp_path / "take.h5", address) as take:
        glow = take.raw("Glow")
        assert glow is not None
        settled = glow.volts[len(glow.volts) // 2 :]
        assert np.mean(settled) == pytest.approx(0.25 * 3.3, abs=0.01)
        events = take.events[take.events["source"] == 0]
        # B3 toggles every 40 ms from low; a look every 5 ms sees it at the same instant or the next.
        assert events["entered"].tolist() == [number % 2 == 0 for number in range(len(events))]
        at_ms = events["ticks"] / take.tick_hz * 1000
        wanted = 40.0 * np.arange(1, len(at_ms) + 1)
        assert len(at_ms) in {23, 24, 25}
        assert np.all(at_ms - wanted > -0.01)
        assert np.all(at_ms - wanted <= 5.2)
        assert prove(workspace, take).all_hold


def test_a_take_carries_the_boards_that_it_heard(tmp_path: Path) -> None:
    path = pair(tmp_path / "both")
    wheel = open_workspace(path)
    record_run(wheel, 1.5, tmp_path / "take.h5", fast=True)
    shutil.rmtree(path.parent)
    with open_take(tmp_path / "take.h5") as take:
        assert take.workspace.others["pedal.wattigram.toml"].project.name == "pedal"
        assert prove(take.workspace, take).all_hold
        save_workspace(take.workspace, tmp_path / "again.wattigram.toml")
    again = open_workspace(tmp_path / "again.wattigram.toml")
    assert (
        again.others["pedal.wattigram.toml"].project == wheel.others["pedal.wattigram.toml"].project
    )


@pytest.mark.parametrize("damage", ["{", '{"boards": 3}', '{"boards": {"a": {"project": "x"}}}'])
def test_boards_that_a_take_lies_about_are_a_sentence(damage: str, tmp_path: Path) -> None:
    path = tmp_path / "take.h5"
    record_run(open_workspace(PAIR / "wheel.wattigram.toml"), 0.1, path, fast=True)
    with h5py.File(path, "r+") as file:
        del file["boards"]
        file.create_dataset("boards", data=damage, dtype=h5py.string_dtype())
    with pytest.raises(WattigramError) as caught, open_take(path) as take:
        assert take.workspace
    assert "boards" in str(caught.value)


@pytest.mark.parametrize(
    ("old", "new", "code"),
    [
        ("baud = 38400", "baud = 19200", "baud-differs"),
        ("baud = 38400", 'baud = 38400\nparity = "odd"', "line-differs"),
    ],
)
def test_settings_of_the_other_boards_port_are_held_against_ours(
    old: str, new: str, code: str, tmp_path: Path
) -> None:
    wheel = open_workspace(pair(tmp_path / "both", **{old: new}))
    finding = next(one for one in find_all(wheel) if one.code == code)
    assert "UART of pedal" in finding.message or "8O1" in finding.title
    assert finding.remedy is not None
    record_run(wheel, 1.5, tmp_path / "take.h5", fast=True)
    with open_take(tmp_path / "take.h5") as take:
        proof = prove(wheel, take)
        if code == "baud-differs":
            assert proof.count("fails")
            assert proof.causes[0].cause == code
            assert proof.causes[0].fit > 0.95
        else:  # what is kept with a wrong stop bit is the right value on this part
            assert proof.all_hold


def test_a_board_that_is_not_there_or_says_nothing_is_found(tmp_path: Path) -> None:
    path = pair(tmp_path / "both")
    pedal = path.parent / "pedal.wattigram.toml"
    text = pedal.read_text()
    pedal.write_text(text[: text.index("[[reactions]]")])
    found = {one.code: one for one in find_all(open_workspace(path))}
    assert "sends nothing over UART" in found["board-silent"].title
    pedal.unlink()
    found = {one.code: one for one in find_all(open_workspace(path))}
    assert "No such file" in found["board-missing"].message
    record_run(open_workspace(path), 0.2, tmp_path / "take.h5", fast=True)  # and all else runs


def test_boards_that_hear_each_other_are_not_followed_round(tmp_path: Path) -> None:
    path = pair(tmp_path / "both")
    pedal = path.parent / "pedal.wattigram.toml"
    pedal.write_text(
        pedal.read_text()
        + '\n[[bench]]\npin = "C7"\nsource_resistance = "0 Ω"\n\n[bench.source]\nkind = "board"\n'
        + 'project = "wheel.wattigram.toml"\noutput = "UART 2"\n'
    )
    wheel = open_workspace(path)
    assert (
        "hears this board in turn"
        in wheel.others["pedal.wattigram.toml"].unread["wheel.wattigram.toml"]
    )
    record_run(wheel, 1.5, tmp_path / "take.h5", fast=True)
    with open_take(tmp_path / "take.h5") as take:
        assert prove(wheel, take).all_hold
