from __future__ import annotations

import pytest

from wattigram.cli import progress as progress_module
from wattigram.cli.progress import Progress
from wattigram.core.base.time_left import left_text


class Clock:
    """Time that goes only when told to."""

    def __init__(self) -> None:
        self.now = 100.0

    def __call__(self) -> float:
        return self.now


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> Clock:
    found = Clock()
    monkeypatch.setattr(progress_module.time, "monotonic", found)
    return found


def test_what_takes_less_than_a_second_says_nothing(
    clock: Clock, capsys: pytest.CaptureFixture[str]
) -> None:
    progress = Progress("Working")
    for step in range(10):
        clock.now += 0.09
        progress(step / 10)
    progress.done()
    assert capsys.readouterr().err == ""


def test_what_takes_longer_says_how_far_and_how_long(
    clock: Clock, capsys: pytest.CaptureFixture[str]
) -> None:
    progress = Progress("Working")
    clock.now += 6.0
    progress(0.25)
    said = capsys.readouterr().err
    assert "Working:  25 %, 18 s left" in said
    clock.now += 0.01
    progress(0.26)
    assert capsys.readouterr().err == ""
    clock.now += 6.0
    progress(1.0)
    assert "100 %" in capsys.readouterr().err


def test_what_takes_long_says_so_at_once_and_what_ends_it(
    clock: Clock, capsys: pytest.CaptureFixture[str]
) -> None:
    progress = Progress("Recording", "Ctrl+C ends it and keeps what there is")
    clock.now += 1.5
    progress(0.001)
    said = capsys.readouterr().err
    assert "Recording takes about 25 min; Ctrl+C ends it and keeps what there is." in said
    clock.now += 600.0
    progress(0.5)
    assert "takes about" not in capsys.readouterr().err


@pytest.mark.parametrize(
    ("seconds", "text"),
    [(0.4, "0 s"), (99.4, "99 s"), (100, "2 min"), (5940, "99 min"), (11_640, "3 h 14 min")],
)
def test_a_time_to_go_is_said_as_people_say_it(seconds: float, text: str) -> None:
    assert left_text(seconds) == text
