"""The Streams page while a board runs: strips that move along, meters, freezing, holding and recording."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from tests.desktop.conftest import Wait, click, press
from tests.paths import EXAMPLES
from wattigram.core.capture.session.kept_run import KeptRun
from wattigram.core.capture.session.live_run import LiveChannel
from wattigram.core.capture.take import open_take
from wattigram.core.capture.transport import SampleRun
from wattigram.core.model.design import Workspace, signal_scale
from wattigram.desktop.pages.page_stack import CHAIN, PROOF, STREAMS
from wattigram.desktop.pages.streams_page import StreamsPage
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.widgets.streams.changing_strip import ChangingStrip
from wattigram.desktop.widgets.streams.now_data import NowStrip


@pytest.fixture
def now(window: MainWindow, wait: Wait) -> StreamsPage:
    """The page with the board running on it for a second."""
    window.show_page(STREAMS)
    page = window.streams_page
    window.toggle_run()
    click(page.now_button, QPointF(20, 10))
    wait(lambda: page.now is not None and page.now.end_s > 1.0)
    return page


def test_strips_follow_what_comes(now: StreamsPage, wait: Wait) -> None:
    plot = now.plot
    assert [(trace.name, trace.stage) for trace in plot.traces][:2] == [
        ("Coil current", "raw"),
        ("Upper zone", "filtered"),
    ]
    assert now.values.text().startswith("Space freezes")
    begin_s, end_s = plot.view
    assert end_s - begin_s == pytest.approx(10)
    wait(lambda: plot.view[1] > end_s + 0.2)
    assert plot.view[1] - plot.view[0] == pytest.approx(10)
    times_s, low, high = plot.traces[0].columns(*plot.view, 400)
    inside = (times_s > 0.1) & (times_s < plot.view[1] - 0.2)
    assert np.nanmin(low[inside]) == pytest.approx(0.9, abs=0.01)
    assert np.nanmax(high[inside]) == pytest.approx(2.4, abs=0.01)
    assert now.now is not None
    at_s, band_low, band_high = now.now.band(plot.traces[0], *plot.view, 400)
    assert len(at_s) == len(band_low)
    assert at_s[0] >= 0
    assert np.all(band_low < band_high)


def test_zooming_keeps_the_newest_and_dragging_leaves_it(now: StreamsPage, wait: Wait) -> None:
    plot = now.plot
    press(plot, Qt.Key.Key_Plus)
    assert plot.follows
    assert plot.view[1] - plot.view[0] == pytest.approx(6)
    for _ in range(6):
        press(plot, Qt.Key.Key_Plus)
    press(plot, Qt.Key.Key_Left)
    assert not plot.follows
    stands = plot.view
    assert now.now is not None
    later = now.now.end_s + 0.3
    wait(lambda: now.now is not None and now.now.end_s > later)
    assert plot.view == stands
    block = plot.traces[0].samples(
        plot.traces[0].number_at(stands[0]), plot.traces[0].number_at(stands[1])
    )
    assert block.valid.all()
    press(plot, Qt.Key.Key_End)
    assert plot.follows
    assert plot.view[1] >= later


def test_the_cursor_stays_under_the_mouse(now: StreamsPage, wait: Wait) -> None:
    plot = now.plot
    lane = plot.axes(0).rect
    QTest.mouseMove(plot, QPoint(int(lane.right()) - 30, int(lane.center().y())))
    wait(lambda: plot.cursor_s is not None)
    before = plot.cursor_s
    assert before is not None
    wait(lambda: plot.cursor_s is not None and plot.cursor_s > before + 0.1)
    assert float(plot.axes(0).x(plot.cursor_s)) == pytest.approx(lane.right() - 30, abs=1.5)
    assert "Coil current" in now.values.text()


def test_meters_hold_extremes_until_told(now: StreamsPage, wait: Wait) -> None:
    wait(lambda: "Coil current: " in now.meters.text())
    lines = dict(line.split(": ", 1) for line in now.meters.text().splitlines())
    assert lines["3.3 V rail filtered"].startswith("3.300 V")
    assert "mean 1.6" in lines["Coil current"]
    coil = now.now.run.channels["Coil current", False]  # type: ignore[union-attr]
    assert coil.low_v == pytest.approx(0.9, abs=0.01)
    coil.low_v = 0.2  # as if there had been a spike
    seen = coil.end
    wait(lambda: coil.end > seen + 2000)
    assert coil.low_v == 0.2
    press(now.plot, Qt.Key.Key_R)
    assert coil.low_v > 0.8
    wait(lambda: coil.low_v < 1.0)
    assert not now.meters.grab().isNull()


def test_what_is_in_sight_is_measured_while_it_comes(now: StreamsPage, wait: Wait) -> None:
    panel = now.analysis
    wait(lambda: panel.measured is not None)
    first = panel.measured
    assert first is not None
    rms = {figure.key: figure for figure in first.figures}["rms"]
    assert rms.predicted == pytest.approx(rms.value, abs=0.01)
    panel.table.setCurrentCell(2, 0)
    wait(lambda: panel.measured is not first)
    assert panel.table.currentRow() == 2
    panel.choose_kind("spectrum")
    wait(lambda: panel.measured is not None and panel.measured.kind == "spectrum")
    assert panel.measured is not None
    line = {figure.key: figure.value for figure in panel.measured.figures}
    assert any(value == pytest.approx(50, abs=0.5) for value in line.values())


def test_space_freezes_and_goes_on(now: StreamsPage, window: MainWindow, wait: Wait) -> None:
    press(now.plot, Qt.Key.Key_Space)
    wait(lambda: now.data is not None and not now.shows_now)
    assert now.data is not None
    assert now.data.take is not None
    assert now.data.take.complete
    assert now.data.span_s > 1.0
    assert now.takes.currentRow() == 0
    assert window.board.is_running
    assert not now.meters.isVisible()
    now.plot.setFocus()
    press(now.plot, Qt.Key.Key_Space)
    assert now.shows_now
    assert now.now_button.isChecked()
    wait(lambda: now.now is not None and now.plot.follows)
    assert now.takes.currentItem() is None


def test_a_signal_that_is_ticked_is_followed(now: StreamsPage, wait: Wait) -> None:
    item = next(
        now.signals.item(row)
        for row in range(now.signals.count())
        if now.signals.item(row).text() == "Upper zone · raw"  # type: ignore[union-attr]
    )
    assert item is not None
    item.setCheckState(Qt.CheckState.Checked)
    wait(
        lambda: any(
            trace.stage == "raw" and trace.name == "Upper zone" for trace in now.plot.traces
        )
    )
    assert now.now is not None
    raw = now.now.run.channels["Upper zone", False]
    wait(lambda: raw.low_v < raw.high_v)


def test_an_event_is_held_with_what_was_before(
    now: StreamsPage, window: MainWindow, wait: Wait
) -> None:
    form = now.now_panel.hold
    assert form.what.itemText(0) == "Upper zone begins"
    form.what.setCurrentText("Upper zone > 1.75 V")
    form.before.setText("200 ms")
    form.after.setText("0.1 s")
    click(form.button, QPointF(10, 10))
    wait(lambda: form.button.text() == "Hold no more" or "held" in form.state.text())
    rows = now.takes.count()
    wait(lambda: now.takes.count() == rows + 1)
    wait(lambda: "held 1 time, that is all" in form.state.text())
    assert form.button.text() == "Hold"
    assert now.shows_now  # the board stays in sight
    path = now.takes.item(0).data(Qt.ItemDataRole.UserRole)  # type: ignore[union-attr]
    with open_take(Path(path)) as take:
        assert take.span_s == pytest.approx(0.3, abs=0.02)
        upper = take.head("Upper zone", 1000, reduced=True)
        assert upper is not None
        rises = upper.times_s[upper.volts > 1.75][0]
        assert rises - take.begins_s == pytest.approx(0.2, abs=0.02)
    assert window.board.latest.recording is None


def test_a_hold_that_is_ended_early_says_so(now: StreamsPage, wait: Wait) -> None:
    form = now.now_panel.hold
    form.what.setCurrentText("Coil current > 2 V")
    form.before.setText("100 ms")
    form.after.setText("60 s")
    form.arm()
    wait(lambda: "is being held" in form.state.text())
    rows = now.takes.count()
    click(form.button, QPointF(10, 10))
    wait(lambda: now.takes.count() == rows + 1)
    path = now.takes.item(0).data(Qt.ItemDataRole.UserRole)  # type: ignore[union-attr]
    with open_take(Path(path)) as take:
        assert not take.complete
        assert "no longer held" in take.ended
        assert take.samples > 0


@pytest.mark.parametrize(
    ("field", "text", "why"),
    [
        ("what", "Oven begins", "no source of events"),
        ("before", "2 min", "is not in s"),
        ("before", "90 s", "at most 60 s"),
        ("after", "0 s", "not possible"),
    ],
)
def test_what_cannot_be_held_is_said_beneath(
    now: StreamsPage, field: str, text: str, why: str
) -> None:
    form = now.now_panel.hold
    box = getattr(form, field)
    (box.setCurrentText if field == "what" else box.setText)(text)
    form.arm()
    assert why in form.state.text() or "“2 min”" in form.state.text()
    assert form.button.text() == "Hold"


def test_recording_keeps_what_lies_before_and_the_board_runs_on(
    now: StreamsPage, window: MainWindow, wait: Wait
) -> None:
    before_s = window.board.latest.seconds
    window.toggle_record()
    wait(lambda: window.board.latest.recording is not None)
    wait(lambda: not now.now_panel.hold.button.isEnabled())
    wait(lambda: window.board.latest.seconds > before_s + 0.3)
    window.toggle_record()
    wait(lambda: window.stack.currentIndex() == PROOF and window.proving.latest is not None)
    proved = window.proving.latest
    assert proved is not None
    assert window.board.latest.state == "running"
    with open_take(proved.take) as take:
        assert take.complete
        assert take.begins_ticks == 0
        assert take.seconds > before_s
        assert not take.gaps.size


def test_a_channel_sums_up_as_it_grows_and_knows_holes(kiln: Workspace) -> None:
    kept = KeptRun(kiln)
    chain = kiln.project.chains[0]
    channel = LiveChannel(kept, kiln, kiln.project.signal("Upper zone"), filtered=False)
    slots, place = len(chain.slots), chain.places_of("Upper zone")[0]
    tick = kiln.bus_clock_hz.numerator // 10_000
    rng = np.random.default_rng(5)
    codes = rng.integers(0, 4096, (20_000, slots)).astype(np.uint16)
    for first in range(0, 20_000, 500):
        if first == 7_000:
            continue
        items = codes[first : first + 500].ravel()
        run = SampleRun(
            0, first * slots, items, np.array([first * tick]), np.array([len(items)]), False
        )
        kept.add_run(run, kiln.bus_clock_hz.numerator)
        channel.update()
    scale = signal_scale(kiln, chain, "Upper zone")
    volts = scale.item_volts(codes[:, place]) / float(kiln.project.signal("Upper zone").scaling)
    volts[7_000:7_500] = np.nan
    assert (channel.begin, channel.end) == (0, 20_000)
    np.testing.assert_allclose(channel.values(6_900, 7_600), volts[6_900:7_600])
    for count in (7, 40, 400):
        edges = np.linspace(0, 16_000, count + 1)
        low, high = channel.columns(edges)
        for column in range(count):
            first, last = int(np.floor(edges[column])), int(np.ceil(edges[column + 1]))
            inner = volts[first:last]
            if np.isfinite(inner).all():
                assert low[column] <= inner.min() + 1e-6
                assert high[column] >= inner.max() - 1e-6
            wide = volts[max(0, first - 4200) : last + 4200]
            if np.isfinite(low[column]):
                assert low[column] >= np.nanmin(wide) - 1e-6
    low, high = channel.columns(np.linspace(7_050, 7_450, 5))
    assert np.isnan(low).all()
    assert channel.high_v == pytest.approx(np.nanmax(volts))


def test_a_trace_that_moves_along_is_as_one_drawn_anew(kiln: Workspace) -> None:
    """What was worked out for a picture before is what would be worked out now, in each view and after holes, also
    of a run that begins anew."""
    kept = KeptRun(kiln)
    chain = kiln.project.chains[0]
    channel = LiveChannel(kept, kiln, kiln.project.signal("Upper zone"), filtered=False)
    strip, slots = NowStrip(channel, 0), len(chain.slots)
    tick = kiln.bus_clock_hz.numerator // 10_000
    rng = np.random.default_rng(8)
    count = 0
    for samples in (9_100, 60_000):
        kept.clear()
        for first in range(0, samples, 700):
            items = rng.integers(0, 4096, 700 * slots).astype(np.uint16)
            if first == 7_000:
                continue
            run = SampleRun(
                0, first * slots, items, np.array([first * tick]), np.array([len(items)]), False
            )
            kept.add_run(run, kiln.bus_clock_hz.numerator)
            channel.update()
            span_s = 2.0 if first < 30_000 else 3.0
            begin_s = max(0.0, (first + 700) / 10_000 - span_s)
            end_s = begin_s + span_s
            seen = strip.columns(begin_s, end_s, 300)
            anew = NowStrip(channel, 0).columns(begin_s, end_s, 300)
            for one, other in zip(seen, anew, strict=True):
                np.testing.assert_array_equal(one, other)
            count += len(seen[0])
    assert count > 10_000


def test_outputs_pins_texts_and_events_stand_beside_signals(window: MainWindow, wait: Wait) -> None:
    window.files.open(EXAMPLES / "kiln-lamp" / "kiln-lamp.wattigram.toml")
    window.show_page(STREAMS)
    page = window.streams_page
    window.toggle_run()
    click(page.now_button, QPointF(20, 10))
    wait(lambda: page.now is not None and page.now.end_s > 2.1)
    strips = {trace.name: trace for trace in page.plot.traces if isinstance(trace, ChangingStrip)}
    kinds = {name: strip.kind for name, strip in strips.items()}
    wanted = {"B4": "wire", "UART 1": "text", "duty of Fan": "word", "B0": "wire"}
    assert kinds | wanted == kinds
    assert page.now is not None
    lines = list(strips["UART 1"].texts(0.0, page.now.end_s))
    assert len(lines) == 1
    assert lines[0][0] == pytest.approx(1.80, abs=0.02)
    assert lines[0][1].startswith("hot 2.10")
    lamp = strips["B4"]
    assert lamp.text_at(1.0) == "low"
    assert lamp.text_at(1.95) == "high"
    times_s, low, high = lamp.columns(0.0, 2.0, 800)
    assert low is high  # joined, with upright edges
    assert list(low) == [0, 0, 1, 1]
    assert times_s[1] == times_s[2] == pytest.approx(1.80, abs=0.02)
    upper = next(trace for trace in page.plot.traces if trace.name == "Upper zone")
    assert (upper.stage, upper.unit) == ("°C", "°C")
    degrees = upper.columns(0.5, 1.5, 100)
    assert degrees[1][0] == pytest.approx(750, abs=20)
    assert degrees[2][-1] == pytest.approx(1047, abs=20)
    _at_s, low, high = page.now.band(upper, 0.5, 1.5, 100)
    assert np.all((low < degrees[1][0] + 400) & (low < high))
    assert "°C" in page.meters.text()
    times, began = page.now.events(upper)
    assert times[0] == pytest.approx(1.80, abs=0.02)
    assert began[0]
    wait(lambda: "UART 1: “hot" in page.meters.text())
    # The same of a take, and the same as the live ones.
    press(page.plot, Qt.Key.Key_Space)
    wait(lambda: page.data is not None)
    assert page.data is not None
    frozen = {strip.name: strip for strip in page.data.outputs}
    assert list(frozen["UART 1"].texts(0.0, 2.0)) == lines[:1]
    assert frozen["B4"].text_at(1.95) == "high"
    course = frozen["duty of Fan"].columns(0.0, 2.0, 50)
    assert np.all(course[1] <= course[2])
    assert course[2][-1] > 4000
    quantity = next(one for one in page.data.channels if one.unit == "°C")
    assert quantity.span()[1] > 1000
    _at, low, high = page.data.band(quantity, 0.5, 1.5, 100)
    assert low[50] < quantity.columns(0.99, 1.01, 10)[1][5] < high[50]
    told = page.data.events(page.data.traces[0])
    assert told[0][0] == pytest.approx(times[0], abs=1e-6)
    press(page.plot, Qt.Key.Key_A)
    assert not page.plot.grab().isNull()
    page.plot.cursor_moved.emit(1.95)
    assert "high" in page.values.text()


def test_rows_of_other_firmware_become_the_board(
    window: MainWindow, wait: Wait, tmp_path: Path
) -> None:
    folder = EXAMPLES / "kiln-print"
    said = (folder / "kiln-print.wattigram.toml").read_text()
    project = tmp_path / "kiln.wattigram.toml"
    project.write_text(said[: said.index("[rows.text]")] + said[said.index("[[expectations]]") :])
    window.files.open(project)
    window.rows_of_others.ask()
    dialog = window.rows_of_others.dialog
    assert dialog is not None
    dialog.source.setCurrentText(str(tmp_path / "nothing.txt"))
    QTest.mouseClick(dialog.listen_button, Qt.MouseButton.LeftButton)
    wait(lambda: "cannot be read" in dialog.state.text())
    dialog.source.setCurrentText(str(folder / "kiln-print.txt"))
    wait(dialog.listen_button.isEnabled)
    QTest.mouseClick(dialog.listen_button, Qt.MouseButton.LeftButton)
    wait(lambda: dialog.table.columnCount() == 3)
    assert "each behind its name" in dialog.ways.currentText()
    assert dialog.table.item(2, 1).text() == "1493"  # type: ignore[union-attr]
    assert not dialog.rate.isEnabled()  # a column is the time
    dialog.table.cellWidget(0, 1).setCurrentText("–")  # type: ignore[union-attr]
    QTest.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    assert "Chamber" in dialog.state.text()
    assert window.document.workspace.project.rows is None
    dialog.table.cellWidget(0, 1).setCurrentText("Chamber")  # type: ignore[union-attr]
    QTest.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    page = window.streams_page
    wait(lambda: page.now is not None and page.now.end_s > 19.9)
    assert window.document.workspace.project.signal("Chamber").column is not None
    assert window.board.address == f"rows:{folder / 'kiln-print.txt'}"
    chamber = next(trace for trace in page.plot.traces if trace.unit == "°C")
    block = chamber.samples(0, 10)
    assert block.values[0] == pytest.approx((1493 / 4096 * 3.3 - 0.2) * 600, abs=1)
    wait(lambda: page.analysis.measured is not None)  # although it is over already
    window.document.stack.undo()
    assert window.document.workspace.project.rows is None


def test_rows_cost_nothing_while_they_are_not_seen(window: MainWindow, wait: Wait) -> None:
    """But somebody who looks at streams, as the wiring check does, goes on seeing them."""
    window.board.start()
    wait(lambda: bool(window.board.latest.pictures))
    window.show_page(STREAMS)
    wait(lambda: not window.board.latest.pictures)
    window.bench_actions.check_wiring()
    wait(lambda: bool(window.board.latest.pictures))
    window.bench_actions.wiring_bar.stop()
    wait(lambda: not window.board.latest.pictures)
    window.show_page(CHAIN)
    wait(lambda: bool(window.board.latest.pictures))
    window.board.stop()
