"""Every example is sound, runs, and does what it says."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.paths import EXAMPLE_FILES
from wattigram.core.advise.findings import find_all
from wattigram.core.capture.recording import open_recording
from wattigram.core.capture.recording.into_take import bring_in
from wattigram.core.capture.take import Take, open_take
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
        "kiln-print",
        "kiln-ramp",
        "kiln-safety",
        "pedal-to-wheel",
        "pottery-log",
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


DOCS = Path(__file__).parents[1] / "docs/examples"


def test_what_another_tool_has_logged_is_proved(tmp_path: Path) -> None:
    folder = EXAMPLE_FILES[0].parents[1] / "pottery-log"
    workspace = open_workspace(folder)
    with open_recording(folder / "firing-log.csv") as log:
        assert [(channel.name, channel.unit) for channel in log.channels] == [
            ("Chamber", "V"),
            ("Fan", "V"),
        ]
        channels = {"Chamber": "Chamber", "Fan supply": "Fan"}
        bring_in(log, workspace, channels, tmp_path / "firing.h5")
    with open_take(tmp_path / "firing.h5") as take:
        proof = prove(workspace, take)
    assert proof.count("holds") == len(proof.verdicts) == 4


def test_the_notebook_runs_from_top_to_bottom(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    notebook = json.loads((DOCS / "kiln.ipynb").read_text(encoding="utf-8"))
    names: dict[str, object] = {}
    shown: object = None
    for cell in notebook["cells"]:
        if cell["cell_type"] != "code":
            continue
        *before, last = "".join(cell["source"]).rstrip().split("\n")
        exec("\n".join(before), names)
        try:
            shown = eval(last, names)
        except SyntaxError:
            exec("\n".join([*before, last]), names)
    assert shown is True


def test_the_suite_for_a_board_in_the_loop_passes(tmp_path: Path) -> None:
    suite, project = DOCS / "test_kiln.py", EXAMPLE_FILES[0].parents[1] / "studio-kiln"
    (tmp_path / "pytest.ini").write_text("[pytest]\n")
    (tmp_path / "test_kiln.py").write_text(suite.read_text())
    outcome = subprocess.run(
        [
            sys.executable,
            "-m",
            "pytest",
            "-q",
            "-p",
            "no:xdist",
            "-p",
            "no:cacheprovider",
            f"--wattigram-project={project}",
        ],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=False,
    )
    assert outcome.returncode == 0, outcome.stdout
    assert "3 passed" in outcome.stdout
