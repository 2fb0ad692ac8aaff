from __future__ import annotations

from fractions import Fraction

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QSlider

from tests.conftest import CURE
from tests.desktop.conftest import Wait, click, drag, press, type_text
from wattigram.core.model.design.edits import SetBufferLength, SetPeriod, apply_edit
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.selection import FACETS, Selection
from wattigram.desktop.widgets.inspector.inspector_panel import FieldEditor


def cell_center(window: MainWindow, signal: str, facet: str) -> QPointF:
    rows = window.chain_page.rows
    chain = window.document.workspace.project.chain_of(signal)
    assert chain is not None
    return QPointF(
        rows.cell_rect(
            Selection(chain.converter, chain.places_of(signal)[0], signal, facet)
        ).center()
    )


def field(window: MainWindow, label: str) -> FieldEditor:
    return next(
        editor
        for editor in window.chain_page.inspector.fields
        if editor.widget.accessibleName() == label
    )


def sampling(window: MainWindow, place: int = 2) -> int:
    return window.document.workspace.project.chains[0].slots[place].sampling_cycles


def test_clicking_a_cell_selects_it_and_the_inspector_follows(window: MainWindow) -> None:
    page = window.chain_page
    for signal, facet, words in [
        ("Upper zone", "filter", "FILTER · UPPER ZONE"),
        ("Upper zone", "thresholds", "THRESHOLD · UPPER ZONE"),
        ("3.3 V rail", "sample", "SLOT 4 · 3.3 V RAIL"),
        ("Coil current", "signal", "COIL CURRENT"),
        ("Coil current", "front end", "BENCH · PIN A2"),
        ("Door latch", "transfer", "LOOP A · ADC 1"),
    ]:
        click(page.rows, cell_center(window, signal, facet))
        assert (page.selection.signal, page.selection.facet) == (signal, facet)
        assert page.inspector._title.text() == words


def test_clicking_a_yoke_shows_what_its_signals_share(window: MainWindow) -> None:
    rows = window.chain_page.rows
    click(rows, QPointF(rows.cell_rect(Selection("ADC 2")).center()))
    assert window.chain_page.selection == Selection("ADC 2")
    assert "ADC 2: CLOCK AND CODES" in window.chain_page.inspector._title.text()


def test_arrows_walk_through_all_cells(window: MainWindow) -> None:
    rows = window.chain_page.rows
    rows.setFocus()
    seen = [window.chain_page.selection]
    for _ in range(6):
        press(rows, Qt.Key.Key_Down)
        seen.append(window.chain_page.selection)
    assert [selection.signal for selection in seen] == [
        "Coil current",
        "Upper zone",
        "Door latch",
        "3.3 V rail",
        "",
        "Upper zone, twin",
        "Upper zone, twin",
    ]
    for _ in FACETS:
        press(rows, Qt.Key.Key_Left)
    assert window.chain_page.selection.facet == "signal"
    press(rows, Qt.Key.Key_Return)
    assert field(window, "name").widget.hasFocus()


def test_enter_on_a_finding_cures_it_and_undo_takes_it_back(window: MainWindow) -> None:
    page = window.chain_page
    assert [card.finding.code for card in page.findings.cards] == ["sampling-too-short"]
    window.actions_list.named("Go to the most severe finding").trigger()
    card = page.findings.cards[0]
    assert card.hasFocus()
    press(card, Qt.Key.Key_Return)
    assert sampling(window) == 384
    assert page.findings.cards == []
    assert window.document.stack.undoText() == "Sample Door latch for 384 clk"
    window.document.stack.undo()
    assert sampling(window) == 32
    assert len(page.findings.cards) == 1
    window.document.stack.redo()
    assert window.document.workspace.project == apply_edit(window.document.workspace, CURE).project


