"""Every example is sound, runs, and does what it says."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.paths import EXAMPLE_FILES
from wattigram.core.advise.findings import find_all
from wattigram.core.capture.take import Take
from wattigram.core.judge import prove
from wattigram.core.model.design import open_workspace
from wattigram.core.model.design.project_file import parse_project, project_text

FINISHED = [path for path in EXAMPLE_FILES if path.parent.name != "studio-kiln"]


def test_there_are_the_examples_that_the_readme_names() -> None:
    readme = (Path(__file__).parents[1] / "README.md").read_text()
    names = [
        "converter-checkup",
        "flame-watch",
        "glaze-mixer",
        "kiln-lamp",
        "kiln-ramp",
        "kiln-safety",
        "pedal-to-wheel",
        "studio-kiln",
        "wheel-pedal",
    ]
    assert sorted({path.parent.name for path in EXAMPLE_FILES}) == names
    assert all(name in readme for name in names)


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=lambda path: path.name)
def test_an_example_is_saved_as_it_was_read(path: Path) -> None:
    project = open_workspace(path).project
    assert parse_project(project_text(project), "again") == project


@pytest.mark.parametrize("path", FINISHED, ids=lambda path: path.name)
def test_an_example_has_no_fault_and_its_proof_holds(
    path: Path, take_of: Callable[..., Take]
) -> None:
    workspace = open_workspace(path)
    assert [finding.code for finding in find_all(workspace) if finding.severity != "note"] == []
    proof = prove(workspace, take_of(workspace, 4.4))
    assert [verdict.text for verdict in proof.verdicts if verdict.outcome != "holds"] == []
    assert proof.causes == ()
