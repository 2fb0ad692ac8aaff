"""Unsaved work, files that others change, faults of the program itself, and the end of a window
while it records."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6 import sip
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from tests.conftest import CURE
from tests.desktop.conftest import Wait
from wattigram.core.capture.take import open_take
from wattigram.core.model.design import load_project
from wattigram.core.model.design.edits import SetSampling
from wattigram.core.model.part import copy_part
from wattigram.desktop.controllers.files import SETTLE_MS
from wattigram.desktop.pages.page_stack import COMPARE
from wattigram.desktop.shell.fault_hook import FaultHook
from wattigram.desktop.shell.window import MainWindow
from wattigram.desktop.state.recovery import abandoned

OTHER = SetSampling("ADC 1", 0, 64)
OpenWindow = Callable[[Path], MainWindow]


def answers(window: MainWindow) -> list[str]:
    return [
        button.text()
        for button in window.notice.findChildren(QPushButton)
        if button.isVisibleTo(window)
    ]


def answer(window: MainWindow, text: str) -> None:
    next(
        button for button in window.notice.findChildren(QPushButton) if button.text() == text
    ).click()


def sampling(window: MainWindow) -> int:
    return window.document.workspace.project.chains[0].slots[2].sampling_cycles


def state_of(project: Path) -> Path:
    return project.parent / "config"


def running(code: str, project: Path) -> subprocess.Popen[str]:
    """A program with a window of its own, off the screen, with the same folder of state."""
    environment = {
        **os.environ,
        "WATTIGRAM_STATE": str(state_of(project)),
        "WATTIGRAM_CONFIG": str(state_of(project)),
        "QT_QPA_PLATFORM": "offscreen",
    }
    return subprocess.Popen(
        [sys.executable, "-c", code, str(project)],
        stdout=subprocess.PIPE,
        env=environment,
        text=True,
    )


# Copies of unsaved work


def test_a_second_window_leaves_the_living_work_of_the_first_alone(
    open_window: OpenWindow, project: Path
) -> None:
    first = open_window(project)
    first.document.edit(CURE)
    first.document.flush_recovery()
    second = open_window(project)
    assert "not saved" not in second.notice.text
    second.document.edit(OTHER)
    second.document.flush_recovery()
    first.close()
    second.close()
    assert len(abandoned(state_of(project))) == 2


def test_an_offer_stays_until_it_is_answered(open_window: OpenWindow, project: Path) -> None:
    first = open_window(project)
    first.document.edit(CURE)
    first.close()
    second = open_window(project)  # does not answer, and works on
    assert "changes that were not saved" in second.notice.text
    second.document.edit(OTHER)
    second.document.flush_recovery()
    second.close()
    third = open_window(project)
    assert len(abandoned(state_of(project))) == 2
    answer(third, "Recover them")
    assert third.document.workspace.project.chains[0].slots[0].sampling_cycles == 64
    assert sampling(third) == 32
    third.files.offer_next()
    assert "changes that were not saved" in third.notice.text


def test_a_killed_process_leaves_its_work(open_window: OpenWindow, project: Path) -> None:
    code = (
        "import sys, os\n"
        "from pathlib import Path\n"
        "from wattigram.desktop.shell.app import make_app, make_window\n"
        "from wattigram.core.model.design.edits import SetSampling\n"
        "app = make_app(); threshold = make_window(app, Path(sys.argv[1]))\n"
        "threshold.document.edit(SetSampling('ADC 1', 2, 384)); threshold.document.flush_recovery()\n"
        "print('ready', flush=True); app.exec()\n"
    )
    with running(code, project) as process:
        assert process.stdout is not None
        assert process.stdout.readline() == "ready\n"
        beside = open_window(project)
        assert "not saved" not in beside.notice.text
        beside.close()
        process.kill()
    window = open_window(project)
    answer(window, "Recover them")
    assert sampling(window) == 384
    assert window.document.path == project


# Files that other programs change


def change(project: Path) -> None:
    text = project.read_text()
    assert 'name = "studio-kiln"' in text
    project.write_text(text.replace('name = "studio-kiln"', 'name = "changed elsewhere"'))


@pytest.mark.parametrize("seen", ["by-watching", "by-saving"])
def test_another_programs_change_is_asked_about(
    window: MainWindow, project: Path, wait: Wait, seen: str
) -> None:
    window.document.edit(CURE)
    change(project)
    if seen == "by-saving":
        window.files.save()
    wait(lambda: "Another program has changed" in window.notice.text)
    assert [text for text in answers(window) if text != "✕"] == ["Compare", "Reload", "Keep mine"]
    assert load_project(project).name == "changed elsewhere"
    assert sampling(window) == 384


def test_reload_is_a_step_that_can_be_taken_back(
    window: MainWindow, project: Path, wait: Wait
) -> None:
    window.document.edit(CURE)
    change(project)
    wait(lambda: "Another program has changed" in window.notice.text)
    answer(window, "Reload")
    assert (window.document.workspace.project.name, sampling(window)) == ("changed elsewhere", 32)
    assert window.document.is_clean
    window.document.stack.undo()
    assert (window.document.workspace.project.name, sampling(window)) == ("studio-kiln", 384)
    assert not window.document.is_clean


def test_a_window_that_is_gone_looks_at_its_file_no_more(
    open_window: OpenWindow, project: Path, qtbot: QtBot, wait: Wait
) -> None:
    window = open_window(project)
    change(project)
    settling = window.files.findChild(QTimer)
    wait(settling.isActive)
    window.close()
    sip.delete(window)
    qtbot.wait(2 * SETTLE_MS)  # what is raised meanwhile fails the test


def test_ones_own_is_kept_when_that_is_said(window: MainWindow, project: Path, wait: Wait) -> None:
    window.document.edit(CURE)
    change(project)
    wait(lambda: "Another program has changed" in window.notice.text)
    answer(window, "Keep mine")
    window.files.save()
    assert load_project(project).name == "studio-kiln"
    assert load_project(project).chains[0].slots[2].sampling_cycles == 384


def test_the_two_stand_beside_each_other(window: MainWindow, project: Path, wait: Wait) -> None:
    window.document.edit(CURE)
    change(project)
    wait(lambda: "Another program has changed" in window.notice.text)
    answer(window, "Compare")
    assert window.stack.currentIndex() == COMPARE
    assert sampling(window) == 384


def test_a_file_that_is_gone_is_said_and_written_again(
    window: MainWindow, project: Path, wait: Wait
) -> None:
    project.unlink()
    wait(lambda: "no longer there" in window.notice.text)
    assert not window.document.is_clean
    window.files.save()
    assert load_project(project).name == "studio-kiln"


def test_saving_gives_the_suffix_and_asks_before_it_overwrites(
    window: MainWindow, tmp_path: Path
) -> None:
    window.files.save_to(tmp_path / "mine")
    assert window.document.path == tmp_path / "mine.wattigram.toml"
    (tmp_path / "theirs.wattigram.toml").write_text("not mine")
    window.files.save_to(tmp_path / "theirs")
    assert "already" in window.notice.text
    assert (tmp_path / "theirs.wattigram.toml").read_text() == "not mine"
    answer(window, "Overwrite it")
    assert load_project(tmp_path / "theirs.wattigram.toml").name == "studio-kiln"


def test_a_link_stays_a_link(open_window: OpenWindow, project: Path, tmp_path: Path) -> None:
    link = tmp_path / "linked.wattigram.toml"
    link.symlink_to(project)
    window = open_window(link)
    window.document.edit(CURE)
    window.files.save()
    assert link.is_symlink()
    assert load_project(project).chains[0].slots[2].sampling_cycles == 384


def test_a_folder_that_may_not_be_written_is_a_sentence(window: MainWindow, tmp_path: Path) -> None:
    window.document.edit(CURE)
    window.files.save_to(tmp_path / "nowhere" / "x.wattigram.toml")
    assert "cannot be written" in window.notice.text
    assert not window.document.is_clean


def test_a_project_begins_on_an_own_part(window: MainWindow, tmp_path: Path) -> None:
    own = tmp_path / "parts" / "my-part.toml"
    own.parent.mkdir()
    copy_part("marten-m3", own, "Mine")
    window.files.new_on_file(own)
    assert window.document.workspace.part.text == own.read_text()
    assert window.document.workspace.project.signals == ()
    (tmp_path / "elsewhere").mkdir()
    window.files.save_to(tmp_path / "elsewhere" / "p")
    assert (tmp_path / "elsewhere" / "my-part.toml").read_text() == own.read_text()
    window.files.new_on_file(tmp_path / "none.toml")
    assert "The present project stays open" in window.notice.text


# Faults of the program itself


@pytest.fixture
def hook(window: MainWindow) -> Iterator[FaultHook]:
    found = FaultHook()
    found.watch(window)
    before = sys.excepthook, threading.excepthook
    found.install()
    yield found
    sys.excepthook, threading.excepthook = before


def reports(project: Path) -> list[Path]:
    return (
        sorted((state_of(project) / "reports").glob("*"))
        if (state_of(project) / "reports").is_dir()
        else []
    )


def test_a_fault_in_a_slot_leaves_the_window_alive(
    window: MainWindow, hook: FaultHook, wait: Wait, project: Path
) -> None:
    window.document.edit(CURE)

    def broken() -> None:
        raise ZeroDivisionError("of a made-up kind")

    timer = QTimer(window)
    timer.timeout.connect(broken)
    timer.start(1)
    wait(lambda: "Your work is kept" in window.notice.text)
    timer.stop()
    assert len(reports(project)) == 1
    told = reports(project)[0].read_text()
    assert "ZeroDivisionError: of a made-up kind" in told
    assert "in broken" in told
    assert "PyQt" in told
    assert str(reports(project)[0]) in window.notice.text
    assert window.document._recovery.exists
    window.document.stack.undo()
    assert sampling(window) == 32


def test_a_fault_in_a_thread_is_told_too(
    window: MainWindow, hook: FaultHook, wait: Wait, project: Path
) -> None:
    def broken() -> None:
        raise IndexError("of a thread")

    thread = threading.Thread(target=broken, name="a made-up thread")
    thread.start()
    thread.join()
    wait(lambda: "Your work is kept" in window.notice.text)
    assert "a made-up thread" in reports(project)[0].read_text()


# The end of a window while it records


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP])
def test_a_signal_ends_window_and_take_soundly(project: Path, number: signal.Signals) -> None:
    code = (
        "import sys\n"
        "from pathlib import Path\n"
        "from PyQt6.QtCore import QTimer\n"
        "from wattigram.desktop.shell.app import make_app, make_window\n"
        "from wattigram.desktop.shell.ending import EndingSignals\n"
        "app = make_app(); window = make_window(app, Path(sys.argv[1])); window.show()\n"
        "told = []\n"
        "def look(latest):\n"
        "    if latest.samples > 2000 and not told:\n"
        "        told.append(print('recording', flush=True))\n"
        "window.board.snapshot.connect(look)\n"
        "ending = EndingSignals(window)\n"
        "QTimer.singleShot(0, window.toggle_record)\n"
        "sys.exit(app.exec())\n"
    )
    with running(code, project) as process:
        assert process.stdout is not None
        assert process.stdout.readline() == "recording\n"
        process.send_signal(number)
        process.stdout.read()
        assert process.wait() == 0
    takes = sorted(project.parent.rglob("*.h5"))
    assert len(takes) == 1
    with open_take(takes[0]) as take:
        assert take.samples > 0
        assert take.complete or take.ended


def test_two_windows_that_record_at_once_have_a_take_each(window: MainWindow, wait: Wait) -> None:
    path = window.proving.next_path()
    assert path is not None
    path.write_bytes(b"a take that another threshold began meanwhile")
    window.board.start(path)
    wait(lambda: window.board.latest.seconds > 0.2)
    mine = window.board.latest.recording
    assert mine is not None
    assert mine == path.with_name(f"take {int(path.stem[5:]) + 1}.h5")
    window.board.stop()
    wait(lambda: window.board.latest.recording is None)
    with open_take(mine) as take:
        assert take.complete
    assert path.read_bytes() == b"a take that another threshold began meanwhile"
    path.unlink()
