"""Bytes that come over a serial port as causes: with firmware and without."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import record
from tests.core.emulator.test_inputs import DESIGN
from tests.core.firmware.compiled import built, needs_compiler, rebuilt
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import ProjectError
from wattigram.core.firmware import write_firmware
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.workspace_files import workspace_from_text
from wattigram.core.predict.clocks import uart_timing
from wattigram.core.predict.program import when_text

UART = """
[[uarts]]
name = "UART 1"
baud = 19200
parity = "even"
"""
SENDER = """
[[bench]]
pin = "B11"
source_resistance = "100 Ω"
[bench.source]
kind = "serial"
baud = 19200
parity = "even"
interval = "3.1 ms"
bits = 5
period = "1 s"
"""
ON_BYTE = """
[[reactions]]
name = "Seen"
[reactions.when]
kind = "byte"
uart = "UART 1"
byte = 17
[reactions.do]
kind = "pin"
pin = "B4"
level = "toggle"
[[reactions]]
name = "Any"
[reactions.when]
kind = "byte"
uart = "UART 1"
[reactions.do]
kind = "pin"
pin = "B3"
level = "toggle"
[[expectations]]
kind = "reaction"
signal = "Seen"
within = "1 ms"
"""
WITHOUT = DESIGN[: DESIGN.index("[[expectations]]")]
OWN = """
#include "wg_hooks.h"
#include "wg_pins.h"

void wg_isr_event_uart_1_byte_0x11(bool entered)
{
    (void)entered;
    wg_port_a_flip(WG_PIN_A4);
}
"""


def design(*more: str) -> Workspace:
    return workspace_from_text(WITHOUT + "".join(more), "here")


def sent(seconds: float) -> list[tuple[float, int]]:
    """When each byte has come, by hand: a start bit, eight of data, a parity and a stop bit at the real
    bit clock of the receiver."""
    workspace = design(UART, SENDER, ON_BYTE)
    clock = uart_timing(workspace, workspace.project.uarts[0]).baud_hz
    rows = []
    for number in range(int(seconds / 3.1e-3) + 1):
        turns = (number * Fraction(31, 10_000)) % 1
        share = 1 - abs(1 - 2 * turns)
        rows.append((number * 3.1e-3 + float(11 / clock), int(share * 31 + Fraction(1, 2))))
    return [row for row in rows if row[0] < seconds]


@pytest.mark.parametrize("board", ["design", pytest.param("image", marks=needs_compiler)])
def test_each_byte_is_an_event_and_acted_upon(board: str, tmp_path: Path) -> None:
    workspace = design(UART, SENDER, ON_BYTE)
    assert not find_all(workspace)
    address, late = "virtual", 1
    if board == "image":
        address, late = f"image:{built(workspace, tmp_path / 'c').elf}", 300
    wanted = sent(2.0)
    with record(workspace, 2, tmp_path / "take.h5", address) as take:
        any_byte = take.events[take.events["source"] == 1]
        assert any_byte["value"].tolist() == [byte for _at, byte in wanted]
        assert any_byte["entered"].all()
        ticks = [at * take.tick_hz for at, _byte in wanted]
        off = any_byte["ticks"].astype(np.int64) - np.array(ticks)
        assert off.min() > -1
        assert off.max() <= late
        mine = take.events[take.events["source"] == 0]
        assert set(mine["value"].tolist()) == {17}
        assert len(mine) == [byte for _at, byte in wanted].count(17) >= 10
        pin, other = take.output(0), take.output(1)
        assert len(pin.values) == 1 + len(mine)  # its level at the start, and each flip
        assert len(other.values) == 1 + len(wanted)
        assert prove(workspace, take).all_hold


@needs_compiler
def test_own_code_hears_of_a_byte_in_its_isr(tmp_path: Path) -> None:
    workspace = design(UART, SENDER, ON_BYTE.replace('"B3"', '"A4"'))
    folder = tmp_path / "c"
    write_firmware(workspace, folder)
    (folder / "own.c").write_text(OWN)
    image = rebuilt(workspace, folder)
    assert image.elf is not None, image.output
    with record(workspace, 1, tmp_path / "take.h5", f"image:{image.elf}") as take:
        # A4 is flipped by the reaction on any byte, and once more by own code on byte 0x11.
        flips = len(take.output(1).values) - 1
        came = [byte for _at, byte in sent(1.0)]
        assert flips == len(came) + came.count(17)


POLLS = """
#include "wg_hooks.h"
#include "wg_pins.h"
#include "wg_registers.h"

