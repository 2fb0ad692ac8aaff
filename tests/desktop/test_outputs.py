"""Output rows, the Routes page, the bench's new sources, instruments and the wiring check, in the
real window."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from tests.desktop.conftest import Wait, click, press
from tests.paths import EXAMPLES
from tests.patience import PATIENCE_S
from wattigram.core.base.errors import EditError, QuantityError
from wattigram.core.model.bench import (
    BoardSource,
    SerialSource,
    SignalGenerator,
    Supply,
    Switch,
    TiedInput,
    Wiring,
)
from wattigram.core.model.design import Route, open_workspace
from wattigram.core.model.design.edits import RenameSignal, SetWiring, apply_edit
from wattigram.desktop.inspector import panel_for
from wattigram.desktop.inspector.bench import OFFERED, wiring_fields
from wattigram.desktop.pages.page_stack import CHAIN, PROGRAM
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.selection import Selection

OUTPUTS = {
    "kiln-ramp/kiln-ramp": ["Power command", "Heater drive"],
    "pedal-to-wheel/wheel": ["Wheel motor", "Pedal to motor", "Current to wire"],
    "converter-checkup/converter-checkup": ["Sweep"],
}


@pytest.fixture
def opened(
    open_window: Callable[[Path], MainWindow], tmp_path: Path
) -> Callable[[str], MainWindow]:
    """Opens a copy of an example."""

    def open_(name: str) -> MainWindow:
        source = EXAMPLES / f"{name}.wattigram.toml"
        path = tmp_path / source.name
        for beside in source.parent.glob("*.toml"):
            (tmp_path / beside.name).write_text(beside.read_text())
        window = open_window(path)
        window.resize(1280, 800)
        QApplication.processEvents()
        return window

    return open_


@pytest.mark.parametrize("name", OUTPUTS)
def test_every_output_has_a_row_and_a_panel(opened: Callable[[str], MainWindow], name: str) -> None:
    window = opened(name)
    rows = window.chain_page.outputs
    assert [row.text.name for row in rows.rows] == OUTPUTS[name]
    for row in rows.rows:
        click(rows, row.rect.center())
        assert window.chain_page.selection.output == row.text.name
    window.grab()


@pytest.mark.parametrize("name", OUTPUTS)
def test_every_field_of_an_output_gives_an_edit_or_a_sentence(name: str) -> None:
    workspace = open_workspace(EXAMPLES / f"{name}.wattigram.toml")
    project = workspace.project
    for section in ("generators", "pwm", "uarts", "routes"):
        for one in getattr(project, section):
            panel = panel_for(workspace, Selection(section=section, output=one.name))
            assert panel.fields
            for field in panel.fields:
                for text in (field.text, *(field.options or ("nonsense",))):
                    if field.slider is not None:
                        text = str(field.slider[2])
                    try:
                        edit = field.make(text)
                        after = apply_edit(workspace, edit) if edit is not None else workspace
                    except (QuantityError, EditError) as fault:
                        assert str(fault)
                        continue
                    if text == field.text:
                        assert after.project == project, (one.name, field.label)
            choices = panel.what_if.choices if panel.what_if else ()
            assert not choices or sum(choice.is_current for choice in choices) == 1


def test_arrows_lead_through_outputs_and_back(opened: Callable[[str], MainWindow]) -> None:
    window = opened("kiln-ramp/kiln-ramp")
    rows = window.chain_page.outputs
    rows.setFocus()
    press(rows, Qt.Key.Key_Down)
    press(rows, Qt.Key.Key_Down)
    assert window.chain_page.selection.output == "Heater drive"
    press(rows, Qt.Key.Key_Up)
    assert window.chain_page.selection.output == "Power command"
    press(rows, Qt.Key.Key_Up)
    assert window.chain_page.rows.hasFocus()
    window.chain_page.select(Selection(section="pwm", output="Heater drive"))
    window.output_actions.remove_selected()
    assert window.document.workspace.project.pwm == ()


def test_what_comes_back_is_on_its_band(opened: Callable[[str], MainWindow], wait: Wait) -> None:
    window = opened("kiln-ramp/kiln-ramp")
    window.board.start()
    wait(lambda: window.board.latest.seconds > 1.2)
    pictures = window.board.latest.pictures
    assert pictures["Power command"].in_band is True
    assert pictures["Heater drive"].in_band is True
    window.grab()


def test_bytes_are_shown_as_they_come(opened: Callable[[str], MainWindow], wait: Wait) -> None:
    window = opened("pedal-to-wheel/wheel")
    window.show_page(PROGRAM)
    page = window.book.program
    window.board.start()
    wait(
        lambda: (
            {"Current to wire", "Pedal to motor"} <= set(window.board.latest.outputs)
            and window.board.latest.seconds > 0.3
        )
    )
    page.rows.setCurrentRow(2)
    QApplication.processEvents()
    text = page.terminal.toPlainText()
    assert len(text.splitlines()) > 10
    picture = window.board.latest.outputs["Current to wire"]
    assert not picture.overwritten.any()
    page.rows.setCurrentRow(1)
    assert "0x" in page.terminal.toPlainText()
    window.show_page(CHAIN)
    window.grab()


def test_text_is_shown_as_a_terminal_does(opened: Callable[[str], MainWindow], wait: Wait) -> None:
    window = opened("pedal-to-wheel/pedal")
    page = window.book.program
    window.show_page(PROGRAM)
    name = "Pedal over UART"
    panel = panel_for(window.document.workspace, Selection(section="reactions", output=name))
    edit = next(field for field in panel.fields if field.label == "do").make("send text")
    assert edit is not None
    window.document.edit(edit)
    window.board.start()
    wait(lambda: page.terminal.toPlainText().count("Pedal ") > 3)
    assert " V" in page.terminal.toPlainText()


def test_routes_ports_and_pwm_are_added_and_removed(opened: Callable[[str], MainWindow]) -> None:
    window = opened("kiln-safety/kiln-safety")
    page = window.book.program
    page.add_uart()
    page.add_route()
    project = window.document.workspace.project
    assert isinstance(project.routes[0], Route)
    assert (project.routes[0].source_bits, project.routes[0].transfers, project.uarts[0].name) == (
        8,
        2,
        "UART 1",
    )
    page.add_uart()
    page.add_pwm()
    assert page.chosen == ("pwm", "PWM 1")
    page.grab()
    page.remove()
    assert window.document.workspace.project.pwm == ()
    page.add_uart()
    assert "no serial port left" in window.notice.text


def test_every_source_can_be_wired_and_edited() -> None:
    workspace = open_workspace(EXAMPLES / "kiln-ramp")
    for word in OFFERED:
        panel = panel_for(workspace, Selection("ADC 1", 1, "Power command", "front end"))
        choose = next(field for field in panel.fields if field.label == "source").make
        if word == BoardSource.title:  # no other project lies beside this one
            with pytest.raises(QuantityError, match="No other project"):
                choose(word)
            continue
        edit = choose(word)
        assert edit is not None
        wired = apply_edit(workspace, edit)
        for field in panel_for(wired, Selection("ADC 1", 1, "Power command", "front end")).fields:
            for text in (field.text, *field.options):
                if field.slider is None and text and text != BoardSource.title:
                    made = field.make(text)
                    assert made is None or apply_edit(wired, made)


def test_a_source_that_is_made_elsewhere_stays_as_it_is() -> None:
    """Another board on a wire is not among what can be chosen, and choosing it again changes nothing."""
    wheel = open_workspace(EXAMPLES / "pedal-to-wheel/wheel.wattigram.toml")
    sender = SerialSource(interval_s=Fraction(1, 200))
    wiring = Wiring(pin="D2", source_resistance_ohm=0.0, source=sender)
    wheel = apply_edit(wheel, SetWiring(wiring))
    _facts, fields = wiring_fields(wheel, wiring.pin)
    source = next(field for field in fields if field.label == "source")
    assert source.make(source.text) is None
    assert source.make("") is None
    switched = apply_edit(wheel, SetWiring(wiring.replaced(source=Switch())))
    _facts, fields = wiring_fields(switched, wiring.pin)
    now = next(field for field in fields if field.label == "now")
    with pytest.raises(QuantityError, match="open, closed"):
        now.make("ajar")


def test_a_meter_is_read_into_the_bench(opened: Callable[[str], MainWindow], wait: Wait) -> None:
    window = opened("kiln-safety/kiln-safety")
    process = subprocess.Popen(
        [sys.executable, "-m", "wattigram.core.capture.instrument", "0", "1.75"],
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        assert process.stdout is not None
        window.bench_actions.use_meter(process.stdout.readline().strip())
        window.chain_page.select(Selection("ADC 1", 1, "Door latch", "front end"))
        window.bench_actions.read_meter()
        wait(lambda: "meter reads" in window.notice.text)
        wiring = window.document.workspace.project.wired("A4")
        assert wiring is not None
        assert isinstance(wiring.source, Supply)
        assert wiring.source.meter_v == pytest.approx(1.75, abs=1e-3)
        window.bench_actions.set_generator()
        wait(lambda: "generator is set" in window.notice.text)
    finally:
        process.terminate()
        process.communicate(timeout=PATIENCE_S)
    window.bench_actions.read_meter()
    wait(lambda: "No instrument answers" in window.notice.text)


def test_a_recorded_file_is_played_on_a_pin(
    opened: Callable[[str], MainWindow], tmp_path: Path
) -> None:
    window = opened("kiln-safety/kiln-safety")
    window.chain_page.select(Selection("ADC 1", 1, "Door latch", "front end"))
    path = tmp_path / "recorded.csv"
    path.write_text("\n".join(str(value / 10) for value in range(20)))
    window.bench_actions.play_file(path)
    wiring = window.document.workspace.project.wired("A4")
    assert wiring is not None
    assert isinstance(wiring.source, SignalGenerator)
    assert wiring.source.shape.kind == "points"


def test_the_wiring_check_sees_what_was_done(
    opened: Callable[[str], MainWindow], wait: Wait
) -> None:
    window = opened("kiln-ramp/kiln-ramp")
    window.bench_actions.check_wiring()
    bar = window.bench_actions.wiring_bar
    assert bar.isVisible()
    assert "A2" in bar.text.text()
    project = window.document.workspace.project
    wiring = project.wired("A2")
    assert wiring is not None
    window.document.edit(SetWiring(wiring.replaced(source=TiedInput(to="ground"))))
    wait(lambda: bar.check is not None and bar.check.outcomes == ["seen"])
    window.document.edit(SetWiring(wiring.replaced(source=TiedInput(to="reference"))))
    wait(lambda: bar.check is not None and bar.check.outcomes == ["seen", "seen"])
    bar.skip.click()
    bar.skip.click()
    assert "Exchange" in bar.text.text()
    bar.skip.click()
    assert "2 of 5" in bar.text.text()
    bar.end.click()
    assert not bar.isVisible()


def test_a_changed_design_ends_the_wiring_check(
    opened: Callable[[str], MainWindow], wait: Wait
) -> None:
    """Its steps name signals of the design that it began with."""
    window = opened("kiln-ramp/kiln-ramp")
    window.bench_actions.check_wiring()
    wait(lambda: bool(window.board.latest.pictures))
    window.document.edit(RenameSignal("Heater drive", "Heater"))
    assert window.bench_actions.wiring_bar.check is None
    assert "wiring check is ended" in window.notice.text
    window.document.stack.undo()


def test_the_bench_may_change_while_a_board_is_made_anew(
    opened: Callable[[str], MainWindow], wait: Wait
) -> None:
    """A design that has just been changed is nothing for the board that still runs the one before."""
    window = opened("kiln-ramp/kiln-ramp")
    window.board.start()
    wait(lambda: bool(window.board.latest.pictures))
    session = window.board._session
    asked = []
    assert session is not None
    session.turn_knobs = asked.append  # type: ignore[method-assign]
    window.document.edit(RenameSignal("Heater drive", "Heater"))
    wiring = window.document.workspace.project.wired("A2")
    assert wiring is not None
    window.document.edit(SetWiring(wiring.replaced(source=TiedInput(to="ground"))))
    assert not asked
    wait(lambda: "Heater" in window.board.latest.pictures)
    wait(lambda: abs(window.board.latest.pictures["Power command"].reading_v) < 0.01)


def test_a_self_test_is_added_from_the_palette(opened: Callable[[str], MainWindow]) -> None:
    window = opened("flame-watch/flame-watch")
    window.output_actions.add_self_test()
    project = window.document.workspace.project
    assert project.expectations[-1].kind == "pair"
    assert [
        finding.code for finding in window.document.findings if finding.severity == "error"
    ] == []
