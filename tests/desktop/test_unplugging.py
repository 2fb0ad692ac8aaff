"""A serial port that goes away and comes back, as a cable does."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.desktop.conftest import Wait
from wattigram.core.capture.session import BoardProcess
from wattigram.core.capture.take import open_take
from wattigram.core.silicon.deploy import effective_config
from wattigram.desktop.shell.window import MainWindow


class Cable:
    """A device name that leads to a board while it is plugged in."""

    def __init__(self, window: MainWindow, device: Path) -> None:
        self._window = window
        self._board: BoardProcess | None = None
        self.device = device
        self.address = f"serial:{device}@115200"

    def plug_in(self) -> None:
        self._board = BoardProcess(effective_config(self._window.document.workspace))
        self.device.symlink_to(self._board.pty)

    def unplug(self) -> None:
        assert self._board is not None
        self.device.unlink()
        self._board.close()
        self._board = None

    def close(self) -> None:
        if self._board is not None:
            self._board.close()


@pytest.fixture
def cable(window: MainWindow, tmp_path: Path) -> Iterator[Cable]:
    found = Cable(window, tmp_path / "ttyBoard")
    found.plug_in()
    yield found
    found.close()


def test_a_board_that_is_unplugged_and_plugged_in_runs_again(
    window: MainWindow, wait: Wait, cable: Cable
) -> None:
    window.board_choice.use(cable.address)
    window.board.start()
    wait(lambda: window.board.latest.seconds > 0.3)
    for _ in range(2):
        cable.unplug()
        wait(lambda: window.board.latest.state == "failed")
        assert "is gone" in window.notice.text
        assert not window.board.is_running
        cable.plug_in()
        wait(lambda: window.board.latest.state == "running" and window.board.latest.seconds > 0.2)
        assert "is back" in window.notice.text
        assert "115200 baud carry 11.52 kB/s" in window.notice.text
        assert window.board.latest.mark_matches
    window.board.stop()
    wait(lambda: window.board.latest.state == "idle")
    window.board_choice.use("virtual")


def test_what_a_session_has_to_say_is_said_once(
    window: MainWindow, wait: Wait, cable: Cable
) -> None:
    window.board_choice.use(cable.address)
    window.board.start()
    wait(lambda: "115200 baud carry" in window.notice.text)
    window.notice.say("The report is in kiln.html.")
    before = window.board.latest.seconds
    wait(lambda: window.board.latest.seconds > before + 0.3)
    assert window.notice.text == "The report is in kiln.html."
    window.board.stop()
    wait(lambda: window.board.latest.state == "idle")
    window.board.start()
    wait(lambda: "115200 baud carry" in window.notice.text)
    window.board_choice.use("virtual")


def test_what_fails_twice_is_said_twice(window: MainWindow, wait: Wait) -> None:
    for _ in range(2):
        window.board_choice.use("tcp:127.0.0.1:1")
        window.board.start()
        wait(lambda: "Nobody answers at tcp:127.0.0.1:1" in window.notice.text)
        window.notice.say("Something else.")
        window.board.start()
        wait(lambda: "Nobody answers at tcp:127.0.0.1:1" in window.notice.text)
        window.notice.say("Something else.")
    window.board_choice.use("virtual")


def recording(window: MainWindow, wait: Wait, cable: Cable) -> Path:
    window.board_choice.use(cable.address)
    path = window.proving.next_path()
    assert path is not None
    window.board.start(path)
    wait(lambda: window.board.latest.seconds > 0.4)
    return path


def test_a_take_goes_on_when_the_cable_is_back(
    window: MainWindow, wait: Wait, cable: Cable
) -> None:
    path = recording(window, wait, cable)
    cable.unplug()
    wait(lambda: window.board.latest.state == "failed")
    assert "The take goes on when it is back" in window.notice.text
    assert window.board.latest.recording == path
    before_s = window.board.latest.seconds
    cable.plug_in()
    wait(
        lambda: (
            window.board.latest.state == "running" and window.board.latest.seconds > before_s + 0.3
        )
    )
    assert window.board.latest.recording == path
    window.board.stop()
    wait(lambda: window.board.latest.recording is None)
    with open_take(path) as take:
        assert take.complete
        assert sorted(int(gap["stream"]) for gap in take.gaps) == [
            0,
            1,
            *(128 + n for n in range(3)),
        ]
        slots = take.workspace.project.chains[0].buffer.samples
        gap = take.gaps[0]
        assert (int(gap["first"]) + int(gap["count"])) % slots == 0
        assert any("was away" in line for line in take.log)
        twin, other = take.raw("Upper zone"), take.raw("Upper zone, twin")
        assert twin is not None
        assert other is not None
        after = int(gap["first"] + gap["count"]) // 4
        assert twin.valid[after]
        assert abs(twin.times_s[after] - other.times_s[after]) < 20e-6
        assert abs(take.seconds - len(twin.items) / 10_000) < 0.05


def test_a_take_whose_board_stays_away_ends_with_what_it_has(
    window: MainWindow, wait: Wait, cable: Cable
) -> None:
    path = recording(window, wait, cable)
    cable.unplug()
    wait(lambda: window.board.latest.state == "failed")
    window.toggle_record()
    assert window.board.latest.recording is None
    with open_take(path) as take:
        assert not take.complete
        assert "connection to the board was lost" in take.ended
        assert take.item_count(0) > 8000
        assert take.lost_items(0) == 0
    cable.plug_in()
    wait(lambda: window.board.latest.state == "failed" and window.board.latest.recording is None)
    window.board_choice.use("virtual")


def test_a_board_that_is_let_go_is_not_waited_for(
    window: MainWindow, wait: Wait, cable: Cable
) -> None:
    window.board_choice.use(cable.address)
    window.board.start()
    wait(lambda: window.board.latest.seconds > 0.1)
    cable.unplug()
    wait(lambda: window.board.latest.state == "failed")
    window.board_choice.use("virtual")
    cable.plug_in()
    assert not window.board._port.is_waiting
    window.board.start()
    wait(lambda: window.board.latest.state == "running")
    assert "is back" not in window.notice.text


def test_a_port_that_never_was_there_is_not_waited_for(
    window: MainWindow, wait: Wait, tmp_path: Path
) -> None:
    window.board_choice.use(f"serial:{tmp_path / 'ttyNone'}@115200")
    window.board.start()
    wait(lambda: "cannot be opened" in window.notice.text)
    assert not window.board._port.is_waiting
    window.board_choice.use("virtual")
