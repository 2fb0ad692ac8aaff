"""From nothing to a proved chain of four signals, by keys alone and by mouse alone, each counted."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QMenu, QWidget

from tests.desktop.conftest import Wait, point
from wattigram.core.model.design import (
    LevelExpectation,
    Project,
    SineExpectation,
    SquareExpectation,
    ThresholdExpectation,
    WaveformExpectation,
)
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.selection import Selection

MOST_KEYS, MOST_CLICKS = 150, 80
SOURCES = {"triangle": "tr", "square": "sq", "DC, adjustable": "DC", "sine": "si"}
"""What is wired to the four pins, and the first letters of it."""
NAMES = "Oven", "Door", "Rail", "Lamp"


class Keyboard:
    """Presses keys on whatever has the keyboard."""

    def __init__(self, window: MainWindow) -> None:
        self._window = window
        self.count = 0

    def press(self, *keys: str) -> None:
        for one in keys:
            combination = QKeySequence(one)[0]
            widget = QApplication.focusWidget() or self._window
            QTest.keyClick(widget, combination.key(), combination.keyboardModifiers())
            QApplication.processEvents()
            self.count += 1

    def type(self, text: str) -> None:
        for letter in text:
            QTest.keyClick(QApplication.focusWidget() or self._window, letter)
            self.count += 1
        QApplication.processEvents()


class Mouse:
    """Clicks on what is seen."""

    def __init__(self, wait: Wait) -> None:
        self._wait = wait
        self.count = 0

    def click(self, widget: QWidget, where: QPoint | None = None) -> None:
        assert widget.isVisible()
        place = where if where is not None else widget.rect().center()
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=place)
        QApplication.processEvents()
        self.count += 1

    def choose(self, box: QComboBox, text: str) -> None:
        """Open a list of choices and take one."""
        self.click(box)
        view = box.view()
        assert view is not None
        model, viewport = view.model(), view.viewport()
        assert model is not None
        assert viewport is not None
        index = model.index(box.findText(text), 0)
        view.scrollTo(index)
        place = view.visualRect(index).center()
        QTest.mouseMove(viewport, place)
        self._wait(lambda: view.currentIndex() == index)
        self.click(viewport, place)

    def act(self, menu: QMenu, *titles: str) -> None:
        """Go through a menu and its own menus."""
        for title in titles:
            action = next(one for one in menu.actions() if one.text().replace("&", "") == title)
            self.click(menu, menu.actionGeometry(action).center())
            inner = action.menu()
            if inner is not None:
                self._wait(inner.isVisible)
                menu = inner


def open_menu(window: MainWindow) -> QMenu:
    return next(menu for menu in window.findChildren(QMenu) if menu.isVisible())


@pytest.fixture
def begun(window: MainWindow) -> Iterator[MainWindow]:
    """What is open is the demo, which has nothing to do with what is begun."""
    window.activateWindow()
    QApplication.setActiveWindow(window)
    usual_ms = QApplication.doubleClickInterval()
    QApplication.setDoubleClickInterval(0)  # nobody here is slower than a list that opens
    yield window
    QApplication.setDoubleClickInterval(usual_ms)


def assert_proved(window: MainWindow, wait: Wait) -> Project:
    wait(lambda: window.proof_page.proof is not None)
    project = window.document.workspace.project
    verdicts = window.proof_page.rows
    assert {row.verdict.outcome for row in verdicts} == {"holds"}
    kinds = {type(row.verdict.expectation) for row in verdicts}
    assert kinds >= {
        WaveformExpectation,
        SquareExpectation,
        LevelExpectation,
        SineExpectation,
        ThresholdExpectation,
    }
    assert len(project.signals) == 4
    assert project.signals[0].filter is not None
    assert not window.document.findings
    return project


def test_by_keys_alone(begun: MainWindow, wait: Wait) -> None:
    window, keys = begun, Keyboard(begun)
    keys.press("Ctrl+N")
    keys.type("mar")
    keys.press("Return", "B")  # the part; four signals
    for name in NAMES:
        keys.press("Return")
        keys.type(name)
        keys.press("Return", "Escape", "Down")
    keys.press("Up", "Up", "Up", "Right")  # to the front end of the first
    for letters in SOURCES.values():
        keys.press("Return")
        keys.type(letters)
        keys.press("Return", "Escape", "Down")
    keys.press("Up", "Up", "Up", "Right", "Right", "Right", "Return")
    keys.type("bl")  # a block average
    keys.press("Return", "Escape", "Right", "Return")
    keys.type("in")  # a threshold, in use
    keys.press("Return", "Escape")
    keys.press("Up", "Ctrl+Shift+E", "F6")  # the converter: all its signals
    project = assert_proved(window, wait)
    assert tuple(one.name for one in project.signals) == NAMES
    assert keys.count <= MOST_KEYS
    assert keys.count < 90, "as many as it was"


def test_by_mouse_alone(begun: MainWindow, wait: Wait) -> None:
    window, mouse = begun, Mouse(wait)
    mouse.click(window.header.menu_button)
    mouse.act(open_menu(window), "File", f"New project on {window.document.workspace.part.name}")
    page = window.chain_page
    wait(page.start.isVisible)
    mouse.click(page.start.cards["b"])

    def facet(place: int, name: str, label: str, choice: str) -> None:
        signal = window.document.workspace.project.signals[place].name
        cell = page.rows.cell_rect(Selection("ADC 1", place, signal, name))
        mouse.click(page.rows, point(cell.center()))
        field = next(one for one in page.inspector.fields if one.widget.accessibleName() == label)
        assert isinstance(field.widget, QComboBox)
        mouse.choose(field.widget, choice)

    for place, source in enumerate(SOURCES):
        facet(place, "front end", "source", source)
    facet(0, "filter", "filter", "block average")
    facet(0, "thresholds", "threshold", "in use")
    mouse.click(window.header.menu_button)
    mouse.act(open_menu(window), "Proof", "Derive expectations of all signals")
    mouse.click(window.header.proof)
    assert_proved(window, wait)
    assert mouse.count <= MOST_CLICKS
    assert mouse.count < 35, "as many as it was"
