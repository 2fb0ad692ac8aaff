"""Ports that carry bytes over a UART or USB: what they begin with, and what becomes of it in an image."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import record
from tests.core.firmware.compiled import host_complaints, needs_compiler, rebuilt
from tests.core.model.part.sheet.heron import heron_with_registers
from tests.paths import CASES, EXAMPLES
from wattigram.core.base.errors import FirmwareError
from wattigram.core.firmware import possible_links, write_firmware
from wattigram.core.judge import prove
from wattigram.core.model.design import UartSetup, Workspace, open_workspace
from wattigram.core.model.design.edits import SetPeriod, SetUart
from wattigram.core.model.design.project_file import parse_project
from wattigram.core.model.design.workspace import join_workspace

BRIDGE = CASES / "parts" / "bridge.wattigram.toml"
USB_STACK = """
#include <stdint.h>
void usb_begin(void);
uint32_t usb_room(void);
void usb_put(const uint8_t *bytes, uint32_t count);
static volatile uint32_t given;
void usb_begin(void) {}
uint32_t usb_room(void) { return 64u; }
void usb_put(const uint8_t *bytes, uint32_t count) { given += count + bytes[0]; }
"""


def heron() -> Workspace:
    project = parse_project(BRIDGE.read_text(), str(BRIDGE))
    return join_workspace(project, str(BRIDGE), heron_with_registers().part())


def assert_alike(workspace: Workspace, folder: Path, link: str, seconds: float) -> None:
    """Every code comes over the wire as it was converted."""
    write_firmware(workspace, folder / "c", link=link)
    assert host_complaints(folder / "c") == ""
    built = rebuilt(workspace, folder / "c")
    assert built.elf is not None, built.output
    assert not built.warnings
    with (
        record(workspace, seconds, folder / "model.h5") as design,
        record(workspace, seconds, folder / "image.h5", f"image:{built.elf}") as image,
    ):
        assert not image.fault
        for stream in range(len(workspace.project.chains)):
            assert np.array_equal(image.items(stream), design.items(stream))
            assert not image.lost_items(stream)
        ours = [one.outcome for one in prove(workspace, image).verdicts]
        assert ours == [one.outcome for one in prove(workspace, design).verdicts]


@needs_compiler
def test_a_stream_over_a_uart_is_the_design_s(kiln: Workspace, tmp_path: Path) -> None:
    slow = edited(kiln, SetPeriod("ADC 1", kiln.project.chains[0].trigger.period_s * 10))  # type: ignore[union-attr]
    assert "UART 1@115200" in possible_links(slow)
    assert_alike(slow, tmp_path, "UART 1@1000000", 0.6)


@needs_compiler
def test_a_part_without_registers_for_time_too(tmp_path: Path) -> None:
    workspace = heron()
    free = [one for one in possible_links(workspace) if one != "usb"]
    assert_alike(workspace, tmp_path, f"{free[-1].partition('@')[0]}@1000000", 0.2)


@needs_compiler
def test_a_wire_that_is_too_slow_loses_what_it_would_lose(kiln: Workspace, tmp_path: Path) -> None:
    """The stream is ten times what 115200 baud carry: the main loop waits for the wire, and halves are
    overwritten meanwhile."""
    write_firmware(kiln, tmp_path / "c", link="UART 1")
    elf = rebuilt(kiln, tmp_path / "c").elf
    with record(kiln, 0.5, tmp_path / "image.h5", f"image:{elf}") as image:
        assert not image.fault
        assert image.lost_items(0) > 0.5 * image.item_count(0)
        assert image.totals["overruns.0"] > 0
        assert image.totals["busy.main"] > 0.9 * 0.5 * image.tick_hz


@needs_compiler
@pytest.mark.parametrize("make", ["kiln", "heron"])
def test_usb_asks_for_three_functions(make: str, kiln: Workspace, tmp_path: Path) -> None:
    workspace = kiln if make == "kiln" else heron()
    write_firmware(workspace, tmp_path / "c", link="usb")
    assert host_complaints(tmp_path / "c") == ""
    alone = rebuilt(workspace, tmp_path / "c")
    assert alone.elf is None
    for name in ("usb_begin", "usb_room", "usb_put"):
        assert name in alone.output
    (tmp_path / "c" / "usb.c").write_text(USB_STACK)
    whole = rebuilt(workspace, tmp_path / "c")
    assert whole.elf is not None, whole.output
    assert not whole.warnings


def test_what_cannot_carry_is_refused(kiln: Workspace, tmp_path: Path) -> None:
    def refused(workspace: Workspace, link: str) -> str:
        with pytest.raises(FirmwareError) as caught:
            write_firmware(workspace, tmp_path / "c", link=link)
        return str(caught.value)

    assert "no UART 9" in refused(kiln, "UART 9@9600")
    assert "no rate" in refused(kiln, "UART 1@fast")
    assert "no host hears that" in refused(kiln, "UART 1@921600")
    uses = edited(kiln, SetUart(UartSetup(name="UART 1")))
    assert "used by the design itself" in refused(uses, "UART 1")
    assert "UART 1@115200" not in possible_links(uses)
    write_firmware(kiln, tmp_path / "c")
    assert "port.c already" in refused(kiln, "usb")
    lamp = open_workspace(EXAMPLES / "kiln-lamp")
    assert possible_links(lamp)[-1] == "usb"
