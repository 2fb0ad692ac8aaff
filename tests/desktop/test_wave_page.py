"""The Wave page under mouse and keyboard."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QWidget

from tests.desktop.conftest import drag, press, type_text
from tests.paths import EXAMPLES
from wattigram.core.contract.shapes import PulseShape, SegmentsShape
from wattigram.core.model.design import Playback
from wattigram.core.predict.waveform import dac_playback
from wattigram.desktop.pages.page_stack import WAVE
from wattigram.desktop.pages.wave_page import WavePage
from wattigram.desktop.shell.window import MainWindow

RAMP = EXAMPLES / "kiln-ramp" / "kiln-ramp.wattigram.toml"


@pytest.fixture
def ramp(open_window: Callable[[Path], MainWindow], tmp_path: Path) -> MainWindow:
    path = tmp_path / "kiln-ramp.wattigram.toml"
    path.write_text(RAMP.read_text())
    window = open_window(path)
    window.resize(1280, 800)
    window.show_page(WAVE)
    QApplication.processEvents()
    window.grab()
    return window


@pytest.fixture
def page(ramp: MainWindow) -> WavePage:
    return ramp.book.wave


def field(page: WavePage, label: str) -> QWidget:
    """The editor of a field in the inspector."""
    found = [
        child for child in page.inspector.findChildren(QWidget) if child.accessibleName() == label
    ]
    assert found, label
    return found[-1]


def line(page: WavePage, label: str) -> QLineEdit:
    found = field(page, label)
    assert isinstance(found, QLineEdit)
    return found


def choose(page: WavePage, label: str, text: str) -> None:
    box = field(page, label)
    assert isinstance(box, QComboBox)
    box.setCurrentText(text)
    box.textActivated.emit(text)
    QApplication.processEvents()


def test_a_corner_is_dragged_in_level_and_time(ramp: MainWindow, page: WavePage) -> None:
    curve = page.curve
    corner = next(handle for handle in curve.handles() if handle.number == 1)
    place = curve.handle_place(corner)
    drag(curve, place, place + QPointF(20, -30), place + QPointF(40, -60))
    table = page.table
    assert table is not None
    assert isinstance(table.shape, SegmentsShape)
    moved = table.shape.segments
    assert moved[1].to_v > 1.7
    assert moved[1].lasting > 0.1
    assert table.shape.total_s == 0.5  # the corner after it stayed where it was
    assert ramp.document.stack.count() == 1
    ramp.document.stack.undo()
    assert page.table is not None
    assert page.table.shape.segments[1].to_v == 1.5  # type: ignore[union-attr]


def test_a_new_table_becomes_a_wave_whose_duty_level_and_offset_are_dragged(
    ramp: MainWindow, page: WavePage
) -> None:
    page.add_table()
    assert page.chosen == "Table"
    choose(page, "output", "DAC")
    choose(page, "shape", "pulse")
    assert page.table is not None
    assert isinstance(page.table.shape, PulseShape)
    page.grab()
    curve = page.curve
    duty = next(handle for handle in curve.handles() if handle.kind == "duty")
    start = curve.handle_place(duty)
    drag(curve, start, start + QPointF(curve.width() * 0.1, 0))
    assert page.table.shape.duty > 0.55  # type: ignore[union-attr]
    offset = next(handle for handle in curve.handles() if handle.kind == "offset")
    place = curve.handle_place(offset)
    before = page.table.offset_v
    drag(curve, place, place + QPointF(0, 25))
    assert page.table.offset_v < before
    high = next(handle for handle in curve.handles() if handle.kind == "amplitude")
    place = curve.handle_place(high)
    before = page.table.amplitude_v
    drag(curve, place, place + QPointF(0, -20))
    assert page.table.amplitude_v > before


def test_what_is_typed_is_done_or_refused_with_a_sentence(ramp: MainWindow, page: WavePage) -> None:
    type_text(line(page, "frequency"), "3 Hz")
    generator = ramp.document.workspace.project.generators[0]
    assert dac_playback(ramp.document.workspace, generator).wave_hz == 3
    type_text(line(page, "segments"), "0.5 V; 2 V in 1 s; 2 V in 500 ms")
    assert page.table is not None
    assert page.table.shape.total_s == 1.5  # type: ignore[union-attr]
    count = ramp.document.stack.count()
    type_text(line(page, "segments"), "1 V; nonsense")
    assert ramp.document.stack.count() == count
    assert "nonsense" in ramp.notice.text
    choose(page, "shape", "expression")
    type_text(line(page, "volts at t"), "__import__('os')")
    assert "character" in ramp.notice.text
    type_text(line(page, "volts at t"), "1.5 + t/2")
    assert page.table.shape.volts == "1.5 + t/2"  # type: ignore[union-attr]


@pytest.mark.parametrize(
    "shape",
    [
        "sine",
        "triangle",
        "sawtooth",
        "pulse",
        "noise",
        "chirp",
        "multitone",
        "expression",
        "points",
    ],
)
def test_every_shape_is_shown_with_its_fields(page: WavePage, shape: str) -> None:
    choose(page, "shape", shape)
    assert page.table is not None
    page.grab()
    assert page.spectrum._spectrum is not None
    assert len(page.solver.choices) > 5


def test_the_solver_lists_exact_choices_and_enter_takes_one(
    ramp: MainWindow, page: WavePage
) -> None:
    assert page.solver.choices[0].error == 0
    row = next(row for row, one in enumerate(page.solver.choices) if one.points == 2000)
    page.solver.setCurrentCell(row, 0)
    page.solver.cellActivated.emit(row, 0)
    assert page.table is not None
    assert page.table.points == 2000
    generator = ramp.document.workspace.project.generators[0]
    assert dac_playback(ramp.document.workspace, generator).wave_hz == 2
    assert "2000" in page.solver.text()


def test_wheel_and_keys_look_closer(page: WavePage) -> None:
    curve = page.curve
    middle = QPointF(curve.width() / 2, curve.height() / 2)
    event = QWheelEvent(
        middle,
        middle,
        QPoint(0, 0),
        QPoint(0, 120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    curve.wheelEvent(event)
    begin, end = curve.view
    assert end - begin == pytest.approx(0.8)
    press(curve, Qt.Key.Key_Plus)
    assert curve.view[1] - curve.view[0] < 0.6
    press(curve, Qt.Key.Key_Right)
    press(curve, Qt.Key.Key_Home)
    assert curve.view == (0.0, 1.0)


def test_a_stated_filter_is_seen_in_the_spectrum(page: WavePage) -> None:
    choose(page, "shape", "sine")
    bare = page.spectrum._spectrum
    type_text(page.filter, "100 Hz")
    assert bare is not None
    assert page.spectrum._spectrum is not None
    assert page.spectrum._spectrum.image_dbc < bare.image_dbc - 20


def test_tables_go_to_files_and_come_back(ramp: MainWindow, page: WavePage, tmp_path: Path) -> None:
    for name in ("a.csv", "a.wav", "a.c"):
        page.save_file(tmp_path / name)
        assert (tmp_path / name).stat().st_size > 1000
    page.read_file(tmp_path / "a.csv")
    assert page.table is not None
    assert page.table.shape.kind == "points"
    made = np.array(page.table.shape.values)  # type: ignore[union-attr]
    assert made.max() == pytest.approx(2.6, abs=0.01)
    (tmp_path / "bad.csv").write_text("no\nnumbers\n")
    page.read_file(tmp_path / "bad.csv")
    assert "bad.csv" in ramp.notice.text
    page.remove_table()
    assert [table.name for table in ramp.document.workspace.project.tables] == ["Ramp and soak"]


def test_two_outputs_can_play_one_table(
    open_window: Callable[[Path], MainWindow], project: Path
) -> None:
    window = open_window(project)
    window.show_page(WAVE)
    page = window.book.wave
    page.add_table()
    choose(page, "output", "DAC 2")
    found = window.document.workspace.project.generators
    assert [(one.dac, one.output.table) for one in found if isinstance(one.output, Playback)] == [
        ("DAC 1", "Table"),
        ("DAC 2", "Table"),
    ]
    page.remove_table()
    assert window.document.workspace.project.generators == ()
