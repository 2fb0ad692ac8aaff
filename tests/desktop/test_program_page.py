"""The Program page in the real window: reactions made, edited, copied and taken away by hand, and what
comes of them while the board runs."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton

from tests.desktop.conftest import Wait
from tests.paths import EXAMPLES
from wattigram.core.base.errors import EditError, QuantityError
from wattigram.core.model.design import (
    PinAction,
    ReactionExpectation,
    TextAction,
    TextExpectation,
    UartSetup,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import Edit, SetReaction, SetUart, apply_edit
from wattigram.core.model.design.templates import Template
from wattigram.core.predict.program import shown_text, typed_text
from wattigram.desktop.inspector import Panel, panel_for
from wattigram.desktop.inspector.reaction_templates import REACTION_TEMPLATES
from wattigram.desktop.inspector.reactions import DO, WHEN
from wattigram.desktop.pages.page_stack import PROGRAM
from wattigram.desktop.pages.program_page import ProgramPage
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.selection import Selection
from wattigram.desktop.theme import theme


@pytest.fixture
def page(open_window: Callable[[Path], MainWindow], tmp_path: Path) -> ProgramPage:
    """The page with a copy of the panel of the kiln."""
    source = EXAMPLES / "kiln-lamp" / "kiln-lamp.wattigram.toml"
    path = tmp_path / source.name
    path.write_text(source.read_text())
    window = open_window(path)
    window.resize(1280, 800)
    window.show_page(PROGRAM)
    QApplication.processEvents()
    return window.book.program


def window_of(page: ProgramPage) -> MainWindow:
    window = page.window()
    assert isinstance(window, MainWindow)
    return window


def workspace_of(page: ProgramPage) -> Workspace:
    return window_of(page).document.workspace


def press_button(page: ProgramPage, text: str) -> None:
    button = next(one for one in page.findChildren(QPushButton) if one.text() == text)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def test_rows_say_when_what_where_and_how_late(page: ProgramPage) -> None:
    said = [page.rows.item(number).text() for number in range(page.rows.count())]  # type: ignore[union-attr]
    assert said[0] == "By the processor"
    assert "Hot lamp, Upper zone enters or leaves too hot, port pin B4" in said[1]
    assert "≤ 1.51 ms" in said[1]
    assert "own code" not in " ".join(said)
    assert page.chosen == ("reactions", "Hot lamp")


def test_arrows_go_from_row_to_row_and_over_headings(page: ProgramPage) -> None:
    page.rows.setFocus()
    for _ in range(6):
        QTest.keyClick(page.rows, Qt.Key.Key_Down)
    assert page.chosen == ("uarts", "UART 1")
    QTest.keyClick(page.rows, Qt.Key.Key_Up)
    assert page.chosen == ("reactions", "Alive")


def test_a_reaction_is_added_copied_expected_and_removed(page: ProgramPage) -> None:
    press_button(page, "+ reaction")
    assert page.chosen == ("reactions", "Reaction 1")
    fresh = workspace_of(page).project.reaction("Reaction 1")
    assert fresh is not None
    assert isinstance(fresh.do, PinAction)
    assert fresh.do.level == "follows"
    assert fresh.do.pin not in {"B0", "B1", "B2", "B3", "B4", "B6", "B7", "A3", "A4", "B10", "B11"}
    press_button(page, "Expect it")
    expected = workspace_of(page).project.expectations[-1]
    assert isinstance(expected, ReactionExpectation)
    assert float(expected.within_s) == pytest.approx(1.7e-3)
    QTest.keyClick(page.rows, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(page.rows, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert page.chosen == ("reactions", "Reaction 1 2")
    QTest.keyClick(page.rows, Qt.Key.Key_Delete)
    assert workspace_of(page).project.reaction("Reaction 1 2") is None
    window_of(page).document.stack.undo()
    assert workspace_of(page).project.reaction("Reaction 1 2") is not None


def test_the_clipboard_of_others_is_refused(page: ProgramPage) -> None:
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    clipboard.setText("a shopping list")
    page.paste()
    assert "holds no reaction" in window_of(page).notice.text


def test_a_line_of_text_and_its_values_are_expected(page: ProgramPage) -> None:
    page.chosen = ("reactions", "Hot line")
    project = workspace_of(page).project
    window_of(page).document.edit(_without_expectations("Hot line"))
    page.expect()
    kinds = [type(item) for item in workspace_of(page).project.expectations[-2:]]
    assert kinds == [ReactionExpectation, TextExpectation]
    page.expect()
    assert "Nothing more" in window_of(page).notice.text
    assert len(project.reactions) == 6


def _without_expectations(name: str) -> Edit:
    class Clear:
        label = "Clear"

        def apply(self, project):  # type: ignore[no-untyped-def]
            return project.replaced(
                expectations=tuple(one for one in project.expectations if one.signal != name)
            )

    return Clear()


def test_what_the_board_does_is_shown_in_the_rows(page: ProgramPage, wait: Wait) -> None:
    window = window_of(page)
    window.board.start()
    wait(lambda: window.board.latest.seconds > 2.4)
    outputs = window.board.latest.outputs
    assert outputs["B7"].values[:3].tolist() == [0, 1, 0]
    fan = outputs["duty of Fan"]
    count = len(fan.expected_low)
    assert count > 100
    assert (fan.values[-count:] >= fan.expected_low).all()
    assert (fan.values[-count:] <= fan.expected_high).all()
    page.rows.setCurrentRow(2)
    assert "hot 2.1" in page.terminal.toPlainText()
    page.rows.setCurrentRow(6)
    assert page.terminal.toPlainText().split()[-1] in {"high", "low"}
    assert not page.grab().isNull()


def test_a_button_is_pressed_by_hand_while_the_board_runs(page: ProgramPage, wait: Wait) -> None:
    """The alive lamp waits for a button instead: made, wired and pressed in the reaction's own fields."""
    window = window_of(page)

    def change(label: str, text: str) -> None:
        edit = field(panel_for(workspace_of(page), selection("Alive")), label)(text)
        assert edit is not None
        assert window.document.edit(edit)

    change("when", WHEN["input"])
    change("pin", "B8")
    assert "input-floats" in {one.code for one in window.document.findings}
    change("bench: source", "switch")
    assert "input-floats" not in {one.code for one in window.document.findings}
    window.board.start()
    wait(lambda: window.board.latest.seconds > 0.2)
    change("bench: now", "closed")
    wait(
        lambda: len(window.board.latest.outputs["B7"].values) > 1
    )  # its level at the start, and one more
    pressed = len(window.board.latest.outputs["B7"].values)
    change("bench: now", "open")
    later = window.board.latest.seconds + 0.3
    wait(lambda: window.board.latest.seconds > later)
    assert len(window.board.latest.outputs["B7"].values) == pressed
    change("bench: now", "closed")
    wait(lambda: len(window.board.latest.outputs["B7"].values) > pressed)


