"""The maker of small mistakes: each can be made, differs from what was there, and is put back."""

from __future__ import annotations

import ast
import subprocess
import sys
from pathlib import Path

import pytest
from tools import mutate

SOURCE = '''
"""A module."""
LIMIT = 3


def share(part: int, whole: int, *, strict: bool = False) -> float:
    """A share."""
    if part > whole and not strict:
        return 1.0
    return max(part, 0) / whole if whole else 0.0
'''


@pytest.fixture
def source(tmp_path: Path) -> Path:
    path = tmp_path / "share.py"
    path.write_text(SOURCE)
    return path


def test_every_mistake_changes_the_program_and_nothing_of_its_constants(source: Path) -> None:
    plain = ast.unparse(ast.parse(SOURCE))
    mistakes = mutate.mistakes_in(source)
    made = [mutate.mutated(mistake) for mistake in mistakes]
    assert {mistake.what for mistake in mistakes} == {
        "comparison",
        "operator",
        "and / or",
        "not",
        "constant",
        "branches",
        "function",
    }
    assert all(text != plain for text in made)
    assert len(set(made)) == len(made)
    assert all("LIMIT = 3" in text for text in made)
    assert source.read_text() == SOURCE


@pytest.mark.parametrize(("test", "is_caught"), [("assert share(1, 2) == 0.5", True), ("", False)])
def test_a_mistake_is_caught_by_a_test_that_fails(
    source: Path, monkeypatch: pytest.MonkeyPatch, test: str, is_caught: bool
) -> None:
    tests = source.parent / "test_share.py"
    tests.write_text(f"from share import share\n\ndef test_it():\n    {test or 'pass'}\n")
    monkeypatch.setattr(mutate, "ROOT", source.parent)
    division = next(known for known in mutate.mistakes_in(source) if known.what == "operator")
    assert mutate.is_caught(division, tests) is is_caught
    assert source.read_text() == SOURCE


def test_tests_stand_beside_the_package_or_above() -> None:
    assert mutate.tests_of("core/predict/timing").name == "timing"
    assert mutate.tests_of("core/predict/timing/cycle").name == "timing"


def test_it_runs_as_a_program() -> None:
    done = subprocess.run(
        [sys.executable, "tools/mutate.py", "core/base/cache", "--count", "0"],
        cwd=mutate.ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0
    assert "0 of 0 caught" in done.stdout