def test_dragging_a_sampling_edge_lengthens_it_in_one_undo_step(window: MainWindow) -> None:
    lens = window.chain_page.lens
    lens.zoom(0.25, lens.x_of(0))
    slot = lens.slot_rect("ADC 1", 2)
    edge = QPointF(lens.edge_x("ADC 1", 2), slot.center().y())
    far = QPointF(lens.x_of(5.40625e-6 + 12e-6), slot.center().y())
    middle = QPointF((edge.x() + far.x()) / 2, edge.y())
    drag(lens, edge, middle, far)
    assert sampling(window) == 384
    assert window.document.stack.count() == 1
    assert window.chain_page.findings.cards == []
    window.document.stack.undo()
    assert sampling(window) == 32


def test_dragging_a_slot_reorders(window: MainWindow) -> None:
    lens = window.chain_page.lens
    lens.zoom(0.2, lens.x_of(0))
    first, last = lens.slot_rect("ADC 1", 1), lens.slot_rect("ADC 1", 3)
    drag(
        lens,
        QPointF(first.left() + first.width() * 0.4, first.center().y()),
        last.center(),
        QPointF(last.right() - 2, last.center().y()),
    )
    order = [slot.signal for slot in window.document.workspace.project.chains[0].slots]
    assert order == ["Coil current", "Door latch", "3.3 V rail", "Upper zone"]
    assert window.document.stack.count() == 1


def test_dragging_the_next_trigger_changes_the_period(window: MainWindow) -> None:
    lens = window.chain_page.lens
    trigger = lens.trigger_point()
    half = QPointF(lens.x_of(50e-6), trigger.y())
    drag(lens, trigger, QPointF((trigger.x() + half.x()) / 2, trigger.y()), half)
    every = window.document.workspace.project.chains[0].trigger.period_s  # type: ignore[union-attr]
    assert float(every) == pytest.approx(50e-6, rel=0.02)
    assert (every * 10**7).denominator == 1
    assert window.document.stack.count() == 1


