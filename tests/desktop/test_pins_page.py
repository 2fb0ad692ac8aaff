"""Signals on pins, under mouse and keys."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from tests.desktop.conftest import click, drag, press
from tests.paths import EXAMPLES
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import open_workspace
from wattigram.core.model.design.edits import SetPin, SetWiring
from wattigram.core.model.design.pin_assignment import pins_in_use
from wattigram.desktop.pages.page_stack import PINS
from wattigram.desktop.pages.pins_page import PinsPage
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.widgets.pins.pin_table import PinTable


def page(window: MainWindow) -> PinsPage:
    window.show_page(PINS)
    return window.book.pins


def column(pins: PinsPage, pin: str) -> int:
    return next(number for number, label in enumerate(pins.table._labels) if label == pin)


def test_each_signal_shows_where_it_is_and_where_it_could_be(window: MainWindow) -> None:
    pins = page(window)
    option = pins.table.option(1, column(pins, "A3"))
    assert option is not None
    assert option.is_current
    assert option.channels == (("ADC 1", 3),)
    taken = pins.table.option(1, column(pins, "A2"))
    assert taken is not None
    assert taken.signals == ("Coil current",)
    output = pins.table.option(1, column(pins, "A5"))
    assert output is not None
    assert output.others == ("DAC 1",)
    inside = pins.table.option(1, column(pins, "temperature"))
    assert inside is not None
    assert inside.channels == (("ADC 1", 18),)


def test_rows_take_the_room_there_is(window: MainWindow, qtbot: QtBot) -> None:
    table = PinTable()
    qtbot.addWidget(table)
    table.show_workspace(window.document.workspace)
    heights = []
    least = table.minimumSizeHint().height()
    for high in (least, least + 60, 1400):
        table.resize(900, high)
        rect = table.cell_rect(4, 0)
        heights.append(rect.height())
        assert rect.bottom() <= high
        place = table.cell_rect(3, 2).center()
        assert table._cell_at(place) == (3, 2)
    assert heights[0] < heights[1] < heights[2] <= 5 * table.fontMetrics().height()


def test_dragging_a_signal_moves_it_with_its_wiring_in_one_step(window: MainWindow) -> None:
    pins = page(window)
    begin = pins.table.cell_rect(2, column(pins, "A4")).center()
    middle, end = (pins.table.cell_rect(2, column(pins, pin)).center() for pin in ("A7", "B6"))
    drag(pins.table, begin, middle, end)
    project = window.document.workspace.project
    assert project.signal("Door latch").pin == "B6"
    assert project.wired("B6") is not None
    assert project.wired("A4") is None
    assert window.document.stack.count() == 1
    assert window.document.stack.undoText() == "Take Door latch from pin B6, with its wiring"
    window.document.stack.undo()
    assert window.document.workspace.project.signal("Door latch").pin == "A4"


def test_what_follows_a_source_goes_on_following_it(window: MainWindow) -> None:
    pins = page(window)
    drag(pins.table, *(pins.table.cell_rect(1, column(pins, pin)).center() for pin in ("A3", "B6")))
    follower = window.document.workspace.project.wired("B1")
    assert follower is not None
    assert follower.source.pin == "B6"  # type: ignore[union-attr]


def test_consequences_are_shown_while_one_points(window: MainWindow) -> None:
    pins = page(window)
    begin = pins.table.cell_rect(0, column(pins, "A2")).center()
    target = pins.table.cell_rect(0, column(pins, "temperature")).center()
    shown: list[str] = []
    pins.table.pointed.connect(lambda _row, _column: shown.append(pins.lines.text()))
    drag(pins.table, begin, target, begin)
    assert any("channel 18 of ADC 1" in text for text in shown)
    assert any("wired: inside the part" in text for text in shown)
    assert window.document.stack.count() == 0


def test_a_signal_put_on_another_ones_pin_changes_places_with_it(window: MainWindow) -> None:
    pins = page(window)
    pins.table.setFocus()
    assert pins.table.cursor_cell == (0, column(pins, "A2"))
    press(pins.table, Qt.Key.Key_Right)
    assert "EXCHANGE THE PINS" in pins.title.text()
    press(pins.table, Qt.Key.Key_Return)
    project = window.document.workspace.project
    assert (project.signal("Coil current").pin, project.signal("Upper zone").pin) == ("A3", "A2")


def test_arrows_go_from_signal_to_signal(window: MainWindow) -> None:
    pins = page(window)
    pins.table.setFocus()
    press(pins.table, Qt.Key.Key_Down)
    assert pins.table.cursor_cell == (1, column(pins, "A3"))
    press(pins.table, Qt.Key.Key_Up)
    press(pins.table, Qt.Key.Key_Up)
    assert pins.table.cursor_cell[0] == 0
    click(pins.table, pins.table.cell_rect(4, column(pins, "B1")).center())
    assert "UPPER ZONE, TWIN IS ON B1" in pins.title.text()


def test_two_signals_on_one_pin_are_told(window: MainWindow) -> None:
    assert window.document.edit(SetPin("Door latch", "A3"))
    pins = page(window)
    option = pins.table.option(2, column(pins, "A3"))
    assert option is not None
    assert option.is_current
    assert option.signals == ("Upper zone",)
    assert "carries Upper zone" in (
        click(pins.table, pins.table.cell_rect(2, column(pins, "A3")).center()) or pins.lines.text()
    )


def test_other_pins_in_use_are_listed_with_what_holds_them(
    open_window: Callable[[Path], MainWindow], tmp_path: Path
) -> None:
    """A reference that comes from a pin, outputs, serial ports; what nothing holds stands out."""
    source = EXAMPLES / "kiln-ramp" / "kiln-ramp.wattigram.toml"
    path = tmp_path / source.name
    path.write_text(source.read_text().replace('reference = "supply"', 'reference = "external"'))
    window = open_window(path)
    window.show_page(PINS)
    page = window.book.pins
    assert "the reference" in page.others.text()
    assert "✕ nothing is wired to it" in page.others.text()
    assert "Heater drive" in page.others.text()
    held = Wiring(pin="B7", source_resistance_ohm=1.0, source=DcSource(voltage_v=2.5))
    assert window.document.edit(SetWiring(held))
    assert "nothing is wired" not in page.others.text()
    assert "wired: dc" in page.others.text()
    uses = {use.pin: use.uses for use in pins_in_use(open_workspace(EXAMPLES / "kiln-lamp"))}
    assert uses["B10"] == ("UART 1 sends",)
    assert uses["A8"] == ("Fan",)
