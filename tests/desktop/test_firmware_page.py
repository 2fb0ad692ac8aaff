"""The Firmware page in a real window: steps and registers both ways, the C, the build, and the
image on the board."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QScrollArea
from pytestqt.qtbot import QtBot

from tests.conftest import edited
from tests.core.firmware.compiled import needs_compiler
from tests.patience import PATIENCE_MS
from wattigram.core.contract.image import CType, MemoryLocation
from wattigram.core.model.design import PeriodElapsed, PinAction, Reaction, Workspace
from wattigram.core.model.design.edits import RemoveSignal, SetPeriod, SetReaction, apply_edit
from wattigram.desktop.controllers import firmware_controller
from wattigram.desktop.pages.firmware_page import CHANGES, CODE, MEMORY, REGISTERS, FirmwarePage
from wattigram.desktop.pages.page_stack import CHAIN, FIRMWARE
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.selection import Selection
from wattigram.desktop.widgets.firmware.memory_canvas import BARS, LINES, NUMBERS
from wattigram.desktop.widgets.firmware.memory_row import MemoryRow
from wattigram.desktop.widgets.firmware.memory_text import loop_text, number_texts


@pytest.fixture
def page(window: MainWindow, tmp_path: Path) -> FirmwarePage:
    window.show_page(FIRMWARE)
    window.firmware.use_folder(tmp_path / "c")
    return window.book.firmware


def is_built(window: MainWindow, page: FirmwarePage) -> bool:
    """There is a result, and its job is over: a button clicked before does nothing."""
    is_over = page.panel.build_button.isEnabled()
    return window.firmware.result is not None and is_over


def step_row(page: FirmwarePage, text: str) -> int:
    for row in range(page.steps.count()):
        item = page.steps.item(row)
        if item is not None and text in item.text():
            return row
    raise AssertionError(text)


def test_a_step_lights_what_it_sets_and_says_why(page: FirmwarePage, qtbot: QtBot) -> None:
    page.steps.setCurrentRow(step_row(page, "Enable DMA 1"))
    lit = [
        (row.at.owner, row.at.name, field.field.name)
        for row in page.registers.rows
        for field in row.fields
        if page.registers.lit & set(field.writes)
    ]
    assert lit == [("DMA 1", "RULE", "ON")]
    assert "first result" in page.about.text()


@pytest.mark.parametrize("steps", [0, 3], ids=["as-it-is", "large-text"])
def test_all_bits_have_room_in_a_small_window(
    page: FirmwarePage, window: MainWindow, steps: int
) -> None:
    window.resize(1024, 700)
    for _ in range(steps):
        window.actions_list.named("Larger text").trigger()
    QApplication.processEvents()
    view = page.registers
    for number, row in enumerate(view.rows):
        last = len(row.fields) - 1
        assert view.field_rect(number, last).right() <= view.width()
    around = view.parentWidget()
    assert around is not None
    assert view.width() <= around.width(), "nothing is beyond the edge"
    for _ in range(steps):
        window.actions_list.named("Smaller text").trigger()


def test_a_field_leads_to_the_step_that_set_it(page: FirmwarePage, qtbot: QtBot) -> None:
    view = page.registers
    row = next(
        number
        for number, one in enumerate(view.rows)
        if (one.at.owner, one.at.name) == ("Timer 2", "TOP")
    )
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
    row = next(
        one for one in page.registers.rows if (one.at.owner, one.at.name) == ("Timer 2", "TOP")
    )
    assert row.hex_text == "0x000012bf"
    assert "4800u - 1u" in page.code.text.toPlainText()


def test_steps_and_lines_of_the_set_up_lead_to_each_other(page: FirmwarePage, qtbot: QtBot) -> None:
    page.show_view(CODE)
    lines = page.code.text_of("wg_setup.c").splitlines()
    page.steps.setCurrentRow(step_row(page, "Enable DMA 1"))
    assert page.code.files.currentText() == "wg_setup.c"
    at = page.code.text.textCursor().blockNumber()
    assert lines[at].startswith("    /* 11. Enable DMA 1.")
    page.code.text.setFocus()
    qtbot.waitUntil(page.code.text.hasFocus)
    for _ in range(4):
        qtbot.keyClick(page.code.text, Qt.Key.Key_Up)
    assert page.steps.currentRow() == step_row(page, "Calibrate ADC 1")
    assert (
        page.code.text.textCursor().blockNumber() == at - 4
    )  # where the user went, not where the step begins
    page.code.files.setCurrentText("own.c")
    qtbot.keyClick(page.code.text, Qt.Key.Key_Down)
    assert page.steps.currentRow() == step_row(page, "Calibrate ADC 1")


def test_tables_are_written_alone(page: FirmwarePage, window: MainWindow, tmp_path: Path) -> None:
    window.firmware.write_tables(tmp_path / "tables.h")
    assert "_CYCLE_TICKS" in (tmp_path / "tables.h").read_text()
    assert "tables.h" in window.notice.text
    window.firmware.write_tables(tmp_path / "nowhere" / "tables.h")
    assert "were not saved" in window.notice.text


def test_without_a_compiler_the_page_says_what_to_install(
    page: FirmwarePage, window: MainWindow, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(firmware_controller.firmware, "find_compiler", lambda _chosen="": None)
    window.firmware._looked = False
    page.show_workspace()
    assert "gcc-arm-none-eabi" in page.panel.compiler_label.text()
    page.panel.build_button.click()
    assert "no cross compiler" in window.notice.text
    page.panel.write_button.click()
    assert (tmp_path / "c" / "wg_setup.c").is_file()
    assert "44 files are new" in page.panel.state.text()


@needs_compiler
def test_build_error_cure_and_run(
    page: FirmwarePage, window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    page.panel.write_button.click()
    own = tmp_path / "c" / "own.c"
    sound = own.read_text()
    own.write_text(sound + "\nint broken = ;\n")
    page.panel.build_button.click()
    qtbot.waitUntil(lambda: is_built(window, page), timeout=PATIENCE_MS)
    assert "The build failed: 1 error." in page.panel.state.text()
    assert not page.panel.run_button.isEnabled()
    lines = page.panel.lines
    items = [lines.item(row) for row in range(lines.count())]
    bad = next(item for item in items if item is not None and "error: expected" in item.text())
    assert lines.currentItem() is bad  # the first error is in sight
    assert lines.visualItemRect(bad).top() < lines.height()
    lines.itemActivated.emit(bad)
    assert page.views.currentIndex() == CODE
    assert page.code.files.currentText() == "own.c"
    assert page.code.text.textCursor().blockNumber() == own.read_text().splitlines().index(
        "int broken = ;"
    )
    own.write_text(sound)
    window.firmware.result = None
    page.panel.build_button.click()
    qtbot.waitUntil(lambda: is_built(window, page), timeout=PATIENCE_MS)
    assert "Built in" in page.panel.state.text()
    page.show_view(CHANGES)
    assert "those of the last build" in page.changes.item(0).text()  # type: ignore[union-attr]
    window.document.edit(SetPeriod("ADC 1", Fraction(1, 20_000)))
    assert [page.changes.item(row).text()[:2] for row in range(page.changes.count())] == [
        "− ",
        "+ ",
    ]  # type: ignore[union-attr]
    assert "earlier state" in page.panel.state.text()
    window.document.stack.undo()
    page.panel.run_button.click()
    qtbot.waitUntil(lambda: window.board.latest.seconds > 0.5, timeout=PATIENCE_MS)
    assert window.board.latest.runs_image
    assert window.board.latest.mark_matches
    assert "Image running" in window.header.board.text()
    qtbot.waitUntil(lambda: "ADC 1" in window.firmware.costs, timeout=PATIENCE_MS)
    assert "clk, counted; the design says" in page.panel.costs.text()
    page.panel.costs_button.click()
    chain = window.document.workspace.project.chains[0]
    stated = window.firmware.costs["ADC 1"].stated
    assert {name: getattr(chain.buffer, name) for name in stated} == stated
    window.board_choice.use("virtual")


def test_a_signal_with_a_hook_is_not_removed_unasked(
    page: FirmwarePage, window: MainWindow, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    page.panel.write_button.click()
    (tmp_path / "c" / "own.c").write_text(
        '#include "wg_hooks.h"\nvoid wg_samples_door_latch(const wg_samples *samples)\n{\n    (void)samples;\n}\n'
    )
    asked: list[str] = []

    def answer(text: str) -> bool:
        asked.append(text)
        return len(asked) > 1

    monkeypatch.setattr(firmware_controller, "ask", answer)
    window.show_page(CHAIN)
    window.chain_page.select(Selection("ADC 1", 2, "Door latch"))
    before = window.document.workspace
    window.chain_actions.remove_signal()
    assert window.document.workspace is before
    assert "wg_samples_door_latch" in asked[0]
    window.chain_actions.remove_signal()
    assert (
        window.document.workspace.project == apply_edit(before, RemoveSignal("Door latch")).project
    )


@needs_compiler
def test_memory_of_the_running_image_is_seen(
    page: FirmwarePage, window: MainWindow, qtbot: QtBot, wait: Callable[[Callable[[], bool]], None]
) -> None:
    page.panel.build_button.click()
    wait(lambda: is_built(window, page))
    page.panel.run_button.click()
    window.show_page(FIRMWARE)
    page.show_view(MEMORY)
    panel = page.memory
    assert panel.chosen == ["wg_buffer_adc_1", "wg_buffer_adc_2"]
    panel.filter.setText("chain_states[0].next")
    item = panel.list.item(0)
    assert item is not None
    item.setCheckState(Qt.CheckState.Checked)
    counted = panel.view.rows["chain_states[0].next"].canvas
    wait(lambda: counted.values is not None and int(counted.values[0]) > 2000)
    canvas = panel.view.rows["wg_buffer_adc_1"].canvas
    assert canvas.values is not None
    assert canvas.look is not None
    assert len(canvas.values) == 512
    assert canvas.values.max() > 2000
    place = canvas.next_index
    assert place is not None
    assert 0 <= place < 512
    text = loop_text(window.document.workspace, canvas.look, canvas.values, place)
    rail = re.search("3\\.3\u00a0V\u00a0rail\u00a0([0-9.]+)\u00a0V", text)
    assert rail is not None, text
    assert float(rail[1]) == pytest.approx(3.3, abs=0.01)  # one sample, with 1.2 mV of noise on it
    assert f"next\u00a0sample\u00a0at\u00a0{place}" in text
    page.show_view(REGISTERS)
    window.board_choice.use("virtual")


@pytest.fixture
def shown_row(
    kiln: Workspace, qapp: QApplication
) -> Iterator[Callable[[MemoryLocation], MemoryRow]]:
    """Makes rows in an area that scrolls, as they are on the page."""
    areas: list[QScrollArea] = []

    def make(place: MemoryLocation) -> MemoryRow:
        found, area = MemoryRow(kiln, place), QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(found)
        area.resize(720, 400)
        area.show()
        areas.append(area)
        return found

    yield make
    for area in areas:
        area.close()
        area.deleteLater()


@pytest.fixture
def row(shown_row: Callable[[MemoryLocation], MemoryRow]) -> MemoryRow:
    """A loop with a known ramp in it."""
    found = shown_row(
        MemoryLocation("wg_buffer_adc_1", 0x20000000, CType("uint16_t", "unsigned", 2), 512)
    )
    found.canvas.show_values(np.arange(512, dtype=np.uint16) * 8, 256)
    return found


def test_an_array_is_shown_as_bars_lines_or_numbers(row: MemoryRow, qtbot: QtBot) -> None:
    pictures = []
    for number, form in enumerate((BARS, LINES, NUMBERS)):
        button = row.forms.button(number)
        assert button is not None
        qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
        assert row.canvas.form == form
        pictures.append(row.canvas.grab().toImage())
    assert pictures[0] != pictures[1]
    assert pictures[2].height() > 300  # every item stands there
    assert row.canvas.height() == row.canvas.sizeHint().height()


@pytest.mark.parametrize(
    ("reading", "shown"),
    [
        ("volts of each", "1.65 V"),
        ("decimal", "2048"),
        ("hex", "0x0800"),
        ("binary", "0000 1000 0000 0000"),
        ("volts of 3.3 V rail", "3.3 V"),  # behind a divider by two
        ("volts of Upper zone, filtered", "1.65 V"),
    ],
)
@pytest.mark.parametrize("form", [BARS, LINES, NUMBERS])
def test_numbers_are_read_in_a_base_or_by_a_scale(
    form: str, reading: str, shown: str, row: MemoryRow
) -> None:
    row.show_as(form, reading)
    row.canvas.grab()
    row.copy_text()
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    lines = clipboard.text().splitlines()
    assert lines[0] == "wg_buffer_adc_1"
    assert lines[1 + 256] == f"256\t{shown}"


def test_a_number_has_its_bar_its_trace_and_volts_of_a_signal(
    kiln: Workspace, shown_row: Callable[[MemoryLocation], MemoryRow]
) -> None:
    row = shown_row(MemoryLocation("latest", 0x20000000, CType("uint16_t", "unsigned", 2)))
    empty = row.canvas.grab().toImage()
    for value in range(0, 4096, 64):
        row.canvas.show_values(np.array([value], dtype=np.uint16), None)
    drawn = row.canvas.grab().toImage()
    assert drawn != empty
    row.show_as("", "volts of Door latch")
    assert row.canvas.text() == "3.24844 V"
    assert row.canvas.grab().toImage() != drawn
    other = edited(kiln, RemoveSignal("Door latch"))
    row.show_design(other)
    assert row.reading.currentText() == "decimal"  # the signal is gone, and its scale with it
    assert row.canvas.text() == "4032"


def test_a_fraction_is_read_as_it_is(shown_row: Callable[[MemoryLocation], MemoryRow]) -> None:
    row = shown_row(MemoryLocation("ratio", 0x20000000, CType("float", "float", 4), 3))
    assert not row.reading.isVisible()
    row.canvas.show_values(np.array([0.5, -1.25, np.nan], dtype=np.float32), None)
    assert row.canvas.text().splitlines() == ["0\t0.5", "1\t-1.25", "2\tnan"]
    row.show_as(NUMBERS, "")
    row.canvas.grab()


def test_numbers_are_shown_in_several_bases() -> None:
    word = MemoryLocation("x", 0, CType("uint16_t", "unsigned", 2))
    assert number_texts(word, 0x1234, "decimal") == ["4660", "0x1234", "0001 0010 0011 0100"]
    assert number_texts(word, 0x1234, "binary") == ["0001 0010 0011 0100", "4660", "0x1234"]
    assert number_texts(MemoryLocation("x", 0, CType("int8_t", "signed", 1)), -1, "hex") == [
        "0xff",
        "-1",
        "1111 1111",
    ]
    assert number_texts(MemoryLocation("x", 0, CType("float", "float", 4)), 0.25, "") == ["0.25"]
    assert number_texts(MemoryLocation("x", 0, CType("bool", "bool", 1)), 1, "") == ["true"]


def test_clocks_of_reactions_are_taken_over_in_one_step(window: MainWindow) -> None:
    page = window.book.firmware
    blink = Reaction(
        name="Alive", when=PeriodElapsed(period_s="20 ms"), do=PinAction(pin="B7", level="toggle")
    )
    window.document.edit(SetReaction("Alive", blink))
    window.show_page(FIRMWARE)
    window.firmware.show_totals({"reaction.alive": 57, "handler.0": 345, "main.0": 6000})
    assert "Alive: 57 clocks counted, the design states none" in page.panel.costs.text()
    assert "main loop takes 6000 clk for each half of ADC 1, counted" in page.panel.costs.text()
    page.panel.costs_button.click()
    project = window.document.workspace.project
    assert [one.cycles for one in project.reactions] == [57]
    assert (project.chains[0].buffer.isr_cycles, project.chains[0].buffer.main_cycles) == (
        345,
        6000,
    )
    assert page.panel.costs_button.isHidden()
    window.document.stack.undo()
    assert [one.cycles for one in window.document.workspace.project.reactions] == [None]
    assert not page.panel.costs_button.isHidden()
