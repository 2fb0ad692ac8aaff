"""Samples through the half-full handlers of built firmware, against real time at the goal's
rate."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

from bench.harness import Row, seconds
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import open_take
from wattigram.core.firmware import build_firmware, find_compiler, write_firmware
from wattigram.core.model.design import open_workspace

FLAME = Path(__file__).parents[1] / "examples" / "flame-watch"
GOAL_HZ = 2e6
RUN_S = 2.0
TRIES = 4


def image_rows() -> Iterator[Row]:
    """Board samples per second of the flame-watch example with its loop of 8192 items; nothing
    without a compiler."""
    compiler = find_compiler()
    if compiler is None:
        return
    workspace = open_workspace(FLAME)
    folder = Path(tempfile.mkdtemp(prefix="wattigram-bench-"))
    try:
        write_firmware(workspace, folder)
        result = build_firmware(folder, workspace.part, compiler)
        take = folder / "take.h5"

        def run(length_s: float) -> float:
            """The shortest of some, for a board is another process and its start takes now more and
            now less."""
            board = f"image:{result.elf}"
            return min(
                seconds(
                    lambda: record_run(
                        workspace, length_s, take, board=board, fast=True, overwrite=True
                    )
                )
                for _ in range(TRIES)
            )

        begin_s = run(0.05)
        ours_s = run(RUN_S + 0.05) - begin_s
        with open_take(take) as taken:
            samples = taken.samples * RUN_S / (RUN_S + 0.05)
        print(
            f"{'':<46}{samples / ours_s / 1e6:.2f} M samples/s through half-full handlers of an "
            "image"
        )
        yield Row(
            "image, half-full handlers",
            "2 M samples/s",
            GOAL_HZ * ours_s / samples,
            1.0,
            ours_s,
            samples / GOAL_HZ,
        )
    finally:
        shutil.rmtree(folder, ignore_errors=True)
