"""Memory of programs that run elsewhere, behind a debug server: our firmware, and a stranger's
program."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt

from tests.core.firmware.compiled import built, needs_compiler
from tests.desktop.conftest import Wait
from wattigram.core.capture.session.board_process import ImageBoardProcess
from wattigram.core.capture.take import open_take
from wattigram.core.emulator.board_setup import board_setup
from wattigram.desktop.pages.firmware_page import MEMORY, FirmwarePage
from wattigram.desktop.pages.page_stack import FIRMWARE
from wattigram.desktop.shell.window import MainWindow


def memory_page(window: MainWindow) -> FirmwarePage:
    window.show_page(FIRMWARE)
    window.book.firmware.show_view(MEMORY)
    return window.book.firmware


def seen(page: FirmwarePage, name: str) -> list[int]:
    """The newest numbers of a variable; a zero before any have come."""
    values = page.memory.view.rows[name].canvas.values
    return [0] if values is None else values.tolist()


def look_for(page: FirmwarePage, name: str) -> None:
    """Choose a variable by a part of its name, as a user does."""
    page.memory.filter.setText(name)
    item = page.memory.list.item(0)
    assert item is not None
    assert item.text() == name
    item.setCheckState(Qt.CheckState.Checked)


@needs_compiler
def test_firmware_behind_a_debug_server_is_captured_and_looked_at(
    window: MainWindow, wait: Wait, tmp_path: Path
) -> None:
    workspace = window.document.workspace
    elf = built(workspace, tmp_path / "c").elf
    assert elf is not None
    page = memory_page(window)
    with ImageBoardProcess(board_setup(workspace, 1), elf) as board:
        window.board_choice.use(f"gdb:127.0.0.1:{board.ready['gdb']},{elf}")
        assert "wg_buffer_adc_1" in page.memory.chosen
        window.board.start()
        look_for(page, "chain_states[0].next")
        wait(lambda: window.board.latest.samples > 5000)
        wait(lambda: seen(page, "chain_states[0].next")[0] > 2000)
        assert window.board.latest.mark_matches
        assert len(seen(page, "wg_buffer_adc_1")) == 512
        window.board.stop()
        wait(lambda: window.board.latest.state == "idle")
        window.board_choice.use("virtual")


def test_a_strangers_program_is_only_looked_at(
    window: MainWindow, wait: Wait, gdbserver: tuple[Path, int]
) -> None:
    program, port = gdbserver
    page = memory_page(window)
    window.board_choice.use(f"gdb:127.0.0.1:{port},{program}")
    window.board.start()
    look_for(page, "counter")
    look_for(page, "table")
    wait(lambda: seen(page, "counter")[0] > 45)
    first = seen(page, "counter")[0]
    wait(lambda: seen(page, "counter")[0] > first)
    assert seen(page, "table") == [-1, 2, -3, 4]
    assert any("only looked at" in line for line in window.board.latest.log)
    assert window.board.latest.state != "running"
    window.board_choice.use("virtual")


def test_a_debug_server_that_is_not_there_is_a_sentence(
    window: MainWindow, wait: Wait, tmp_path: Path
) -> None:
    window.board_choice.use("gdb:127.0.0.1:1")
    window.board.start()
    wait(lambda: "says nothing of names" in window.notice.text)
    window.board_choice.use(f"gdb:127.0.0.1:1,{tmp_path / 'none.elf'}")
    assert "none.elf" in window.notice.text
    window.board_choice.use("virtual")


@needs_compiler
def test_a_debug_server_that_dies_is_survived(
    window: MainWindow, wait: Wait, tmp_path: Path
) -> None:
    workspace = window.document.workspace
    elf = built(workspace, tmp_path / "c").elf
    assert elf is not None
    page = memory_page(window)
    path = window.proving.next_path()
    assert path is not None
    with ImageBoardProcess(board_setup(workspace, 1), elf) as board:
        window.board_choice.use(f"gdb:127.0.0.1:{board.ready['gdb']},{elf}")
        look_for(page, "chain_states[0].next")
        window.board.start(path)
        wait(lambda: window.board.latest.samples > 2000)
    wait(lambda: window.board.latest.state == "failed")
    assert "gdb:127.0.0.1" in window.notice.text
    assert not window.board.is_running
    with open_take(path) as take:
        assert not take.complete
        assert take.item_count(0) > 1000
    window.board_choice.use("virtual")
    window.board.start()
    wait(lambda: window.board.latest.seconds > 0.1)
