"""Tests of others that ask for a board, and projects whose expectations are tests: run by a pytest of their own."""

from __future__ import annotations

import shutil
import subprocess
import sys
import xml.etree.ElementTree as ElementTree
from pathlib import Path

import pytest

from tests.paths import KILN
from tests.patience import PATIENCE_S

OWN = """
def test_the_coil_hums_at_fifty_hertz(board):
    take = board.run(0.5)
    frequency = board.measure(take, "sine", "Coil current").figure("frequency")
    assert abs(frequency.value - 50) < 0.1
    assert board.prove(take).count("holds") >= 3


def test_each_take_has_a_name_of_its_own(board):
    assert board.run(0.1).path != board.run(0.1).path
"""


@pytest.fixture
def suite(tmp_path: Path) -> Path:
    shutil.copy(KILN, tmp_path / "kiln.wattigram.toml")
    (tmp_path / "test_own.py").write_text(OWN)
    (tmp_path / "pytest.ini").write_text("[pytest]\n")
    return tmp_path


def own_pytest(suite: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    command = [
        sys.executable,
        "-m",
        "pytest",
        "-p",
        "no:cacheprovider",
        "-p",
        "no:xdist",
        "-v",
        *arguments,
    ]
    return subprocess.run(
        command, cwd=suite, capture_output=True, text=True, timeout=PATIENCE_S, check=False
    )


def test_a_board_is_there_for_whoever_asks(suite: Path) -> None:
    outcome = own_pytest(suite)
    assert outcome.returncode == 0, outcome.stdout
    assert "2 passed" in outcome.stdout  # no expectation without a board that is named


def test_expectations_are_tests_with_what_was_measured(suite: Path) -> None:
    outcome = own_pytest(
        suite,
        "--wattigram-board",
        "virtual",
        "--wattigram-seconds",
        "3",
        "--junit-xml=j.xml",
        "kiln.wattigram.toml",
    )
    assert outcome.returncode == 1
    assert "1 failed, 7 passed" in outcome.stdout
    assert "likely cause: Sampling too short" in outcome.stdout
    assert "Traceback" not in outcome.stdout
    cases = list(ElementTree.parse(suite / "j.xml").iter("testcase"))
    assert len(cases) == 8
    coil = next(case for case in cases if "50 Hz" in case.attrib["name"])
    told = {one.attrib["name"]: one.attrib["value"] for one in coil.iter("property")}
    assert told["measured"].endswith(" Hz")
    assert float(told["measured"].split()[0]) == pytest.approx(50, abs=0.1)


def test_a_folder_with_several_projects_says_so(suite: Path) -> None:
    shutil.copy(KILN, suite / "other.wattigram.toml")
    outcome = own_pytest(suite, "test_own.py")
    assert outcome.returncode == 1
    assert "say --wattigram-project" in outcome.stdout
    assert (
        own_pytest(suite, "test_own.py", "--wattigram-project", "kiln.wattigram.toml").returncode
        == 0
    )
