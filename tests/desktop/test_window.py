from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QApplication, QPushButton

from tests.conftest import CURE
from tests.desktop.conftest import Wait, click, drag, press
from wattigram.core.capture.session import BoardProcess
from wattigram.core.capture.take import open_take
from wattigram.core.contract.board_config import EffectiveConfig
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import load_project
from wattigram.core.model.design.edits import SetSampling, SetWiring, apply_edit
from wattigram.core.silicon.deploy import effective_config
from wattigram.desktop.pages.page_stack import CHAIN, PROOF, STREAMS
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.jobs import Job
from wattigram.desktop.state.selection import Selection
from wattigram.desktop.theme import theme

OpenWindow = Callable[[Path], MainWindow]


def answer(window: MainWindow, text: str) -> None:
    button = next(
        button for button in window.notice.findChildren(QPushButton) if button.text() == text
    )
    button.click()


def test_the_whole_loop_from_proof_to_cure(window: MainWindow, wait: Wait) -> None:
    window.header.proof.click()
    wait(lambda: window.proving.latest is not None)
    page = window.proof_page
    assert window.stack.currentIndex() == PROOF
    assert [row.verdict.outcome for row in page.rows].count("fails") == 1
    assert page.rows[page.current].verdict.kind == "square"
    assert "1 fails" in window.header.proof.text()
    assert not page.view.grab().isNull()
    assert len(page.causes) == 1
    page.focus_cause()
    press(page.causes[0], Qt.Key.Key_Return)
    wait(lambda: window.proving.latest is not None and window.proving.latest.proof.all_hold)
    assert window.document.stack.undoText() == CURE.label
    assert "✓ 8 hold" in window.header.proof.text()
    assert page.causes == []
    turned = [row for row in page.rows if "before" in row.said]
    assert [row.said for row in turned] == ["holds (before: fails)"]
    assert "before: fails, 0." in turned[0].toolTip()
    assert "1 changed since the last proof" in page.summary.text()
    assert [path.name for path in sorted(window.proving.folder.glob("*.h5"))] == [
        "take 1.h5",
        "take 2.h5",
    ]


def test_verdicts_are_walked_through_by_keys(window: MainWindow, wait: Wait) -> None:
    window.proving.record_and_prove()
    wait(lambda: window.proving.latest is not None)
    page = window.proof_page
    page.choose(0)
    for number in range(1, 8):
        press(page.rows[page.current], Qt.Key.Key_Down)
        assert page.current == number
        assert page.rows[number].hasFocus()
        assert not page.view.grab().isNull()
    click(page.rows[2], QPointF(20, 20))
    assert page.current == 2
    page.copy_text()
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert "fails\tDoor latch steps" in clipboard.text()


def test_a_report_is_written(window: MainWindow, wait: Wait, tmp_path: Path) -> None:
    window.proving.write_report(tmp_path / "r.html")
    assert "no proof to report yet" in window.notice.text
    window.proving.record_and_prove()
    wait(lambda: window.proving.latest is not None)
    window.proving.write_report(tmp_path / "r.html")
    wait(lambda: "The report is in" in window.notice.text)
    assert "</html>" in (tmp_path / "r.html").read_text()


def test_recording_makes_a_take_that_is_judged(window: MainWindow, wait: Wait) -> None:
    window.header.record_button.click()
    wait(lambda: window.board.latest.recording is not None and window.board.latest.seconds > 1.2)
    assert window.header.record_button.text().startswith("Stop recording")
    window.header.record_button.click()
    wait(lambda: window.proving.latest is not None)
    assert window.proving.latest is not None
    assert window.proving.latest.take.name == "take 1.h5"
    assert window.proving.latest.proof.count("fails") == 1


def test_a_take_is_looked_at_from_whole_to_single_samples(
    window: MainWindow, wait: Wait, tmp_path: Path
) -> None:
    window.proving.record_and_prove()
    wait(lambda: window.proving.latest is not None)
    window.show_page(STREAMS)
    wait(lambda: window.streams_page.data is not None)
    plot = window.streams_page.plot
    assert len(plot.traces) == 5
    assert plot.view == (0.0, 10.0)
    plot.setFocus()
    for _ in range(30):
        press(plot, Qt.Key.Key_Plus)
    assert plot.view[1] - plot.view[0] == pytest.approx(8e-4, rel=0.01)
    begin = plot.view[0]
    lane = plot.axes(0).rect
    drag(
        plot,
        lane.center(),
        QPointF(lane.center().x() + 100, lane.center().y()),
        QPointF(lane.center().x() + 200, lane.center().y()),
    )
    assert plot.view[0] < begin
    plot.set_view(0.4999, 0.5009)
    plot.cursor_s = 0.5005
    plot.cursor_moved.emit(0.5005)
    assert "Coil current" in window.streams_page.values.text()
    assert "0x" in window.streams_page.values.text()
    click(plot, lane.center())
    assert plot.mark_s == pytest.approx(0.5004, abs=1e-5)
    assert not plot.grab().isNull()
    press(plot, Qt.Key.Key_Home)
    assert plot.view == (0.0, 10.0)
    click(plot, QPointF(plot._strip().center().x(), plot._strip().center().y()))
    item = window.streams_page.signals.item(0)
    assert item is not None
    item.setCheckState(Qt.CheckState.Unchecked)
    assert len(plot.traces) == 4
    window.proving.export(window.proving.latest.take, tmp_path / "t.csv")  # type: ignore[union-attr]
    wait(lambda: "rows are in" in window.notice.text)
    assert (tmp_path / "t.csv").exists()


