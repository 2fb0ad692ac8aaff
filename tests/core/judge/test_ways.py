"""How figures are worked out: those that follow from others are, and nothing is left without a word."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest

from wattigram.core.capture.recording import Recording, open_recording
from wattigram.core.capture.session import record_run
from wattigram.core.judge.measured import KINDS, Measured, Wanted, explanation_of, measure, way_of
from wattigram.core.judge.measured.ways import WAYS
from wattigram.core.model.design import Workspace

RATE_HZ, COUNT = 10_000.0, 40_000


@pytest.fixture(scope="module")
def recording(tmp_path_factory: pytest.TempPathFactory) -> Recording:
    """A sine, the same later and weaker, and a step, with some noise in all."""
    rng = np.random.default_rng(5)
    at_s = np.arange(COUNT) / RATE_HZ
    noise = rng.normal(0, 2e-3, (3, COUNT))
    first = 1.6 + np.sin(2 * np.pi * 50 * at_s) + 0.01 * np.sin(2 * np.pi * 150 * at_s)
    second = 1.2 + 0.5 * np.sin(2 * np.pi * 50 * (at_s - 1e-3))
    step = 0.5 + 1.5 * (1 - np.exp(-np.maximum(0, at_s - 1.0) / 0.05))
    path = tmp_path_factory.mktemp("ways") / "made.npz"
    columns = np.column_stack((first, second, step)) + noise.T
    np.savez(path, time_s=at_s, first=columns[:, 0], second=columns[:, 1], step=columns[:, 2])
    return open_recording(path)


def _measured(recording: Recording) -> list[Measured]:
    names = [channel.name for channel in recording.channels]
    one, two, step = (
        next(name for name in names if word in name) for word in ("first", "second", "step")
    )
    wanted = [
        Wanted("statistics", (one,)),
        Wanted("sine", (one,)),
        Wanted("spectrum", (one,)),
        Wanted("intervals", (one,), level=1.6),
        Wanted("folded", (one,), period_s=0.02),
        Wanted("step", (step,)),
        Wanted("gain", (one, two), frequency_hz=50.0),
        Wanted("against", (one, two)),
        Wanted("difference", (one, two)),
        Wanted("lag", (one, two)),
    ]
    return [measure(recording, each) for each in wanted]


def test_what_follows_from_other_figures_does(recording: Recording) -> None:
    formulas = set()
    for measured in _measured(recording):
        for figure in measured.figures:
            assert way_of(measured.kind, figure.key) is not None, (measured.kind, figure.key)
            why = explanation_of(measured, figure.key)
            if why is None:
                continue
            formulas.add((measured.kind, figure.key))
            assert why.value == pytest.approx(figure.value, rel=1e-6), (measured.kind, figure.key)
            assert why.title == figure.title
    assert formulas == {
        ("statistics", "rms"),
        ("statistics", "peak-to-peak"),
        ("sine", "snr"),
        ("sine", "enob"),
        ("intervals", "frequency"),
        ("step", "height"),
        ("gain", "gain-db"),
        ("gain", "delay"),
    }


def test_every_formula_is_of_figures_that_there_are() -> None:
    keys = {kind.name: {key for of, key in WAYS if of == kind.name} for kind in KINDS}
    for (kind, key), way in WAYS.items():
        assert kind in keys
        assert way.text.endswith(".")
        names = set(re.findall(r"[a-z][a-z_]*", way.formula)) - {"sqrt", "log", "samples"}
        assert {name.replace("_", "-") for name in names} <= keys[kind] - {key}, (kind, key)


def test_codes_and_counts_follow_too(kiln: Workspace, tmp_path: Path) -> None:
    record_run(kiln, 2.0, tmp_path / "kiln.h5", fast=True)
    recording = open_recording(tmp_path / "kiln.h5")
    seen = {}
    for kind in ("statistics", "histogram", "sine", "expected"):
        measured = measure(
            recording, Wanted(kind, ("Coil current",), stimulus="sine" * (kind == "histogram"))
        )
        for figure in measured.figures:
            assert way_of(kind, figure.key) is not None, (kind, figure.key)
            why = explanation_of(measured, figure.key)
            if why is not None:
                seen[kind, figure.key] = why
                assert why.value == pytest.approx(figure.value, rel=1e-6), (kind, figure.key)
    assert {("statistics", "std-lsb"), ("histogram", "absent"), ("sine", "enob-full-scale")} <= set(
        seen
    )
