"""Damaged takes made sound again: what is there is kept to the item, what is not becomes a gap."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable
from pathlib import Path

import h5py
import numpy as np
import pytest

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.take import Take, open_take
from wattigram.core.capture.take.repair import covered, merged, present, repair_take
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace


@pytest.fixture
def damaged(cured: Workspace, take_of: Callable[..., Take], tmp_path: Path) -> Path:
    path = tmp_path / "damaged.h5"
    shutil.copy(take_of(cured, 10.0).path, path)
    return path


def test_a_sound_take_stays_as_it_is(damaged: Path, cured: Workspace, tmp_path: Path) -> None:
    assert repair_take(damaged, tmp_path / "new.h5") == ()
    with open_take(damaged) as old, open_take(tmp_path / "new.h5") as new:
        for stream in old.streams:
            assert np.array_equal(old.items(stream), new.items(stream))
            assert np.array_equal(old.frame_rows(stream), new.frame_rows(stream))
        assert np.array_equal(old.events, new.events)
        assert old.totals == new.totals
        assert (old.log, old.started, old.complete, old.project_text) == (
            new.log,
            new.started,
            new.complete,
            new.project_text,
        )
        assert prove(cured, new).all_hold


@pytest.mark.parametrize("share", [0.5, 0.8, 0.97])
def test_of_a_copy_cut_short_the_rest_is_kept(share: float, damaged: Path, tmp_path: Path) -> None:
    with open_take(damaged) as take:
        truth = take.items(0)
    os.truncate(damaged, int(damaged.stat().st_size * share))
    with pytest.raises(TakeError):
        open_take(damaged)
    try:
        mended = repair_take(damaged, tmp_path / "new.h5")
    except TakeError:
        assert share < 0.9  # its lists lay in the part that is gone
        return
    assert mended
    with open_take(tmp_path / "new.h5") as new:
        items = new.items(0)
        came = new.valid(0, np.arange(len(items)))
        assert came.any()
        # Which chunks lay at the end depends on when the file was flushed.
        assert came.all() != any("are gaps now" in line for line in mended) or len(items) < len(
            truth
        )
        assert np.array_equal(items[came], truth[: len(items)][came])
        assert not new.complete


def test_chunks_that_were_never_written_become_gaps(damaged: Path, tmp_path: Path) -> None:
    """As a full disk left them: the list of items is longer than what was written of it."""
    with h5py.File(damaged, "r+") as file:
        count = file["streams/0/samples"].shape[0]
        file["streams/0/samples"].resize((count + 500_000,))
    mended = repair_take(damaged, tmp_path / "new.h5")
    assert len(mended) == 1
    with open_take(tmp_path / "new.h5") as new:
        assert 0 < new.lost_items(0) <= 500_000


def lose_attribute(file: h5py.File) -> None:
    for name in ("build_id", "complete", "format"):
        del file.attrs[name]


def lose_events(file: h5py.File) -> None:
    del file["events"]
    file["events"] = np.zeros((3, 3))


def lose_frames(file: h5py.File) -> None:
    del file["streams/1/frames"]


def add_nonsense(file: h5py.File) -> None:
    file["streams/x"] = h5py.SoftLink("/streams")
    file["streams/900/samples"] = [1.0]


@pytest.mark.parametrize("damage", [lose_attribute, lose_events, lose_frames, add_nonsense])
def test_what_other_programs_break_is_mended(
    damage: Callable[[h5py.File], None], damaged: Path, tmp_path: Path
) -> None:
    with h5py.File(damaged, "r+") as file:
        damage(file)
    before = damaged.read_bytes()
    assert repair_take(damaged, tmp_path / "new.h5")
    assert damaged.read_bytes() == before
    with open_take(tmp_path / "new.h5") as new:
        assert new.raw("Coil current") is not None
        assert new.samples == 500_000


@pytest.mark.parametrize("name", ["project", "tick_hz"])
def test_without_project_or_clock_nothing_can_be_made_of_it(
    name: str, damaged: Path, tmp_path: Path
) -> None:
    with h5py.File(damaged, "r+") as file:
        if name in file:
            del file[name]
        else:
            del file.attrs[name]
    with pytest.raises(TakeError, match="does not"):
        repair_take(damaged, tmp_path / "new.h5")


def test_the_repaired_take_replaces_nothing(damaged: Path) -> None:
    with pytest.raises(TakeError, match="already"):
        repair_take(damaged, damaged)


def test_ranges() -> None:
    assert merged([(5, 9), (0, 3), (3, 4), (8, 12), (20, 20)]) == [(0, 4), (5, 12)]
    assert covered([(0, 4), (5, 12)], 10) == 9
    assert list(present([(0, 4), (5, 12)], 20)) == [(4, 5), (12, 20)]