/* Every ten milliseconds: a byte that waits flips B4, one that was overwritten before it B3. */
void wg_samples_lever(const wg_samples *items)
{
    (void)items;
    if ((UART_1_STATE & WIRE_STATE_CAME) != 0u && (UART_1_HEAR & WIRE_HEAR_BYTE_BITS) < 32u) {
        wg_port_b_flip(WG_PIN_B4);
    }
    if ((UART_1_STATE & WIRE_STATE_MISSED) != 0u) {
        UART_1_STATE = WIRE_STATE_MISSED;
        wg_port_b_flip(WG_PIN_B3);
    }
}
"""
IDLE = """
[[reactions]]
name = "Lit"
[reactions.when]
kind = "start"
[reactions.do]
kind = "pin"
pin = "B4"
[[reactions]]
name = "Lit too"
[reactions.when]
kind = "start"
[reactions.do]
kind = "pin"
pin = "B3"
"""


@needs_compiler
@pytest.mark.parametrize(("interval", "missed"), [("3.1 ms", True), ("13 ms", False)])
def test_own_code_that_looks_too_seldom_finds_bytes_overwritten(
    interval: str, missed: bool, tmp_path: Path
) -> None:
    workspace = design(UART, SENDER.replace("3.1 ms", interval), IDLE)
    folder = tmp_path / "c"
    write_firmware(workspace, folder)
    (folder / "own.c").write_text(POLLS)
    image = rebuilt(workspace, folder)
    assert image.elf is not None, image.output
    with record(workspace, 1, tmp_path / "take.h5", f"image:{image.elf}") as take:
        found, lost = (len(take.output(number).values) - 2 for number in (0, 1))
        came = int(1 / float(interval.split()[0]) * 1000) + 1
        looks = 100
        assert found == pytest.approx(min(came, looks), abs=2)
        assert (lost > 90) if missed else (lost <= 0)


def test_dma_and_the_program_cannot_both_take_a_byte() -> None:
    route = """
[[pwm]]
name = "Fan"
timer = "Timer 1"
period = "1 ms"
duty = "50 %"
[[routes]]
name = "In"
channel = "DMA 3"
[routes.source]
kind = "received"
uart = "UART 1"
[routes.destination]
kind = "duty"
pwm = "Fan"
"""
    with pytest.raises(ProjectError, match="which DMA takes for “In”"):
        design(UART, SENDER, ON_BYTE, route)


def test_a_port_that_is_not_set_up_is_named() -> None:
    with pytest.raises(ProjectError, match="waits for bytes of “UART 1”"):
        design(SENDER, ON_BYTE)


def test_causes_are_told_in_words() -> None:
    workspace = design(UART, SENDER, ON_BYTE.replace("byte = 17", "byte = 115"))
    seen, any_byte = workspace.project.reactions
    assert when_text(workspace, seen) == "‘s’ comes over UART 1"
    assert when_text(workspace, any_byte) == "a byte comes over UART 1"


def test_seven_bits_cut_bytes_and_carry_text() -> None:
    """What has more bits than the words of a port is found; plain text goes through."""
    seven = UART.replace("parity", "data_bits = 7\nparity")
    sends = """
[[reactions]]
name = "Report"
[reactions.when]
kind = "period"
period = "50 ms"
[reactions.do]
"""
    said = {
        'kind = "bytes"\nuart = "UART 1"\nsignals = ["Lever"]\n': True,
        'kind = "text"\nuart = "UART 1"\ntext = "lever {Lever:V} V"\n': False,
        'kind = "text"\nuart = "UART 1"\ntext = "lever {Lever:V} °"\n': True,
    }
    for do, is_cut in said.items():
        found = {one.code: one for one in find_all(design(seven, sends + do))}
        assert ("word-too-short" in found) == is_cut
        if is_cut:
            remedy = found["word-too-short"].remedy
            assert remedy is not None
            mended = edited(design(seven, sends + do), remedy)
            assert "word-too-short" not in {one.code for one in find_all(mended)}


def test_a_byte_that_cannot_come_or_is_missed_is_found() -> None:
    codes = {one.code for one in find_all(design(UART, ON_BYTE))}
    assert "byte-never" in codes
    beyond = ON_BYTE.replace("byte = 17", "byte = 300")
    assert "byte-never" in {one.code for one in find_all(design(UART, SENDER, beyond))}
    slow = WITHOUT.replace("samples = 20\n", "samples = 20\nisr_cycles = 96000\n")
    blocked = workspace_from_text(slow + UART + SENDER + ON_BYTE, "here")
    missed = next(one for one in find_all(blocked) if one.code == "bytes-missed")
    assert "1 ms" in missed.message
