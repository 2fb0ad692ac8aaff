"""Two recordings on one time line."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording import EvenChannel, Recording, open_recording
from wattigram.core.capture.recording.laid_over import alignment_shift_s, laid_over
from wattigram.core.capture.session import record_run
from wattigram.core.judge.measured import Wanted, measure
from wattigram.core.model.design import Workspace

LATE_S = 0.0837


def made(late_s: float, offset: float = 0.0, seed: int = 1) -> Recording:
    """A course that begins later, and a switch that rises with it."""
    at_s = np.arange(5000) / 1000 - late_s
    noise = 1e-3 * np.random.default_rng(seed).standard_normal(5000)
    course = np.sin(7 * at_s) * np.exp(-at_s / 3) + offset + noise
    switch = np.where(at_s > 1, 3.0, 0.0)
    return Recording(
        f"{late_s}",
        "made",
        tuple(
            EvenChannel(name, "V", 5000, 1000.0, lambda begin, end, data=data: data[begin:end])
            for name, data in (("course", course), ("switch", switch))
        ),
    )


@pytest.mark.parametrize(
    ("by", "name", "within_s"),
    [("course", "course", 1e-4), ("edge", "switch", 1e-3)],
)
def test_the_second_is_shifted_until_it_lines_up(by: str, name: str, within_s: float) -> None:
    shift_s = alignment_shift_s(made(0.0), made(LATE_S, 0.1, 2), by, name)  # type: ignore[arg-type]
    assert shift_s == pytest.approx(-LATE_S, abs=within_s)
    assert alignment_shift_s(made(0.0), made(LATE_S), "start") == 0


def test_their_difference_is_measured_on_the_line_of_the_first() -> None:
    first, second = made(0.0), made(LATE_S, 0.1, 2)
    both = laid_over(first, second, "second", -LATE_S)
    assert [channel.name for channel in both.channels] == [
        "course",
        "switch",
        "course (second)",
        "switch (second)",
    ]
    shifted = both.channel("course (second)")
    assert shifted.stretch(0.5, 0.6).times_s[0] == pytest.approx(0.5, abs=1e-3)
    told = measure(both, Wanted("difference", ("course", "course (second)"), 0.2, 4.0))
    assert told.figure("mean").value == pytest.approx(-0.1, abs=1e-3)
    assert told.figure("std").value < 2e-3
    assert len(told.curve["difference"]) > 1000


def test_what_has_nothing_to_line_up_by_is_refused() -> None:
    with pytest.raises(TakeError, match="no event"):
        alignment_shift_s(made(0.0), made(0.1), "event")
    flat = Recording(
        "flat", "made", (EvenChannel("course", "V", 100, 10.0, lambda a, b: np.ones(b - a)),)
    )
    for by in ("course", "edge"):
        with pytest.raises(TakeError, match="cannot be lined up"):
            alignment_shift_s(made(0.0), flat, by, "course")  # type: ignore[arg-type]
    with pytest.raises(TakeError, match="no channel"):
        alignment_shift_s(made(0.0), flat, "edge", "switch")


def test_takes_line_up_at_their_events(kiln: Workspace, tmp_path: Path) -> None:
    for number, seed in enumerate((1, 9)):
        record_run(kiln, 2.0, tmp_path / f"{number}.h5", fast=True, seed=seed)
    with open_recording(tmp_path / "0.h5") as first, open_recording(tmp_path / "1.h5") as second:
        assert abs(alignment_shift_s(first, second, "event")) < 0.02
        both = laid_over(first, second, "1", 0.0)
        told = measure(both, Wanted("difference", ("Coil current", "Coil current (1)")))
        # Two noises, and nothing else.
        due = measure(first, Wanted("sine", ("Coil current",))).figure("noise").value * 2**0.5
        assert told.figure("std").value == pytest.approx(due, rel=0.05)