def test_the_wheel_zooms_about_the_mouse_within_bounds(window: MainWindow) -> None:
    lens = window.chain_page.lens
    at = QPointF(lens.x_of(20e-6), 60)

    def turn(steps: int) -> None:
        none, no_button = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.NoButton
        event = QWheelEvent(
            at,
            lens.mapToGlobal(at),
            at.toPoint() * 0,
            at.toPoint() * 0 + QPointF(0, 120 * steps).toPoint(),
            no_button,
            none,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(lens, event)

    turn(3)
    assert lens.x_of(20e-6) == pytest.approx(at.x(), abs=1)
    for _ in range(60):
        turn(3)
    assert lens._span_s == pytest.approx(1 / 32e6)
    for _ in range(200):
        turn(-3)
    assert lens._span_s == pytest.approx(0.2)
    window.grab()
    lens.setFocus()
    press(lens, Qt.Key.Key_Home)
    assert lens._span_s == pytest.approx(102e-6)


def test_a_what_if_is_chosen_by_click_and_by_key(window: MainWindow) -> None:
    window.chain_page.select(Selection("ADC 1", 2, "Door latch", "sample"))
    chart = window.chain_page.inspector.chart
    assert chart is not None
    click(chart, chart.bar_rect(6).center())
    assert sampling(window) == 384
    chart.setFocus()
    press(chart, Qt.Key.Key_Right)
    assert sampling(window) == 768
    press(chart, Qt.Key.Key_Left)
    assert sampling(window) == 384


FIELDS = [
    (
        "ADC 1",
        "",
        "start",
        "period",
        "5 kHz",
        lambda p: p.chains[0].trigger.period_s,
        Fraction(1, 5000),
    ),
    ("ADC 1", "Coil current", "signal", "name", "Burden", lambda p: p.signals[0].name, "Burden"),
    (
        "ADC 1",
        "Coil current",
        "signal",
        "front end",
        "x 120",
        lambda p: p.signals[0].scaling,
        Fraction(120),
    ),
    (
        "ADC 1",
        "Coil current",
        "front end",
        "frequency",
        "60 Hz",
        lambda p: p.bench[0].source.frequency_hz,
        Fraction(60),
    ),
    (
        "ADC 1",
        "Coil current",
        "front end",
        "source resistance",
        "4.7k",
        lambda p: p.bench[0].source_resistance_ohm,
        4700.0,
    ),
    (
        "ADC 1",
        "Coil current",
        "front end",
        "capacitor at pin",
        "100n",
        lambda p: p.bench[0].capacitor_f,
        1e-7,
    ),
    (
        "ADC 1",
        "Coil current",
        "transfer",
        "length",
        "0x100",
        lambda p: p.chains[0].buffer.samples,
        256,
    ),
    (
        "ADC 1",
        "Upper zone",
        "filter",
        "count",
        "32",
        lambda p: (p.signals[1].filter.count, p.signals[1].filter.shift),
        (32, 5),
    ),
    (
        "ADC 1",
        "Upper zone",
        "thresholds",
        "upper limit",
        "2.2 V",
        lambda p: p.signals[1].thresholds[0].high,
        2.2,
    ),
    (
        "ADC 1",
        "Upper zone",
        "thresholds",
        "hysteresis",
        "20 mV",
        lambda p: p.signals[1].thresholds[0].hysteresis_v,
        0.02,
    ),
]


@pytest.mark.parametrize(
    ("converter", "signal", "facet", "label", "text", "look", "value"),
    FIELDS,
    ids=[f"{f[2]} {f[3]}" for f in FIELDS],
)
def test_fields_are_typed_as_engineers_write(
    window: MainWindow,
    converter: str,
    signal: str,
    facet: str,
    label: str,
    text: str,
    look: object,
    value: object,
) -> None:
    place = 1 if signal == "Upper zone" else 0
    window.chain_page.select(Selection(converter, place if signal else -1, signal, facet))
    editor = field(window, label)
    assert isinstance(editor.widget, QLineEdit)
    type_text(editor.widget, text)
    assert look(window.document.workspace.project) == value  # type: ignore[operator]
    assert window.document.stack.count() == 1


def test_what_cannot_be_understood_is_said_and_changes_nothing(window: MainWindow) -> None:
    window.chain_page.select(Selection("ADC 1", facet="start"))
    editor = field(window, "period")
    type_text(editor.widget, "soon")
    assert window.document.stack.count() == 0
    assert editor.widget.property("wrong") is True
    assert (
        "period: “soon” is no number with a unit. Write a frequency such as 10 kHz."
        in window.notice.text
    )
    press(editor.widget, Qt.Key.Key_Escape)
    assert editor.widget.text() == "100 µs"  # type: ignore[union-attr]
    type_text(editor.widget, "-5 us")
    assert window.document.stack.count() == 0


def test_choices_are_made_in_boxes(window: MainWindow) -> None:
    window.chain_page.select(Selection("ADC 1", 0, "Coil current", "front end"))
    box = field(window, "source").widget
    assert isinstance(box, QComboBox)
    for text, kind in [
        ("square", "square"),
        ("floating", "floating"),
        ("same as another pin", "follow"),
        ("DC, adjustable", "dc"),
    ]:
        box = field(window, "source").widget
        assert isinstance(box, QComboBox)
        box.textActivated.emit(text)
        assert window.document.workspace.project.bench[0].source.kind == kind


def test_a_knob_is_turned_as_one_step(window: MainWindow) -> None:
    window.chain_page.select(Selection("ADC 1", 3, "3.3 V rail", "front end"))
    slider = field(window, "adjustable").widget
    assert isinstance(slider, QSlider)
    slider.sliderPressed.emit()
    for step in (520, 600, 1000):
        slider.setValue(step)
    slider.sliderReleased.emit()
    assert window.document.workspace.project.bench[3].source.voltage_v == pytest.approx(3.3)  # type: ignore[union-attr]
    assert window.document.stack.count() == 1


def test_what_the_part_cannot_do_is_refused_with_a_sentence(window: MainWindow) -> None:
    assert not window.document.edit(SetBufferLength("ADC 1", 100_000))
    assert "more than 65535" in window.notice.text
    assert window.document.stack.count() == 0


def test_signals_and_slots_come_and_go_by_keys(window: MainWindow) -> None:
    do = window.actions_list.named
    do("Add a signal").trigger()
    project = window.document.workspace.project
    assert project.signals[-1].name == "Signal 1"
    assert project.chains[0].slots[-1].signal == "Signal 1"
    assert window.document.stack.count() == 1
    assert field(window, "name").widget.hasFocus()
    type_text(field(window, "name").widget, "Lid")
    assert window.chain_page.selection.signal in {
        "Lid",
        window.document.workspace.project.signals[0].name,
    }
    window.chain_page.select(Selection("ADC 1", 4, "Lid", "sample"))
    do("Move the slot earlier").trigger()
    assert window.document.workspace.project.chains[0].places_of("Lid") == (3,)
    do("Add a slot for this signal").trigger()
    assert len(window.document.workspace.project.chains[0].places_of("Lid")) == 2
    do("Remove the slot").trigger()
    do("Remove the signal").trigger()
    assert "Lid" not in [signal.name for signal in window.document.workspace.project.signals]
    while window.document.stack.canUndo():
        window.document.stack.undo()
    assert len(window.document.workspace.project.signals) == 5


def test_a_running_board_draws_captured_on_expected(window: MainWindow, wait: Wait) -> None:
    before = window.chain_page.rows.grab().toImage()
    window.header.run_button.click()
    wait(lambda: window.board.latest.seconds > 0.6)
    pictures = window.board.latest.pictures
    assert pictures["Coil current"].in_band is True
    assert pictures["Door latch"].in_band is False
    assert len(pictures["Coil current"].low_v) == window.chain_page.rows.stream_columns
    assert window.header.run_button.text() == "Stop"
    assert window.chain_page.rows.grab().toImage() != before
    window.document.edit(CURE)
    wait(
        lambda: (
            window.board.latest.build_id == window.document.workspace.build_id
            and window.board.latest.seconds > 0.3
        )
    )
    wait(lambda: window.board.latest.pictures["Door latch"].in_band is True)
    window.header.run_button.click()
    wait(lambda: window.board.latest.state == "idle")


def test_a_knob_turned_while_the_board_runs_moves_the_reading(
    window: MainWindow, wait: Wait
) -> None:
    window.board.start()
    wait(lambda: window.board.latest.seconds > 0.3)
    window.chain_page.select(Selection("ADC 1", 3, "3.3 V rail", "front end"))
    type_text(field(window, "voltage").widget, "1 V")
    wait(lambda: abs(window.board.latest.pictures["3.3 V rail"].reading_v - 2.0) < 0.01)
    assert window.board.latest.mark_matches is True


def test_nothing_is_drawn_outside_the_window_at_any_size(window: MainWindow) -> None:
    for width, height in ((1024, 700), (1280, 800), (1600, 1000)):
        window.resize(width, height)
        QApplication.processEvents()
        layout = window.chain_page.rows.layout_now
        assert layout is not None
        assert layout.columns[-1] <= window.chain_page.rows.width()
        for row in layout.rows:
            assert layout.cell(row, 6).width() >= 160
        assert window.chain_page.lens.height() >= window.chain_page.lens.minimumSizeHint().height()


def test_designs_at_the_edge_can_be_shown(window: MainWindow) -> None:
    for edit in (
        SetPeriod("ADC 1", Fraction(1, 10**6)),
        SetPeriod("ADC 1", Fraction(40)),
        SetBufferLength("ADC 1", 65535),
        SetBufferLength("ADC 1", 2),
    ):
        window.document.edit(edit)
        assert not window.grab().isNull()


def test_nothing_beside_the_rows_is_cut_off(window: MainWindow) -> None:
    window.resize(1280, 800)
    page = window.chain_page
    QApplication.processEvents()
    assert page.findings.cards
    for card in page.findings.cards:
        for asks in (False, True):
            if asks:
                card.asks.click()
            QApplication.processEvents()
            for part in (card, card.asks, card.numbers, card.accept, card.why):
                right = part.mapTo(page, part.rect().topRight()).x()
                assert part.isHidden() or right < page.width()
