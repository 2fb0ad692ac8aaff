"""Several signals edited at once, and numbers that arrows and the wheel make more and less."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit

from tests.desktop.conftest import Wait
from wattigram.core.base.errors import QuantityError
from wattigram.core.model.bench import SineSource
from wattigram.core.model.design import BlockAverage, Workspace
from wattigram.core.model.design.edits import apply_edit
from wattigram.desktop.inspector.number_entry import nudged
from wattigram.desktop.inspector.panel_model import Field, Panel
from wattigram.desktop.inspector.panels import panel_for
from wattigram.desktop.inspector.several_signals import DIFFER
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.selection import Selection
from wattigram.desktop.widgets.inspector.inspector_panel import FieldEditor

THREE = frozenset({1, 2, 3})


def three(facet: str) -> Selection:
    return Selection("ADC 1", 1, "Upper zone", facet, THREE)


def field(panel: Panel, label: str) -> Field:
    return next(one for one in panel.fields if one.label == label)


def entered(workspace: Workspace, facet: str, label: str, text: str) -> Workspace:
    edit = field(panel_for(workspace, three(facet)), label).make(text)
    assert edit is not None
    return apply_edit(workspace, edit)


def signals(workspace: Workspace) -> list[str]:
    return [workspace.project.chains[0].slots[place].signal for place in sorted(THREE)]


def test_a_filter_for_all(kiln: Workspace) -> None:
    panel = panel_for(kiln, three("filter"))
    assert "3 signals: Upper zone, Door latch, 3.3 V rail" in panel.title
    assert field(panel, "filter").text == ""
    assert DIFFER in field(panel, "filter").hint
    assert "count" not in {one.label for one in panel.fields}, "one has no filter"
    made = entered(kiln, "filter", "filter", "block average")
    stages = [made.project.signal(name).filter for name in signals(made)]
    assert all(isinstance(stage, BlockAverage) for stage in stages)
    again = entered(made, "filter", "count", "32")
    assert {made.project.signal("Coil current").filter} == {None}
    assert [again.project.signal(name).filter.count for name in signals(again)] == [32] * 3  # type: ignore[union-attr]
    now = field(panel_for(again, three("filter")), "count")
    assert now.text == "32"
    what_if = panel_for(again, three("filter")).what_if
    assert what_if is not None
    assert what_if.title.startswith("Upper zone: "), "figures of one are not those of three"
    sixteen = next(one for one in what_if.choices if one.label == "16")
    assert sixteen.edit is not None
    chosen = apply_edit(again, sixteen.edit)
    assert {chosen.project.signal(name).filter.count for name in signals(chosen)} == {16}  # type: ignore[union-attr]


def test_a_source_for_all(kiln: Workspace) -> None:
    sines = entered(kiln, "front end", "source", SineSource.title)
    pins = [sines.project.signal(name).pin for name in signals(sines)]
    wired = [sines.project.wired(pin) for pin in pins]
    assert all(one is not None and isinstance(one.source, SineSource) for one in wired)
    slow = entered(sines, "front end", "source resistance", "10 kΩ")
    assert {slow.project.wired(pin).source_resistance_ohm for pin in pins} == {10_000.0}  # type: ignore[union-attr]
    before = kiln.project.signal("Coil current").pin
    assert slow.project.wired(before) == kiln.project.wired(before)


def test_a_threshold_for_all_and_what_one_cannot_take(kiln: Workspace) -> None:
    panel = panel_for(kiln, three("thresholds"))
    assert [one.label for one in panel.fields] == ["threshold"]
    made = kiln
    for name in signals(kiln):
        place = kiln.project.chains[0].places_of(name)[0]
        alone = field(panel_for(made, Selection("ADC 1", place, name, "thresholds")), "threshold")
        edit = alone.make("in use")
        made = apply_edit(made, edit) if edit is not None else made
    limits = entered(made, "thresholds", "upper limit", "1.5 V")
    assert {limits.project.signal(name).thresholds[0].high for name in signals(limits)} == {1.5}
    with pytest.raises(QuantityError, match="Upper zone: "):
        field(panel_for(limits, three("thresholds")), "hysteresis").make("much")
    own = {one.label for one in panel_for(kiln, three("signal")).fields}
    assert own == {"front end", "quantity"}, "names and pins are each signal's own"


@pytest.mark.parametrize(
    ("text", "steps", "wanted"),
    [
        ("4.7 kΩ", 1, "4.8 kΩ"),
        ("4.70 kΩ", -10, "4.60 kΩ"),
        ("96 MHz", 10, "106 MHz"),
        ("0 V", -1, "-1 V"),
        ("-0.05", 10, "0.05"),
        ("0x7FF", 1, "0x800"),
        ("0x0", -1, "0x0"),
        ("none", 1, ""),
        ("", 1, ""),
        ("0xZZ", 1, ""),
        ("1.2.3", 1, ""),
    ],
)
def test_numbers_are_nudged_by_their_last_place(text: str, steps: int, wanted: str) -> None:
    assert nudged(text, steps) == wanted


def editor(window: MainWindow, label: str) -> tuple[FieldEditor, QLineEdit]:
    found = next(one for one in window.chain_page.inspector.fields if one.label == label)
    assert isinstance(found.widget, QLineEdit)
    return found, found.widget


def test_arrows_and_wheel_are_one_step_to_take_back(window: MainWindow, wait: Wait) -> None:
    window.chain_page.select(Selection("ADC 1", 1, "Upper zone", "front end"))
    stack = window.document.stack
    before = stack.count()
    found, line = editor(window, "source resistance")
    assert line.text() == "4.7 kΩ"
    line.setFocus()
    for _ in range(3):
        QTest.keyClick(line, Qt.Key.Key_Up)
    QTest.keyClick(line, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert line.text() == "6 kΩ", "4.8, 4.9, 5, and ten more of the same places"
    wheel = QWheelEvent(
        QPointF(4, 4),
        line.mapToGlobal(QPointF(4, 4)),
        QPoint(),
        QPoint(0, -120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(line, wheel)
    assert line.text() == "5.9 kΩ"
    assert stack.count() == before + 1
    stack.undo()
    assert line.text() == "4.7 kΩ"
    found.rest()
    _note, words = editor(window, "note")
    words.setFocus()
    text = words.text()
    QTest.keyClick(words, Qt.Key.Key_Up)
    assert words.text() == text


def test_several_rows_show_one_panel(window: MainWindow) -> None:
    page = window.chain_page
    page.select(three("filter"))
    assert len(page.inspector.fields) >= 1
    edit = page.inspector.fields[0]
    assert edit.label == "filter"
    page.select(three("front end"))
    _found, line = editor(window, "source resistance")
    assert line.text() == ""
    assert line.placeholderText().startswith(DIFFER)
    line.setFocus()
    line.selectAll()
    QTest.keyClicks(line, "2.2k")
    QTest.keyClick(line, Qt.Key.Key_Return)
    project = window.document.workspace.project
    pins = [project.signal(name).pin for name in signals(window.document.workspace)]
    assert {project.wired(pin).source_resistance_ohm for pin in pins} == {2200.0}  # type: ignore[union-attr]
    window.document.stack.undo()
    assert window.document.workspace.project != project
