"""The next place where a recording is as one looks for, beside a search of my own through all of it."""

from __future__ import annotations

import math
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording import Recording, open_recording
from wattigram.core.capture.recording.channel import EvenChannel
from wattigram.core.capture.session import record_run
from wattigram.core.judge.measured import PLACES, Sought, next_place, places_between
from wattigram.core.judge.measured import places as places_module
from wattigram.core.model.design import Workspace

RATE_HZ = 1000.0


def recording_of(values: np.ndarray, unit: str = "°C") -> Recording:
    channel = EvenChannel("a", unit, len(values), RATE_HZ, lambda begin, end: values[begin:end])
    return Recording("a", "made", (channel,))


def all_places(
    recording: Recording, sought: Sought, forward: bool = True
) -> list[tuple[float, float]]:
    """One after the other, in the order of time."""
    found = []
    at_s = -math.inf if forward else math.inf
    while (place := next_place(recording, sought, at_s, forward=forward)) is not None:
        found.append((place.begin_s, place.end_s))
        at_s = place.begin_s
    return found if forward else found[::-1]


def runs(so: np.ndarray) -> list[tuple[float, float]]:
    """Of samples that are so: instants of the first and the last of each."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], so, [False])).astype(int)))
    return [(begin / RATE_HZ, (end - 1) / RATE_HZ) for begin, end in edges.reshape(-1, 2).tolist()]


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("forward", [True, False])
def test_every_place_is_found_whatever_block_it_lies_in(
    seed: int, forward: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(places_module, "FIRST_BLOCK", 8)
    monkeypatch.setattr(places_module, "BLOCK", 64)
    rng = np.random.default_rng(seed)
    values = np.repeat(rng.normal(size=200), rng.integers(1, 90, 200))
    for begin in rng.integers(0, len(values), 12):
        values[begin : begin + int(rng.integers(1, 150))] = np.nan
    recording = recording_of(values)
    above = runs(np.nan_to_num(values, nan=-9.0) >= 0.5)
    assert all_places(recording, Sought("level", "a", 0.5), forward) == above
    missing = runs(np.isnan(values))
    assert all_places(recording, Sought("missing", "a"), forward) == missing


def test_a_jump_is_told_from_a_steep_course_and_from_noise() -> None:
    rng = np.random.default_rng(1)
    time_s = np.arange(5000) / RATE_HZ
    values = np.sin(2 * np.pi * 5 * time_s) + rng.normal(0, 0.01, 5000)
    values[2000:] += 0.5
    values[3000] -= 0.4
    recording = recording_of(values)
    assert [begin for begin, _end in all_places(recording, Sought("jump", "a"))] == [2.0, 3.0]
    found = next_place(recording, Sought("jump", "a"), 0.0)
    assert found is not None
    assert found.title.startswith("a jump of 0.5")  # noise with it
    assert "°C from one sample to the next" in found.title
    assert all_places(recording_of(np.zeros(500)), Sought("jump", "a")) == []


def test_a_take_is_looked_through_for_what_is_unexpected_and_for_events(
    kiln: Workspace, tmp_path: Path
) -> None:
    record_run(kiln, 1.0, tmp_path / "t.h5", fast=True)
    with open_recording(tmp_path / "t.h5") as recording:
        assert next_place(recording, Sought("unexpected", "Coil current"), 0.0) is None
        # A pin that settles too little does so from its first sample to its last.
        found = next_place(recording, Sought("unexpected", "Door latch"), -1.0)
        assert found is not None
        count = recording.channel("Door latch").count
        assert found.title.startswith(f"{count:,} samples outside".replace(",", "\u202f"))
        last = next_place(recording, Sought("unexpected", "Door latch"), 1.0, forward=False)
        assert last == found
        events = all_places(recording, Sought("event", "Upper zone"))
        assert all(before < after for (before, _), (after, _) in pairwise(events))
        took = recording.take  # type: ignore[attr-defined]
        assert [at for at, _ in events] == pytest.approx(took.events["ticks"] / took.tick_hz)


def test_events_at_one_instant_are_one_place(
    kiln: Workspace, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    record_run(kiln, 2.0, tmp_path / "t.h5", fast=True)
    with open_recording(tmp_path / "t.h5") as recording:
        took = recording.take  # type: ignore[attr-defined]
        (event,) = took.events
        other = event.copy()
        other["entered"] = not event["entered"]
        both = np.array([event, other], dtype=took.events.dtype)
        monkeypatch.setattr(took, "events", both)
        found = list(places_between(recording, Sought("event", "Upper zone")))
        assert [place.title for place in found] == ["threshold 1 enters, threshold 1 leaves"]


@pytest.mark.parametrize(
    ("what", "channel", "why"),
    [
        ("unexpected", "a", "no design"),
        ("event", "a", "only a take"),
        ("level", "a", "no level"),
        ("anything", "a", ", ".join(PLACES)),
        ("jump", "b", "“b”"),
    ],
)
def test_what_cannot_be_looked_for_says_why(what: str, channel: str, why: str) -> None:
    with pytest.raises(TakeError, match=why):
        next_place(recording_of(np.arange(9.0)), Sought(what, channel), 0.0)


@pytest.mark.parametrize("begin_s", [None, 0.4])
def test_noise_at_a_level_makes_one_place_of_a_crossing(
    tmp_path: Path, begin_s: float | None
) -> None:
    """A slow rise and fall through a level, with noise that crosses it again and again."""
    random = np.random.default_rng(5)
    times = np.arange(0, 2, 1e-3)
    values = 1.5 - np.abs(times - 1) + random.normal(0, 0.01, len(times))
    path = tmp_path / "slow.csv"
    rows = np.column_stack((times, values))
    np.savetxt(path, rows, delimiter=",", header="time [s],u [V]", comments="", fmt="%.6f")
    with open_recording(path) as recording:
        found = list(places_between(recording, Sought("level", "u", 1.0), begin_s))
        assert len(found) == 1
        assert found[0].begin_s == pytest.approx(0.5, abs=0.05)
        assert found[0].end_s == pytest.approx(1.5, abs=0.07)
        assert "noise of" in found[0].title
        back = next_place(recording, Sought("level", "u", 1.0), math.inf, forward=False)
        assert back == found[0]
