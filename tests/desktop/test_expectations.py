"""Expectations on the Proof page: changed in their sentences, added, moved and taken away."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from tests.desktop.conftest import Wait, press, type_text
from wattigram.core.base.quantity import parse_value
from wattigram.core.contract.figure_names import OF_TWO
from wattigram.core.model.design import LevelExpectation, SquareExpectation
from wattigram.desktop.pages.page_stack import PROOF
from wattigram.desktop.pages.proof_page import ProofPage
from wattigram.desktop.shell.window import MainWindow


def _page(window: MainWindow) -> ProofPage:
    window.show_page(PROOF)
    return window.proof_page


def _proved(window: MainWindow, wait: Wait) -> ProofPage:
    page = _page(window)
    window.proving.record_and_prove()
    wait(lambda: page.proof is not None)
    return page


def _outcomes(page: ProofPage) -> list[str]:
    return [row.verdict.outcome for row in page.rows]


def _settle(page: ProofPage) -> None:
    """The sentence takes its room, and what wraps does so in some rounds: until nothing moves any more."""
    seen: list[object] = []
    while len(seen) < 8 or any(one != seen[-1] for one in seen[-8:]):
        QApplication.processEvents()
        page.view.repaint()
        seen.append([(one.axes.rect, one.axes.y_span, one.limit) for one in page.view.limits])


def test_what_must_hold_is_there_before_anything_was_proved(window: MainWindow) -> None:
    page = _page(window)
    expectations = window.document.workspace.project.expectations
    assert [row.verdict.expectation for row in page.rows] == list(expectations)
    assert set(_outcomes(page)) == {"open"}
    assert all(row.verdict.note == "not proved yet" for row in page.rows)
    page.choose(3)
    assert isinstance(page.form.expectation, SquareExpectation)
    assert page.form.fields["low"].text() == "20 mV"


def test_a_limit_is_typed_and_the_take_is_judged_anew(window: MainWindow, wait: Wait) -> None:
    page = _proved(window, wait)
    assert _outcomes(page)[3] == "fails"
    before = page.proof
    page.choose(3)
    type_text(page.form.fields["within"], "0.6 V")
    wait(lambda: page.proof is not before)
    assert _outcomes(page)[3] == "holds"
    assert page.current == 3
    window.document.stack.undo()
    wait(lambda: _outcomes(page)[3] == "fails")
    assert page.current == 3


@pytest.mark.parametrize(
    ("row", "fact", "moves"),
    [(3, "high", 40), (5, "within", -25), (2, "within", 9)],
    ids=["a-level", "an-edge", "of-a-difference"],
)
def test_a_limit_is_dragged_on_the_evidence(
    window: MainWindow, wait: Wait, row: int, fact: str, moves: int
) -> None:
    """The sentence says what the line is moved to, to about a pixel; the take is judged anew."""
    page = _proved(window, wait)
    before = page.proof
    page.choose(row)
    _settle(page)
    drawn = next(one for one in page.view.limits if one.limit.fact == fact)
    axes, limit = drawn.axes, drawn.limit
    x, y = int(axes.rect.center().x()), round(float(axes.y(limit.value)))
    left = Qt.MouseButton.LeftButton
    QTest.mousePress(page.view, left, pos=QPoint(x, y))
    QTest.mouseMove(page.view, QPoint(x, y + moves))
    press(page.view, Qt.Key.Key_Escape)
    QTest.mouseRelease(page.view, left, pos=QPoint(x, y + moves))
    assert window.document.is_clean  # that left it as it was
    QTest.mousePress(page.view, left, pos=QPoint(x, y))
    QTest.mouseMove(page.view, QPoint(x, y + moves))
    QTest.mouseRelease(page.view, left, pos=QPoint(x, y + moves))
    wait(lambda: page.proof is not before)
    low, high = axes.y_span
    pixel = (high - low) / axes.rect.height()
    moved = limit.value - moves * pixel
    wanted = moved if limit.centre is None else abs(moved - limit.centre)
    said = parse_value(page.form.fields[fact].text(), "V")
    assert said == pytest.approx(wanted, abs=3 * pixel)
    assert page.rows[row].verdict.outcome in {"holds", "fails"}
    assert page.current == row
    window.document.stack.undo()
    assert window.document.is_clean


def test_what_is_no_limit_stays_and_is_said(window: MainWindow) -> None:
    page = _page(window)
    page.choose(3)
    field = page.form.fields["within"]
    type_text(field, "wide")
    assert field.text() == "wide"
    assert page.form.wrong.isVisible()
    assert "wide" in page.form.wrong.text()
    press(field, Qt.Key.Key_Escape)
    assert not page.form.wrong.isVisible()
    assert window.document.is_clean


def test_an_expectation_is_added_changed_moved_and_taken_away(
    window: MainWindow, wait: Wait
) -> None:
    page = _proved(window, wait)
    count = len(page.rows)
    page.form.offer_kinds()
    action = next(one for one in page.form.menu_shown.actions() if one.text() == "A level")
    action.trigger()
    wait(lambda: len(page.rows) == count + 1 and page.rows[-1].verdict.note != "not proved yet")
    assert page.current == count
    assert isinstance(page.form.expectation, LevelExpectation)
    field = page.form.fields["signal"]
    field.offer()
    next(one for one in field.menu_shown.actions() if one.text() == "3.3 V rail").trigger()
    wait(lambda: page.rows[-1].verdict.signal == "3.3 V rail")
    page.form.up.click()
    wait(lambda: page.rows[count - 1].verdict.expectation.kind == "level")
    assert page.current == count - 1
    page.form.remove.click()
    wait(lambda: len(page.rows) == count)
    for _ in range(4):
        window.document.stack.undo()
    assert window.document.is_clean
    assert len(page.rows) == count


def test_with_nothing_expected_something_can_be_added(window: MainWindow) -> None:
    page = _page(window)
    while window.document.workspace.project.expectations:
        page.form.remove.click()
    assert page.rows == []
    assert not page.form.remove.isVisible()
    page.form.add_kind(LevelExpectation, "Upper zone")
    assert [row.verdict.signal for row in page.rows] == ["Upper zone"]
    assert page.form.fields["level"].text() == "1 V"


def test_a_figures_choices_follow_its_measurement(window: MainWindow) -> None:
    from wattigram.core.model.design import FigureExpectation

    page = _page(window)
    page.form.add_kind(FigureExpectation, "Upper zone")
    measure = page.form.fields["measure"]
    measure.offer()
    next(one for one in measure.menu_shown.actions() if one.text() == "histogram").trigger()
    assert page.form.fields["figure"].text() == "inl"
    assert page.form.fields["stimulus"].text() == "sine"
    measure = page.form.fields["measure"]
    type_text(measure, next(iter(OF_TWO)))
    assert page.form.fields["other"].text() == "Coil current"
    assert not page.form.wrong.isVisible()
