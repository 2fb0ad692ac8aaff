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
from wattigram.core.model.design.edits import SetUart, apply_edit
from wattigram.core.model.design.workspace_files import save_workspace
from wattigram.core.model.part import find_part
from wattigram.core.predict.timing import other_end
from wattigram.core.predict.timing.serial_wires import heard_s

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


ASKING = """
format = "wattigram-project"
version = 6
name = "asking"
part = "marten-m3"
reference = "supply"
[[uarts]]
name = "UART 1"
baud = {baud}
[[bench]]
pin = "B11"
source_resistance = "0 Ω"
[bench.source]
kind = "board"
project = "answering.wattigram.toml"
output = "UART 2"
[[reactions]]
name = "Ask"
cycles = 300
[reactions.when]
kind = "period"
period = "7 ms"
[reactions.do]
kind = "text"
uart = "UART 1"
text = "?"
[[reactions]]
name = "Answered"
cycles = 100
[reactions.when]
kind = "byte"
uart = "UART 1"
byte = 33
[reactions.do]
kind = "pin"
pin = "B0"
level = "toggle"
[[expectations]]
kind = "reaction"
signal = "Answered"
within = "100 us"
"""
ANSWERING = """
format = "wattigram-project"
version = 6
name = "answering"
part = "osprey-x2"
reference = "supply"
[[uarts]]
name = "UART 2"
baud = {baud}
[[bench]]
pin = "{receives}"
source_resistance = "0 Ω"
[bench.source]
kind = "board"
project = "asking.wattigram.toml"
output = "UART 1"
[[reactions]]
name = "Answer"
cycles = 9000
[reactions.when]
kind = "byte"
uart = "UART 2"
byte = 63
[reactions.do]
kind = "text"
uart = "UART 2"
text = "!"
"""


def askers(folder: Path, baud: int = 115_200) -> Path:
    """Two projects that hear each other; the path of the one that asks."""
    folder.mkdir()
    receives = find_part("osprey-x2").uart("UART 2").receive_pins["UART 2"]  # type: ignore[union-attr]
    (folder / "answering.wattigram.toml").write_text(ANSWERING.format(baud=baud, receives=receives))
    path = folder / "asking.wattigram.toml"
    path.write_text(ASKING.format(baud=baud))
    return path


def answers_s(path: Path) -> tuple[np.ndarray, np.ndarray]:
    """When questions begin to leave, and when answers are there."""
    with open_take(path) as take:
        assert prove(take.workspace, take).all_hold
        sent = take.output(0).times_s
        watch = next(
            number for number, one in enumerate(take.workspace.watches) if one.kind == "byte"
        )
        events = take.events[take.events["source"] == watch]
        return sent, events["ticks"] / take.tick_hz


@pytest.mark.parametrize("baud", [9600, 115_200, 1_000_000])
def test_boards_answer_each_other(tmp_path: Path, baud: int) -> None:
    """A question goes over the wire, the other board takes its clocks, and the answer comes back."""
    asking = open_workspace(askers(tmp_path / "both", baud))
    assert not asking.unread
    answering = asking.others["answering.wattigram.toml"]
    caller = answering.others["asking.wattigram.toml"]
    assert caller.is_caller
    assert caller.project is asking.project
    assert {one.code for one in find_all(asking)} <= {"terminal-not-text"}
    record_run(asking, 0.2, tmp_path / "take.h5", fast=True)
    sent, answered = answers_s(tmp_path / "take.h5")
    assert len(sent) == 28
    assert len(answered) in {27, 28}
    word_s = float(heard_s(asking, "UART 1"))
    there_s = float(heard_s(answering, "UART 2"))
    taken_s = 9000 / float(answering.bus_clock_hz)
    wanted = sent[: len(answered)] + word_s + there_s + taken_s
    assert np.abs(answered - wanted).max() < 2.5e-6 + 0.02 * word_s


def test_a_design_that_is_edited_is_heard_as_it_is(tmp_path: Path) -> None:
    asking = open_workspace(askers(tmp_path / "both"))
    uart = asking.project.uart("UART 1")
    assert uart is not None
    slower = apply_edit(asking, SetUart(uart.replaced(baud=57_600)))
    caller = slower.others["answering.wattigram.toml"].others["asking.wattigram.toml"]
    assert caller.project.uarts[0].baud == 57_600
    record_run(slower, 0.05, tmp_path / "take.h5", fast=True)
    with open_take(tmp_path / "take.h5") as take:
        assert not len(take.events), "neither reads what the other says"
        again = take.workspace.others["answering.wattigram.toml"]
        assert again.others["asking.wattigram.toml"].is_caller


@needs_compiler
def test_an_image_is_answered_as_the_design_is(tmp_path: Path) -> None:
    asking = open_workspace(askers(tmp_path / "both"))
    image = built(asking, tmp_path / "c").elf
    record(asking, 0.1, tmp_path / "image.h5", f"image:{image}").close()
    sent, answered = answers_s(tmp_path / "image.h5")
    assert len(sent) == 14
    assert len(answered) == 14 - (sent[-1] > 0.0998)
    late = answered - sent[: len(answered)]
    assert np.ptp(late) < 4e-6


def test_circles_of_pins_are_not_followed_round(tmp_path: Path) -> None:
    """A voltage that each of two boards has of the other would have to be known before it is."""
    path = askers(tmp_path / "both")
    wire = '[[bench]]\npin = "{}"\nsource_resistance = "1 kΩ"\n[bench.source]\nkind = "board"\n'
    ends = 'project = "{}.wattigram.toml"\noutput = "{}"\n'
    path.write_text(path.read_text() + wire.format("A1") + ends.format("answering", "B3"))
    other = path.parent / "answering.wattigram.toml"
    other.write_text(other.read_text() + wire.format("A1") + ends.format("asking", "B0"))
    answering = open_workspace(path).others["answering.wattigram.toml"]
    assert "hears this board in turn" in answering.unread["asking.wattigram.toml"]
    record_run(open_workspace(path), 0.05, tmp_path / "take.h5", fast=True)


def test_a_wheel_that_is_heard_by_its_pedal_goes_on(tmp_path: Path) -> None:
    path = pair(tmp_path / "both")
    pedal = path.parent / "pedal.wattigram.toml"
    pedal.write_text(
        pedal.read_text()
        + '\n[[bench]]\npin = "C7"\nsource_resistance = "0 Ω"\n\n[bench.source]\nkind = "board"\n'
        + 'project = "wheel.wattigram.toml"\noutput = "UART 2"\n'
    )
    wheel = open_workspace(path)
    assert not wheel.others["pedal.wattigram.toml"].unread
    record_run(wheel, 1.5, tmp_path / "take.h5", fast=True)
    with open_take(tmp_path / "take.h5") as take:
        assert prove(wheel, take).all_hold
