"""Two designs side by side."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QApplication

from tests.conftest import CURE
from tests.paths import EXAMPLES
from wattigram.core.model.design.edits import SetDivider
from wattigram.desktop.pages.page_stack import COMPARE
from wattigram.desktop.shell.window import MainWindow


def cells(window: MainWindow) -> list[list[str]]:
    table = window.book.compare.table
    return [
        [table.item(row, column).text() for column in range(5)] for row in range(table.rowCount())
    ]  # type: ignore[union-attr]


def test_a_design_beside_its_file_shows_what_was_changed(window: MainWindow) -> None:
    window.actions_list.named("Compare with the file as saved").trigger()
    assert window.stack.currentIndex() == COMPARE
    assert cells(window) == []
    page = window.book.compare
    assert page.nothing.isVisible()
    assert page.nothing.text().startswith(f"All {len(page.rows)} figures are as in")
    window.document.edit(CURE)
    assert page.table.isVisible()
    assert not page.nothing.isVisible()
    found = cells(window)
    assert ["whole design", "errors", "0", "1", "✓ better now"] in found
    assert any(
        row[1:] == ["settling, as wired", "0.0005 LSB", "740 LSB", "✓ better now"] for row in found
    )
    window.document.stack.undo()
    assert cells(window) == []


def test_equal_figures_are_shown_when_wanted(window: MainWindow) -> None:
    window.show_page(COMPARE)
    window.book.compare.compare_now()
    window.book.compare.every.setChecked(True)
    assert len(cells(window)) == len(window.book.compare.rows) > 50
    window.document.edit(SetDivider("ADC 1", 4))
    clock = next(row for row in cells(window) if row[1] == "clock")
    assert clock[2:4] == ["24 MHz", "32 MHz"]


def test_another_project_is_compared_and_copied_as_text(window: MainWindow) -> None:
    window.show_page(COMPARE)
    other = EXAMPLES / "kiln-safety" / "kiln-safety.wattigram.toml"
    window.files.compare_wanted.emit(other)
    assert ["whole design", "part", "Marten M3", "Osprey X2", ""] in cells(window)
    window.actions_list.named("Copy the comparison as text").trigger()
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert "whole design, part\tMarten M3\tOsprey X2" in clipboard.text()


def test_what_cannot_be_opened_is_said(window: MainWindow, tmp_path: Path) -> None:
    window.show_page(COMPARE)
    window.book.compare.compare_file(tmp_path / "none.wattigram.toml")
    assert "none.wattigram.toml" in window.notice.text


def test_the_page_begins_with_the_file_as_saved(window: MainWindow, tmp_path: Path) -> None:
    window.document.edit(CURE)
    window.show_page(COMPARE)
    assert ["whole design", "errors", "0", "1", "✓ better now"] in cells(window)
    window.document.save(tmp_path / "cured.wattigram.toml")
    assert cells(window) == []
    window.document.stack.undo()
    assert ["whole design", "errors", "1", "0", "✕ better in the other"] in cells(window)
