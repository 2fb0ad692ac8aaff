"""What scripts rely on: the names, what they do, and that they cost nothing before they are used."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

import wattigram
from tests.paths import KILN
from wattigram import api

NAMES = {
    "Edit",
    "Finding",
    "WattigramError",
    "Workspace",
    "edited",
    "edits",
    "findings",
    "open_project",
    "open_take",
    "prove",
    "run",
    "save",
    "write_firmware",
}


def test_public_names_stay() -> None:
    assert set(api.__all__) == NAMES
    assert all(getattr(wattigram, name) is getattr(api, name) for name in NAMES)
    with pytest.raises(AttributeError, match="nonsense"):
        wattigram.nonsense  # noqa: B018


def test_a_design_is_mended_run_and_proved(tmp_path: Path) -> None:
    kiln = wattigram.open_project(KILN)
    found = wattigram.findings(kiln)
    assert [finding.code for finding in found] == ["sampling-too-short"]
    with pytest.raises(wattigram.WattigramError, match="divider 5"):
        wattigram.edited(kiln, wattigram.edits.SetDivider("ADC 1", 5))
    mended = wattigram.edited(kiln, wattigram.edits.SetSampling("ADC 1", 2, 384))
    assert wattigram.findings(mended) == ()
    wattigram.save(mended, tmp_path / "mended.wattigram.toml")
    assert wattigram.open_project(tmp_path / "mended.wattigram.toml").project == mended.project
    told: list[float] = []
    outcome = wattigram.run(mended, 5.0, tmp_path / "take.h5", seed=7, progress=told.append)
    assert outcome.is_whole
    assert told == sorted(told)
    with wattigram.open_take(tmp_path / "take.h5") as take:
        proof = wattigram.prove(mended, take)
    assert len(proof.verdicts) == 8
    assert proof.all_hold
    written = wattigram.write_firmware(mended, tmp_path / "c")
    assert "wg_design.c" in written.new


def test_the_package_alone_loads_nothing() -> None:
    code = "import sys, wattigram; print([m for m in sys.modules if m.startswith('wattigram.')])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_the_interface_knows_no_window() -> None:
    code = "import sys, wattigram.api; print([m for m in sys.modules if 'PyQt6' in m or 'desktop' in m])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_the_example_of_the_docs_runs(tmp_path: Path) -> None:
    text = (Path(__file__).parents[1] / "docs/api.md").read_text(encoding="utf-8")
    code = text.split("```python\n")[1].split("```")[0]
    code = code.replace("studio-kiln.wattigram.toml", str(KILN))
    done = subprocess.run(
        [sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout.split()[1] == "True"
