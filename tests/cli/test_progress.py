from __future__ import annotations

import pytest

from wattigram.cli import progress as progress_module
from wattigram.cli.progress import Progress


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
