"""Takes and recordings as they are drawn and measured: gaps, knobs, and the way from all samples to one."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tests.conftest import edited
from tests.desktop.conftest import Wait, click, press, shown
from wattigram.core.base.errors import QuantityError, TakeError
from wattigram.core.board import Run
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import TakeWriter
from wattigram.core.capture.transport import Decoder, SampleRun
from wattigram.core.judge.measured import Measured
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import Workspace, project_text
from wattigram.core.model.design.edits import SetAlignment, SetWiring
from wattigram.core.silicon.deploy import effective_bench, effective_config
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.widgets.axes import HEX, hex_values
from wattigram.desktop.widgets.streams.stream_data import StreamData, load_stream
from wattigram.desktop.widgets.streams.strip_limits import parse_span, span_text
from wattigram.desktop.widgets.streams.trace_plot import TracePlot


def make_take(
    workspace: Workspace, path: Path, drop: range = range(0), turned: Workspace | None = None
) -> StreamData:
    """One second of the virtual board; some frames lost, or a knob turned half way."""
    config = effective_config(workspace)
    run = Run(config)
    frames = run.advance(config.tick_hz // 2)
    writer = TakeWriter(path, project_text(workspace.project), workspace.build_id, config.tick_hz)
    if turned is not None:
        run.set_bench(effective_bench(turned))
        writer.add_bench(run.next_tick(), project_text(turned.project))
    frames += run.advance(config.tick_hz) + run.finish()
    kept = b"".join(frame for number, frame in enumerate(frames) if number not in drop)
    for found in Decoder().feed(kept):
        if isinstance(found, SampleRun):
            writer.add_run(found)
    writer.close()
    return load_stream(path, lambda _share: None)


def trace_of(data: StreamData, name: str, stage: str = "raw") -> object:
    return next(trace for trace in data.traces if (trace.name, trace.stage) == (name, stage))


def test_traces_are_raw_and_reduced(kiln: Workspace, tmp_path: Path) -> None:
    data = make_take(kiln, tmp_path / "t.h5")
    names = [(trace.name, trace.stage) for trace in data.traces]
    assert ("Upper zone", "raw") in names
    assert ("Upper zone", "filtered") in names
    assert ("Door latch", "filtered") not in names
    assert data.span_s == 1.0
    data.close()


@pytest.mark.parametrize("alignment", ["right", "left"])
def test_columns_agree_with_the_samples(kiln: Workspace, tmp_path: Path, alignment: str) -> None:
    data = make_take(edited(kiln, SetAlignment("ADC 1", alignment)), tmp_path / "t.h5")  # type: ignore[arg-type]
    for trace in data.traces:
        times, low, high = trace.columns(0.0, 1.0, 50)
        volts = trace.samples(0, trace.count).values
        assert low.min() == pytest.approx(volts.min(), abs=1e-9)
        assert high.max() == pytest.approx(volts.max(), abs=1e-9)
        assert np.all(np.diff(times) > 0)
        assert trace.span() == pytest.approx((volts.min(), volts.max()))
    trace = data.traces[0]
    times, low, high = trace.columns(0.5, 0.501, 800)
    assert low is high
    assert len(times) == pytest.approx(12, abs=2)
    assert trace.number_at(0.5) == 5000
    assert (trace.number_at(-9.0), trace.number_at(9.0)) == (0, 9999)
    assert len(trace.columns(5.0, 6.0, 100)[0]) == 0
    data.close()


def test_the_band_follows_a_knob(cured: Workspace, tmp_path: Path) -> None:
    turned = edited(
        cured,
        SetWiring(Wiring(pin="A6", source_resistance_ohm=500.0, source=DcSource(voltage_v=0.8))),
    )
    data = make_take(cured, tmp_path / "t.h5", turned=turned)
    trace = trace_of(data, "3.3 V rail", "filtered")
    times, low, high = data.band(trace, 0.0, 1.0, 100)  # type: ignore[arg-type]
    assert (low[times < 0.49] < 3.3).all()
    assert (high[times < 0.49] > 3.3).all()
    assert (low[times > 0.51] < 1.6).all()
    assert (high[times > 0.51] > 1.6).all()
    captured = trace.samples(0, trace.count)  # type: ignore[attr-defined]
    late = captured.times_s > 0.52
    assert captured.values[late] == pytest.approx(1.6, abs=0.01)
    data.close()


def test_what_never_came_is_shown_as_missing(
    qtbot: QtBot, cured: Workspace, tmp_path: Path
) -> None:
    whole, holed = tmp_path / "whole.h5", tmp_path / "holed.h5"
    plot = TracePlot()
    qtbot.addWidget(plot)
    plot.resize(800, 400)
    shown = frozenset({("Coil current", "raw")})
    pictures = []
    for path, drop in ((whole, range(0)), (holed, range(100, 160))):
        data = make_take(cured, path, drop)
        plot.show_take(data, shown)
        pictures.append(plot.grab().toImage())
        if drop:
            assert data.take.lost_cycles > 0
            trace = data.traces[0]
            assert sum(end_s - begin_s for begin_s, end_s in trace.missing_s) * trace.rate_hz > 500
            at_s = trace.missing_s[0][0] + 0.5 / trace.rate_hz
            plot.set_view(at_s - 0.001, at_s + 0.001)
            assert not plot.grab().isNull()
        data.close()
    assert pictures[0] != pictures[1]
    plot.show_take(None, frozenset())


def test_the_view_stays_within_the_take(qtbot: QtBot, kiln: Workspace, tmp_path: Path) -> None:
    data = make_take(kiln, tmp_path / "t.h5")
    plot = TracePlot()
    qtbot.addWidget(plot)
    plot.resize(600, 400)
    plot.show_take(data, frozenset({("Door latch", "raw")}))
    for begin, end in ((-5, 5), (0.9, 1.9), (0.5, 0.5), (-1, -0.5), (3, 4)):
        plot.set_view(begin, end)
        assert 0 <= plot.view[0] < plot.view[1] <= 1.0 + 1e-12
        assert plot.view[1] - plot.view[0] >= 8e-4 - 1e-12
        assert not plot.grab().isNull()
    data.close()
    plot.show_take(None, frozenset())


def measured(window: MainWindow, wait: Wait, kind: str) -> Measured:
    """What the page shows once a kind was chosen and measured."""
    panel = window.streams_page.analysis
    panel.measured = None
    panel.choose_kind(kind)
    panel.ask()
    wait(lambda: panel.measured is not None and panel.measured.kind == kind)
    assert panel.measured is not None
    return panel.measured


def test_what_is_in_sight_or_between_the_marks_is_measured(
    window: MainWindow, wait: Wait, kiln_take: Path
) -> None:
    page = shown(window, wait, kiln_take)
    found = measured(window, wait, "statistics")
    assert found.samples == 20_000
    assert page.analysis.table.item(0, 0).text() == "Mean"  # type: ignore[union-attr]
    assert page.analysis.table.item(0, 2).text() == "1.65 V"  # type: ignore[union-attr]
    plot = page.plot
    lane = plot.axes(0).rect
    click(plot, QPointF(lane.left() + lane.width() * 0.25, lane.center().y()))
    assert not plot.is_marked
    right = QPointF(lane.left() + lane.width() * 0.75, lane.center().y())
    QTest.mouseClick(
        plot, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, right.toPoint()
    )
    assert plot.is_marked
    wait(lambda: page.analysis.measured is not None and page.analysis.measured.samples < 11_000)
    assert page.analysis.measured is not None
    assert page.analysis.measured.begin_s == pytest.approx(0.5, abs=0.01)
    assert page.analysis.measured.end_s == pytest.approx(1.5, abs=0.01)
    assert page.analysis.stretch_label.text().startswith("between the marks")
    plot.setFocus()
    press(plot, Qt.Key.Key_Escape)
    wait(lambda: page.analysis.measured is not None and page.analysis.measured.samples == 20_000)
    older = page._measuring
    plot.set_view(0.2, 0.4)
    wait(lambda: page._measuring is not older)
    assert older is not None
    assert older._is_cancelled.is_set()  # nobody waits for it any more
    wait(lambda: page.analysis.measured is not None and page.analysis.measured.samples == 2000)
    press(plot, Qt.Key.Key_M)
    assert plot.stretch == pytest.approx((0.2, 0.4))


@pytest.mark.parametrize(
    ("kind", "curve"),
    [
        ("expected", "line"),
        ("sine", None),
        ("spectrum", "line"),
        ("histogram", "bars"),
        ("intervals", "bars"),
        ("folded", "line"),
        ("against", "points"),
    ],
)
def test_each_kind_has_figures_and_its_curve(
    kind: str, curve: str | None, window: MainWindow, wait: Wait, kiln_take: Path
) -> None:
    page = shown(window, wait, kiln_take)
    found = measured(window, wait, kind)
    assert page.analysis.table.rowCount() == len(found.figures) > 0
    drawn = page.analysis.curve.curve
    assert (drawn is None) == (curve is None)
    if drawn is not None:
        assert drawn.draw == curve
        assert not page.analysis.curve.grab().isNull()
        page.analysis.copy_curve()
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        assert len(clipboard.text().splitlines()) == len(drawn.x) + 1
    page.analysis.table.setFocus()
    window.actions_list.named("Copy what is chosen").trigger()
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert found.figures[0].title in clipboard.text()
    assert found.figures[0].text in clipboard.text()


def test_what_cannot_be_measured_says_why_in_its_place(
    window: MainWindow, wait: Wait, kiln_take: Path
) -> None:
    page = shown(window, wait, kiln_take)
    panel = page.analysis
    measured(window, wait, "statistics")
    panel.first.setCurrentText("3.3 V rail")
    panel.choose_kind("sine")
    wait(lambda: "no sine stands above" in panel.notes.text())
    assert panel.table.rowCount() == 0


def test_a_recording_of_another_tool_is_drawn_and_measured_without_a_design(
    window: MainWindow, wait: Wait, tmp_path: Path
) -> None:
    times_s = np.arange(5000) / 1000
    rows = [f"{at:.3f},{20 + np.sin(2 * np.pi * 5 * at):.6f}" for at in times_s]
    path = tmp_path / "log.csv"
    path.write_text("time (s),oven (°C)\n" + "\n".join(rows))
    page = shown(window, wait, path)
    assert page.data is not None
    assert page.data.take is None
    (trace,) = page.plot.traces
    assert trace.unit == "°C"
    assert page.data.band(trace, 0.0, 1.0, 100)[0].size == 0
    assert not page.plot.grab().isNull()
    found = measured(window, wait, "sine")
    assert found.figure("frequency").value == pytest.approx(5, abs=1e-4)
    assert found.figure("frequency").predicted is None
    page.plot.cursor_moved.emit(1.0)
    assert "oven" in page.values.text()
    assert "numbers a line" in page._info.text()


def test_a_recording_that_lacks_something_says_what(
    window: MainWindow, wait: Wait, tmp_path: Path
) -> None:
    path = tmp_path / "log.csv"
    path.write_text("\n".join(f"{n % 7};{n % 5}" for n in range(200)))
    window.take_actions.show(path)
    wait(lambda: "nobody says the rate" in window.notice.text)
    page = window.streams_page
    form = page.reading_form
    assert form.isVisible()
    form.rate.setText("ten")
    press(form.rate, Qt.Key.Key_Return)
    assert "ten" in form.why.text()
    assert form.isVisible()
    form.rate.setText("10 Hz")
    form.unit.setText("A")
    press(form.rate, Qt.Key.Key_Return)
    wait(lambda: page.data is not None and page.data.path == path)
    assert not form.isVisible()
    assert page.data is not None
    assert page.data.span_s == pytest.approx(19.9)
    assert [trace.unit for trace in page.data.traces] == ["A", "A"]


def test_a_figure_becomes_an_expectation(window: MainWindow, wait: Wait, kiln_take: Path) -> None:
    page = shown(window, wait, kiln_take)
    found = measured(window, wait, "sine")
    panel = page.analysis
    assert not panel.expect_button.isEnabled()
    row = [figure.key for figure in found.figures].index("sinad")
    panel.table.selectRow(row)
    assert panel.expect_button.isEnabled()
    before = len(window.document.workspace.project.expectations)
    panel.expect_button.click()
    expectations = window.document.workspace.project.expectations
    assert len(expectations) == before + 1
    assert expectations[-1].kind == "figure"
    assert "SINAD at least" in window.notice.text
    window.document.stack.undo()
    assert len(window.document.workspace.project.expectations) == before


def test_a_recording_is_closed_once_its_last_reader_is_through(kiln_take: Path) -> None:
    data = load_stream(kiln_take, lambda _share: None)
    with data.opened.reading() as recording:
        data.close()
        data.close()
        assert recording.channels[0].read(0, 10).valid.all()
        with pytest.raises(TakeError, match="has been closed"), data.opened.reading():
            pass
    with pytest.raises(Exception, match=r"."):
        recording.channels[0].read(0, 10)


def test_two_takes_are_laid_over_each_other(
    window: MainWindow, wait: Wait, kiln: Workspace, kiln_take: Path, tmp_path: Path
) -> None:
    other = tmp_path / "second.h5"
    record_run(kiln, 2.0, other, fast=True, seed=9)
    page = shown(window, wait, kiln_take)
    page.under_button.click()
    assert "kiln lies below" in page.under_label.text()
    shown(window, wait, other)
    assert page.plot.below is not None
    assert not page.plot.grab().isNull()
    panel = page.analysis
    names = [panel.second.itemText(number) for number in range(panel.second.count())]
    assert "Coil current (kiln)" in names
    panel.second.setCurrentText("Coil current (kiln)")
    found = measured(window, wait, "difference")
    assert found.figure("mean").value == pytest.approx(0, abs=1e-3)
    page.align.setCurrentText("at their first events")
    page.align.activated.emit(page.align.currentIndex())
    assert "at their first events" in page.under_label.text()
    page.under_button.click()
    assert page.plot.below is None
    assert "Coil current (kiln)" not in [
        panel.second.itemText(number) for number in range(panel.second.count())
    ]


def test_places_are_found_by_keys_and_shown_near_enough_to_be_seen(
    window: MainWindow, wait: Wait, cured: Workspace, tmp_path: Path
) -> None:
    turned = edited(
        cured,
        SetWiring(Wiring(pin="A6", source_resistance_ohm=500.0, source=DcSource(voltage_v=0.8))),
    )
    make_take(cured, tmp_path / "holed.h5", range(100, 160), turned).close()
    page = shown(window, wait, tmp_path / "holed.h5")
    finder, plot, signal = page.finder, page.plot, page.analysis.first

    def look(what: str, shift: bool = False) -> str:
        finder.what.setCurrentIndex(finder.what.findData(what))
        finder.found.clear()
        plot.setFocus()
        with_shift = Qt.KeyboardModifier.ShiftModifier
        press(plot, Qt.Key.Key_N, with_shift if shift else Qt.KeyboardModifier.NoModifier)
        wait(lambda: finder.found.text() != "")
        return finder.found.text()

    signal.setCurrentText("Coil current")
    told = look("missing")
    assert told.startswith("Coil current: ")
    assert told.endswith(" samples missing")
    ((begin_s, end_s),) = plot._traces[0].missing_s
    assert told.replace("\u202f", "").split()[2] == str(round((end_s - begin_s) * 10_000))
    assert plot.mark_s == pytest.approx(begin_s, abs=1e-4)
    assert plot.view == (0.0, 1.0)
    assert "no such place from here on" in look("missing")
    # The knob was turned half way, and the wiring of the take says so: nothing is unexpected, but it jumps.
    signal.setCurrentText("3.3 V rail")
    assert "a jump of -1.698 V" in look("jump")
    at_s = plot.mark_s
    assert at_s == pytest.approx(0.5, abs=1e-3)
    assert plot.view == pytest.approx((at_s - 0.01, at_s + 0.01))
    assert "no such place before" in look("jump", shift=True)
    plot.mark_stretch(0.9, 0.9)
    assert "a jump" in look("jump", shift=True)
    assert plot.mark_s == at_s
    # A level stands in its field once it was taken from the mark.
    plot.mark_stretch(0.9, 0.9)
    finder.level.clear()
    assert "at or above" in look("level")
    level = finder.level.text()
    assert level.endswith(" V")
    look("level", shift=True)
    assert finder.level.text() == level
    finder.level.setText("much")
    assert "much" in look("level")
    assert "no threshold" in look("event")
    # Who presses twice wants the second answer only.
    finder.what.setCurrentIndex(finder.what.findData("unexpected"))
    finder.look(forward=True)
    first = page._looking
    finder.look(forward=True)
    assert first is not None
    assert first._is_cancelled.is_set()
    wait(lambda: "no such place" in finder.found.text())


def test_strips_have_limits_of_their_own_that_outlast_the_take(
    window: MainWindow, wait: Wait, kiln_take: Path, tmp_path: Path
) -> None:
    page = shown(window, wait, kiln_take)
    plot = page.plot
    limits, (coil, *_others) = plot.limits, plot.traces
    whole = plot.axes(0).y_span
    # Typed, in the strip.
    plot.setFocus()
    press(plot, Qt.Key.Key_L)
    field = plot.limits_field
    assert field.isVisible()
    assert field.text().endswith(" V")
    field.setText("1.8 V to 1.2 V")
    press(field, Qt.Key.Key_Return)
    assert field.isVisible()
    assert limits.own == {}
    field.setText("1,2 to 1.8 V")
    press(field, Qt.Key.Key_Return)
    assert not field.isVisible()
    assert plot.hasFocus()
    assert plot.axes(0).y_span == (1.2, 1.8)
    assert plot.axes(1).y_span != (1.2, 1.8)
    press(plot, Qt.Key.Key_L)
    press(field, Qt.Key.Key_Escape)
    assert not field.isVisible()
    assert limits.own == {(coil.name, coil.stage): (1.2, 1.8)}
    # They are the project's: the next take is seen on the same scale, and so is the next time.
    kept = window._strip_memory.known(window.takes_place.name)
    assert kept == limits.own
    other = tmp_path / "other.h5"
    other.write_bytes(kiln_take.read_bytes())
    shown(window, wait, other)
    assert plot.axes(0).y_span == (1.2, 1.8)
    # On the scale: dragged, wheeled, and fitted by a double click.
    lane = plot.axes(0).rect
    on_scale = QPointF(lane.left() - 30, lane.center().y())
    QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=on_scale.toPoint())
    below = QPointF(on_scale.x(), on_scale.y() + lane.height() / 2)
    QTest.mouseMove(plot, below.toPoint())
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=below.toPoint())
    assert plot.axes(0).y_span == pytest.approx((1.5, 2.1), abs=0.02)
    assert plot.mark_s is None
    low, high = plot.axes(0).y_span
    wheel(plot, on_scale, 120)
    nearer = plot.axes(0).y_span
    assert nearer[1] - nearer[0] == pytest.approx(0.75 * (high - low))
    assert plot.view == (0.0, plot.view[1])
    QTest.mouseDClick(plot, Qt.MouseButton.LeftButton, pos=on_scale.toPoint())
    assert plot.axes(0).y_span == whole
    plot.set_view(0.101, 0.102)
    press(plot, Qt.Key.Key_F)
    fitted = plot.axes(0).y_span
    assert fitted[1] - fitted[0] < 0.4 * (whole[1] - whole[0])
    near = plot.traces[0].samples(1010, 1020).values
    assert fitted[0] < near.min() < near.max() < fitted[1]
    press(plot, Qt.Key.Key_A)
    assert limits.own == {}
    assert window._strip_memory.known(window.takes_place.name) == {}
    (menu_limits, menu_fit, _menu_all) = plot.limits_menu(1).actions()
    menu_fit.trigger()
    assert set(limits.own) == {(plot.traces[1].name, plot.traces[1].stage)}
    menu_limits.trigger()
    assert field.isVisible()


def wheel(plot: TracePlot, at: QPointF, angle: int) -> None:
    """Turn the wheel over a place."""
    turned = QWheelEvent(
        at,
        plot.mapToGlobal(at),
        QPoint(),
        QPoint(0, angle),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(plot, turned)


def test_what_is_kept_of_limits_and_cannot_be_read_is_left(window: MainWindow) -> None:
    window.settings.set("limits/kiln", "[[1, 2]")
    assert window._strip_memory.known("kiln") == {}
    window._strip_memory.keep("kiln", {("a", "raw"): (0.1, 0.2)})
    assert window._strip_memory.known("kiln") == {("a", "raw"): (0.1, 0.2)}


@pytest.mark.parametrize(
    ("text", "unit", "span"),
    [
        ("1.2 V to 1.8 V", "V", (1.2, 1.8)),
        ("-5 mV … 5 mV", "V", (-0.005, 0.005)),
        ("20;80", "%rh", (20.0, 80.0)),
        ("900 hPa to 1100 hPa", "hPa", (900.0, 1100.0)),
        ("-1 mA to 2", "A", (-0.001, 2.0)),
    ],
)
def test_limits_are_typed_in_the_units_of_a_channel(
    text: str, unit: str, span: tuple[float, float]
) -> None:
    assert parse_span(text, unit) == pytest.approx(span)
    assert parse_span(span_text(span, unit), unit) == pytest.approx(span)


@pytest.mark.parametrize("text", ["", "1 V", "1 to 2 to 3", "2 to 1", "1 V to 1 V", "1 V to 2 s"])
def test_no_limits_say_why(text: str) -> None:
    with pytest.raises(QuantityError):
        parse_span(text, "V")


def test_a_scale_is_in_volts_codes_or_hexadecimal(
    window: MainWindow, wait: Wait, kiln_take: Path
) -> None:
    page = shown(window, wait, kiln_take)
    plot = page.plot
    key = ("Coil current", "raw")
    plot.show_take(
        page.data, frozenset({key, ("Upper zone", "filtered")})
    )  # high enough for numbers
    plot.setFocus()
    pictures = [plot.grab().toImage()]
    for wanted in ("", HEX, None):
        plot.setFocus()
        press(plot, Qt.Key.Key_C)
        assert plot.scales.get(key) == wanted
        pictures.append(plot.grab().toImage())
    assert pictures[0] == pictures[3]
    assert pictures[1] != pictures[0]
    assert pictures[2] != pictures[1]
    assert [action.text() for action in plot.limits_menu(0).actions()][-1].endswith(
        "hexadecimal codes"
    )
    assert len(plot.limits_menu(1).actions()) == 3  # of filtered values there are no codes
    plot.ask_limits(0)
    plot.limits_field.setText("0x400 to 3072 codes")
    press(plot.limits_field, Qt.Key.Key_Return)
    low, high = plot.axes(0).y_span
    assert low == pytest.approx(0x400 * 3.3 / 4096)
    assert high == pytest.approx(3072 * 3.3 / 4096)


@pytest.mark.parametrize(
    ("low", "high", "most", "values"),
    [
        (1000.0, 3100.0, 4, [0x400, 0x800, 0xC00]),
        (-40.0, 40.0, 5, [-32, -16, 0, 16, 32]),
        (0.2, 0.9, 3, []),
        (5.0, 5.0, 3, []),
    ],
)
def test_hexadecimal_scales_are_round_in_hexadecimal(
    low: float, high: float, most: int, values: list[float]
) -> None:
    assert hex_values(low, high, most) == values