def field(panel: Panel, label: str) -> Callable[[str], Edit | None]:
    return next(one.make for one in panel.fields if one.label == label)


def selection(name: str) -> Selection:
    return Selection(section="reactions", output=name)


@pytest.mark.parametrize("kind", WHEN)
def test_every_cause_can_be_chosen_or_says_what_is_missing(kind: str) -> None:
    workspace = open_workspace(EXAMPLES / "kiln-safety")
    name = "too hot sets D5"
    now = workspace.project.reaction(name)
    assert now is not None
    panel = panel_for(workspace, selection(name))
    if kind == "byte":
        with pytest.raises(QuantityError, match="There is no serial port"):
            field(panel, "when")(WHEN[kind])
        port = UartSetup(name="UART 1")
        workspace = apply_edit(workspace, SetUart(port))
        panel = panel_for(workspace, selection(name))
    edit = field(panel, "when")(WHEN[kind])
    if kind == now.when.kind:
        assert edit is None
        return
    assert edit is not None
    after = apply_edit(workspace, edit)
    changed = after.project.reaction(name)
    assert changed is not None
    assert changed.when.kind == kind
    again = panel_for(after, selection(name))
    for one in again.fields:
        if one.options and one.text in one.options:
            one.make(one.text)


@pytest.mark.parametrize("kind", DO)
def test_every_action_can_be_chosen_and_edited(kind: str) -> None:
    workspace = open_workspace(EXAMPLES / "kiln-lamp")
    panel = panel_for(workspace, selection("Heat bar"))
    edit = field(panel, "do")(DO[kind])
    after = workspace if edit is None else apply_edit(workspace, edit)
    changed = after.project.reaction("Heat bar")
    assert changed is not None
    assert changed.do.kind == kind
    for one in panel_for(after, selection("Heat bar")).fields:
        same = one.make(one.text)
        if same is not None and one.label not in {"when", "do"}:
            assert apply_edit(after, same).project.reaction("Heat bar") == changed, one.label


