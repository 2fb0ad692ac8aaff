"""The document by itself: undo, drags, files and recovery."""

from __future__ import annotations

from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from tests.conftest import CURE, KILN
from wattigram.core.design import Workspace, load_project, open_workspace
from wattigram.core.design.edits import SetDivider, SetLoopItems, SetSampling
from wattigram.core.errors import ProjectError, WattigramError
from wattigram.desktop.app import first_workspace
from wattigram.desktop.document import Document, read_recovery
from wattigram.desktop.settings import Settings


@pytest.fixture
def document(qtbot: QtBot, kiln: Workspace, tmp_path: Path) -> Document:
    return Document(kiln, None, tmp_path / "recovery.toml")


def sampling(document: Document) -> int:
    return document.workspace.project.chains[0].slots[2].sampling_cycles


def test_an_edit_is_one_named_step(document: Document, qtbot: QtBot) -> None:
    with qtbot.waitSignal(document.changed) as change:
        assert document.edit(CURE)
    after, before = change.args
    assert (after, before.project.chains[0].slots[2].sampling_cycles) == (document.workspace, 32)
    assert document.stack.undoText() == CURE.label
    document.stack.undo()
    assert sampling(document) == 32
    assert document.stack.redoText() == CURE.label


def test_what_changes_nothing_is_no_step(document: Document) -> None:
    assert not document.edit(SetSampling("ADC 1", 2, 32))
    assert document.stack.count() == 0
    assert document.is_clean


def test_what_cannot_be_is_said_and_is_no_step(document: Document, qtbot: QtBot) -> None:
    with qtbot.waitSignal(document.refused) as why:
        assert not document.edit(SetDivider("ADC 1", 5))
    assert "Choose one of 1, 2, 3" in why.args[0]
    assert document.stack.count() == 0


def test_a_drag_is_one_step_and_the_next_is_another(document: Document) -> None:
    for cycles in ((64, 128, 384), (128, 64)):
        document.begin_drag()
        for count in cycles:
            document.edit(SetSampling("ADC 1", 2, count))
        document.end_drag()
    assert document.stack.count() == 2
    assert sampling(document) == 64
    document.stack.undo()
    assert sampling(document) == 384
    document.stack.undo()
    assert sampling(document) == 32


def test_findings_follow_the_design(document: Document) -> None:
    assert [finding.code for finding in document.findings] == ["sampling-too-short"]
    assert document.findings is document.findings
    document.edit(CURE)
    assert document.findings == ()
    document.edit(SetLoopItems("ADC 1", 510))
    assert [finding.code for finding in document.findings] == ["loop-out-of-step"]


def test_saving_and_loading(document: Document, tmp_path: Path, qtbot: QtBot) -> None:
    document.edit(CURE)
    path = tmp_path / "saved.wattigram.toml"
    document.save(path)
    assert document.is_clean
    assert load_project(path) == document.workspace.project
    document.edit(SetLoopItems("ADC 1", 256))
    assert not document.is_clean
    with qtbot.waitSignal(document.replaced):
        document.load(path)
    assert document.stack.count() == 0
    assert document.workspace.project.chains[0].loop.items == 512


def test_a_save_that_fails_changes_nothing(document: Document, tmp_path: Path) -> None:
    document.edit(CURE)
    with pytest.raises(ProjectError):
        document.save(tmp_path / "none" / "x.toml")
    assert document.path is None
    assert not document.is_clean


def test_a_load_that_fails_changes_nothing(document: Document, tmp_path: Path) -> None:
    document.edit(CURE)
    with pytest.raises(WattigramError):
        document.load(tmp_path / "none.toml")
    assert sampling(document) == 384
    assert document.stack.count() == 1


def test_recovery_knows_its_file(document: Document, tmp_path: Path) -> None:
    recovery = tmp_path / "recovery.toml"
    document.flush_recovery()
    assert not recovery.exists()
    document.path = tmp_path / "project.wattigram.toml"
    document.edit(CURE)
    document.flush_recovery()
    found = read_recovery(recovery)
    assert found is not None
    assert found[0].project == document.workspace.project
    assert found[1] == document.path
    document.discard_recovery()
    assert read_recovery(recovery) is None


@pytest.mark.parametrize("content", [b"", b"\xff", b"# recovered from: x\nformat = 1", b"nonsense"])
def test_a_damaged_recovery_is_passed_over(tmp_path: Path, content: bytes) -> None:
    path = tmp_path / "recovery.toml"
    path.write_bytes(content)
    assert read_recovery(path) is None


def test_the_first_project_is_the_last_one_then_the_demo(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("WATTIGRAM_CONFIG", str(tmp_path / "config"))
    settings = Settings()
    assert first_workspace(None, settings)[1] == KILN
    mine = tmp_path / "mine.wattigram.toml"
    mine.write_text(KILN.read_text().replace('name = "studio-kiln"', 'name = "mine"', 1))
    settings.add_recent(mine)
    assert first_workspace(None, settings)[0].project.name == "mine"
    assert first_workspace(KILN.parent, settings) == (open_workspace(KILN), KILN)
    monkeypatch.setattr("wattigram.desktop.app.EXAMPLE", tmp_path / "gone")
    mine.unlink()
    workspace, path = first_workspace(None, settings)
    assert (workspace.project.name, path, workspace.project.chains) == ("untitled", None, ())
