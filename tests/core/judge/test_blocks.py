"""Takes are judged in blocks: nothing may depend on where a block ends, and little memory is taken
at once."""

from __future__ import annotations

import tracemalloc
from collections.abc import Callable
from pathlib import Path

import h5py
import numpy as np
import pytest
from msgspec.structs import replace

from tests.paths import EXAMPLE_FILES
from wattigram.core.analysis import Largest, Moments, Readings, linearity, linearity_of, two_levels
from wattigram.core.capture.take import Take, open_take, reader
from wattigram.core.capture.take.reader import BLOCK_SAMPLES
from wattigram.core.judge import compared_streams, prove
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.predict.expected import events

TakeOf = Callable[..., Take]


@pytest.mark.parametrize("name", [path.name for path in EXAMPLE_FILES])
@pytest.mark.parametrize("size", [997, 4096])
def test_a_proof_is_the_same_whatever_the_blocks(
    take_of: TakeOf, monkeypatch: pytest.MonkeyPatch, name: str, size: int
) -> None:
    path = next(path for path in EXAMPLE_FILES if path.name == name)
    workspace = open_workspace(path)
    take = take_of(workspace, 0.8 if size < 1000 else 1.5)  # small blocks take their time
    whole = prove(workspace, take)
    for module, constant in ((reader, "BLOCK_SAMPLES"), (events, "VALUES_AT_ONCE")):
        monkeypatch.setattr(module, constant, size)
    parts = prove(workspace, take)
    assert len(whole.verdicts) == len(parts.verdicts)
    for one, other in zip(whole.verdicts, parts.verdicts, strict=True):
        assert replace(one, measured=None) == replace(other, measured=None), one.text
        assert (one.measured is None) == (other.measured is None)
        assert one.measured is None or one.measured == pytest.approx(
            other.measured, rel=1e-9, abs=1e-12
        ), one.text
    assert parts.causes == whole.causes


@pytest.mark.parametrize("reduced", [False, True])
def test_stretches_are_parts_of_the_whole(kiln: Workspace, take_of: TakeOf, reduced: bool) -> None:
    take = take_of(kiln)
    read = take.reduced if reduced else take.raw
    whole = read("Upper zone")
    assert whole is not None
    for begin, end in ((0, 10), (7, 8), (100, 1500), (1500, 10**9), (10**9, 10**9 + 5)):
        part = read("Upper zone", begin, end)
        assert part is not None
        for field in ("items", "volts", "cycles", "times_s", "valid"):
            assert np.array_equal(getattr(part, field), getattr(whole, field)[begin:end]), field


def test_a_long_take_is_read_within_little_memory(
    kiln: Workspace, take_of: TakeOf, tmp_path: Path
) -> None:
    """The items of a short take over and over: what counts is how many there are."""
    short, path = take_of(kiln), tmp_path / "long.h5"
    path.write_bytes(short.path.read_bytes())
    with h5py.File(path, "r+") as file:
        items = file["streams/0/samples"]
        once = items[:]
        items.resize((40 * len(once),))
        for lap in range(1, 40):
            items[lap * len(once) : (lap + 1) * len(once)] = once
    with open_take(path) as take:
        assert take.raw_count("Coil current") == 40 * 25_000 > 3 * BLOCK_SAMPLES
        tracemalloc.start()
        try:
            found = Moments()
            for block in take.blocks("Coil current"):
                found.add(block.volts[block.valid])
            counted = compared_streams.code_counts(take, "Coil current")
            peak = tracemalloc.get_traced_memory()[1]
        finally:
            tracemalloc.stop()
    assert found.count == int(counted[1].sum()) == 1_000_000
    assert peak < 40e6


def test_gathered_figures_are_those_of_the_whole() -> None:
    rng = np.random.default_rng(5)
    values = rng.normal(2.5, 0.1, 10_007)
    found, largest = Moments(), Largest(len(values), 99.5)
    for part in np.array_split(values, 13):
        found.add(part)
        largest.add(np.abs(part))
    assert (found.count, found.mean, found.std) == (
        len(values),
        pytest.approx(values.mean(), rel=1e-12),
        pytest.approx(values.std(), rel=1e-9),
    )
    assert largest.percentile == pytest.approx(np.percentile(np.abs(values), 99.5), rel=1e-12)
    codes = rng.integers(0, 40, 5_000)
    readings = codes * 1.001 + rng.normal(0, 0.3, 5_000)
    gathered = Readings()
    for begin in range(0, 5_000, 777):
        gathered.add(codes[begin : begin + 777], readings[begin : begin + 777])
    one, other = linearity(codes, readings), linearity_of(gathered)
    assert one is not None
    assert other is not None
    assert other.inl_lsb == pytest.approx(one.inl_lsb, abs=1e-9)
    means = np.array([readings[codes == code].mean() for code in range(40)])
    assert gathered.means == pytest.approx(means, abs=1e-9)
    pooled = np.concatenate([readings[codes == code] - means[code] for code in range(40)])
    counts = np.bincount(codes)
    assert gathered.sigmas == pytest.approx(
        np.sqrt((pooled**2).sum() / (5_000 - 40) / counts), rel=1e-9
    )


@pytest.mark.parametrize("count", [1, 2, 7, 10])
def test_levels_of_counted_values(count: int) -> None:
    rng = np.random.default_rng(count)
    values = np.concatenate((rng.normal(0, 0.1, count), rng.normal(3, 0.1, count + 1)))
    found = two_levels(values, 1.5)
    assert found.low == pytest.approx(np.median(values[:count]))
    assert found.high == pytest.approx(np.median(values[count:]))
    known, times = np.unique(np.round(values, 1), return_counts=True)
    again = two_levels(known, 1.5, times)
    assert again.high == pytest.approx(np.median(np.round(values, 1)[count:]))
    assert (again.low_count, again.high_count) == (count, count + 1)
