"""Editing at speed: from nothing by keys alone, templates, copies, several slots, limits under the
mouse."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit, QWidget

from tests.desktop.conftest import Wait, click, drag, press
from wattigram.core.advise.findings import find_all
from wattigram.core.model.design import (
    Chain,
    Dma,
    FreeRunningTrigger,
    Interrupt,
    Polling,
    SoftwareTrigger,
)
from wattigram.core.model.design.edits import SetRetrieval, SetTrigger
from wattigram.core.model.design.templates import TEMPLATES, empty_workspace
from wattigram.core.model.part import list_parts
from wattigram.core.predict.timing import scan_timing
from wattigram.desktop.inspector.panels import panel_for
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.selection import Selection

CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def focused(window: MainWindow) -> QWidget:
    widget = QApplication.focusWidget()
    return widget if widget is not None else window


def keys(window: MainWindow, text: str) -> None:
    QTest.keyClicks(focused(window), text)
    QApplication.processEvents()


def test_four_signals_from_nothing_by_keys_alone(window: MainWindow, wait: Wait) -> None:
    press(window, Qt.Key.Key_N, CONTROL)
    keys(window, "marten")
    press(focused(window), Qt.Key.Key_Return)
    assert window.document.workspace.project.signals == ()
    for name in ("Shunt", "Probe", "Rail", "Knob"):
        press(window, Qt.Key.Key_N, CONTROL | SHIFT)
        field = focused(window)
        field.selectAll()  # type: ignore[attr-defined]
        QTest.keyClicks(field, name)
        press(field, Qt.Key.Key_Return)
    project = window.document.workspace.project
    assert [slot.signal for slot in project.chains[0].slots] == ["Shunt", "Probe", "Rail", "Knob"]
    assert {finding.code for finding in find_all(window.document.workspace)} <= {
        "pin-not-wired",
        "loop-out-of-step",
    }
    press(window, Qt.Key.Key_F5)
    wait(lambda: window.board.latest.samples > 500)
    press(window, Qt.Key.Key_F5)
    wait(lambda: not window.board.is_running)


def test_a_template_by_keys_is_one_step_and_runs(window: MainWindow, wait: Wait) -> None:
    window.files.new_on("osprey-x2")
    press(window, Qt.Key.Key_T, CONTROL | SHIFT)
    keys(window, "redundant")
    press(focused(window), Qt.Key.Key_Return)
    project = window.document.workspace.project
    assert [chain.trigger.kind for chain in project.chains] == ["timer", "converter"]
    assert window.document.stack.count() == 1
    window.board.start()
    wait(lambda: window.board.latest.samples > 100)


@pytest.mark.parametrize("part", [part.id for part in list_parts()])
@pytest.mark.parametrize("template", TEMPLATES, ids=[template.name for template in TEMPLATES])
def test_every_template_is_sound_on_every_part_that_can_hold_it(
    open_window: Callable[[Path], MainWindow], project: Path, part: str, template: object
) -> None:
    from wattigram.core.base.errors import EditError
    from wattigram.core.model.design.edits import apply_edit
    from wattigram.core.model.design.templates import Template, from_template

    assert isinstance(template, Template)
    empty = empty_workspace(part)
    if part == "quill-q8" and template.name == "Redundant pair":
        with pytest.raises(EditError, match="no two free converters"):
            from_template(empty, template)
        return
    workspace = apply_edit(empty, from_template(empty, template))
    assert [finding.code for finding in find_all(workspace) if finding.severity == "error"] == []


def test_signals_are_copied_and_pasted_with_their_wiring(window: MainWindow) -> None:
    window.chain_page.select(Selection("ADC 1", 1, "Upper zone", "signal"))
    window.chain_page.rows.setFocus()
    press(window.chain_page.rows, Qt.Key.Key_C, CONTROL)
    press(window.chain_page.rows, Qt.Key.Key_V, CONTROL)
    project = window.document.workspace.project
    fresh = project.signal("Upper zone 2")
    assert fresh.pin not in {"A2", "A3", "A4", "A6", "B1"}
    assert fresh.thresholds == project.signal("Upper zone").thresholds
    assert project.wired(fresh.pin) is not None
    assert project.chains[0].places_of("Upper zone 2") == (4,)
    assert window.document.stack.count() == 1
    assert window.chain_page.selection.signal == "Upper zone 2"


def test_a_chain_is_copied_into_another_project(window: MainWindow) -> None:
    window.chain_page.select(Selection("ADC 1"))
    window.actions_list.named("Copy what is chosen").trigger()
    window.files.new_on("osprey-x2")
    window.actions_list.named("Paste signals, a chain or reactions").trigger()
    project = window.document.workspace.project
    assert [slot.signal for slot in project.chains[0].slots] == [
        "Coil current",
        "Upper zone",
        "Door latch",
        "3.3 V rail",
    ]
    assert len(project.bench) == 4


def test_what_is_no_clip_is_said(window: MainWindow) -> None:
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    clipboard.setText("a shopping list")
    window.actions_list.named("Paste signals, a chain or reactions").trigger()
    assert "The clipboard holds no signals" in window.notice.text
    assert window.document.stack.count() == 0


def test_several_slots_are_sampled_at_once(window: MainWindow) -> None:
    rows = window.chain_page.rows
    window.chain_page.select(Selection("ADC 1", 0, "Coil current", "sample"))
    rows.setFocus()
    press(rows, Qt.Key.Key_Down, SHIFT)
    press(rows, Qt.Key.Key_Down, SHIFT)
    assert window.chain_page.selection.places == (0, 1, 2)
    box = window.chain_page.inspector.fields[0].widget
    box.textActivated.emit("384 clk")  # type: ignore[union-attr]
    slots = window.document.workspace.project.chains[0].slots
    assert [slot.sampling_cycles for slot in slots] == [384, 384, 384, 128]
    assert window.document.stack.count() == 1
    where = QPointF(rows.cell_rect(Selection("ADC 1", 1, "Upper zone", "sample")).center())
    QTest.mouseClick(rows, Qt.MouseButton.LeftButton, CONTROL, where.toPoint())
    assert window.chain_page.selection.places == (0, 2)


def test_a_limit_is_dragged_on_the_stream(window: MainWindow, wait: Wait) -> None:
    rows = window.chain_page.rows
    window.board.start()
    wait(lambda: bool(window.board.latest.pictures) and window.board.latest.samples > 4000)
    rows.repaint()
    row = next(one for one in rows.layout_now.rows if one.signal.name == "Upper zone")  # type: ignore[union-attr]
    line = rows.stream_painter(row).limits[0]
    cell = rows.cell_rect(Selection("ADC 1", 1, "Upper zone", "stream"))
    begin = QPointF(cell.left() + 60, line.y)
    drag(rows, begin, QPointF(begin.x(), line.y + 8), QPointF(begin.x(), line.y + 16))
    window_now = window.document.workspace.project.signal("Upper zone").thresholds[0]
    assert window_now.high < 2.05
    assert window_now.low == 0.4
    assert window.document.stack.count() == 1


def test_the_start_up_order_is_moved_and_put_right_again(window: MainWindow) -> None:
    window.chain_page.select(Selection("ADC 1", facet="start-up"))
    steps = window.chain_page.inspector.steps
    assert steps is not None
    assert steps.names() == ["calibrate", "memory", "interrupt", "converter", "trigger"]
    steps.setFocus()
    steps.setCurrentRow(1)
    for _ in range(2):
        press(steps, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    chain = window.document.workspace.project.chains[0]
    assert chain.startup == ("calibrate", "interrupt", "converter", "memory", "trigger")
    assert any(
        "its first result is never read out" in finding.message
        for finding in window.document.findings
    )
    press(steps, Qt.Key.Key_Delete)
    assert "memory" not in (window.document.workspace.project.chains[0].startup or ())
    window.actions_list.named("Start up in the right order").trigger()
    assert window.document.workspace.project.chains[0].startup is None


def test_facets_of_a_yoke_are_chosen_by_their_tabs(window: MainWindow) -> None:
    window.chain_page.select(Selection("ADC 1"))
    inspector = window.chain_page.inspector
    assert [tab.text() for tab in inspector.tabs] == ["Clock", "Start", "Start-up"]
    click(inspector.tabs[1], QPointF(8, 8))
    assert window.chain_page.selection == Selection("ADC 1", facet="start")
    box = next(
        editor.widget for editor in inspector.fields if editor.widget.accessibleName() == "trigger"
    )
    box.textActivated.emit("by itself, free-running")  # type: ignore[union-attr]
    assert window.document.workspace.project.chains[0].trigger.kind == "free-running"


def test_results_are_fetched_another_way(window: MainWindow) -> None:
    window.chain_page.select(Selection("ADC 1", 0, "Coil current", "transfer"))
    inspector = window.chain_page.inspector
    inspector.fields[0].widget.textActivated.emit("by interrupt")  # type: ignore[union-attr]
    assert window.document.workspace.project.chains[0].readout == Interrupt()
    facts = {label.text() for label in inspector._facts}
    assert any("\u00a0µs" in text for text in facts)  # a line breaks before a figure, not after it


def test_zones_are_added_and_named(window: MainWindow) -> None:
    window.chain_page.select(Selection("ADC 1", 1, "Upper zone", "thresholds:2"))
    inspector = window.chain_page.inspector
    inspector.fields[0].widget.textActivated.emit("threshold")  # type: ignore[union-attr]
    signal = window.document.workspace.project.signal("Upper zone")
    assert len(signal.thresholds) == 2
    assert [tab.text() for tab in inspector.tabs] == [
        "Threshold 1",
        "Threshold 2",
        "+",
        "Redundant pair",
        "Comparator",
    ]


def test_a_single_run_is_chosen_and_said(window: MainWindow) -> None:
    """One-shot is a fault until it is said that one bufferful is all that is wanted."""

    def mode(text: str) -> None:
        window.chain_page.select(Selection("ADC 1", 0, "Coil current", "transfer"))
        editor = next(
            editor
            for editor in window.chain_page.inspector.fields
            if editor.widget.accessibleName() == "mode"
        )
        editor.widget.textActivated.emit(text)  # type: ignore[union-attr]

    def titles() -> str:
        return " ".join(finding.title for finding in window.document.findings)

    mode("one-shot")
    assert "fills once and freezes" in titles()
    mode("single run")
    assert "fills once and freezes" not in titles()
    assert window.document.workspace.project.chains[0].readout == Dma(
        channel="DMA 1", circular=False, single_run=True
    )
    mode("circular")
    assert window.document.workspace.project.chains[0].readout == Dma(channel="DMA 1")


def test_the_round_of_a_main_loop_is_typed_and_taken_back(window: MainWindow) -> None:
    """It is asked for only where the main loop looks; the rate and what is said of it follow."""
    window.document.edit(SetTrigger("ADC 1", SoftwareTrigger()))

    def editors() -> dict[str, QWidget]:
        window.chain_page.select(Selection("ADC 1", 0, "Coil current", "transfer"))
        return {
            one.widget.accessibleName(): one.widget for one in window.chain_page.inspector.fields
        }

    def enter(label: str, text: str) -> None:
        line = editors()[label]
        assert isinstance(line, QLineEdit)
        line.selectAll()
        QTest.keyClicks(line, text)
        if not text:
            QTest.keyClick(line, Qt.Key.Key_Backspace)
        QTest.keyClick(line, Qt.Key.Key_Return)

    def said() -> str:
        return next(
            one.message for one in window.document.findings if one.code == "software-sets-rate"
        )

    def chain() -> Chain:
        return window.document.workspace.project.chains[0]

    before = scan_timing(window.document.workspace, chain()).cycle_s
    assert "its round is not stated" in said()
    enter("main loop round", "3200")
    enter("starts after", "40")
    assert (chain().buffer.round_cycles, chain().buffer.start_cycles) == (3200, 40)
    assert scan_timing(window.document.workspace, chain()).cycle_s > before
    assert "its round is not stated" not in said()
    enter("main loop round", "")
    assert chain().buffer.round_cycles is None
    window.document.stack.undo()
    assert chain().buffer.round_cycles == 3200
    assert "after a gap" not in editors()
    window.document.edit(SetRetrieval("ADC 1", Polling()))
    enter("after a gap", "900")
    assert chain().buffer.gap_cycles == 900
    enter("after a gap", "")
    assert chain().buffer.gap_cycles is None
    window.document.edit(SetRetrieval("ADC 1", Dma(channel="DMA 1")))
    window.document.edit(SetTrigger("ADC 1", FreeRunningTrigger()))
    assert "main loop round" not in editors()


def test_a_buffer_without_an_isr_says_how_old_its_newest_is(window: MainWindow) -> None:
    """The period is typed, and the facts of the ISR become those of the read."""

    where = Selection("ADC 1", 0, "Coil current", "transfer")

    def facts() -> dict[str, str]:
        return {
            fact.label: fact.value for fact in panel_for(window.document.workspace, where).facts
        }

    def type_period(text: str) -> None:
        window.chain_page.select(where)
        line = next(
            editor.widget
            for editor in window.chain_page.inspector.fields
            if editor.widget.accessibleName() == "read newest every"
        )
        assert isinstance(line, QLineEdit)
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, text)
        press(line, Qt.Key.Key_Return)

    assert "ISR rate" in facts()
    type_period("2 ms")
    assert facts()["read rate"] == "500 Hz"
    assert facts()["newest at most"].endswith("old when read")
    assert "half holds whole scans" not in facts()
    type_period("never")
    assert "ISR rate" in facts()
    assert window.document.workspace.project.chains[0].readout == Dma(channel="DMA 1")
