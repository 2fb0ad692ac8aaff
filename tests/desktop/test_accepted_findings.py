"""Findings accepted in their window and on the Chain page, with a reason, and reconsidered."""

from __future__ import annotations

from PyQt6.QtWidgets import QApplication, QLineEdit

from tests.desktop.conftest import Wait, type_text
from wattigram.desktop.shell.window import MainWindow


def _accept(window: MainWindow, wait: Wait, reason: str) -> str:
    """Accept the gravest finding; gives its title."""
    window.show_findings()
    panel = window.findings_window.panel  # type: ignore[union-attr]
    card = panel.cards[0]
    card.accept.click()
    dialog = window.acceptance.dialog
    assert dialog is not None
    field = dialog.findChild(QLineEdit)
    type_text(field, reason)
    wait(lambda: bool(window.document.workspace.project.accepted))
    return card.finding.title


def test_it_counts_no_more_and_can_be_reconsidered(window: MainWindow, wait: Wait) -> None:
    before = len(window.document.findings)
    errors = window.header.findings.text()
    title = _accept(window, wait, "known, and fine")
    assert window.header.findings.text() != errors
    last = window.document.findings[-1]
    assert (last.title, last.accepted) == (title, "known, and fine")
    shown = window.findings_window
    assert shown is not None
    assert shown.filters["accepted"].text() == "accepted · 1"
    assert shown.filters["all"].text() == f"all · {before}"
    shown.filters["accepted"].click()
    (card,) = shown.panel.cards
    assert card.accept.text() == "Reconsider"
    card.accept.click()
    wait(lambda: not window.document.workspace.project.accepted)
    assert window.header.findings.text() == errors
    assert shown.filters["accepted"].text() == "accepted · 0"


def test_it_is_one_step_of_undo_and_needs_a_reason(window: MainWindow, wait: Wait) -> None:
    _accept(window, wait, "fine")
    assert "1 ACCEPTED" in window.chain_page.findings._title.text()
    window.document.stack.undo()
    assert not window.document.workspace.project.accepted
    card = window.chain_page.findings.cards[0]
    window.acceptance.ask(card.finding)
    dialog = window.acceptance.dialog
    assert dialog is not None
    dialog.accept()
    QApplication.processEvents()
    assert not window.document.workspace.project.accepted
    assert "without a reason" in window.notice.text


def test_a_finding_says_why_it_matters(window: MainWindow) -> None:
    window.show_findings()
    assert window.findings_window is not None
    card = window.findings_window.panel.cards[0]
    assert card.finding.code == "sampling-too-short"
    assert card.why.isHidden()
    card.asks.click()
    assert card.why.isVisible()
    assert card.why.text() == "What comes of it: A reading leans towards the slot before it."
    card.asks.click()
    assert card.why.isHidden()
