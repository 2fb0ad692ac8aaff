"""The Firmware page in a real window: steps and registers both ways, the C, the build, and the image on the board."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tests.core.firmware.compiled import needs_compiler
from wattigram.core.design.edits import RemoveSignal, SetPeriod, apply_edit
from wattigram.core.image import CType, Place
from wattigram.desktop import firmware_work
from wattigram.desktop.book import CHAIN, FIRMWARE
from wattigram.desktop.pages.firmware_page import CHANGES, CODE, MEMORY, REGISTERS, FirmwarePage
from wattigram.desktop.selection import Selection
from wattigram.desktop.widgets.memory_view import loop_text, number_text
from wattigram.desktop.window import MainWindow


@pytest.fixture
def page(window: MainWindow, tmp_path: Path) -> FirmwarePage:
    window.show_page(FIRMWARE)
    window.firmware.use_folder(tmp_path / "c")
    return window.book.firmware


def step_row(page: FirmwarePage, text: str) -> int:
    for row in range(page.steps.count()):
        item = page.steps.item(row)
        if item is not None and text in item.text():
            return row
    raise AssertionError(text)


def test_a_step_lights_what_it_sets_and_says_why(page: FirmwarePage, qtbot: QtBot) -> None:
    page.steps.setCurrentRow(step_row(page, "Enable DMA 1"))
    lit = [
        (row.at.owner, row.at.name, one.field.name)
        for row in page.registers.rows
        for one in row.fields
        if page.registers.lit & set(one.writes)
    ]
    assert lit == [("DMA 1", "RULE", "ON")]
    assert "first result" in page.about.text()


def test_a_field_leads_to_the_step_that_set_it(page: FirmwarePage, qtbot: QtBot) -> None:
    view = page.registers
    row = next(number for number, one in enumerate(view.rows) if (one.at.owner, one.at.name) == ("Timer 2", "TOP"))
    where = view.field_rect(row, 0).center()
    page.area.ensureVisible(0, int(where.y()))
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(int(where.x()), int(where.y())))
    assert page.steps.currentRow() == step_row(page, "Set up Timer 2")
    assert "bits 15:0" in page.about.text()
    assert "0x257f = 9600" in page.about.text()
    assert "“period” of Timer 2" in page.about.text()
    view.setFocus()
    qtbot.keyClick(view, Qt.Key.Key_Down)
    assert view.chosen == (row + 1, 0)
    view.repaint()


def test_writes_are_copied_as_hex(page: FirmwarePage, qtbot: QtBot) -> None:
    qtbot.mouseClick(page.copy_button, Qt.MouseButton.LeftButton)
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    lines = clipboard.text().splitlines()
    assert lines[1] == "0x40020108 = 0x0000257f  Timer 2 TOP"
    assert lines[-1] == "0x40020100 = 0x00000001  Timer 2 RUN"


def test_the_page_follows_the_design(page: FirmwarePage, window: MainWindow) -> None:
    window.document.edit(SetPeriod("ADC 1", Fraction(1, 20_000)))
    row = next(one for one in page.registers.rows if (one.at.owner, one.at.name) == ("Timer 2", "TOP"))
    assert row.hex_text == "0x000012bf"
    assert "4800u - 1u" in page.code.text.toPlainText()


def test_without_a_compiler_the_page_says_what_to_install(
    page: FirmwarePage, window: MainWindow, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(firmware_work, "find_compiler", lambda _chosen="": None)
    window.firmware._looked = False
    page.show_workspace()
    assert "gcc-arm-none-eabi" in page.panel.compiler_label.text()
    page.panel.build_button.click()
    assert "no cross compiler" in window.notice.text
    page.panel.write_button.click()
    assert (tmp_path / "c" / "wg_setup.c").is_file()
    assert "30 files are new" in page.panel.state.text()


@needs_compiler
def test_build_error_cure_and_run(page: FirmwarePage, window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    page.panel.write_button.click()
    own = tmp_path / "c" / "own.c"
    sound = own.read_text()
    own.write_text(sound + "\nint broken = ;\n")
    page.panel.build_button.click()
    qtbot.waitUntil(lambda: window.firmware.result is not None, timeout=30_000)
    assert "The build failed: 1 error." in page.panel.state.text()
    assert not page.panel.run_button.isEnabled()
    lines = page.panel.lines
    items = [lines.item(row) for row in range(lines.count())]
    bad = next(item for item in items if item is not None and "error: expected" in item.text())
    lines.itemActivated.emit(bad)
    assert page.views.currentIndex() == CODE
    assert page.code.files.currentText() == "own.c"
    assert page.code.text.textCursor().blockNumber() == own.read_text().splitlines().index("int broken = ;")
    own.write_text(sound)
    window.firmware.result = None
    page.panel.build_button.click()
    qtbot.waitUntil(lambda: window.firmware.result is not None, timeout=30_000)
    assert "Built in" in page.panel.state.text()
    page.show_view(CHANGES)
    assert "those of the last build" in page.changes.item(0).text()  # type: ignore[union-attr]
    window.document.edit(SetPeriod("ADC 1", Fraction(1, 20_000)))
    assert [page.changes.item(row).text()[:2] for row in range(page.changes.count())] == ["− ", "+ "]  # type: ignore[union-attr]
    assert "earlier state" in page.panel.state.text()
    window.document.stack.undo()
    page.panel.run_button.click()
    qtbot.waitUntil(lambda: window.board.latest.seconds > 0.5, timeout=30_000)
    assert window.board.latest.runs_image
    assert window.board.latest.mark_matches
    assert "Image running" in window.header.board.text()
    qtbot.waitUntil(lambda: "ADC 1" in window.firmware.costs, timeout=10_000)
    assert "cycles measured" in page.panel.costs.text()
    page.panel.costs_button.click()
    chain = window.document.workspace.project.chains[0]
    assert chain.loop.handler_cycles == window.firmware.costs["ADC 1"]
    window.board_choice.use("virtual")


def test_a_signal_with_a_hook_is_not_removed_unasked(
    page: FirmwarePage, window: MainWindow, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    page.panel.write_button.click()
    (tmp_path / "c" / "own.c").write_text(
        '#include "wg_hooks.h"\nvoid wg_items_door_latch(const wg_view *items)\n{\n    (void)items;\n}\n'
    )
    asked: list[str] = []

    def answer(text: str) -> bool:
        asked.append(text)
        return len(asked) > 1

    monkeypatch.setattr(firmware_work, "ask", answer)
    window.show_page(CHAIN)
    window.chain_page.select(Selection("ADC 1", 2, "Door latch"))
    before = window.document.workspace
    window.chain_actions.remove_signal()
    assert window.document.workspace is before
    assert "wg_items_door_latch" in asked[0]
    window.chain_actions.remove_signal()
    assert window.document.workspace.project == apply_edit(before, RemoveSignal("Door latch")).project


@needs_compiler
def test_memory_of_the_running_image_is_seen(
    page: FirmwarePage, window: MainWindow, qtbot: QtBot, wait: Callable[[Callable[[], bool]], None]
) -> None:
    page.panel.build_button.click()
    wait(lambda: window.firmware.result is not None)
    page.panel.run_button.click()
    window.show_page(FIRMWARE)
    page.show_view(MEMORY)
    panel = page.memory
    assert panel.chosen == ["wg_loop_adc_1", "wg_loop_adc_2"]
    panel.filter.setText("chain_states[0].next")
    item = panel.list.item(0)
    assert item is not None
    item.setCheckState(Qt.CheckState.Checked)
    wait(lambda: int(panel.view.values.get("chain_states[0].next", [0])[0]) > 2000)
    loop = panel.view.values["wg_loop_adc_1"]
    assert len(loop) == 512
    assert loop.max() > 2000
    place = int(panel.view.values["DMA 1 place"][0])
    text = loop_text(window.document.workspace, panel.view._loops["wg_loop_adc_1"], loop, place)  # type: ignore[arg-type]
    assert "3.3\u00a0V\u00a0rail\u00a03.30" in text
    assert f"next\u00a0item\u00a0at\u00a0{place}" in text
    panel.view.repaint()
    page.show_view(REGISTERS)
    window.board_choice.use("virtual")


def test_numbers_are_shown_in_several_bases() -> None:
    word = Place("x", 0, CType("uint16_t", "unsigned", 2))
    assert number_text(word, np.array([0x1234])) == "4660   0x1234   0001 0010 0011 0100"
    signed = Place("x", 0, CType("int8_t", "signed", 1))
    assert number_text(signed, np.array([-1])) == "-1   0xff   1111 1111"
    assert number_text(Place("x", 0, CType("float", "float", 4)), np.array([0.25])) == "0.25"
    assert number_text(Place("x", 0, CType("bool", "bool", 1)), np.array([1])) == "true"
    assert number_text(word, None) == "not read yet"