def test_a_damaged_take_is_a_sentence(window: MainWindow, wait: Wait, tmp_path: Path) -> None:
    bad = tmp_path / "bad.h5"
    bad.write_text("none")
    window.take_actions.show(bad)
    wait(lambda: "no HDF5 file" in window.notice.text)
    assert window.streams_page.data is None


def test_saving_clears_the_mark_of_change(window: MainWindow, project: Path) -> None:
    window.document.edit(CURE)
    assert window.header.title.text() == "studio-kiln •"
    window.actions_list.named("Save").trigger()
    assert window.header.title.text() == "studio-kiln"
    assert load_project(project).chains[0].slots[2].sampling_cycles == 384


def test_a_file_that_cannot_be_written_is_a_sentence(window: MainWindow, tmp_path: Path) -> None:
    window.document.edit(CURE)
    window.files.save_to(tmp_path / "none" / "x.wattigram.toml")
    assert "cannot be written" in window.notice.text
    assert not window.document.is_clean


def test_opening_asks_about_unsaved_work_without_a_dialog(
    window: MainWindow, project: Path, tmp_path: Path
) -> None:
    other = tmp_path / "other.wattigram.toml"
    other.write_text(project.read_text().replace('name = "studio-kiln"', 'name = "other"', 1))
    window.document.edit(CURE)
    window.files.open(other)
    assert window.document.workspace.project.name == "studio-kiln"
    answer(window, "Save, then open")
    assert window.document.workspace.project.name == "other"
    assert load_project(project).chains[0].slots[2].sampling_cycles == 384
    assert window.settings.recent[0] == other


def test_a_wrong_project_leaves_the_present_one(window: MainWindow, tmp_path: Path) -> None:
    bad = tmp_path / "bad.wattigram.toml"
    bad.write_text("format = 1")
    window.files.open(bad)
    assert "The present project stays open" in window.notice.text
    assert window.document.workspace.project.name == "studio-kiln"


def test_unsaved_work_is_offered_again(open_window: OpenWindow, project: Path) -> None:
    first = open_window(project)
    first.document.edit(CURE)
    first.close()
    again = open_window(project)
    assert "changes that were not saved" in again.notice.text
    assert again.document.workspace.project.chains[0].slots[2].sampling_cycles == 32
    answer(again, "Recover them")
    assert again.document.workspace.project.chains[0].slots[2].sampling_cycles == 384
    assert not again.document.is_clean
    again.files.save()
    assert load_project(project).chains[0].slots[2].sampling_cycles == 384
    again.close()
    assert "not saved" not in open_window(project).notice.text


def test_autosave_writes_by_itself(window: MainWindow, wait: Wait) -> None:
    window.document._autosave.setInterval(20)
    window.document.edit(CURE)
    copy = window.document._recovery
    wait(lambda: copy.exists)
    window.document.stack.undo()
    wait(lambda: not copy.exists)


def test_size_page_and_theme_are_remembered(open_window: OpenWindow, project: Path) -> None:
    first = open_window(project)
    first.resize(1111, 777)
    first.show_page(PROOF)
    first.dress.use("dark")
    first.close()
    again = open_window(project)
    assert (again.width(), again.height()) == (1111, 777)
    assert again.stack.currentIndex() == PROOF
    assert theme().name == "dark"
    again.dress.use("light")


@pytest.mark.parametrize("page", [CHAIN, STREAMS, PROOF])
def test_both_themes_and_large_text_paint(window: MainWindow, page: int) -> None:
    window.show_page(page)
    light = window.grab().toImage()
    window.dress.toggle()
    assert window.grab().toImage() != light
    for _ in range(4):
        window.dress.scale_text(1)
    assert not window.grab().isNull()
    window.dress.toggle()


def test_the_palette_finds_and_does(window: MainWindow) -> None:
    window.open_palette()
    box = window.palette_box
    box.entry.setText("go to streams")
    assert box.list.count() == 1
    press(box.entry, Qt.Key.Key_Return)
    assert window.stack.currentIndex() == STREAMS
    window.open_palette()
    press(box.entry, Qt.Key.Key_Down)
    assert box.list.currentRow() == 1
    press(box.entry, Qt.Key.Key_Escape)
    assert not box.isVisible()


def test_every_action_has_a_name_and_no_keys_twice(window: MainWindow) -> None:
    actions = window.actions_list.every()
    assert all(action.text() for action in actions)
    keys = [action.shortcut().toString() for action in actions if action.shortcut().toString()]
    assert len(keys) == len(set(keys))


def other_config(window: MainWindow) -> EffectiveConfig:
    return effective_config(apply_edit(window.document.workspace, SetSampling("ADC 1", 0, 64)))


