"""Recording, overview and columns against plain files and plain scans."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from functools import partial
from itertools import count
from pathlib import Path

import numpy as np

from bench.harness import Row, compare
from wattigram.core.capture.take import Overview, TakeWriter
from wattigram.core.capture.transport import SampleRun

SAMPLES = 100_000_000
BLOCK_ITEMS = 128 * 1024
BLOCKS = 300


def take_rows() -> Iterator[Row]:
    """What a take costs to write and to draw."""
    block = np.random.default_rng(0).integers(0, 4096, BLOCK_ITEMS).astype("<u2")
    numbers = (
        count()
    )  # always a new file: what a deleted one leaves behind would help one side only
    with tempfile.TemporaryDirectory() as folder:
        yield compare(
            "record to HDF5",
            "append of the same blocks to a plain file, one write of an index",
            1.2,
            lambda: _record(Path(folder) / f"{next(numbers)}.h5", block),
            lambda: _append(Path(folder) / f"{next(numbers)}.bin", block),
        )
    samples = np.random.default_rng(0).integers(0, 4096, SAMPLES).astype(np.uint16)

    def scan() -> None:
        samples.min()
        samples.max()

    yield compare(
        "overview of 100 M samples", "a.min() + a.max()", 4.0, lambda: Overview.of(samples), scan
    )
    overview = Overview.of(samples)
    for name, begin, end in (
        ("whole take", 0, SAMPLES),
        ("middle", 31_234_567, 63_456_789),
        ("near", 10**6, 10**6 + 90_000),
    ):
        yield compare(
            f"columns, 1600 px, {name}",
            "one scan of the whole take",
            1 / 100,
            partial(overview.columns, begin, end, 1600),
            scan,
        )


def _append(path: Path, block: np.ndarray) -> None:
    with path.open("wb") as stream:
        for _ in range(BLOCKS):
            stream.write(block)  # type: ignore[arg-type]
            stream.flush()


def _record(path: Path, block: np.ndarray) -> None:
    writer = TakeWriter(path, "", "", 1)
    ticks, items = np.zeros(1, dtype=np.int64), np.array([len(block)], dtype=np.int64)
    for number in range(BLOCKS):
        writer.add_run(SampleRun(0, number * len(block), block, ticks, items, False))
        writer.flush_if_due()
    writer.close()