@pytest.mark.parametrize(
    ("name", "label", "typed", "words"),
    [
        ("Hot line", "text", "{Nothing}", "not there"),
        ("Hot line", "text", "{Upper zone", "not closed"),
        ("Fan follows", "scale end", "1.2 V", "different"),
        ("Fan follows", "duty at start", "many", "%"),
        ("Alive", "period", "never", "never"),
        ("Hot lamp", "which", "begins to hold", "both"),
        ("Heat bar", "pins", "B0", "at least 2"),
    ],
)
def test_what_cannot_be_is_said_in_its_field(name: str, label: str, typed: str, words: str) -> None:
    workspace = open_workspace(EXAMPLES / "kiln-lamp")
    make = field(panel_for(workspace, selection(name)), label)
    with pytest.raises((QuantityError, EditError), match=words):
        _apply(workspace, make(typed))


def _apply(workspace: Workspace, edit: Edit | None) -> None:
    assert edit is not None
    apply_edit(workspace, edit)


def test_escapes_are_typed_and_shown() -> None:
    text = "a\\b\t{x}\r\n"
    assert shown_text(text) == r"a\\b\t{x}\r\n"
    assert typed_text(shown_text(text)) == text
    workspace = open_workspace(EXAMPLES / "kiln-lamp")
    edit = field(panel_for(workspace, selection("Hot line")), "text")(r"now {Upper zone:mV}\n")
    assert edit is not None
    line = apply_edit(workspace, edit).project.reaction("Hot line")
    assert line is not None
    assert isinstance(line.do, TextAction)
    assert line.do.text == "now {Upper zone:mV}\n"


@pytest.mark.parametrize("template", REACTION_TEMPLATES, ids=lambda template: template.name)
def test_a_reaction_that_is_often_wanted_comes_with_what_it_needs(
    template: Template, page: ProgramPage
) -> None:
    """On a design with nothing but signals; what cannot be is said, and nothing changes."""
    window = window_of(page)
    window.files.open(EXAMPLES / "studio-kiln")
    action = window.actions_list.named(f"Add template: {template.name}")
    before = window.document.workspace.project
    action.trigger()
    made = window.document.workspace.project
    assert len(made.reactions) == 1
    assert window.document.stack.count() == 1
    assert page.chosen == ("reactions", made.reactions[0].name)
    action.trigger()
    assert len({one.name for one in window.document.workspace.project.reactions}) == 2
    for _ in range(2):
        window.document.stack.undo()
    assert window.document.workspace.project == before


def test_a_template_without_what_it_needs_says_so(page: ProgramPage) -> None:
    window = window_of(page)
    window.files.open(EXAMPLES / "glaze-mixer")
    before = window.document.workspace.project
    said: list[str] = []
    page.error.connect(said.append)
    window.actions_list.named("Add template: DAC follows a signal").trigger()
    assert "has no DAC that is free" in said[0]
    assert window.document.workspace.project == before


def test_the_processor_is_shown_to_scale(page: ProgramPage) -> None:
    """Stated clocks are drawn behind their ISR; what is under the mouse is told."""
    window = window_of(page)
    said = page.rows.item(0).text()  # type: ignore[union-attr]
    assert said == "By the processor"
    assert "no clocks stated" in page.rows.rows[0].note
    lanes = page.processor
    assert lanes.isVisible()
    reaction = workspace_of(page).project.reactions[2]
    assert window.document.edit(SetReaction(reaction.name, reaction.replaced(cycles=20_000)))
    QApplication.processEvents()
    assert f"{reaction.name}: " in lanes.accessibleDescription()
    assert "clocks of 5 not stated" in page.rows.rows[0].note
    image = lanes.grab().toImage()
    colours = {
        image.pixelColor(x, y).name()
        for x in range(160, lanes.width() - 20, 3)
        for y in range(32, lanes.height() - 28, 4)
    }
    assert theme().action.lower() in colours  # the ISR
    assert theme().soft.lower() in colours  # the reaction that is not chosen
    page.rows.setCurrentRow(
        next(n for n, row in enumerate(page.rows.rows) if row.section == "uarts")
    )
    QApplication.processEvents()
    assert not lanes.isVisible()
