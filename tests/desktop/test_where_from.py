"""Where a number comes from: each formula, worked out anew from what is stated, gives the number that is shown."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QPointF, QUrl
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtWidgets import QApplication, QLabel, QMenu

from tests.conftest import edited
from tests.desktop.conftest import Wait
from tests.desktop.test_streams import shown as shown_take
from tests.paths import EXAMPLES
from tests.recorded.variations import CASES, VARIED, variations
from wattigram.core.advise.explanations import Derived, Explanation, Found, Given, Place, lines
from wattigram.core.model.design import (
    Polling,
    Retrieval,
    SoftwareTrigger,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import (
    SetBoardReference,
    SetBufferLength,
    SetIsrCost,
    SetPerTrigger,
    SetReaction,
    SetRetrieval,
    SetTrigger,
)
from wattigram.core.model.field_types import PerTrigger
from wattigram.core.predict.expected import band_half_width_v
from wattigram.core.predict.timing import scan_timing
from wattigram.desktop.inspector.panel_model import Fact
from wattigram.desktop.inspector.panels import panel_for
from wattigram.desktop.inspector.waves import table_panel
from wattigram.desktop.pages.page_stack import CHAIN, PROGRAM, PROOF
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.selection import Selection

PROJECTS = [*sorted(EXAMPLES.glob("*/*.wattigram.toml")), *CASES]
FACETS = (
    "signal",
    "sample",
    "transfer",
    "filter",
    "thresholds",
    "thresholds:2",
    "redundant pair",
    "comparator",
    "stream",
)
SECTIONS = ("generators", "pwm", "uarts", "routes", "reactions")
STATED = {
    "bits transferred",
    "build ID",
    "chains",
    "channel",
    "clipped",
    "codes",
    "comes",
    "converter",
    "is sent",
    "longest",
    "memory",
    "missed",
    "pin",
    "port",
    "receives on",
    "results",
    "sends on",
    "signals",
    "unity gain",
}
"""Facts that say what is stated beside them, or count it."""


def facts_of(workspace: Workspace) -> Iterator[tuple[Selection, Fact]]:
    """Every fact of the inspector."""
    for chain in workspace.project.chains:
        chosen = [Selection(chain.converter, facet=facet) for facet in ("clock", "start")]
        chosen += [
            Selection(chain.converter, place, slot.signal, facet)
            for place, slot in enumerate(chain.slots)
            for facet in FACETS
        ]
        for selection in chosen:
            for fact in panel_for(workspace, selection).facts:
                yield selection, fact
    for fact in panel_for(workspace, Selection(facet="project")).facts:
        yield Selection(facet="project"), fact
    for section in SECTIONS:
        for one in getattr(workspace.project, section):
            selection = Selection(section=section, output=one.name)
            for fact in panel_for(workspace, selection).facts:
                yield selection, fact
    for table in workspace.project.tables:
        for fact in table_panel(workspace, table).facts:
            yield Selection(section="tables", output=table.name), fact


def explained(workspace: Workspace) -> Iterator[tuple[Selection, Fact]]:
    """Those of them that say how they came about."""
    return ((selection, fact) for selection, fact in facts_of(workspace) if fact.whys)


@pytest.mark.parametrize("path", PROJECTS, ids=lambda path: path.stem.partition(".")[0])
def test_each_formula_gives_what_is_shown(path: Path) -> None:
    assert_explained(open_workspace(path))


@pytest.mark.parametrize("path", VARIED, ids=lambda path: path.stem.partition(".")[0])
def test_so_it_does_of_designs_that_are_changed(path: Path) -> None:
    workspace = open_workspace(path)
    for _name, other in variations(workspace):
        assert_explained(other)


@pytest.mark.parametrize("path", VARIED, ids=lambda path: path.stem.partition(".")[0])
@pytest.mark.parametrize("per_trigger", ["conversion", "scan"])
@pytest.mark.parametrize("retrieval", [None, Polling()], ids=["as it is", "polling"])
def test_so_it_does_where_a_main_loop_goes_round(
    path: Path, per_trigger: PerTrigger, retrieval: Retrieval | None
) -> None:
    workspace = open_workspace(path)
    name = workspace.project.chains[0].converter
    edits = [SetTrigger(name, SoftwareTrigger()), SetPerTrigger(name, per_trigger)]
    edits += [SetRetrieval(name, retrieval)] if retrieval is not None else []
    started = edited(workspace, *edits)
    assert_explained(started)
    followed = edited(started, SetIsrCost(name, 454, 9000, 312, 144))
    assert_explained(followed)
    cycle = scan_timing(followed, followed.project.chains[0])
    assert cycle.cycle_s * followed.bus_clock_hz >= 312  # it looks no oftener


def assert_explained(workspace: Workspace) -> None:
    for selection, fact in facts_of(workspace):
        for why in fact.whys:
            found = re.search(rf"(?<![\w.]){re.escape(why.text)}(?![\w.])", fact.value)
            assert found, (selection, fact.label, why.text, fact.value)
        if fact.label not in STATED and re.search(r"(?<![A-Z^])\d", fact.value):
            assert fact.whys, (selection, fact)


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
                assert fact.whys[0].text == fact.value
                assert "48000 clk" in fact.whys[0].in_values
                shares += 1
    assert shares


@pytest.mark.parametrize("name", ["studio-kiln", "kiln-lamp", "kiln-ramp", "wheel-pedal"])
def test_origins_lead_back_to_what_is_stated(name: str) -> None:
    """What stands in a formula is stated somewhere: in the part, or in a place of the design that shows it."""

    workspace = open_workspace(EXAMPLES / name)

    def given(why: Explanation | Found) -> Iterator[Given]:
        for term in why.terms:
            if isinstance(term, Derived):
                yield from given(term.why)
            elif isinstance(term, Found):
                assert term.how
                yield from given(term)
            else:
                yield term

    for _selection, fact in explained(workspace):
        for term in (term for why in fact.whys for term in given(why)):
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
    told = [text for _depth, text, _place in lines(fact.whys[0])]
    assert told[0] == (
        "settling time = (source + switch) · sampling capacitor · ln(2 · full scale)"
    )
    assert told[1].startswith("= (47 kΩ + 1.2 kΩ) · 16 pF · ln(2 · 4096) = 6.95 µs")
    assert "source 47 kΩ: bench: pin A4" in told
    (instant,) = next(one for one in panel.facts if one.label == "sampling instant").whys
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


def test_the_band_is_made_of_noise_and_of_what_the_converter_may_be_off(kiln: Workspace) -> None:
    chain = kiln.project.chains[0]
    name = chain.slots[1].signal
    panel = panel_for(kiln, Selection("ADC 1", 1, name, "stream"))
    (band,) = next(one for one in panel.facts if one.label == "band").whys
    half_v = band_half_width_v(kiln, chain, name, reduced=False)
    assert float(band.value) == pytest.approx(half_v, rel=1e-12)
    told = "\n".join(text for _depth, text, _place in lines(band))
    assert "σ · noise expected · 1 LSB + accuracy" in told
    assert "1 / 2 + offset and gain" in told


def test_what_is_drawn_to_scale_can_be_asked_for_its_number(window: MainWindow) -> None:
    page = window.chain_page
    lens = page.lens
    slot = lens.slot_rect("ADC 1", 2)
    edge = lens.edge_x("ADC 1", 2)
    lanes = [lens._lane(number).center() for number in range(2, 5)]
    height = slot.center().y()
    asked = (
        (QPointF((slot.left() + edge) / 2, height), "sample", "sampling"),
        (QPointF((edge + slot.right()) / 2, height), "sample", "conversion"),
        (QPointF(slot.right() + 300, height), "start", "slack"),
        (lens.trigger_point(), "start", "triggers"),
        (lanes[1], "transfer", "ISR rate"),
        (lanes[2], "transfer", "ISR"),
    )
    for point, facet, label in asked:
        found = lens.number_at(point)
        assert found is not None, label
        selection, of = found
        assert (selection.facet, of) == (facet, label)
        at = point.toPoint()
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, lens.mapToGlobal(at))
        QApplication.sendEvent(lens, event)
        menu = next(one for one in lens.findChildren(QMenu) if one.isVisible())
        (action,) = menu.actions()
        assert label in action.text()
        action.trigger()
        menu.close()
        menu.deleteLater()
        assert page.selection.facet == facet
        shown = window.explaining.window
        assert shown is not None
        panel = page.inspector.panel
        assert panel is not None
        fact = next(one for one in panel.facts if one.label == label)
        assert fact.whys[-1].in_words in shown.text.toPlainText()
    assert window.explaining.window is not None
    window.explaining.window.close()
    assert lens.number_at(QPointF(5, 2)) is None
    for number, calls in enumerate(lens._handler_calls(window.document.workspace)):
        start_s, length_s = calls[0]
        found = lens.number_at(QPointF(lens.x_of(start_s + length_s / 2), lanes[2].y()))
        assert found is not None
        assert found[0].converter == f"ADC {number + 1}", "the ISR that is under the mouse"


def test_a_stream_s_band_is_explained_beside_the_stream(
    window: MainWindow, wait: Wait, kiln_take: Path
) -> None:
    """On the Streams page that of the signal that is measured; on the Proof page that of the verdict."""
    panel = shown_take(window, wait, kiln_take).analysis
    wait(lambda: panel.measured is not None)
    window.actions_list.named("Where do these numbers come from?").trigger()
    shown = window.explaining.window
    assert shown is not None
    name = panel.first.currentText()
    assert f"Stream · {name}, as the design expects it" in shown.text.toPlainText()
    assert "accuracy = (1 / 2 + offset and gain) · 1 LSB" in shown.text.toPlainText()
    shown.close()
    window.show_page(PROOF)
    page = window.book.proof
    signals = [signal.name for signal in window.document.workspace.project.signals]
    row = next(row for row in page.rows if row.verdict.signal == signals[-1])
    page.choose(row.number)
    window.actions_list.named("Where do these numbers come from?").trigger()
    assert shown.title.text().startswith(f"Stream · {signals[-1]}")
    assert "band = σ · noise expected · 1 LSB + accuracy" in shown.text.toPlainText()
    shown.close()


def test_full_scale_says_how_sure_it_is(kiln: Workspace) -> None:
    for edit, value, origins in (
        (SetBoardReference("supply", 3.287), "3.287 V", {"project: supply"}),
        (
            SetBoardReference("supply", None, 0.005),
            "3.300 V ± 0.5 %",
            {"part: reference supply", "project: supply"},
        ),
    ):
        panel = panel_for(edited(kiln, edit), Selection(facet="project"))
        fact = next(one for one in panel.facts if one.label == "full scale")
        assert fact.value == value
        said = [text for why in fact.whys for _depth, text, _place in lines(why)]
        assert {text.partition(": ")[2] for text in said} == origins
