"""A board brought up in the window: steps that see by themselves whether they are done."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog

from tests.desktop.conftest import Wait
from tests.desktop.test_unplugging import Cable
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.widgets.bring_up_window import BringUpWindow, StepCard


@pytest.fixture
def cable(window: MainWindow, tmp_path: Path) -> Iterator[Cable]:
    found = Cable(window, tmp_path / "ttyBoard")
    found.plug_in()
    yield found
    found.close()


def shown(window: MainWindow) -> BringUpWindow:
    """The guide, opened by its key."""
    action = window.actions_list.named("Bring a board up, step by step")
    assert action.shortcut().toString() == "Ctrl+Alt+B"
    action.trigger()
    guide = window.bring_up.window
    assert guide is not None
    assert guide.isVisible()
    return guide


def press_button(card: StepCard) -> None:
    QTest.mouseClick(card.button, Qt.MouseButton.LeftButton)


def test_steps_on_the_virtual_board(window: MainWindow, wait: Wait) -> None:
    guide = shown(window)
    outcomes = {key: card.mark.outcome for key, card in guide.cards.items()}
    assert outcomes["design"] == "fails", "the demo's door latch is sampled too short"
    assert outcomes["board"] == "waits"
    assert outcomes["clock"] == "passed over"
    assert "1 wrong" in guide.summary.text()
    press_button(guide.cards["identity"])
    wait(lambda: guide.cards["identity"].mark.outcome == "holds")
    assert "Marten M3" in guide.cards["identity"].said.text()
    press_button(guide.cards["design"])
    assert window.findings_window is not None
    assert window.findings_window.isVisible()
    press_button(guide.cards["wiring"])
    wait(lambda: guide.cards["wiring"].mark.outcome == "goes on")
    assert "Connect pin A2" in guide.cards["wiring"].said.text()
    assert window.bench_actions.wiring_bar.isVisible()
    window.bench_actions.wiring_bar.stop()
    guide.close()
    window.board.stop()
    wait(lambda: window.board.latest.state == "idle")
    assert not window.bring_up.is_watched


@pytest.mark.parametrize("slow", [1.0, 2.0])
def test_a_board_behind_a_port_is_judged(
    window: MainWindow, wait: Wait, cable: Cable, slow: float
) -> None:
    """The listener's clock is the board's own here, or goes twice as fast."""
    board = window.board
    window.bring_up.use_wall(lambda: board.latest.seconds * slow)
    guide = shown(window)
    window.board_choice.use(cable.address)
    window.bring_up.tell()
    cards = guide.cards
    assert cards["board"].mark.outcome == "holds"
    assert "would lose" in cards["link"].said.text(), "before anything came"
    press_button(cards["identity"])
    wait(lambda: cards["clock"].mark.outcome not in {"waits", "goes on"})
    if slow == 1.0:
        assert cards["clock"].mark.outcome == "holds"
        assert cards["clock"].said.text().startswith("96")
        wait(lambda: cards["link"].mark.outcome == "holds")
        assert "nothing was lost" in cards["link"].said.text()
        assert "115200 baud" in cards["link"].said.text()
        press_button(cards["clock"])
        assert cards["clock"].mark.outcome == "goes on", "it is listened to anew"
    else:
        assert cards["clock"].mark.outcome == "fails"
        assert "It is 1/2 of that" in cards["clock"].said.text()
        assert cards["clock"].cure.isVisible()
    press_button(cards["take"])
    wait(lambda: cards["take"].mark.outcome == "goes on")
    window.toggle_record()
    wait(lambda: cards["take"].mark.outcome == "holds")
    window.board.stop()
    wait(lambda: board.latest.state == "idle")
    window.board_choice.use("virtual")
    wait(lambda: cards["board"].mark.outcome == "waits")
    guide.close()


def test_the_c_begins_with_a_port_of_ones_choice(window: MainWindow, tmp_path: Path) -> None:
    window.firmware.use_folder(tmp_path / "fw")
    action = window.actions_list.named("Write C with a port over UART or USB…")
    action.trigger()
    dialog = next(one for one in window.findChildren(QInputDialog) if one.isVisible())
    offered = dialog.comboBoxItems()
    assert "UART 1@115200" in offered
    assert offered[-1] == "usb"
    dialog.setTextValue("UART 1@1000000")
    dialog.accept()
    assert "wg_link_uart" in (tmp_path / "fw" / "port.c").read_text()
    assert not window.firmware.write_port("usb")
    assert "port.c already" in window.notice.text
