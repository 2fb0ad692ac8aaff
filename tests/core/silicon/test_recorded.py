"""Every answer of this district about every example, and about changed ones, as it was."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import edited
from tests.core.judge.test_mistakes import MISTAKES
from tests.paths import EXAMPLE_FILES
from tests.recorded.figures import check_recorded
from tests.recorded.questions import answers, changed_answers
from tests.recorded.variations import CASES, VARIED, variations
from wattigram.core.model.design import Workspace, open_workspace

PACKAGE = "wattigram.core.silicon"


@pytest.mark.parametrize("path", [*EXAMPLE_FILES, *CASES], ids=lambda path: path.stem.split(".")[0])
def test_figures_are_as_recorded(path: Path) -> None:
    workspace = open_workspace(path)
    check_recorded(f"silicon/{path.stem.split('.')[0]}", answers(PACKAGE, workspace))


@pytest.mark.parametrize("path", VARIED, ids=lambda path: path.stem.split(".")[0])
def test_changes_move_the_figures_that_are_recorded(path: Path) -> None:
    workspace = open_workspace(path)
    moved = changed_answers(PACKAGE, workspace, variations(workspace))
    check_recorded(f"silicon/{path.stem.split('.')[0]}-changed", moved)


def test_mistakes_move_the_figures_that_are_recorded(kiln: Workspace) -> None:
    wrong = ((mistake.name, edited(kiln, *mistake.edits)) for mistake in MISTAKES)
    check_recorded("silicon/mistakes", changed_answers(PACKAGE, kiln, wrong))
