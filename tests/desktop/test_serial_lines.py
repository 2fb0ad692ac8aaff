"""The other end of a serial port, in the inspector: what sends there, with settings of its own."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.desktop.conftest import Wait
from tests.paths import EXAMPLES
from wattigram.core.base.errors import QuantityError
from wattigram.core.model.design import ByteReceived, open_workspace
from wattigram.core.model.design.edits import RemoveOutput, SetProjectName
from wattigram.desktop.inspector.number_entry import byte_entry, read_byte
from wattigram.desktop.inspector.panel_model import Field
from wattigram.desktop.inspector.panels import panel_for
from wattigram.desktop.pages.page_stack import PROGRAM
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.selection import Selection

PORT = Selection(section="uarts", output="UART 1")
OpenWindow = Callable[[Path], MainWindow]


@pytest.fixture
def window(open_window: OpenWindow, tmp_path: Path) -> MainWindow:
    shutil.copytree(EXAMPLES / "pedal-to-wheel", tmp_path / "pair")
    window = open_window(tmp_path / "pair" / "wheel.wattigram.toml")
    window.show_page(PROGRAM)
    return window


def fields(window: MainWindow, selection: Selection = PORT) -> dict[str, Field]:
    panel = panel_for(window.document.workspace, selection)
    assert panel is not None
    return {field.label: field for field in panel.fields}


def enter(window: MainWindow, label: str, text: str, selection: Selection = PORT) -> None:
    edit = fields(window, selection)[label].make(text)
    assert edit is not None
    assert window.document.edit(edit)


def facts(window: MainWindow) -> dict[str, str]:
    panel = panel_for(window.document.workspace, PORT)
    assert panel is not None
    return {fact.label: fact.value for fact in panel.facts}


def codes(window: MainWindow) -> set[str]:
    return {finding.code for finding in window.document.findings}


def test_the_other_end_is_chosen_and_set_up_by_itself(window: MainWindow) -> None:
    assert fields(window)["bench: project"].text == "pedal.wattigram.toml"
    assert facts(window)["is sent"] == "38400 baud 8N1"
    enter(window, "bench: to D2 sends", "a board that sends values")
    assert "bench: project" not in fields(window)
    enter(window, "bench: baud", "19200")
    assert "baud-differs" in codes(window)
    enter(window, "bench: baud", "38400")
    enter(window, "bench: its clock is good to", "2.5 %")
    assert "baud-differs" in codes(window)
    enter(window, "bench: its clock is good to", "30 ppm")
    assert fields(window)["bench: its clock is good to"].text == "30 ppm"
    with pytest.raises(QuantityError):
        fields(window)["bench: its clock is good to"].make("-1 %")
    enter(window, "bench: parity", "odd")
    assert "line-differs" in codes(window)
    enter(window, "parity", "odd")
    assert not {"baud-differs", "line-differs"} & codes(window)
    enter(window, "bench: bits of a value", "12")
    enter(window, "bench: byte order", "high first")
    with pytest.raises(QuantityError, match="7 data bits"):
        fields(window)["bench: data bits"].make("7")
    enter(window, "bench: to D2 sends", "nothing")
    assert "is sent" not in facts(window)
    enter(window, "bench: to D2 sends", "board of another project")
    assert facts(window)["is sent"] == "38400 baud 8N1"
    assert window.document.workspace.others["pedal.wattigram.toml"].project.name == "pedal"
    for _step in range(11):
        window.document.stack.undo()
    assert fields(window)["bench: project"].text == "pedal.wattigram.toml"


def test_a_board_that_lies_nowhere_cannot_be_chosen(
    open_window: OpenWindow, tmp_path: Path
) -> None:
    (tmp_path / "alone").mkdir()
    path = tmp_path / "alone" / "wheel.wattigram.toml"
    shutil.copy(EXAMPLES / "pedal-to-wheel" / "wheel.wattigram.toml", path)
    window = open_window(path)
    assert "board-missing" in codes(window)
    enter(window, "bench: to D2 sends", "nothing")
    with pytest.raises(QuantityError, match="No other project lies beside"):
        fields(window)["bench: to D2 sends"].make("board of another project")


def test_saved_elsewhere_it_takes_the_other_board_along(window: MainWindow, tmp_path: Path) -> None:
    (tmp_path / "there").mkdir()
    window.document.save(tmp_path / "there" / "mine.wattigram.toml")
    again = open_workspace(tmp_path / "there" / "mine.wattigram.toml")
    assert again.others["pedal.wattigram.toml"].project.name == "pedal"


def test_a_reaction_waits_for_a_byte_that_is_typed(window: MainWindow) -> None:
    enter(window, "bench: to D2 sends", "a board that sends values")
    assert window.document.edit(RemoveOutput("routes", "Pedal to motor"))
    window.book.program.add_reaction()
    name = window.document.workspace.project.reactions[0].name
    mine = Selection(section="reactions", output=name)
    enter(window, "when", "a byte comes", mine)
    assert fields(window, mine)["byte"].text == ""
    enter(window, "byte", "s", mine)
    assert window.document.workspace.project.reactions[0].when == ByteReceived(
        uart="UART 1", byte=ord("s")
    )
    assert fields(window, mine)["byte"].text == "‘s’"
    enter(window, "bench: to D2 sends", "nothing", mine)
    assert "byte-never" in codes(window)


def test_another_board_that_is_changed_is_read_again(window: MainWindow, wait: Wait) -> None:
    """Its project may be open in a second window; undo does not bring back what it was."""
    path = window.document.path
    assert path is not None
    pedal = path.with_name("pedal.wattigram.toml")
    assert "baud-differs" not in codes(window)
    assert window.document.edit(SetProjectName("my wheel"))
    text = pedal.read_text()
    pedal.write_text(text.replace("baud = 38400", "baud = 19200"))
    wait(lambda: "baud-differs" in codes(window))
    assert "read again" in window.notice.text
    assert facts(window)["is sent"] == "19200 baud 8N1"
    window.document.stack.undo()
    assert window.document.workspace.project.name == "wheel"
    assert "baud-differs" in codes(window)
    pedal.unlink()
    wait(lambda: "board-missing" in codes(window))
    pedal.write_text(text)
    wait(lambda: not {"board-missing", "baud-differs"} & codes(window))
    window.document.stack.redo()
    assert not {"board-missing", "baud-differs"} & codes(window)


def test_a_running_board_hears_what_is_wired_to_it_now(window: MainWindow, wait: Wait) -> None:
    """Bytes on a wire are no knob: the board is started anew with them."""
    window.board.start()
    wait(lambda: "Pedal to motor" in window.board.latest.outputs)
    enter(window, "bench: to D2 sends", "a board that sends values")
    enter(window, "bench: from", "50 %")
    enter(window, "bench: to", "50 %")

    def is_still() -> bool:
        picture = window.board.latest.outputs.get("Pedal to motor")
        return picture is not None and len(picture.values) > 3 and set(picture.values) == {128}

    wait(is_still)
    window.board.stop()


@pytest.mark.parametrize(
    ("text", "byte"),
    [("", None), ("any", None), ("s", 0x73), ("‘7’", 0x37), ("7", 7), ("0x41", 0x41), ("511", 511)],
)
def test_bytes_are_typed_as_characters_or_codes(text: str, byte: int | None) -> None:
    assert read_byte(text) == byte
    if byte is not None:
        assert read_byte(byte_entry(byte)) == byte


@pytest.mark.parametrize("text", ["512", "-1", "ab", "0x", "½½", "€"])
def test_what_is_no_byte_is_a_sentence(text: str) -> None:
    with pytest.raises(QuantityError, match="no byte"):
        read_byte(text)
