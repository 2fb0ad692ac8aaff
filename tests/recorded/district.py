"""The tests that each district has of its recorded answers."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import edited
from tests.core.judge.test_mistakes import MISTAKES
from tests.paths import EXAMPLE_FILES
from tests.recorded.figures import check_recorded
from tests.recorded.questions import answers, changed_answers
from tests.recorded.variations import CASES, VARIED, variations
from wattigram.core.model.design import Workspace, open_workspace

Test = Callable[..., Any]


def name_of(path: Path) -> str:
    """What the answers about a design are kept under."""
    return path.stem.split(".")[0]


def recorded_tests(district: str) -> tuple[Test, Test, Test]:
    """Every answer about examples and designs that came out wrong; what changes of theirs move; what
    each mistake moves."""
    package = f"wattigram.core.{district}"

    @pytest.mark.parametrize("path", [*EXAMPLE_FILES, *CASES], ids=name_of)
    def test_figures(path: Path) -> None:
        check_recorded(f"{district}/{name_of(path)}", answers(package, open_workspace(path)))

    @pytest.mark.parametrize("path", VARIED, ids=name_of)
    def test_changes(path: Path) -> None:
        workspace = open_workspace(path)
        moved = changed_answers(package, workspace, variations(workspace))
        check_recorded(f"{district}/{name_of(path)}-changed", moved)

    def test_mistakes(kiln: Workspace) -> None:
        wrong = ((mistake.name, edited(kiln, *mistake.edits)) for mistake in MISTAKES)
        check_recorded(f"{district}/mistakes", changed_answers(package, kiln, wrong))

    return test_figures, test_changes, test_mistakes
