"""Extremes that are stored with a take: the same as those of its samples, whatever came and in whatever pieces."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import h5py
import numpy as np
import pytest

from tests.paths import EXAMPLES
from wattigram.core.capture.session import record_run
from wattigram.core.capture.session.recording_plan import RecordingPlan
from wattigram.core.capture.take import Overview, Take, open_take
from wattigram.core.capture.take.extremes import CELL, ExtremesGatherer, in_order
from wattigram.core.capture.take.repair import repair_take
from wattigram.core.model.design import open_workspace


@pytest.mark.parametrize("halves", [(0,), (0, 2048, 0), (1 << 31,)])
def test_cells_are_those_of_the_items(halves: tuple[int, ...]) -> None:
    rng = np.random.default_rng(3)
    slots = len(halves)
    largest = 2 * max(halves) or 1 << 16
    items = rng.integers(0, largest, slots * 5 * CELL + 77, dtype=np.uint32)
    gatherer, parts, at = ExtremesGatherer(halves), [], 0
    for size in (1, 1000, 3, CELL * slots, 10_000, 10**6):
        parts.append(gatherer.add(items[at : at + size]))
        at += size
    cells = np.concatenate(parts)
    assert len(cells) == 5 + 77 // (slots * CELL)
    for slot, half in enumerate(halves):
        own = in_order(items[: 5 * CELL * slots].reshape(5, CELL, slots)[:, :, slot], half)
        np.testing.assert_array_equal(cells[:, slot, 0], own.min(axis=1))
        np.testing.assert_array_equal(cells[:, slot, 1], own.max(axis=1))


@pytest.mark.parametrize("gap", [1, 100, 2 * CELL, 2 * CELL * 1000 + 6])
def test_what_never_came_counts_as_the_zeros_that_lie_there(gap: int) -> None:
    items = np.full(700, 9, dtype=np.uint16)
    one, other = ExtremesGatherer((0, 0)), ExtremesGatherer((0, 0))
    parts = [one.add(items), one.skip(gap), one.add(items)]
    whole = other.add(np.concatenate((items, np.zeros(gap, dtype=np.uint16), items)))
    np.testing.assert_array_equal(np.concatenate(parts), whole)


@pytest.mark.parametrize("name", ["studio-kiln", "kiln-safety", "flame-watch"])
def test_a_take_is_drawn_from_them_as_from_its_samples(
    name: str, take_of: Callable[..., Take]
) -> None:
    take = take_of(open_workspace(EXAMPLES / name), 4.4)
    looked = 0
    for signal in take.workspace.project.signals:
        stored = take.extremes(signal.name)
        if stored is None:
            continue
        samples = take.raw(signal.name)
        assert samples is not None
        values = samples.items
        if stored[0].min(initial=0) < 0:
            values = in_order(values, 1 << (8 * values.itemsize - 1))
        if len(values) < 10_000:
            continue
        looked += 1
        cells = len(values) // CELL
        np.testing.assert_array_equal(
            stored[0][:cells], values[: cells * CELL].reshape(-1, CELL).min(axis=1)
        )
        fast = Overview(len(values), lambda begin, end, own=values: own[begin:end], stored)
        slow = Overview.of(values)
        columns = cells // 4
        for mine, theirs in zip(
            fast.columns(0, columns * 4 * CELL, columns),
            slow.columns(0, columns * 4 * CELL, columns),
            strict=True,
        ):
            np.testing.assert_array_equal(mine, theirs)
        for begin, end, count in ((100.5, len(values) * 0.9, 20), (5.0, 3000.0, 300)):
            low, high = fast.columns(begin, end, count)
            own_low, own_high = slow.columns(begin, end, count)
            assert np.all(low <= own_low)  # as much as a column touches, and no less
            assert np.all(high >= own_high)
    assert looked


def test_parts_and_mended_takes_have_their_own(tmp_path: Path) -> None:
    workspace = open_workspace(EXAMPLES / "studio-kiln")
    outcome = record_run(
        workspace, 6.0, tmp_path / "p.h5", fast=True, plan=RecordingPlan(split_s=3.0)
    )
    repair_take(outcome.takes[1], tmp_path / "mended.h5")
    for path in (outcome.takes[1], tmp_path / "mended.h5"):
        with open_take(path) as take:
            stored = take.extremes("Door latch")
            assert stored is not None
            own = take.raw("Door latch", take.first_sample("Door latch"))
            assert own is not None
            np.testing.assert_array_equal(
                stored[1], own.items[: len(stored[1]) * CELL].reshape(-1, CELL).max(axis=1)
            )


def test_takes_without_them_or_with_others_are_read_all_the_same(tmp_path: Path) -> None:
    workspace = open_workspace(EXAMPLES / "studio-kiln")
    path = record_run(workspace, 1.0, tmp_path / "t.h5", fast=True).take
    with h5py.File(path, "a") as file:
        del file["streams/0/extremes"]
        file["streams/1/extremes"][...] = 0
        del file["streams/1/extremes"]
        file["streams/1"].create_dataset("extremes", data=np.zeros((4, 9, 2), dtype="<i8"))
    with open_take(path) as take:
        assert take.extremes("Door latch") is None
        assert take.extremes("Upper zone, twin") is None
        assert take.raw("Door latch") is not None
