"""Painting and small parts of the window."""

from __future__ import annotations

import math
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QObject, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter
from pytestqt.qtbot import QtBot

from tests.conftest import edited
from wattigram.core.base.errors import LinkError
from wattigram.core.base.quantity import round_values
from wattigram.core.base.user_folders import folder_of, safe_name
from wattigram.core.judge import Evidence, Verdict
from wattigram.core.judge.evidence import HistogramPanel, ScatterPanel, TracePanel
from wattigram.core.judge.svg_pictures import panel_svg
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import RemoveSlot, SetPin
from wattigram.desktop.state.jobs import Job
from wattigram.desktop.state.settings import Settings
from wattigram.desktop.theme import DARK, LIGHT, MARKERS, PATTERNS, signal_pen
from wattigram.desktop.widgets.axes import Axes, span_of
from wattigram.desktop.widgets.chain.chain_layout import lay_out
from wattigram.desktop.widgets.drawing import (
    LineBuffer,
    draw_band,
    draw_marker,
    elide,
    fill_trace,
    polygon,
)
from wattigram.desktop.widgets.proof.evidence_view import EvidenceView


def canvas(qtbot: QtBot, width: int = 200, height: int = 100) -> QImage:
    image = QImage(width, height, QImage.Format.Format_RGB32)
    image.fill(QColor("white"))
    return image


def dark_pixels(image: QImage) -> np.ndarray:
    pointer = image.constBits()
    assert pointer is not None
    pointer.setsize(image.sizeInBytes())
    return (
        np.frombuffer(pointer, dtype=np.uint8)
        .reshape(image.height(), image.width(), 4)[:, :, :3]
        .min(axis=2)
        < 128
    )


def test_columns_are_drawn_upright_and_touch_each_other(qtbot: QtBot) -> None:
    image = canvas(qtbot)
    x = np.arange(200, dtype=np.float64)
    low = 50 + 40 * np.sin(x / 9)
    buffer = LineBuffer()
    fill_trace(buffer, x, low, low - 3)
    painter = QPainter(image)
    painter.setPen(QColor("black"))
    buffer.draw(painter)
    painter.end()
    dark = dark_pixels(image)
    assert dark.any(axis=0).sum() >= 198
    rows = np.arange(100)[:, None]
    for column in range(1, 199):
        here, before = dark[:, column], dark[:, column - 1]
        assert rows[here].min() <= rows[before].max() + 1
        assert rows[here].max() >= rows[before].min() - 1


