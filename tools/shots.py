"""Takes the pictures of every main view from the demo project: ``shots.py FOLDER
[WIDTHxHEIGHT]``."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from wattigram.core.model.design.edits import SetPeriod, SetSampling, SetStartup, SetUart
from wattigram.desktop.pages.firmware_page import MEMORY, REGISTERS
from wattigram.desktop.pages.page_stack import (
    CHAIN,
    COMPARE,
    FIRMWARE,
    PINS,
    PROGRAM,
    PROOF,
    STREAMS,
    WAVE,
)
from wattigram.desktop.shell import screenshot
from wattigram.desktop.shell.app import make_app, make_window
from wattigram.desktop.shell.part_window import PartWindow
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.selection import Selection
from wattigram.examples import EXAMPLES, STUDIO_KILN

OWN = """#include "wg_hooks.h"

static volatile uint16_t hottest;

/** The highest of the newest items. */
void wg_samples_upper_zone(const wg_samples *items)
{
    uint32_t found = 0u;
    for (uint32_t n = 0u; n < items->count; n++) {
        found = wg_sample(items, n) > found ? wg_sample(items, n) : found;
    }
    hottest = (uint16_t)found;
}
"""


PATIENCE_MS = 300_000


def wait_until(app: QApplication, reached: Callable[[], bool]) -> None:
    """Let the window live until something has come about: a picture of anything else would be false."""
    if not screenshot.wait_until(app, reached, PATIENCE_MS):
        raise SystemExit("What a picture is to show has not come about.")


def main(folder: Path, width: int, height: int) -> None:
    """Go through the demo as its users do, and take a picture at each station."""
    os.environ["WATTIGRAM_CONFIG"] = tempfile.mkdtemp(prefix="wattigram-shots-")
    app = make_app()
    window = make_window(app, STUDIO_KILN)
    window.resize(width, height)
    window.first_look.close()
    window.show()
    folder.mkdir(parents=True, exist_ok=True)

    def shoot(name: str) -> None:
        for _ in range(40):  # what wraps settles in some rounds
            app.processEvents()
        window.grab().save(str(folder / f"{name}.png"), "PNG")

    window.board.start()
    wait_until(app, lambda: window.board.latest.seconds > 4.2)
    window.chain_page.select(Selection("ADC 1", 2, "Door latch", "sample"))
    shoot("chain")
    window.chain_page.select(Selection("ADC 1", 3, "3.3 V rail", "front end"))
    shoot("chain-bench")
    window.chain_page.select(Selection("ADC 1"))
    window.dress.use("dark")
    wait_until(app, lambda: window.board.latest.seconds > 4.6)
    shoot("chain-dark")
    window.dress.use("light")
    _prove(app, window, lambda: window.proving.record_and_prove())
    shoot("proof-fails")
    window.show_page(STREAMS)
    wait_until(app, lambda: window.streams_page.data is not None)
    analysis = window.streams_page.analysis
    wait_until(app, lambda: analysis.measured is not None)
    analysis.choose_kind("spectrum")
    wait_until(app, lambda: analysis.measured is not None and analysis.measured.kind == "spectrum")
    shoot("streams")
    window.streams_page.plot.set_view(0.4992, 0.5028)
    window.streams_page.plot.cursor_s = 0.5008
    window.streams_page.plot.mark_s = 0.5
    window.streams_page.plot.cursor_moved.emit(0.5008)
    analysis.choose_kind("statistics")
    wait_until(app, lambda: analysis.measured is not None and analysis.measured.samples < 100)
    shoot("streams-zoomed")
    window.show_page(PROOF)
    _prove(app, window, lambda: window.proving.cure_and_prove(window.proof_page.causes[0].cause))
    shoot("proof-holds")
    window.show_page(CHAIN)
    window.chain_page.select(Selection("ADC 1", 2, "Door latch", "sample"))
    wait_until(
        app, lambda: window.board.latest.mark_matches is True and window.board.latest.seconds > 2
    )
    window.document.stack.undo()
    shoot_part(app, window, folder)
    shoot_designs(app, window, shoot)
    window.document.stack.setClean()
    window.close()


def shoot_designs(app: QApplication, window: MainWindow, shoot: Callable[[str], None]) -> None:
    """Pins, a comparison, and the other examples."""
    window.show_page(PINS)
    pins = window.book.pins.table
    pins.cursor_cell = (1, pins.cursor_cell[1])
    pins.pointed.emit(1, 9)
    pins.cursor_cell = (1, 9)
    shoot("pins")
    window.show_page(FIRMWARE)
    window.firmware.use_folder(Path(tempfile.mkdtemp(prefix="kiln-")) / "firmware")
    window.firmware.write()
    (window.firmware.folder / "own.c").write_text(OWN)
    window.firmware.build()
    wait_until(app, lambda: window.firmware.result is not None)
    window.book.firmware.steps.setCurrentRow(1)
    shoot("firmware")
    window.firmware.run()
    window.book.firmware.show_view(MEMORY)
    memory = window.book.firmware.memory
    memory.choose(["wg_buffer_adc_1", "hottest", "wg_buffer_adc_2"])
    memory.view.rows["wg_buffer_adc_1"].show_as("lines", "volts of each")
    memory.view.rows["wg_buffer_adc_2"].show_as("numbers", "volts of each")
    memory.view.rows["hottest"].show_as("", "volts of Upper zone")
    wait_until(app, lambda: window.board.latest.runs_image and window.board.latest.seconds > 3)
    shoot("memory")
    window.book.firmware.show_view(REGISTERS)
    window.board_choice.use("virtual")
    window.board.start()
    window.book.compare.compare_saved()
    window.document.edit(SetSampling("ADC 1", 2, 384, "Door latch"))
    window.document.edit(SetPeriod("ADC 1", Fraction(1, 20_000)))
    window.show_page(COMPARE)
    shoot("compare")
    window.document.stack.setClean()
    window.board.stop()
    window.files.new_on("marten-m3")
    window.show_page(CHAIN)
    assert sum(card.isEnabled() for card in window.chain_page.start.cards.values()) > 8
    shoot("start")
    shoot_outputs(app, window, shoot)
    window.files.open(STUDIO_KILN)
    window.show_page(CHAIN)
    window.chain_page.select(Selection("ADC 1", facet="start-up"))
    window.document.edit(
        SetStartup("ADC 1", ("calibrate", "converter", "memory", "interrupt", "trigger"))
    )
    shoot("startup")


def shoot_part(app: QApplication, window: MainWindow, folder: Path) -> None:
    """The sheet of a part, with what it suffices for."""
    window.parts.describe_like("marten-m3")
    sheet = window.parts.windows[-1]
    assert isinstance(sheet, PartWindow)
    sheet.resize(window.size())
    sheet.contents.choose("converters")
    for _ in range(4):
        app.processEvents()
    assert len(sheet.sheet.fields) > 50
    assert sheet.contents.uses["C"].text() == "✓ C"
    sheet.grab().save(str(folder / "part.png"), "PNG")
    sheet.document.stack.setClean()
    sheet.close()


def shoot_outputs(app: QApplication, window: MainWindow, shoot: Callable[[str], None]) -> None:
    """Outputs, the Wave page and the Program page."""
    examples = EXAMPLES

    def run(path: Path, seconds: float) -> None:
        window.files.open(path)
        window.show_page(CHAIN)
        window.board.start()
        wait_until(app, lambda: window.board.latest.seconds > seconds)

    run(examples / "kiln-ramp", 1.4)
    window.chain_page.select(
        Selection(section="generators", output="Power command", facet="output")
    )
    shoot("kiln-ramp")
    window.show_page(WAVE)
    shoot("wave")
    window.document.stack.setClean()
    run(examples / "kiln-lamp", 1.0)
    window.show_page(PROGRAM)
    window.book.program.rows.setCurrentRow(1)
    wait_until(app, lambda: window.board.latest.seconds > 4.2)
    window.book.program.show_snapshot(window.board.latest)
    shoot("program")
    window.show_page(STREAMS)
    page = window.streams_page
    page.show_now()
    wait_until(app, lambda: page.now is not None and page.now.end_s > 9)
    wait_until(app, lambda: page.analysis.measured is not None)
    assert len(page.plot.traces) > 6
    shoot("streams-now")
    run(examples / "pedal-to-wheel" / "wheel.wattigram.toml", 1.0)
    window.document.edit(SetUart(window.document.workspace.project.uarts[1].replaced(baud=38400)))
    window.show_page(PROGRAM)
    window.book.program.rows.setCurrentRow(2)
    wait_until(
        app,
        lambda: (
            "Current to wire" in window.board.latest.outputs
            and bool(window.board.latest.outputs["Current to wire"].overwritten.sum() > 100)
        ),
    )
    window.book.program.show_snapshot(window.board.latest)
    shoot("routes")
    window.document.stack.setClean()


def _prove(app: QApplication, window: MainWindow, act: object) -> None:
    before = window.proving.latest
    act()  # type: ignore[operator]
    wait_until(app, lambda: window.proving.latest is not before)


if __name__ == "__main__":
    size = sys.argv[2].split("x") if len(sys.argv) > 2 else ("1280", "800")
    main(Path(sys.argv[1]), int(size[0]), int(size[1]))
