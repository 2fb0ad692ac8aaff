"""Proving a take, against reading it once and one FFT of each signal."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from bench.harness import Row, compare
from bench.start import KILN
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import open_take
from wattigram.core.judge import prove
from wattigram.core.model.design import open_workspace

SECONDS = 20.0


def proof_rows() -> Iterator[Row]:
    """A take of 20 s of the demo project, proved."""
    workspace = open_workspace(KILN)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "take.h5"
        record_run(workspace, SECONDS, path, seed=7, fast=True)

        def ours() -> None:
            with open_take(path) as take:
                prove(workspace, take)

        def bound() -> None:
            with open_take(path) as take:
                for signal in workspace.project.signals:
                    samples = take.raw(signal.name)
                    assert samples is not None
                    np.fft.rfft(samples.volts)

        yield compare("prove a take of 20 s", "one read + one FFT a signal", 10.0, ours, bound)
