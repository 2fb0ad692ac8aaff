"""How long one signal takes to answer another, as it was recorded."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from wattigram.core.capture.recording import open_recording
from wattigram.core.judge.measured import Wanted, measure
from wattigram.core.judge.measured.as_expectation import as_expectation

RATE_HZ = 10_000.0


def _recorded(path: Path, answers_s: list[float]) -> Path:
    """A switch that closes every 100 ms for half of that, and a lamp that follows it, in volts."""
    times = np.arange(0, 1.0, 1 / RATE_HZ)
    switch = np.where((times % 0.1) < 0.05, 3.0, 0.0)
    lamp = np.zeros(len(times))
    for number, after in enumerate(answers_s):
        begin = 0.1 * number + after
        lamp[(times >= begin) & (times < begin + 0.04)] = 2.0
    rows = np.column_stack((times, switch, lamp))
    np.savetxt(
        path, rows, delimiter=",", header="time [s],switch [V],lamp [V]", comments="", fmt="%.6f"
    )
    return path


def test_latencies_of_a_recording_are_those_that_were_put_in(tmp_path: Path) -> None:
    answers = [0.0, 3e-3, 4e-3, 5e-3, 3e-3, 4e-3, 5e-3, 3e-3, 4e-3, 5e-3]
    path = _recorded(tmp_path / "lamp.csv", answers)
    with open_recording(path) as recording:
        names = [channel.name for channel in recording.channels]
        wanted = Wanted("latency", (names[0], names[1]))
        found = {one.key: one for one in measure(recording, wanted).figures}
    step_s = 1 / RATE_HZ
    assert found["count"].value == 9
    assert found["mean"].value == pytest.approx(np.mean(answers[1:]), abs=step_s)
    assert abs(found["mean"].value - np.mean(answers[1:])) <= 2 * found["mean"].sigma + step_s / 2
    assert found["shortest"].value == pytest.approx(3e-3, abs=step_s)
    assert found["longest"].value == pytest.approx(5e-3, abs=step_s)
    assert found["unanswered"].value == 0
    kept = as_expectation(wanted, found["longest"])
    assert kept is not None
    assert (kept.measure, kept.figure, kept.other) == ("latency", "longest", names[1])


def test_what_is_not_answered_is_counted(tmp_path: Path) -> None:
    path = _recorded(tmp_path / "lamp.csv", [0.0, 3e-3, 3e-3, 0.5, 3e-3])
    with open_recording(path) as recording:
        names = [channel.name for channel in recording.channels]
        found = measure(recording, Wanted("latency", (names[0], names[1])))
        count, unanswered = (
            next(one.value for one in found.figures if one.key == key)
            for key in ("count", "unanswered")
        )
    assert count + unanswered == 8  # the first is none, and the last may yet come
    assert unanswered >= 3
    with open_recording(path) as recording, pytest.raises(Exception, match="fewer than twice"):
        measure(recording, Wanted("latency", (names[0], names[1]), end_s=0.15))
