"""What the header says in each state of the board."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from tests.desktop.conftest import click, press
from wattigram.core.capture.session import Snapshot
from wattigram.core.judge import Proof, Verdict
from wattigram.core.model.design import Workspace
from wattigram.desktop.pages.page_stack import CHAIN, PAGES, PROOF
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.theme import LIGHT, apply_theme
from wattigram.desktop.widgets.header import Header
from wattigram.desktop.widgets.notice import Notice


@pytest.fixture(autouse=True, scope="module")
def dressed(qapp: QApplication) -> None:
    """Widths are those of the program's own style."""
    apply_theme(qapp, LIGHT)


RUNNING = {
    "state": "running",
    "mark_matches": True,
    "build_id": "4f2a0011",
    "seconds": 12.3,
    "samples": 1000,
}
STATES = [
    ({}, "○ Board off", "Run", "Record", ""),
    (
        {"state": "idle", "mark_matches": True, "build_id": "4f2a0011"},
        "○ Board ready · build 4f2a",
        "Run",
        "Record",
        "",
    ),
    (RUNNING, "● Board running · build 4f2a", "Stop", "Record", ""),
    (
        RUNNING | {"lost_cycles": 7},
        "● Board running · build 4f2a · 7 lost",
        "Stop",
        "Record",
        "bad",
    ),
    (RUNNING | {"mark_matches": False}, "✕ Board has build 4f2a0011", "Stop", "Record", "bad"),
    (
        RUNNING | {"recording": Path("x.h5")},
        "● Board running · build 4f2a",
        "Stop",
        "Stop recording · 12 s",
        "",
    ),
    (
        RUNNING | {"recording": Path("x.h5"), "recording_since_s": 5.0},
        "● Board running · build 4f2a",
        "Stop",
        "Stop recording · 7 s",
        "",
    ),
    ({"state": "failed", "message": "It is gone."}, "○ Board failed", "Run", "Record", "bad"),
]


@pytest.mark.parametrize(
    ("state", "board", "run", "record", "tone"),
    STATES,
    ids=[str(number) for number in range(len(STATES))],
)
def test_each_state_is_said(
    qtbot: QtBot, state: dict[str, object], board: str, run: str, record: str, tone: str
) -> None:
    header = Header(PAGES)
    header.resize(1600, 44)
    qtbot.addWidget(header)
    header.show_snapshot(Snapshot(**state))  # type: ignore[arg-type]
    assert (header.board.text(), header.run_button.text(), header.record_button.text()) == (
        board,
        run,
        record,
    )
    assert header.board.property("tone") == tone
    assert header.board.toolTip()


@pytest.mark.parametrize(
    ("outcomes", "text", "tone"),
    [
        (["holds", "holds"], "✓ 2 hold", "good"),
        (["holds", "fails"], "✓ 1 hold · ✕ 1 fails", "bad"),
        (["fails", "fails", "open"], "✓ 0 hold · ✕ 2 fail · ○ 1 open", "bad"),
    ],
)
def test_the_proof_is_said_in_a_few_words(
    qtbot: QtBot, kiln: Workspace, outcomes: list[str], text: str, tone: str
) -> None:
    verdicts = tuple(
        Verdict(0, kiln.project.expectations[0], "t", outcome, None, "", None, None, 0, "n")  # type: ignore[arg-type]
        for outcome in outcomes
    )
    header = Header(PAGES)
    header.resize(1600, 44)
    qtbot.addWidget(header)
    header.show_proof(Proof(Path("x"), "m", True, verdicts, ()))
    assert (header.proof.text(), header.proof.property("tone")) == (text, tone)
    header.show_proof(None)
    assert header.proof.text() == "Prove"


def test_a_change_is_marked_beside_the_name(qtbot: QtBot, kiln: Workspace) -> None:
    header = Header(PAGES)
    header.resize(1800, 44)
    qtbot.addWidget(header)
    header.show()
    header.show_workspace(kiln, is_clean=False)
    assert header.title.text() == "studio-kiln •"
    assert header.part.text() == "Marten M3 · 96 MHz · 3.300 V"
    header.show_workspace(kiln, is_clean=True)
    assert header.title.text() == "studio-kiln"
    header.hide()  # nothing of it is painted once nobody holds it


def test_a_notice_takes_an_answer_and_goes(qtbot: QtBot) -> None:
    parent = QWidget()
    qtbot.addWidget(parent)
    notice = Notice(parent)
    answers: list[str] = []
    notice.say(
        "Really?", ("Yes", lambda: answers.append("yes")), ("No", lambda: answers.append("no"))
    )
    assert not notice.isHidden()
    assert not notice._timer.isActive()  # a question waits for its answer
    next(button for button in notice.findChildren(QPushButton) if button.text() == "No").click()
    assert answers == ["no"]
    assert notice.isHidden()
    notice.say("Only to be known.")
    assert notice._timer.isActive()
    notice.hide()
    notice._timer.stop()


def test_findings_are_in_reach_on_every_page(window: MainWindow) -> None:
    header = window.header
    assert header.findings.isVisible()
    assert header.findings.text() == "✕1"
    window.show_page(PROOF)
    header.findings.click()
    beside = window.findings_window
    assert beside is not None
    assert beside.isVisible()
    assert beside.filters["error"].text() == "errors · 1"
    beside.filters["warning"].click()
    assert beside.none.isVisible()
    beside.filters["error"].click()
    card = beside.panel.cards[0]
    press(card, Qt.Key.Key_Return)  # its fix
    assert not header.findings.isVisible()
    assert beside.filters["all"].text() == "all · 0"
    window.document.stack.undo()
    assert header.findings.text() == "✕1"
    click(beside.panel.cards[0], QPoint(5, 5))
    assert window.stack.currentIndex() == CHAIN
    assert window.chain_page.selection.signal == "Door latch"


@pytest.mark.parametrize("width", [1024, 1280, 1600])
def test_nothing_is_cut_while_a_board_runs_with_findings_and_a_proof_that_fails(
    qtbot: QtBot, kiln: Workspace, width: int
) -> None:
    header = Header(PAGES)
    qtbot.addWidget(header)
    header.resize(width, 44)
    header.show()
    header.show_workspace(kiln, is_clean=False)
    header.show_findings("✕1 !2", "1 error · 2 warnings", True)
    header.show_snapshot(Snapshot())
    qtbot.wait(1)
    places = [page.x() for page in header.pages]
    header.show_snapshot(Snapshot(**RUNNING))  # type: ignore[arg-type]
    verdicts = tuple(
        Verdict(0, kiln.project.expectations[0], "t", outcome, None, "", None, None, 0, "n")  # type: ignore[arg-type]
        for outcome in ("holds", "fails")
    )
    header.show_proof(Proof(Path("x"), "m", True, verdicts, ()))
    header.show_snapshot(Snapshot(**RUNNING))  # type: ignore[arg-type]
    qtbot.wait(1)
    for button in (
        header.findings,
        header.board,
        header.run_button,
        header.record_button,
        header.proof,
        *header.pages,
    ):
        assert button.width() >= button.sizeHint().width(), button.text()
    part = header.part
    assert part.text().startswith("Marten M3" if width > 1024 else "")
    assert part.width() >= part.fontMetrics().horizontalAdvance(part.text())
    assert part.x() + part.width() <= header.pages[0].x()
    assert [page.x() for page in header.pages] == places, "pages stay where they are"
    assert header.proof.x() + header.proof.width() <= width
    header.hide()
