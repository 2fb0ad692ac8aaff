"""The window in which a part is described: typed from its sheet, fields confirmed, saved, designed on."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6 import sip
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QLabel
from pytestqt.qtbot import QtBot

from tests.core.model.part.sheet.heron import FACTS, heron_draft
from tests.desktop.conftest import click, press, type_text
from tests.paths import CASES
from wattigram.core.model.part import load_part
from wattigram.core.model.part.sheet.draft import blank_draft
from wattigram.core.model.part.sheet.sentences import chapter, fact_steps, lists_of
from wattigram.desktop.shell.part_window import PartWindow
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.widgets.part.contents import STATE

SVD = CASES / "parts" / "heron-h5.svd"
Opener = Callable[..., PartWindow]


@pytest.fixture
def open_sheet(qtbot: QtBot) -> Iterator[Opener]:
    windows: list[PartWindow] = []

    def open_(draft: object = None, path: Path | None = None) -> PartWindow:
        window = PartWindow(draft or blank_draft("Heron H5"), path)  # type: ignore[arg-type]
        windows.append(window)
        window.show()
        qtbot.waitExposed(window)
        QApplication.processEvents()
        return window

    yield open_
    for window in windows:
        if not sip.isdeleted(window):
            window._discards = True
            window.close()
    QApplication.processEvents()


def _say(window: PartWindow, steps: tuple[str | int, ...], text: str) -> None:
    field = window.sheet.field(steps)
    if field is None:  # a sentence that a sheet need not have
        for offer in window.sheet.offers:
            offer.click()
        field = window.sheet.field(steps)
    assert field is not None, steps
    field.setFocus()
    field.selectAll()
    field.insert(text)  # keys of tests know no Ω
    press(field, Qt.Key.Key_Return)


def test_a_part_is_typed_from_its_sheet(open_sheet: Opener, tmp_path: Path) -> None:
    window = open_sheet()
    for identifier, things in FACTS:
        one = chapter(identifier)
        window.contents.choose(identifier)
        for number, facts in enumerate(things):
            place = lists_of(window.document.draft, one)[0]
            if one.many:
                window.sheet.adders[0].click()
            item = (*place, number) if one.many else place
            for key, text in facts.items():
                _say(window, fact_steps(item, key), text)
    assert window.contents.uses["design"].text() == "✓ design"
    assert window.contents.uses["proof"].text() == "✓ proof"
    assert window.contents.uses["C"].text().startswith("✕ C")
    assert window.document.draft.part() == heron_draft().part()
    assert window.document.save(tmp_path / "heron.toml")
    assert load_part(tmp_path / "heron.toml").name == "Heron H5"
    steps = window.document.stack.count()
    assert steps > 90
    for _ in range(steps):
        window.document.stack.undo()
    assert window.document.draft.values == blank_draft("Heron H5").values


def test_what_is_no_fact_stays_in_its_field_and_is_said(open_sheet: Opener) -> None:
    window = open_sheet(heron_draft())
    window.contents.choose("converters")
    field = window.sheet.field(("converters", 0, "clock_low"))
    assert field is not None
    type_text(field, "quick")
    assert field.text() == "quick"
    assert field.property("wrong")
    sentence = next(one for one in window.sheet.sentences if field in one.fields)
    assert sentence.wrong.isVisible()
    assert "quick" in sentence.wrong.text()
    assert window.document.draft.get(("converters", 0, "clock_low")) == "0.2 MHz"
    press(field, Qt.Key.Key_Escape)
    assert field.text() == "0.2 MHz"
    assert not sentence.wrong.isVisible()
    type_text(field, "0.3 MHz")
    assert window.document.draft.get(("converters", 0, "clock_low")) == "0.3 MHz"
    window.document.stack.undo()
    assert field.text() == "0.2 MHz"


def test_sampling_times_may_be_typed_as_times(open_sheet: Opener) -> None:
    window = open_sheet(heron_draft())
    window.contents.choose("converters")
    field = window.sheet.field(("converters", 0, "sampling_cycles"))
    assert field is not None
    type_text(field, "500 ns, 2 us")
    assert window.document.draft.get(("converters", 0, "sampling_cycles")) == [5, 20]
    assert field.text() == "5, 20"


def test_choices_are_offered(open_sheet: Opener) -> None:
    window = open_sheet(heron_draft())
    window.contents.choose("converters")
    field = window.sheet.field(("converters", 0, "triggers"))
    assert field is not None
    press(field, Qt.Key.Key_Down)
    texts = {action.text(): action for action in field.menu_shown.actions()}
    assert texts["a timer"].isChecked()
    assert not texts["a threshold in hardware"].isChecked()
    texts["a timer"].trigger()
    assert window.document.draft.get(("converters", 0, "triggers")) == [
        "software",
        "free-running",
        "edge",
        "comparator",
    ]
    one = window.sheet.field(("converters", 0, "needs_calibration"))
    assert one is not None
    click(one, QPoint(6, 6))
    next(a for a in one.menu_shown.actions() if a.text() == "needs no calibration").trigger()
    assert window.document.draft.get(("converters", 0, "needs_calibration")) is False


def test_what_is_missing_leads_to_its_field(open_sheet: Opener) -> None:
    window = open_sheet(heron_draft().with_value(("dacs", 0, "settling"), None))
    states = {
        item.text(): item.data(STATE)
        for number in range(window.contents.chapters.count())
        if (item := window.contents.chapters.item(number)) is not None
    }
    assert states["DACs"] == "1 missing"
    assert states["Pins"] == "✓"
    assert states["Channels inside"] == "none"
    window.contents.uses["design"].click()
    assert window.contents.why.text() == "DAC 1: settling"
    field = window.sheet.field(("dacs", 0, "settling"))
    assert field is not None
    assert field.hasFocus() or window.focusWidget() is field
    type_text(field, "4 us")
    assert window.contents.uses["design"].text() == "✓ design"


def test_focus_stays_where_it_is_while_all_around_is_built_anew(open_sheet: Opener) -> None:
    window = open_sheet(heron_draft())
    window.contents.choose("dacs")
    field = window.sheet.field(("dacs", 0, "bits"))
    assert field is not None
    field.setFocus()
    window.document.edit("x", window.document.draft.with_item(("dacs",), {"name": "Other"}))
    again = window.sheet.field(("dacs", 0, "bits"))
    assert again is not None
    assert window.focusWidget() is again


def test_a_page_is_noted(open_sheet: Opener) -> None:
    window = open_sheet(heron_draft())
    window.contents.choose("converters")
    sentence = window.sheet.sentences[0]
    sentence._page.click()
    type_text(sentence._note, "page 12")
    assert window.document.draft.note(("converters", 0, "name")) == "page 12"
    assert sentence._page.text() == "sheet, page 12"


def test_a_table_of_pins_is_pasted(open_sheet: Opener) -> None:
    window = open_sheet(blank_draft("X").with_item(("converters",), {"name": "ADC"}))
    window.contents.choose("pins")
    assert window.table_area.isVisible()
    window.table.setPlainText("words without pins")
    assert not window.take_table.isEnabled()
    assert "No line of it has a pin" in window.table_told.text()
    window.table.setPlainText("A0\tIN3\tport A, lamp\nA1\tIN4\tport A")
    assert window.table_told.text().startswith(
        "2 pins, 2 with a channel, 1 port. Not used: A0: lamp"
    )
    window.take_table.click()
    draft = window.document.draft
    assert draft.get(("pins",)) == ["A0", "A1"]
    assert draft.get(("converters", 0, "channels")) == {"A0": 3, "A1": 4}
    assert window.sheet.field(("pins",)).text() == "A0, A1"  # type: ignore[union-attr]


def test_fields_are_confirmed_one_by_one_and_taken_back(open_sheet: Opener) -> None:
    window = open_sheet(heron_draft())
    panel = window.registers
    window.read_description(SVD)
    window.contents.choose("timers")
    assert panel.owner.currentText() == "TICK0"
    asked = []
    while panel.confirm is not None and panel.take_sure.isEnabled():
        asked.append(panel.take_sure.text())
        press(panel.confirm, Qt.Key.Key_Return)
    assert asked[0] == "Confirm the 3 unambiguous fields"
    block = window.document.draft.items(("blocks",))[0]
    assert block["owners"] == ["TICK0"]
    fields = {one["sets"]: one for register in block["registers"] for one in register["fields"]}
    assert set(fields) == {"prescaler", "period", "run"}
    assert fields["prescaler"]["coded"] == "shift"
    panel._give_back("run")
    assert "run" not in str(window.document.draft.items(("blocks",))[0])
    window.document.stack.undo()
    assert "run" in str(window.document.draft.items(("blocks",))[0])


def test_all_that_stands_alone_is_taken_as_one_step(open_sheet: Opener) -> None:
    window = open_sheet(heron_draft())
    before = window.document.uses[2].missing
    window.read_description(SVD)
    window.take_all_sure()
    assert window.document.stack.count() == 1
    assert window.document.uses[2].missing != before
    window.document.draft.part()
    window.document.stack.undo()
    assert window.document.draft.values == heron_draft().values


def test_another_field_is_chosen_by_its_name_and_a_setting_left_out(open_sheet: Opener) -> None:
    window = open_sheet(heron_draft())
    panel = window.registers
    window.read_description(SVD)
    window.contents.choose("dacs")
    panel._ask("twice")
    panel.other.setText("CTL · BUF")
    press(panel.other, Qt.Key.Key_Return)
    assert "twice" in str(window.document.draft.items(("blocks",)))
    panel._ask("data")
    panel._skip("VOUT", "data")
    assert panel._setting == ""


def test_a_file_that_is_no_description_is_said(open_sheet: Opener, tmp_path: Path) -> None:
    window = open_sheet(heron_draft())
    (tmp_path / "x.svd").write_text("<no>")
    window.read_description(tmp_path / "x.svd")
    assert window.notice.isVisible()
    assert "no sound XML" in window.notice.text


def test_what_the_converter_means_is_drawn_and_said(open_sheet: Opener) -> None:
    window = open_sheet(heron_draft())
    window.contents.choose("converters")
    assert window.drawn.isVisibleTo(window)
    # 11 clocks at 64 MHz / 12, into 8 pF for 11 · ln 2 time constants, less the switch's 2.5 kΩ.
    assert window.meaning.lines[3] == "11 clk: 2.06 µs, 31.3 kΩ for ½ LSB, 240 kS/s"
    window.contents.choose("dma")
    assert not window.drawn.isVisibleTo(window)


def test_unsaved_work_is_asked_about(open_sheet: Opener, tmp_path: Path) -> None:
    path = tmp_path / "heron.toml"
    window = open_sheet(heron_draft().save(path), path)
    window.contents.choose("converters")
    field = window.sheet.field(("converters", 0, "noise"))
    assert field is not None
    type_text(field, "0.6 LSB")
    assert " •" in window.windowTitle()
    window.close()
    assert window.isVisible()
    assert "not saved" in window.notice.text
    window._save_and_close()
    assert not window.isVisible()
    assert load_part(path).converters[0].noise_lsb == 0.6


def test_designs_are_tried_on_it(qtbot: QtBot, window: MainWindow) -> None:
    window.parts.describe_like("osprey-x2")
    sheet = window.parts.windows[-1]
    assert isinstance(sheet, PartWindow)
    rows = {
        item.text(): item.data(STATE)
        for number in range(sheet.contents.tried.count())
        if (item := sheet.contents.tried.item(number)) is not None
    }
    assert rows["✓ wheel-pedal"].endswith("changes")
    sheet._discards = True
    sheet.close()


def test_a_project_is_begun_on_a_part_that_was_just_described(
    window: MainWindow, tmp_path: Path
) -> None:
    path = tmp_path / "heron.toml"
    heron_draft().save(path)
    window.parts.open(path)
    sheet = window.parts.windows[-1]
    assert isinstance(sheet, PartWindow)
    sheet.begin.click()
    assert window.document.workspace.part.name == "Heron H5"
    assert window.document.workspace.project.part == "heron.toml"
    sheet.close()


def test_a_change_of_the_projects_own_part_is_taken_over(
    window: MainWindow, tmp_path: Path
) -> None:
    path = tmp_path / "heron.toml"
    heron_draft().save(path)
    window.files.new_on_file(path)
    window.document.save(tmp_path / "on-heron.wattigram.toml")
    window.header.part_wanted.emit()
    sheet = window.parts.windows[-1]
    assert isinstance(sheet, PartWindow)
    assert sheet.document.path == path
    sheet.contents.choose("converters")
    field = sheet.sheet.field(("converters", 0, "noise"))
    assert field is not None
    type_text(field, "0.9 LSB")
    sheet.save()
    assert not window.notice.isVisible(), window.notice.text
    assert window.document.workspace.part.converters[0].noise_lsb == 0.9
    window.document.stack.undo()
    assert window.document.workspace.part.converters[0].noise_lsb == 0.4
    sheet.close()


def test_a_project_is_put_on_another_part_and_back(window: MainWindow) -> None:
    before = window.document.workspace
    window.parts.change_to("osprey-x2")
    dialog = window.parts.dialog
    assert dialog is not None
    assert dialog.make.isEnabled()
    told = {
        (dialog.table.item(row, 0).text(), dialog.table.item(row, 1).text())  # type: ignore[union-attr]
        for row in range(dialog.table.rowCount())
    }
    assert any(what.endswith("clock") for what, _ in told)
    dialog.make.click()
    assert window.document.workspace.part.name == "Osprey X2"
    assert window.document.workspace.project.part == "osprey-x2"
    window.document.stack.undo()
    assert window.document.workspace.project == before.project
    assert window.document.workspace.part == before.part


def test_what_another_part_cannot_hold_is_told_and_nothing_changed(window: MainWindow) -> None:
    window.parts.change_to("quill-q8")
    dialog = window.parts.dialog
    assert dialog is not None
    assert not dialog.make.isEnabled()
    assert "is not to be had on Quill Q8" in dialog.faults.text()
    dialog.reject()
    assert window.document.workspace.part.name == "Marten M3"


def test_a_candidate_is_chosen_before_the_change(window: MainWindow, tmp_path: Path) -> None:
    path = tmp_path / "heron.toml"
    heron_draft().save(path)
    window.parts.change_to(str(path))
    dialog = window.parts.dialog
    assert dialog is not None
    key = next(key for key in dialog.boxes if key[0] == "pin")
    box = dialog.boxes[key]
    box.setCurrentIndex(box.count() - 1)
    wanted = box.currentText()
    box.activated.emit(box.count() - 1)
    assert dialog.boxes[key].currentText() == wanted
    assert isinstance(dialog.told, QLabel)


def test_a_file_with_a_table_of_pins_is_dropped(open_sheet: Opener, tmp_path: Path) -> None:
    window = open_sheet(blank_draft("X").with_item(("converters",), {"name": "ADC"}))
    (tmp_path / "pins.csv").write_text("pin,analog\nPA0,IN0\nPA1,IN1\n")
    window.read_table(tmp_path / "pins.csv")
    assert window.table_told.text() == "2 pins, 2 with a channel."
    window.take_table.click()
    assert window.document.draft.get(("pins",)) == ["PA0", "PA1"]
    window.read_table(tmp_path / "none.csv")
    assert "cannot be read" in window.notice.text


def test_keys_go_from_chapter_to_chapter(open_sheet: Opener) -> None:
    window = open_sheet(heron_draft())
    window.contents.choose("core")
    for _ in range(3):
        window.contents.step(1)
    assert window.sheet.fields[0].chapter.id == "converters"
    window.contents.step(-1)
    assert window.sheet.fields[0].chapter.id == "references"
