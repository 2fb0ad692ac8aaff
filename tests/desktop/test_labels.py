"""Labels are the trade's terms: none is a word that was used before."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QAbstractButton, QLabel, QWidget

import wattigram
from tests.conftest import edited
from tests.desktop.test_inspect_parts import VARIANTS, made, selections
from tests.paths import EXAMPLE_FILES
from wattigram.core.advise.findings import RULES, find_all
from wattigram.core.base.errors import WattigramError
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.edits import (
    Edit,
    RemoveWiring,
    SetBits,
    SetBufferLength,
    SetCalibration,
    SetDivider,
    SetElementWidth,
    SetIsrCost,
    SetPeriod,
    SetSampling,
)
from wattigram.desktop.inspector import Panel, panel_for
from wattigram.desktop.inspector.outputs import generator_panel, pwm_panel
from wattigram.desktop.inspector.routes import route_panel, uart_panel
from wattigram.desktop.inspector.waves import table_panel
from wattigram.desktop.shell.help_windows import TextWindow
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.widgets.chain.chain_layout import TITLES

BEFORE = {
    "buffers": "loop, lap, laps, item, items, item width, half mark, full mark, in step, out of step, "
    "torn half, round and round, again and again, endless, once, item by item, stands still",
    "sequence": "cycle, cycles, pass, passes, cycles lost, cyc, one cycle to scale, held after, "
    "held instant, settled after, lsb left, busy, registers hold, each starts, gives, "
    "own oscillator, legal, every",
    "columns": "move, reduce, window",
    "transfer": "fetched, fetching, mark, handler, handler cycles, one for each, gives up after, "
    "first byte, low byte first, read as it is, nobody hears",
    "filter": "block mean, running mean, done by, register needs, true mean, "
    "what is left of a tone",
    "thresholds": "less, in a row, tells, does, armed again, compared with, event at the latest, twin, "
    "twin of, trips beyond",
    "bench": "wired to it, level (knob), ramp there and back, steps, sine swept, not connected, "
    "sags by, pick-up, mains pick-up, wires exchanged with, resistance",
    "wave": "turns in it, phase of a turn, items hold, what does not fit, played on, nobody, wave, "
    "updates, cut off, rounding, turns at first, turns at last, peak at, one lap, reaches up to, "
    "reaches down to, seen through a low-pass at, ramps and soaks, several tones, arithmetic on t, "
    "between them",
    "outputs": "puts out, a level, stay there, begin again, go back, a point for each, first point, "
    "second data register, begins, steps of duty, duty comes out, new duty waits for period, mean",
    "routes": "a transfer when, sink is empty, bits read, bits written, transfers a value, "
    "address goes up, other end takes, source makes, sink takes, what gets through, half written, "
    "a byte takes, really, program reports",
    "proof": "cure, gravest, open, comes at every cycle, scatters, fits",
    "menus": "write the c, take the measured costs, take the measured handler costs, build mark, "
    "equal ones too, better there, drop, throw away, begin anew, light or dark, our fault, "
    "expect of the signal what its bench gives, convert the signal in one more slot",
}
HOMONYMS = {"Wave", "Open…"}
"""The page, and the button that opens a take."""
WORDS = {word.strip() for words in BEFORE.values() for word in words.split(", ")}
PHRASES = (
    "running mean|block mean|build mark|handler|half mark|full mark|item width|held after|gravest|"
    r"round and round|pick-up|cycles lost|own oscillator|\bcyc\b|\btwin\b|\blaps?\b|\bloops?\b|"
    "low byte first|stands still"
)


def plain(label: str) -> str:
    """A label without what stands around its words."""
    return re.sub(r"[,·:&]", " ", label).strip().lower().replace("  ", " ")


def assert_terms(labels: Iterator[str]) -> int:
    seen = 0
    for label in labels:
        seen += 1
        assert label in HOMONYMS or plain(label) not in WORDS, label
    return seen


def words_of(panel: Panel) -> Iterator[str]:
    yield panel.title.split("·")[0]
    for fact in panel.facts:
        yield fact.label
    for field in panel.fields:
        yield field.label
        if field.label not in {"signal", "threshold", "mode"}:
            yield from field.options
    for tab in panel.tabs:
        yield tab.label


@pytest.mark.parametrize(
    ("name", "edits"), VARIANTS, ids=[f"{name} {n}" for n, (name, _) in enumerate(VARIANTS)]
)
def test_panels_have_the_trades_terms(name: str, edits: tuple[Edit, ...]) -> None:
    workspace = made(name, edits)
    own = {item.name for signal in workspace.project.signals for item in signal.thresholds}
    for selection in selections(workspace):
        words = words_of(panel_for(workspace, selection))
        assert_terms(word for word in words if word not in own)


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=lambda path: path.name)
def test_panels_of_outputs_have_them_too(path: Path) -> None:
    workspace = open_workspace(path)
    project = workspace.project
    for generator in project.generators:
        assert_terms(words_of(generator_panel(workspace, generator)))
    for pwm in project.pwm:
        assert_terms(words_of(pwm_panel(workspace, pwm)))
    for route in project.routes:
        assert_terms(words_of(route_panel(workspace, route)))
    for uart in project.uarts:
        assert_terms(words_of(uart_panel(workspace, uart)))
    for table in project.tables:
        assert_terms(words_of(table_panel(workspace, table)))


def test_headings_and_menus_have_them(window: MainWindow) -> None:
    assert assert_terms(iter(TITLES)) == 7
    assert assert_terms(action.text() for action in window.actions_list.every()) > 60


def test_every_page_has_them(window: MainWindow) -> None:
    seen = 0
    for number in range(window.stack.count()):
        window.show_page(number)
        seen += assert_terms(labels_of(window.book.page(number)))
    assert seen > 40


def labels_of(widget: QWidget) -> Iterator[str]:
    for label in widget.findChildren(QLabel):
        yield label.text()
    for button in widget.findChildren(QAbstractButton):
        yield button.text()


def mistakes(workspace: Workspace) -> Iterator[Workspace]:
    for chain in workspace.project.chains:
        name = chain.converter
        for edit in (
            SetSampling(name, 0, 3),
            SetBits(name, 8),
            SetPeriod(name, "3 us"),
            SetBufferLength(name, 7),
            SetIsrCost(name, 500_000),
            SetCalibration(name, False),
            SetElementWidth(name, 8),
            SetDivider(name, 1),
            *(RemoveWiring(wiring.pin) for wiring in workspace.project.bench[:3]),
        ):
            try:
                yield edited(workspace, edit)
            except (WattigramError, ValueError):
                continue


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=lambda path: path.name)
def test_findings_and_fixes_have_them(path: Path) -> None:
    names = re.compile(r"“[^”]*”")
    for workspace in mistakes(open_workspace(path)):
        own = {signal.name for signal in workspace.project.signals}
        own |= {chain.buffer.name for chain in workspace.project.chains}
        for finding in find_all(workspace):
            for text in (finding.title, finding.message, finding.fix):
                for name in sorted(own, key=len, reverse=True):
                    text = text.replace(name, "")
                assert not re.search(PHRASES, names.sub("", text).replace("main loop", "")), text


def test_every_rule_says_what_comes_of_it() -> None:
    for rule in RULES:
        assert re.fullmatch(r"[A-Z][^\n]*\.", rule.why), rule.codes
        assert not re.search(PHRASES, rule.why.replace("main loop", "")), (rule.codes, rule.why)


SENTENCES = ("core/advise", "core/judge", "core/model/design/edits", "desktop", "cli")


@pytest.mark.parametrize("folder", SENTENCES)
def test_no_sentence_of_the_source_has_a_word_of_before(folder: str) -> None:
    root = Path(wattigram.__file__).parent / folder
    for path in sorted(root.rglob("*.py")):
        for text in sentences(path):
            assert not re.search(PHRASES, text.replace("main loop", "").replace("loopback", "")), (
                path.name,
                text,
            )


def sentences(path: Path) -> Iterator[str]:
    """Texts of a module that people read: strings with a space in them that are no docstrings."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    documents = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    for node in ast.walk(tree):
        if not isinstance(node, ast.Constant) or not isinstance(node.value, str):
            continue
        if " " in node.value.strip() and id(node) not in documents:
            yield node.value


def test_the_glossary_is_a_key_away(window: MainWindow) -> None:
    window.actions_list.named("Explain words (glossary)").trigger()
    (glossary,) = window.findChildren(TextWindow)
    assert "likely cause" in glossary.text.toPlainText()
    glossary.close()
