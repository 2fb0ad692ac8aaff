"""What a page draws, said in words in a table."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from tests.desktop.conftest import Wait, press, shown
from tests.paths import EXAMPLES
from wattigram.core.base.quantity import exact_text, parse_value
from wattigram.core.judge.evidence import HistogramPanel, ScatterPanel, TracePanel
from wattigram.core.model.design.edits import SetSampling
from wattigram.core.predict.timing import scan_timing
from wattigram.desktop.pages.page_stack import CHAIN, COMPARE, PAGES, PROOF, STREAMS, WAVE
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.widgets.seen_table import SeenTable
from wattigram.desktop.widgets.table_window import NOTHING, TableWindow

PROJECTS = sorted(EXAMPLES.glob("*/*.wattigram.toml"))


def tables(window: MainWindow) -> dict[str, SeenTable]:
    """Of the page that is seen, by their titles."""
    _page, seen = window.book.seen()
    for table in seen:
        assert table.rows
        assert {len(row) for row in table.rows} == {len(table.head)}
    assert len({table.title for table in seen}) == len(seen)
    return {table.title: table for table in seen}


def column(table: SeenTable, name: str) -> list[str]:
    place = table.head.index(name)
    return [row[place] for row in table.rows]


def place(window: TableWindow) -> tuple[int, int]:
    """The cell that the keyboard is at."""
    index = window.table.currentIndex()
    return index.row(), index.column()


def table_window(window: MainWindow) -> TableWindow:
    window.actions_list.named("Show what is drawn as a table").trigger()
    assert window.as_tables.window is not None
    return window.as_tables.window


@pytest.mark.parametrize("path", PROJECTS, ids=lambda path: path.stem.partition(".")[0])
def test_every_page_of_every_example(open_window: Callable[[Path], MainWindow], path: Path) -> None:
    window = open_window(path)
    for number in range(len(PAGES)):
        window.show_page(number)
        tables(window)
    project = window.document.workspace.project
    window.show_page(CHAIN)
    seen = tables(window)
    named = {
        signal.name
        for signal in project.signals
        if f"{signal.name}" in column(seen["Signals"], "Signal")
    }
    assert named == {signal.name for signal in project.signals}
    assert len(seen["Timing"].rows) == sum(len(chain.slots) for chain in project.chains)
    made = [*project.generators, *project.pwm, *project.routes]
    assert len(seen["Outputs"].rows if made else ()) == len(made)
    window.show_page(WAVE)
    assert bool(tables(window)) == bool(project.tables)


def test_timing_in_words_is_exact(window: MainWindow) -> None:
    timing = tables(window)["Timing"]
    chain = window.document.workspace.project.chains[0]
    slots = scan_timing(window.document.workspace, chain).slots
    held = column(timing, "Held")[: len(slots)]
    assert held == [exact_text(slot.held_s, "s") for slot in slots]
    findings = dict(
        zip(
            column(tables(window)["Signals"], "Signal"),
            column(tables(window)["Signals"], "Findings"),
            strict=True,
        )
    )
    assert findings["Door latch"] == "Door latch reads its neighbour"
    assert findings["Coil current"] == ""


def test_the_window_follows_design_and_page(window: MainWindow) -> None:
    seen = table_window(window)
    assert seen.windowTitle() == "Chain"
    assert place(seen) == (0, 0)
    seen.which.setCurrentIndex(seen.which.findText("Timing"))
    assert seen.table.accessibleName() == "Timing"
    cells = seen.table.model()
    assert cells is not None
    seen.table.setCurrentIndex(cells.index(2, 5))
    was = cells.index(2, 5).data()
    chain = window.document.workspace.project.chains[0]
    window.document.edit(SetSampling(chain.converter, 2, 128))
    assert cells.index(2, 5).data() != was
    assert seen.which.currentText() == "Timing"
    assert place(seen) == (2, 5)
    seen.copy.click()
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    lines = clipboard.text().splitlines()
    assert lines[0].startswith("Converter\tSlot\tSignal")
    assert len(lines) == 1 + cells.rowCount()
    window.show_page(COMPARE)
    assert seen.windowTitle() == "Compare"
    assert seen.count.text() == NOTHING
    assert not seen.copy.isEnabled()
    window.show_page(CHAIN)
    assert cells.rowCount()
    press(seen, Qt.Key.Key_Escape)
    assert not seen.isVisible()
    window.show_page(STREAMS)
    assert seen.windowTitle() == "Chain", "a closed window reads nothing"


def test_strips_in_words(window: MainWindow, wait: Wait, kiln_take: Path) -> None:
    page = shown(window, wait, kiln_take)
    window.show_page(STREAMS)
    seen = tables(window)
    summary = seen["Strips in sight"]
    assert len(summary.rows) == len(page.plot.traces)
    trace = page.plot.traces[0]
    title = summary.rows[0][0]
    _times, low, high = trace.columns(*page.plot.view, 100)
    assert summary.rows[0][3:5] != ("–", "–")
    assert parse_value(summary.rows[0][3], "V") == pytest.approx(np.nanmin(low), abs=1e-3)
    assert parse_value(summary.rows[0][4], "V") == pytest.approx(np.nanmax(high), abs=1e-3)
    assert seen[title].head[0] == "Middle of the part"
    inside = [
        parse_value(row[3], "V") <= parse_value(row[2], "V")
        and parse_value(row[1], "V") <= parse_value(row[4], "V")
        for row in seen[title].rows
        if row[3]
    ]
    assert inside
    assert all(inside), "what came lies on what was expected"
    page.plot.set_view(0.5, 0.5 + 20 / trace.rate_hz)
    near = tables(window)[title]
    assert near.head[:2] == ("At", "Value")
    number = trace.number_at(parse_value(near.rows[4][0], "s"))
    codes = trace.samples(number, number + 1).codes
    assert codes is not None
    assert near.rows[4][1].split(" · ")[1] == str(codes[0])


def test_a_proof_in_words(window: MainWindow, wait: Wait) -> None:
    window.proving.record_and_prove()
    wait(lambda: window.proving.latest is not None)
    window.show_page(PROOF)
    page = window.book.proof
    assert page.proof is not None
    kinds = set()
    for number in range(len(page.rows)):
        page.choose(number)
        seen = tables(window)
        verdict = page.rows[number].verdict
        assert (verdict.outcome, verdict.text) in {row[:2] for row in seen["Verdicts"].rows}
        evidence = page.view.evidence
        assert evidence is not None
        for panel in evidence.panels:
            kinds.add(type(panel))
            table = seen[panel.title]
            match panel:
                case TracePanel():
                    marked = len(panel.lines) + len(panel.levels) + len(panel.events)
                    marked += len(panel.limits)
                    assert len(table.rows) == marked + len(panel.times_s)
                case ScatterPanel():
                    assert len(table.rows) == len(panel.x_v)
                case HistogramPanel():
                    assert sum(int(count) for count in column(table, "Times")) == panel.counts.sum()
    assert kinds == {TracePanel, ScatterPanel, HistogramPanel}
