"""The keyboard types where the eye is."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit

from tests.desktop.conftest import Wait, press
from wattigram.desktop.pages.page_stack import CHAIN, PROOF
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.selection import Selection

CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
LATCH = Selection("ADC 1", 2, "Door latch", "signal")


def typed_in() -> QLineEdit:
    """The line that the keyboard types into."""
    QApplication.processEvents()
    line = QApplication.focusWidget()
    assert isinstance(line, QLineEdit), line
    return line


def type_name(name: str) -> None:
    line = typed_in()
    line.selectAll()
    QTest.keyClicks(line, name)
    press(line, Qt.Key.Key_Return)


def start_renaming(window: MainWindow) -> None:
    window.show_page(CHAIN)
    window.chain_page.select(LATCH)
    window.chain_page.inspector.focus_first_field()


def names(window: MainWindow) -> list[str]:
    return [signal.name for signal in window.document.workspace.project.signals]


def test_a_renamed_signal_stays_selected_with_its_name_in_focus(window: MainWindow) -> None:
    start_renaming(window)
    before = names(window)
    type_name("Latch")
    assert window.chain_page.selection.signal == "Latch"
    assert typed_in().accessibleName() == "name"
    assert typed_in().text() == "Latch"
    type_name("Door")
    assert names(window) == [name.replace("Door latch", "Door") for name in before]


def test_undo_of_a_rename_keeps_the_selection_too(window: MainWindow) -> None:
    start_renaming(window)
    type_name("Latch")
    window.document.stack.undo()
    assert window.chain_page.selection.signal == "Door latch"


def test_a_choice_keeps_the_focus(window: MainWindow) -> None:
    window.show_page(CHAIN)
    window.chain_page.select(LATCH.at("sample"))
    for box in window.chain_page.inspector.findChildren(QComboBox):
        if not box.isVisibleTo(window) or box.count() < 2:
            continue
        box.setFocus()
        name = box.accessibleName()
        box.setCurrentIndex((box.currentIndex() + 1) % box.count())
        box.textActivated.emit(box.currentText())
        QApplication.processEvents()
        now = QApplication.focusWidget()
        assert now is not None
        assert now.accessibleName() == name
        return
    raise AssertionError("there is no choice to make")


def test_new_signals_one_after_the_other_take_their_names(window: MainWindow) -> None:
    window.show_page(CHAIN)
    for name in ("One more", "And another"):
        press(window, Qt.Key.Key_N, CONTROL | SHIFT)
        type_name(name)
    assert names(window)[-2:] == ["One more", "And another"]
    assert window.chain_page.selection.signal == "And another"


def test_what_was_typed_is_taken_when_another_thing_is_selected(window: MainWindow) -> None:
    start_renaming(window)
    line = typed_in()
    line.selectAll()
    QTest.keyClicks(line, "Latch")
    window.chain_page.select(Selection("ADC 1", 0, "Coil current", "signal"))
    assert "Latch" in names(window)
    assert window.chain_page.selection.signal == "Coil current"


def test_an_old_proof_does_not_stay_under_a_new_project(window: MainWindow, wait: Wait) -> None:
    window.proving.record_and_prove()
    wait(lambda: window.proving.latest is not None)
    assert window.proof_page.rows
    window.files.new_on("marten-m3")
    assert window.proving.latest is None
    window.show_page(PROOF)
    assert window.proof_page.rows == []
    assert window.proof_page.causes == []


def test_arrows_in_a_list_of_choices_take_the_next(window: MainWindow) -> None:
    page = window.chain_page
    page.select(Selection("ADC 1", 0, "Coil current", "sample"))
    editor = next(one for one in page.inspector.fields if isinstance(one.widget, QComboBox))
    box = editor.widget
    assert isinstance(box, QComboBox)
    box.setFocus()
    before = box.currentIndex()
    QTest.keyClick(box, Qt.Key.Key_Down)
    assert box.currentIndex() == before + 1
    cycles = window.document.workspace.project.chains[0].slots[0].sampling_cycles
    assert f"{cycles:g} clk" == box.currentText()


def test_what_no_model_can_have_is_said_where_it_was_typed(window: MainWindow) -> None:
    """Not only what no quantity can be read from: also a period of nothing."""
    page = window.chain_page
    page.select(Selection("ADC 1", 0, "Coil current", "transfer"))
    editor = next(one for one in page.inspector.fields if one.label == "read newest every")
    line = editor.widget
    assert isinstance(line, QLineEdit)
    before = window.document.workspace.project
    line.setFocus()
    line.selectAll()
    QTest.keyClicks(line, "0")
    QTest.keyClick(line, Qt.Key.Key_Return)
    assert window.document.workspace.project == before
    assert line.text() == "0"
    assert line.property("wrong")
    assert "It must be above 0 s" in window.notice.text
