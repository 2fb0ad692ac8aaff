"""An empty project offers what can be begun."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt

from tests.desktop.conftest import press
from wattigram.core.model.design.templates import TEMPLATES
from wattigram.core.model.part import list_parts
from wattigram.core.model.part.sheet.own_parts import parts_folder
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.widgets.chain.start_view import StartView


def _start(window: MainWindow, part: str = "marten-m3") -> StartView:
    window.files.new_on(part)
    start = window.chain_page.start
    assert start.isVisible()
    assert not window.chain_page.split.isVisible()
    return start


def test_a_project_with_something_in_it_shows_that(window: MainWindow) -> None:
    assert not window.chain_page.start.isVisible()
    assert window.chain_page.split.isVisible()


@pytest.mark.parametrize("part", [entry.id for entry in list_parts()])
def test_every_start_that_the_part_can_hold_is_drawn_as_it_would_be(
    window: MainWindow, part: str
) -> None:
    start = _start(window, part)
    cards = [card for key, card in start.cards.items() if key.isalpha()]
    assert [card.text() for card in cards] == [template.name for template in TEMPLATES]
    for card, template in zip(cards, TEMPLATES, strict=True):
        if not card.isEnabled():
            assert card.words  # why the part cannot
            continue
        card.click()
        assert window.document.workspace.project.signals
        assert window.chain_page.split.isVisible()
        window.document.stack.undo()
        assert start.isVisible(), template.name
    assert sum(card.isEnabled() for card in cards) >= 4


def test_a_key_begins_a_design_and_the_keyboard_goes_to_its_rows(window: MainWindow) -> None:
    start = _start(window)
    assert start.cards["a"].hasFocus() or window.focusWidget() is start.cards["a"]
    press(start.cards["a"], Qt.Key.Key_B)
    assert len(window.document.workspace.project.signals) == 4
    assert window.focusWidget() is window.chain_page.rows


def test_arrows_go_from_card_to_card(window: MainWindow) -> None:
    start = _start(window)
    press(start.cards["a"], Qt.Key.Key_Right)
    assert window.focusWidget() is start.cards["b"]
    press(start.cards["b"], Qt.Key.Key_Down)
    assert window.focusWidget() is start.cards["e"]
    press(start.cards["e"], Qt.Key.Key_Space)
    assert len(window.document.workspace.project.chains) == 2


def test_another_part_is_taken_and_its_starts_are_offered(window: MainWindow) -> None:
    start = _start(window)
    press(start.cards["a"], Qt.Key.Key_3)
    assert window.document.workspace.part.name == "Quill Q8"
    assert start.cards["3"].is_current
    assert not start.cards["e"].isEnabled()  # one converter has no twin


def test_one_signal_a_sheet_and_examples_are_in_reach(window: MainWindow) -> None:
    start = _start(window)
    start.cards["4"].click()
    assert window.parts.windows
    sheet = window.parts.windows[-1]
    sheet._discards = True  # type: ignore[attr-defined]
    sheet.close()  # type: ignore[attr-defined]
    start.one_signal.click()
    assert len(window.document.workspace.project.signals) == 1
    assert window.chain_page.split.isVisible()


def test_an_example_is_opened_from_it(window: MainWindow, tmp_path: Path) -> None:
    start = _start(window)
    start.example_wanted.emit(start._examples()[1])
    assert window.document.workspace.project.name == "flame-watch"
    assert not start.isVisible()


def test_a_part_of_ones_own_is_a_card_as_soon_as_it_is_saved(window: MainWindow) -> None:
    start = _start(window)
    assert start.cards["4"].text() == "From a data sheet…"
    parts_folder().mkdir(parents=True)
    window.parts.describe_like("quill-q8")
    sheet = window.parts.windows[-1]
    sheet._save_as(str(parts_folder() / "mine.toml"))  # type: ignore[attr-defined]
    assert not start.isVisible() or start.cards["4"].text() == "Like Quill Q8"
    start.cards["4"].click()
    assert window.document.workspace.project.part == "mine.toml"
    assert start.cards["4"].is_current
    sheet.close()  # type: ignore[attr-defined]