def test_a_board_with_another_build_is_said_in_the_header(window: MainWindow, wait: Wait) -> None:
    with BoardProcess(other_config(window)) as board:
        window.board_choice.use(board.address)
        window.board.start()
        wait(lambda: window.board.latest.mark_matches is False)
        assert window.header.board.text().startswith("✕ Board has build")
        window.board_choice.use("virtual")


def test_a_board_that_is_not_there_is_a_sentence(window: MainWindow, wait: Wait) -> None:
    window.board_choice.use("tcp:127.0.0.1:1")
    window.board.start()
    wait(lambda: "Nobody answers" in window.notice.text)
    assert not window.board.is_running
    assert window.header.run_button.text() == "Run"


def test_cancelling_a_proof_shows_nothing(window: MainWindow, wait: Wait) -> None:
    window.proving.record_and_prove()
    (job,) = window.findChildren(Job)
    job.cancel()
    wait(lambda: not window.findChildren(Job))
    assert window.proving.latest is None


def test_an_empty_project_can_be_filled(
    open_window: OpenWindow, tmp_path: Path, wait: Wait
) -> None:
    path = tmp_path / "empty.wattigram.toml"
    path.write_text(
        'format = "wattigram-project"\nversion = 2\nname = "empty"\npart = "marten-m3"\nreference = "supply"\n'
    )
    window = open_window(path)
    assert not window.grab().isNull()
    window.board.start()
    wait(lambda: "Nothing in this project runs" in window.notice.text)
    for _ in range(2):
        window.actions_list.named("Add a signal").trigger()
    project = window.document.workspace.project
    assert [slot.signal for slot in project.chains[0].slots] == ["Signal 1", "Signal 2"]
    window.document.edit(
        SetWiring(Wiring(pin="A0", source_resistance_ohm=100.0, source=DcSource(voltage_v=1.0)))
    )
    window.board.start()
    wait(lambda: window.board.latest.seconds > 0.3)
    assert window.board.latest.pictures["Signal 1"].in_band is True


def test_expectations_come_from_the_bench_and_go_again(window: MainWindow, wait: Wait) -> None:
    window.chain_page.select(Selection("ADC 1", 2, "Door latch", "sample"))
    before = window.document.workspace.project.expectations
    window.actions_list.named("Derive expectations from the bench").trigger()
    after = window.document.workspace.project.expectations
    assert [item.kind for item in after[len(before) :]] == ["rate"]
    assert window.document.stack.count() == 1
    window.actions_list.named("Derive expectations from the bench").trigger()
    assert "Nothing more can be expected" in window.notice.text
    window.actions_list.named("Remove the chosen expectation").trigger()
    assert "No expectation is chosen" in window.notice.text
    window.proving.record_and_prove()
    wait(lambda: window.proving.latest is not None)
    window.proof_page.choose(3)
    first = window.proving.latest
    window.actions_list.named("Remove the chosen expectation").trigger()
    wait(lambda: window.proving.latest is not first)
    assert window.proving.latest is not None
    assert window.proving.latest.proof.all_hold
    assert "square" not in [row.verdict.kind for row in window.proof_page.rows]


def test_a_board_that_dies_is_a_sentence_and_can_be_run_again(
    window: MainWindow, wait: Wait, tmp_path: Path
) -> None:
    window.toggle_record()
    wait(lambda: window.board.latest.recording is not None and window.board.latest.seconds > 0.8)
    take = window.board.latest.recording
    session = window.board._session
    assert session is not None
    assert session._board is not None
    session._board._process.kill()
    wait(lambda: "is gone" in window.notice.text)
    assert not window.board.is_running
    assert take is not None
    with open_take(take) as opened:
        assert opened.seconds > 0.3
        assert not opened.complete
    window.board.start()
    wait(lambda: window.board.latest.state == "running" and window.board.latest.seconds > 0.2)


def test_many_edits_while_running_end_with_the_last_design(window: MainWindow, wait: Wait) -> None:
    window.board.start()
    wait(lambda: window.board.latest.seconds > 0.2)
    for cycles in (3, 8, 16, 64, 128, 384):
        window.document.edit(SetSampling("ADC 1", 2, cycles, "Door latch"))
    wait(lambda: window.board.latest.build_id == window.document.workspace.build_id)
    wait(
        lambda: (
            window.board.latest.seconds > 0.2
            and window.board.latest.pictures["Door latch"].in_band is True
        )
    )
    window.document.stack.undo()
    wait(lambda: window.board.latest.build_id == window.document.workspace.build_id)


def test_a_design_that_moves_away_from_a_real_board_is_noticed(
    window: MainWindow, wait: Wait
) -> None:
    with BoardProcess(effective_config(window.document.workspace)) as board:
        window.board_choice.use(board.address)
        window.board.start()
        wait(lambda: window.board.latest.mark_matches is True and window.board.latest.seconds > 0.1)
        window.document.edit(CURE)
        wait(lambda: window.board.latest.mark_matches is False)
        assert window.header.board.text().startswith("✕ Board has build")
        window.document.stack.undo()
        wait(lambda: window.board.latest.mark_matches is True)
        window.board_choice.use("virtual")
