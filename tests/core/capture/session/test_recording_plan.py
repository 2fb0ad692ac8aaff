"""Recordings that begin and end by themselves, held against the whole run."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from tests.paths import EXAMPLE_FILES
from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.recording import open_recording
from wattigram.core.capture.session import RunOutcome, record_run
from wattigram.core.capture.session.conditions import (
    EventCondition,
    LevelCondition,
    parse_condition,
)
from wattigram.core.capture.session.recording_plan import RecordingPlan
from wattigram.core.capture.take import Take, open_take
from wattigram.core.capture.take.repair import repair_take
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace, open_workspace

SPLIT_S = 2.7
"""In the middle of a buffer, and of what reactions do."""
PROJECTS = [path for path in EXAMPLE_FILES if open_workspace(path).project.chains]


@pytest.fixture
def planned(tmp_path: Path, kiln: Workspace) -> Callable[..., RunOutcome]:
    """Runs studio-kiln as fast as it goes, recording by a plan."""

    def run(seconds: float, workspace: Workspace | None = None, **plan: object) -> RunOutcome:
        return record_run(
            workspace or kiln,
            seconds,
            tmp_path / "log.h5",
            fast=True,
            overwrite=True,
            plan=RecordingPlan(**plan),  # type: ignore[arg-type]
        )

    return run


def assert_part_of(part: Take, whole: Take) -> None:
    """Every item of a part is that of the whole, at its own number and instant."""
    for stream in part.streams:
        first, end = part.first_item(stream), part.item_count(stream)
        assert end > first
        np.testing.assert_array_equal(
            part.items(stream, first, end), whole.items(stream, first, end)
        )
    for signal in part.workspace.project.signals:
        if part.workspace.project.chain_of(signal.name) is None:
            continue
        mine = part.raw(signal.name, part.first_sample(signal.name))
        assert mine is not None
        assert mine.valid.all()
        theirs = whole.raw(signal.name, part.first_sample(signal.name), part.raw_count(signal.name))
        assert theirs is not None
        np.testing.assert_allclose(mine.times_s, theirs.times_s, rtol=0, atol=1e-9)
    assert set(map(tuple, part.events.tolist())) <= set(map(tuple, whole.events.tolist()))


@pytest.mark.parametrize("path", PROJECTS, ids=lambda path: path.name.split(".")[0])
def test_parts_are_of_the_whole_and_prove_alike(path: Path, tmp_path: Path) -> None:
    workspace = open_workspace(path)
    whole = record_run(workspace, 2 * SPLIT_S, tmp_path / "whole.h5", fast=True)
    parts = record_run(
        workspace,
        2 * SPLIT_S,
        tmp_path / "part.h5",
        fast=True,
        plan=RecordingPlan(split_s=SPLIT_S),
    )
    assert parts.is_whole
    assert not parts.notes
    assert [one.name for one in parts.takes] == ["part.h5", "part 2.h5"]
    with open_take(whole.take) as all_of_it, open_take(parts.takes[1]) as part:
        assert part.begins_s == pytest.approx(SPLIT_S)
        assert part.seconds == pytest.approx(all_of_it.seconds)
        assert part.span_s == pytest.approx(SPLIT_S, rel=0.01)
        assert_part_of(part, all_of_it)
        judged = prove(workspace, part).verdicts
        for of_whole, of_part in zip(prove(workspace, all_of_it).verdicts, judged, strict=True):
            assert of_part.outcome in {of_whole.outcome, "open"}, of_part.note
        assert any(verdict.outcome != "open" for verdict in judged) or not judged


def test_time_before_an_event_is_in_the_take(
    planned: Callable[..., RunOutcome], kiln: Workspace, take_of: Callable[..., Take]
) -> None:
    hot = parse_condition(kiln, "Upper zone begins")
    outcome = planned(60, starts=hot, before_s=0.5, for_s=1.0, times=3)
    assert outcome.is_whole
    assert len(outcome.takes) == 3
    assert outcome.seconds < 40  # it is over when all is recorded
    whole = take_of(kiln, 12.0)
    due = whole.events[(whole.events["source"] == 0) & whole.events["entered"].astype(bool)]
    for path, event in zip(outcome.takes, due, strict=False):
        at_s = int(event["ticks"]) / whole.tick_hz
        with open_take(path) as take:
            assert take.begins_s == pytest.approx(at_s - 0.5, abs=1e-6)
            assert take.seconds == pytest.approx(at_s + 1.0, abs=0.01)
            assert int(event["ticks"]) in take.events["ticks"].tolist()
            assert_part_of(take, whole)
            assert take.complete


def test_a_plan_begins_and_ends_at_levels_and_counts(
    planned: Callable[..., RunOutcome], kiln: Workspace
) -> None:
    outcome = planned(20, starts=parse_condition(kiln, "Upper zone > 1.9 V"), samples=4000)
    with open_take(outcome.take) as take:
        upper = take.reduced("Upper zone", take.first_sample("Upper zone", reduced=True))
        assert upper is not None
        assert upper.volts[0] < 1.9 < upper.volts[8]
        assert 4000 <= take.came("Coil current") < 4070
    outcome = planned(20, ends=parse_condition(kiln, "Upper zone < 1.5 V"))
    with open_take(outcome.take) as take:
        upper = take.reduced("Upper zone")
        assert upper is not None
        assert upper.volts[0] < 1.5
        assert upper.volts[-2] == pytest.approx(1.5, abs=0.03)
        assert take.seconds > 2


def test_parts_by_size(planned: Callable[..., RunOutcome]) -> None:
    outcome = planned(20, split_bytes=800_000)
    assert len(outcome.takes) >= 2
    last_s = 0.0
    for path in outcome.takes:
        with open_take(path) as take:
            assert take.begins_s == pytest.approx(last_s, abs=0.02)
            last_s = take.seconds
    assert last_s == pytest.approx(20, abs=0.01)


def test_what_never_comes_is_told_and_leaves_nothing(
    planned: Callable[..., RunOutcome], kiln: Workspace, tmp_path: Path
) -> None:
    outcome = planned(3, starts=parse_condition(kiln, "Coil current > 3.2 V"), for_s=1.0)
    assert not outcome.is_whole
    assert outcome.takes == ()
    assert outcome.notes == ("“Coil current > 3.200 V” did not come: nothing was recorded.",)
    assert not list(tmp_path.iterdir())


def test_a_run_that_ends_early_says_so(planned: Callable[..., RunOutcome], kiln: Workspace) -> None:
    hot = parse_condition(kiln, "Upper zone")
    cut = planned(2.5, starts=hot, for_s=5.0)
    assert not cut.is_whole
    assert "before the recording was to end" in cut.notes[0]
    few = planned(4.0, starts=hot, for_s=0.2, times=9)
    assert not few.is_whole
    assert few.notes[0].startswith("“Upper zone” came 2 times of 9")


def test_a_take_that_begins_later_is_shown_and_mended(
    planned: Callable[..., RunOutcome], kiln: Workspace, tmp_path: Path
) -> None:
    hot = parse_condition(kiln, "Upper zone")
    outcome = planned(20, starts=hot, before_s=0.1, for_s=0.4)
    with open_recording(outcome.take) as recording:
        coil = recording.channel("Coil current")
        block = coil.read(0, coil.count)
        assert block.valid.all()
        assert len(block.values) == coil.count
        assert 5000 <= coil.count < 5200
        assert block.times_s[0] == pytest.approx(1.7, abs=0.02)
        assert coil.number_at(float(block.times_s[100]) - 1e-6) == 100
        assert any("after the board was started" in note for note in recording.notes)
    mended = tmp_path / "mended.h5"
    assert repair_take(outcome.take, mended) == ()
    with open_take(outcome.take) as take, open_take(mended) as again:
        assert (again.begins_ticks, again.span_s) == (take.begins_ticks, take.span_s)
        assert_part_of(again, take)


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("Upper zone", EventCondition(0, None, "Upper zone")),
        ("Upper zone ends", EventCondition(0, False, "Upper zone ends")),
        (" Coil current>2.1V ", LevelCondition("Coil current", 2.1, True)),
        ("Door latch < 500 mV", LevelCondition("Door latch", 0.5, False)),
    ],
)
def test_conditions_are_read(kiln: Workspace, text: str, wanted: object) -> None:
    assert parse_condition(kiln, text) == wanted


@pytest.mark.parametrize(
    "text",
    ["", "Upper", "Upper zone starts", "Oven > 2 V", "Coil current > much", "Coil current > 2 A"],
)
def test_conditions_that_are_none_say_what_there_is(kiln: Workspace, text: str) -> None:
    with pytest.raises(WattigramError) as refused:
        parse_condition(kiln, text)
    assert refused.value.cure


@pytest.mark.parametrize(
    "plan",
    [
        {"before_s": 1.0},
        {"starts": LevelCondition("Coil current", 1.0, True), "before_s": 60.0},
        {"for_s": 0.0},
        {"samples": -1},
        {"split_s": 0.0},
        {"times": 0},
    ],
)
def test_plans_that_cannot_be_are_refused(plan: dict[str, object]) -> None:
    with pytest.raises(ValueError, match=r"\."):
        RecordingPlan(**plan)  # type: ignore[arg-type]
