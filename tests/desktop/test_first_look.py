"""The demo's five steps: each sees by itself whether it is done."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QSlider

from tests.desktop.conftest import Wait
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.widgets.five_steps import DONE
from wattigram.examples import STUDIO_KILN

OpenWindow = Callable[[Path], MainWindow]


def press_step(window: MainWindow, number: int) -> None:
    QTest.mouseClick(window.first_look.strip.buttons[number], Qt.MouseButton.LeftButton)


def ticks(window: MainWindow) -> list[bool]:
    return [button.text().startswith(DONE) for button in window.first_look.strip.buttons]


def test_the_demo_is_gone_through(open_window: OpenWindow, wait: Wait) -> None:
    window = open_window(STUDIO_KILN)
    assert window.first_look.strip.isVisible()
    assert ticks(window) == [False] * 5
    press_step(window, 0)
    wait(lambda: ticks(window)[0])
    assert window.proving.latest is not None
    assert not window.proving.latest.proof.all_hold
    press_step(window, 1)
    assert window.chain_page.selection.signal == "Door latch"
    chart = window.chain_page.inspector.chart
    assert chart is not None
    finding = next(one for one in window.document.findings if one.severity == "error")
    assert finding.remedy is not None
    window.document.edit(finding.remedy)
    assert ticks(window)[:3] == [True, True, False]
    press_step(window, 2)
    wait(lambda: ticks(window)[2])
    press_step(window, 3)
    slider = next(
        one.widget for one in window.chain_page.inspector.fields if isinstance(one.widget, QSlider)
    )
    slider.setValue(slider.value() + 40)
    assert ticks(window) == [True] * 4 + [False]
    press_step(window, 4)
    assert window.palette_box.isVisible()
    window.palette_box.hide()
    window.document.stack.setClean()
    window.files.new_on("marten-m3")
    assert not window.first_look.strip.isVisible()


def test_closed_once_it_stays_away(open_window: OpenWindow, project: Path) -> None:
    window = open_window(STUDIO_KILN)
    QTest.mouseClick(window.first_look.strip.close_button, Qt.MouseButton.LeftButton)
    assert not window.first_look.strip.isVisible()
    window.close()
    again = open_window(STUDIO_KILN)
    assert not again.first_look.strip.isVisible()


def test_a_project_of_one_s_own_has_none(open_window: OpenWindow, project: Path) -> None:
    window = open_window(project)
    assert not window.first_look.strip.isVisible()
