"""Several takes against one set of expectations, side by side in a window."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QFileDialog

from tests.conftest import CURE
from tests.desktop.conftest import Wait
from wattigram.core.capture.session import record_run
from wattigram.core.judge.several_takes import as_table, prove_several, side_by_side
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import apply_edit
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.widgets.proof.several_takes import SeveralTakes


def two_takes(kiln: Workspace, folder: Path) -> tuple[Path, Path, Path]:
    """One that fails, one that holds, and a file that is none."""
    short, cured, none = (folder / f"{name}.h5" for name in ("short", "cured", "none"))
    record_run(kiln, 2.5, short, fast=True)
    record_run(apply_edit(kiln, CURE), 2.5, cured, fast=True)
    none.write_text("nothing")
    return short, cured, none


def test_rows_and_what_differs(kiln: Workspace, tmp_path: Path) -> None:
    paths = two_takes(kiln, tmp_path)
    shares: list[float] = []
    takes = prove_several(kiln, paths, shares.append)
    assert shares == sorted(shares)
    assert "cannot be opened" in takes[2].fault
    rows = side_by_side(takes)
    assert len(rows) == len(kiln.project.expectations)
    latch = next(row for row in rows if row.text.startswith("Door latch"))
    assert [cell.outcome if cell else None for cell in latch.cells] == ["fails", "holds", None]
    both = side_by_side(takes[:2])
    assert [row.text for row in both if row.differs] == [latch.text]
    table = as_table(takes).splitlines()
    assert table[0].startswith("expectation,short,short: value,cured")
    assert len(table) == 1 + len(rows)
    assert side_by_side(takes[2:]) == ()


def test_the_window_of_takes(
    window: MainWindow, wait: Wait, kiln: Workspace, tmp_path: Path
) -> None:
    paths = two_takes(kiln, tmp_path)
    window.actions_list.named("Prove several takes side by side…").trigger()
    dialog = next(one for one in window.findChildren(QFileDialog) if one.isVisible())
    assert dialog.fileMode() == QFileDialog.FileMode.ExistingFiles
    dialog.filesSelected.emit([str(path) for path in paths[:2]])
    dialog.close()
    wait(lambda: bool(window.findChildren(SeveralTakes)))
    shown = window.findChildren(SeveralTakes)[0]
    assert "short: 7 hold, 1 fail, 0 open" in shown.summary.text()
    assert shown.table.rowCount() == len(kiln.project.expectations)
    shown.only.click()
    assert shown.table.rowCount() == 1, "the latch alone is another in each"
    texts = [
        item.text()
        for row in range(shown.table.rowCount())
        if (item := shown.table.item(row, 1)) is not None
    ]
    assert any(text.startswith("✕ ") for text in texts)
    item = shown.table.item(0, 1)
    assert item is not None
    assert "," in item.data(Qt.ItemDataRole.AccessibleTextRole)
    shown.copy.click()
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert clipboard.text().startswith("expectation\tshort")
    head = shown.table.horizontalHeader()
    assert head is not None
    head.sectionClicked.emit(2)
    wait(lambda: window.proving.latest is not None and window.proving.latest.take == paths[1])
    assert window.proving.latest is not None
    assert window.proving.latest.proof.all_hold
    shown.close()
