"""A take read by somebody who has h5py and nothing of ours: volts over time from what data sets say of themselves."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import h5py
import numpy as np
import pytest

from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import open_take
from wattigram.core.capture.take.repair import repair_take
from wattigram.core.model.design import Workspace, open_workspace

EXAMPLES = Path(__file__).parents[4] / "src/wattigram/examples"


def volts_over_time(data: Any) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    """As docs/take-format.md says it."""
    told, samples = data.attrs, data[()].astype(np.int64)
    slots = len(told["signals"])
    found: dict[str, list[tuple[np.ndarray, np.ndarray]]] = {}
    for slot, signal in enumerate(told["signals"]):
        mine = samples[slot::slots]
        if told["signed"][slot]:
            bits = int(told["item_bits"]) if "item_bits" in told else 32
            mine = np.where(mine >> (bits - 1), mine - (1 << bits), mine)
        if "shift" in told:
            mine = mine >> told["shift"][slot]
        rate_hz = told["scan_rate_hz"] if "scan_rate_hz" in told else told["rate_hz"]
        start_s = told["start_s"][slot] if "start_s" in told else 0.0
        times_s = start_s + np.arange(len(mine)) / rate_hz
        found.setdefault(str(signal), []).append((times_s, mine * told["volts_per_code"][slot]))
    return {
        name: tuple(np.concatenate(part) for part in zip(*parts, strict=True))  # type: ignore[misc]
        for name, parts in found.items()
    }


@pytest.mark.parametrize("repaired", [False, True])
def test_volts_over_time_without_the_project(
    repaired: bool, kiln: Workspace, tmp_path: Path
) -> None:
    path = tmp_path / "t.h5"
    record_run(kiln, 0.5, path, fast=True)
    if repaired:
        repair_take(path, tmp_path / "r.h5")
        path = tmp_path / "r.h5"
    with h5py.File(path) as file, open_take(path) as take:
        for stream in ("0", "1"):
            data = file["streams"][stream]["samples"]
            assert data.attrs["unit"] == "V"
            assert "div" in data.attrs["reading"]
            for name, (times_s, volts) in volts_over_time(data).items():
                known = take.raw(name)
                assert known is not None
                assert volts == pytest.approx(known.volts)
                assert times_s == pytest.approx(known.times_s)
        zone = file["streams"]["128"]["samples"]
        (name, (_, volts)) = next(iter(volts_over_time(zone).items()))
        reduced = take.reduced(name)
        assert reduced is not None
        assert volts == pytest.approx(reduced.volts)


@pytest.mark.parametrize("example", ["kiln-lamp", "glaze-mixer", "flame-watch"])
def test_every_stream_says_what_it_is(example: str, tmp_path: Path) -> None:
    workspace = open_workspace(EXAMPLES / example)
    record_run(workspace, 0.3, tmp_path / "t.h5", fast=True)
    with h5py.File(tmp_path / "t.h5") as file:
        assert len(file["streams"])
        for group in file["streams"].values():
            told = group["samples"].attrs
            assert "reading" in told
            assert "signals" in told or "output" in told
