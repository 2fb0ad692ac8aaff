"""Where a number comes from: each formula, worked out anew from what is stated, gives the number that is shown."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QUrl
from PyQt6.QtWidgets import QLabel, QMenu

from tests.conftest import edited
from tests.desktop.conftest import Wait
from tests.desktop.test_streams import shown as shown_take
from tests.paths import EXAMPLES
from tests.recorded.variations import CASES, VARIED, variations
from wattigram.core.advise.explanations import Derived, Explanation, Given, Place, lines
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.edits import SetBufferLength, SetReaction
from wattigram.desktop.inspector.panel_model import Fact
from wattigram.desktop.inspector.panels import panel_for
from wattigram.desktop.inspector.waves import table_panel
from wattigram.desktop.pages.page_stack import CHAIN, PROGRAM
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.selection import Selection

PROJECTS = [*sorted(EXAMPLES.glob("*/*.wattigram.toml")), *CASES]
FACETS = ("signal", "sample", "transfer", "filter", "thresholds", "thresholds:2")
SECTIONS = ("generators", "pwm", "uarts", "reactions")


def explained(workspace: Workspace) -> Iterator[tuple[Selection, Fact]]:
    """Every fact of the inspector that says how it came about."""
    for chain in workspace.project.chains:
        chosen = [Selection(chain.converter, facet=facet) for facet in ("clock", "start")]
        chosen += [
            Selection(chain.converter, place, slot.signal, facet)
            for place, slot in enumerate(chain.slots)
            for facet in FACETS
        ]
        for selection in chosen:
            for fact in panel_for(workspace, selection).facts:
                if fact.why is not None:
                    yield selection, fact
    for section in SECTIONS:
        for one in getattr(workspace.project, section):
            selection = Selection(section=section, output=one.name)
            for fact in panel_for(workspace, selection).facts:
                if fact.why is not None:
                    yield selection, fact
    for table in workspace.project.tables:
        for fact in table_panel(workspace, table).facts:
            if fact.why is not None:
                yield Selection(section="tables", output=table.name), fact


@pytest.mark.parametrize("path", PROJECTS, ids=lambda path: path.stem.partition(".")[0])
def test_each_formula_gives_what_is_shown(path: Path) -> None:
    assert_explained(open_workspace(path))


@pytest.mark.parametrize("path", VARIED, ids=lambda path: path.stem.partition(".")[0])
def test_so_it_does_of_designs_that_are_changed(path: Path) -> None:
    workspace = open_workspace(path)
    for _name, other in variations(workspace):
        assert_explained(other)


def assert_explained(workspace: Workspace) -> None:
    for selection, fact in explained(workspace):
        assert fact.why is not None
        whole = f" {fact.value} "
        assert f" {fact.why.text} " in whole, (selection, fact.label, fact.why.text, fact.value)


def test_most_facts_are_explained(kiln: Workspace) -> None:
    found = Counter(fact.label for _selection, fact in explained(kiln))
    assert {
        "converter clock",
        "scan time",
        "slack",
        "scan rate",
        "sampling",
        "conversion",
        "sampling instant",
        "settling time",
        "full-scale step",
        "1 LSB",
        "noise expected",
        "rate",
        "raw rate",
        "output rate",
        "latency",
        "accumulator width",
        "bytes",
        "wrap time",
        "scans per buffer",
    } <= set(found)


def test_so_are_outputs_and_the_program_s_part() -> None:
    found = Counter(
        (selection.section or selection.facet, fact.label)
        for path in PROJECTS
        for selection, fact in explained(open_workspace(path))
    )
    assert {
        ("generators", "update rate"),
        ("generators", "frequency"),
        ("generators", "1 LSB"),
        ("tables", "frequency"),
        ("pwm", "rate"),
        ("pwm", "duty, actual"),
        ("pwm", "average"),
        ("pwm", "duty resolution"),
        ("pwm", "settling time"),
        ("uarts", "actual"),
        ("uarts", "character time"),
        ("uarts", "throughput"),
        ("reactions", "on the wire"),
        ("thresholds", "worst latency"),
        ("filter", "raw noise"),
        ("start", "slack"),
    } <= set(found)


def test_the_processor_s_share_follows_from_clocks_and_rate() -> None:
    workspace = open_workspace(EXAMPLES / "kiln-lamp" / "kiln-lamp.wattigram.toml")
    shares = 0
    for reaction in workspace.project.reactions:
        edit = SetReaction(reaction.name, reaction.replaced(cycles=48_000))
        other = edited(workspace, edit)
        panel = panel_for(other, Selection(section="reactions", output=reaction.name))
        for fact in panel.facts:
            if fact.label == "keeps the processor":
                assert fact.why is not None
                assert fact.why.text == fact.value
                assert "48000 clk" in fact.why.in_values
                shares += 1
    assert shares


@pytest.mark.parametrize("name", ["studio-kiln", "kiln-lamp", "kiln-ramp", "wheel-pedal"])
def test_origins_lead_back_to_what_is_stated(name: str) -> None:
    """What stands in a formula is stated somewhere: in the part, or in a place of the design that shows it."""

    workspace = open_workspace(EXAMPLES / name)

    def given(why: Explanation) -> Iterator[Given]:
        for term in why.terms:
            if isinstance(term, Derived):
                yield from given(term.why)
            else:
                yield term

    for _selection, fact in explained(workspace):
        assert fact.why is not None
        for term in given(fact.why):
            assert term.origin
            if term.place is None:
                assert ":" in term.origin or term.origin.startswith("table "), term
                continue
            place = term.place
            there = Selection(
                place.converter,
                place.place,
                place.signal,
                place.facet,
                section=place.section,
                output=place.output,
            )
            panel = panel_for(workspace, there if place.section else there.valid_in(workspace))
            assert panel.facts or panel.fields, term
            if place.section:
                assert place.output in panel.title


def test_lines_are_for_people(kiln: Workspace) -> None:
    panel = panel_for(kiln, Selection("ADC 1", 2, "Door latch", "sample"))
    fact = next(one for one in panel.facts if one.label == "settling time")
    assert fact.why is not None
    told = [text for _depth, text, _place in lines(fact.why)]
    assert told[0] == (
        "settling time = (source + switch) · sampling capacitor · ln(2 · full scale)"
    )
    assert told[1].startswith("= (47 kΩ + 1.2 kΩ) · 16 pF · ln(2 · 4096) = 6.95 µs")
    assert "source 47 kΩ: bench: pin A4" in told
    instant = next(one for one in panel.facts if one.label == "sampling instant").why
    assert instant is not None
    texts = [text for _depth, text, _place in lines(instant)]
    assert texts.count("converter clock = clock / divider") == 1, "what recurs is told once"


def test_the_window_follows_what_is_selected(window: MainWindow, wait: Wait) -> None:
    page = window.chain_page
    page.select(Selection("ADC 1", 2, "Door latch", "sample"))
    window.actions_list.named("Where do these numbers come from?").trigger()
    shown = window.explaining.window
    assert shown is not None
    assert shown.isVisible()
    assert "(47 kΩ + 1.2 kΩ) · 16 pF · ln(2 · 4096) = 6.95 µs" in shown.text.toPlainText()
    document = shown.text.document()
    assert document is not None
    cursor = document.find("bench: pin A4")
    assert not cursor.isNull()
    shown.text.anchorClicked.emit(QUrl(cursor.charFormat().anchorHref()))
    assert page.selection.facet == "front end"
    assert page.selection.signal == "Door latch"
    page.select(Selection("ADC 1", 0, "Coil current", "transfer"))
    assert "wrap time = length / slots / scan rate" in shown.text.toPlainText()
    window.document.edit(SetBufferLength("ADC 1", 1024))
    assert "= 1024 / 4 / 10 kHz = 25.60 ms" in shown.text.toPlainText()
    page.select(Selection("ADC 1", 0, "Coil current", "front end"))
    assert "Nothing that is shown here" in shown.text.toPlainText()
    shown.close()


def test_a_fact_s_menu_asks(window: MainWindow, wait: Wait) -> None:
    page = window.chain_page
    page.select(Selection("ADC 1", 2, "Door latch", "sample"))
    label = next(
        one for one in page.inspector.findChildren(QLabel) if one.text() == "settling time"
    )
    assert "Right click" in label.toolTip()
    label.customContextMenuRequested.emit(QPoint(3, 3))
    menu = next(one for one in page.inspector.findChildren(QMenu) if one.isVisible())
    menu.actions()[0].trigger()
    menu.close()
    assert window.explaining.window is not None
    assert window.explaining.window.isVisible()


def test_it_follows_the_inspector_of_other_pages(
    open_window: Callable[[Path], MainWindow],
) -> None:
    """On the Program page it explains what is chosen there; what is stated elsewhere is gone to."""
    window = open_window(EXAMPLES / "kiln-lamp" / "kiln-lamp.wattigram.toml")
    window.show_page(PROGRAM)
    page = window.book.program
    pwm = window.document.workspace.project.pwm[0]
    page.choose("pwm", pwm.name)
    window.actions_list.named("Where do these numbers come from?").trigger()
    shown = window.explaining.window
    assert shown is not None
    assert "average = duty, actual · supply" in shown.text.toPlainText()
    uart = window.document.workspace.project.uarts[0]
    page.choose("uarts", uart.name)
    assert "character time = bits / actual baud" in shown.text.toPlainText()
    window.explaining._go(Place(section="pwm", output=pwm.name))
    assert window.stack.currentIndex() == PROGRAM
    assert page.chosen == ("pwm", pwm.name)
    window.explaining._go(Place(facet="project"))
    assert window.stack.currentIndex() == CHAIN
    shown.close()


def test_a_finding_leads_to_its_numbers(window: MainWindow) -> None:
    window.show_findings()
    beside = window.findings_window
    assert beside is not None
    for panel in (window.chain_page.findings, beside.panel):
        window.chain_page.select(Selection("ADC 1", facet="clock"))
        panel.cards[0].numbers.click()
        assert window.chain_page.selection.signal == "Door latch"
        shown = window.explaining.window
        assert shown is not None
        assert shown.isVisible()
        assert "(47 kΩ + 1.2 kΩ) · 16 pF · ln(2 · 4096) = 6.95 µs" in shown.text.toPlainText()
        shown.close()


def test_figures_of_the_analysis_say_how_they_are_worked_out(
    window: MainWindow, wait: Wait, kiln_take: Path
) -> None:
    panel = shown_take(window, wait, kiln_take).analysis
    panel.choose_kind("sine")
    wait(lambda: panel.measured is not None and panel.measured.kind == "sine")
    window.actions_list.named("Where do these numbers come from?").trigger()
    shown = window.explaining.window
    assert shown is not None
    text = shown.text.toPlainText()
    assert "ENOB at its level = (SINAD − 10 · log10(3 / 2)) / (20 · log10(2))" in text
    assert "all that it leaves, noise and harmonics" in text
    assert panel.measured is not None
    for figure in panel.measured.figures:
        assert figure.title in text
    shown.close()
    item = panel.table.item(2, 0)
    assert item is not None
    panel.table.customContextMenuRequested.emit(panel.table.visualItemRect(item).center())
    menu = next(one for one in panel.findChildren(QMenu) if one.isVisible())
    menu.actions()[0].trigger()
    menu.close()
    assert shown.isVisible()
    shown.close()