@pytest.mark.parametrize("spread", [0.0, 0.0109, 0.3])
@pytest.mark.parametrize("start", [50.0, 50.5, 50.61586, 50.62673])
def test_a_trace_that_hardly_moves_has_no_gaps(qtbot: QtBot, start: float, spread: float) -> None:
    image = canvas(qtbot)
    x = np.arange(200) + 0.5
    low = start + spread * (x // 3 % 3)
    buffer = LineBuffer()
    fill_trace(buffer, x, low, low - spread)
    painter = QPainter(image)
    pen = signal_pen(2, 1.0)
    pen.setColor(QColor("black"))
    painter.setPen(pen)
    buffer.draw(painter)
    painter.end()
    assert dark_pixels(image).any(axis=0)[1:199].all()


def test_missing_samples_leave_a_gap(qtbot: QtBot) -> None:
    image = canvas(qtbot)
    x = np.arange(200, dtype=np.float64)
    y = np.full(200, 50.0)
    y[80:120] = math.nan
    buffer = LineBuffer()
    fill_trace(buffer, x, y, y)
    painter = QPainter(image)
    painter.setPen(QColor("black"))
    buffer.draw(painter)
    painter.end()
    dark = dark_pixels(image).any(axis=0)
    assert dark[:79].all()
    assert dark[121:199].all()
    assert not dark[82:118].any()


@pytest.mark.parametrize("count", [0, 1, 2])
def test_few_points_are_drawn_or_left_out(qtbot: QtBot, count: int) -> None:
    buffer = LineBuffer()
    values = np.arange(count, dtype=np.float64)
    fill_trace(buffer, values, values, values)
    image = canvas(qtbot)
    painter = QPainter(image)
    buffer.draw(painter)
    draw_band(painter, values, values, values + 1, QColor("red"))
    painter.end()
    assert polygon(values, values).count() == count


def test_a_thin_band_is_still_seen(qtbot: QtBot) -> None:
    image = canvas(qtbot)
    painter = QPainter(image)
    draw_band(
        painter,
        np.array([0.0, 200.0]),
        np.array([50.0, 50.0]),
        np.array([50.0, 50.0]),
        QColor("black"),
    )
    painter.end()
    assert 6 <= dark_pixels(image)[:, 100].sum() <= 8


def test_every_signal_has_a_mark_of_its_own(qtbot: QtBot) -> None:
    seen = set()
    for index in range(8):
        image = canvas(qtbot, 24, 24)
        painter = QPainter(image)
        draw_marker(painter, QPointF(12, 12), index, 12)
        painter.end()
        seen.add((dark_pixels(image) | (np.array(dark_pixels(image)))).tobytes())
    assert len(seen) == len(MARKERS) == len(PATTERNS) == 8


def test_text_is_shortened_never_spilled(qtbot: QtBot) -> None:
    image = canvas(qtbot)
    painter = QPainter(image)
    painter.setPen(QColor("black"))
    elide(painter, QRectF(50, 20, 60, 30), "a sentence that is much too long for its cell")
    elide(painter, QRectF(50, 60, 60, 30), "right", Qt.AlignmentFlag.AlignRight)
    painter.end()
    dark = dark_pixels(image)
    assert dark[:, 50:110].any()
    assert not dark[:, :48].any()
    assert not dark[:, 112:].any()


@pytest.mark.parametrize("chosen", [LIGHT, DARK], ids=["light", "dark"])
def test_text_can_be_read_on_every_ground(chosen: object) -> None:
    """Contrast after WCAG 2.1: 4.5 for text, 3 for lines of signals."""

    def luminance(name: str) -> float:
        shade = QColor(name)
        parts = [part / 255 for part in (shade.red(), shade.green(), shade.blue())]
        linear = [
            part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts
        ]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    def contrast(one: str, other: str) -> float:
        brighter, darker = sorted((luminance(one), luminance(other)), reverse=True)
        return (brighter + 0.05) / (darker + 0.05)

    t = chosen
    for ground in (t.paper, t.panel, t.card):  # type: ignore[attr-defined]
        for text in (t.ink, t.soft, t.good, t.bad):  # type: ignore[attr-defined]
            assert contrast(text, ground) >= 4.5, (text, ground)
        for line in (*t.signals, t.faint, t.action):  # type: ignore[attr-defined]
            assert contrast(line, ground) >= 3.0, (line, ground)


@given(st.floats(560, 3000), st.floats(12, 32), st.floats(0, 3000))
def test_rows_and_columns_never_overlap(
    kiln: Workspace, width: float, line: float, room: float
) -> None:
    for workspace in (kiln, edited(kiln, RemoveSlot("ADC 1", 0), SetPin("Door latch", "B6"))):
        layout = lay_out(workspace, width, line, room)
        assert all(b > a for a, b in pairwise(layout.columns))
        boxes = sorted(
            [row.rect for row in layout.rows] + [yoke.rect for yoke in layout.yokes],
            key=lambda rect: rect.top(),
        )
        assert all(a.bottom() <= b.top() + 1e-6 for a, b in pairwise(boxes))
        assert boxes[0].top() >= layout.header_height
        assert boxes[-1].bottom() <= layout.height
        for row in layout.rows:
            for column in range(7):
                center = layout.cell(row, column).center()
                found = layout.at(center.x(), center.y())
                assert found is not None
                assert (found.signal, found.place) == (row.signal.name, row.place)


@given(st.floats(-1e6, 1e6), st.floats(1e-9, 1e6), st.integers(1, 20))
def test_labels_of_a_scale_are_round_and_within(low: float, span: float, most: int) -> None:
    values = round_values(low, low + span, most)
    assert len(values) <= most + 2
    slack = span * 1e-6 + abs(low) * 1e-9
    assert all(low - slack <= value <= low + span + slack for value in values)


def test_axes_map_there_and_back() -> None:
    axes = Axes(QRectF(100, 10, 400, 200), (2.0, 6.0), (-1.0, 1.0))
    assert axes.x(2.0) == 100
    assert axes.x(6.0) == 500
    assert axes.y(1.0) == 10
    assert axes.y(-1.0) == 210
    assert axes.value_at(300) == 4.0
    assert span_of(np.array([math.nan])) == (0.0, 1.0)
    low, high = span_of(np.array([2.0, 2.0]))
    assert low < 2.0 < high


NAN = np.full(20, math.nan)
PANELS = [
    TracePanel("t", np.linspace(0, 1, 20), NAN, NAN, np.zeros(20), np.ones(20), ((0.5, "<b>"),)),
    TracePanel("t", np.linspace(0, 1, 2), np.zeros(2), np.zeros(2), np.zeros(2), np.zeros(2), ()),
    ScatterPanel("s & t", np.zeros(3), np.zeros(3), 0.3, "x", "y", "<line>"),
    HistogramPanel("h", np.array([0, 5]), np.array([0.0, 1.0, 2.0])),
    HistogramPanel("h", np.array([0]), np.array([0.0, 1.0])),
]


@pytest.mark.parametrize("panel", PANELS, ids=lambda panel: type(panel).__name__)
def test_odd_evidence_is_drawn_all_the_same(
    qtbot: QtBot, kiln: Workspace, panel: TracePanel
) -> None:
    from xml.etree import ElementTree

    ElementTree.fromstring(panel_svg(panel))
    verdict = Verdict(
        0, kiln.project.expectations[0], "text", "holds", 1.0, "V", None, None, 20, "note"
    )
    view = EvidenceView()
    qtbot.addWidget(view)
    view.resize(700, 500)
    view.show_evidence(Evidence(verdict, (panel, panel)), 0)
    assert not view.grab().isNull()
    view.show_evidence(Evidence(verdict, ()), 0)
    assert not view.grab().isNull()


def test_a_job_gives_its_answer_or_its_fault(
    qtbot: QtBot, caplog: pytest.LogCaptureFixture
) -> None:
    parent = QObject()

    def link_gone(progress: object) -> None:
        raise LinkError("The board is gone.")

    def broken(progress: object) -> None:
        raise ZeroDivisionError("oops")

    job = Job("adding", lambda progress: (progress(0.5), 42)[1], parent)
    with qtbot.waitSignals([job.progressed, job.finished, job.ended]) as got:
        job.start()
    assert got.all_signals_and_args
    job.wait()
    for work, words in ((link_gone, "The board is gone."), (broken, "Internal error")):
        job = Job("failing", work, parent)
        with qtbot.waitSignal(job.failed) as why:
            job.start()
        assert words in why.args[0]
        job.wait()
    assert "A job ended unexpectedly" in caplog.text
    caplog.clear()


@pytest.mark.parametrize("name", ["../../etc", "a/b", "", "\x00", "x" * 40])
def test_a_projects_name_never_leads_out_of_the_folder(name: str, tmp_path: Path) -> None:
    assert (tmp_path / safe_name(name)).parent == tmp_path


def test_takes_belong_to_a_projects_path(tmp_path: Path) -> None:
    paths = [tmp_path / folder / "untitled.wattigram.toml" for folder in ("a", "b")]
    assert folder_of(paths[0]) != folder_of(paths[1])
    (tmp_path / "a").mkdir()
    (tmp_path / "link").symlink_to(tmp_path / "a")
    assert folder_of(tmp_path / "link" / "untitled.wattigram.toml") == folder_of(paths[0])


def test_settings_survive_nonsense(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("WATTIGRAM_CONFIG", str(tmp_path))
    (tmp_path / "wattigram.ini").write_text(
        "[General]\nrecent=@Invalid()\npoints=big\nsize=9x\n\xff"
    )
    settings = Settings()
    assert settings.recent == []
    assert settings.get("none", "default") == "default"
    assert settings.blob("points") == b""
    project = tmp_path / "a.toml"
    project.touch()
    for _ in range(3):
        settings.add_recent(project)
    assert settings.recent == [project]
