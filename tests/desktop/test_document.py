"""The document by itself: undo, drags, files and recovery."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from tests.conftest import CURE
from tests.paths import KILN
from wattigram.core.base.errors import ProjectError, WattigramError
from wattigram.core.model.design import Workspace, load_project, open_workspace
from wattigram.core.model.design.edits import SetBufferLength, SetDivider, SetSampling
from wattigram.desktop.shell.app import first_workspace
from wattigram.desktop.state.document import ChangedOnDiskError, Document, OnDisk
from wattigram.desktop.state.recovery import (
    PROJECT,
    RecoveryCopy,
    abandoned,
    adopt_old_copy,
    copies_folder,
)
from wattigram.desktop.state.settings import Settings


@pytest.fixture
def document(qtbot: QtBot, kiln: Workspace, tmp_path: Path) -> Document:
    return Document(kiln, None, RecoveryCopy(copies_folder(tmp_path)))


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
    document.edit(SetBufferLength("ADC 1", 510))
    assert [finding.code for finding in document.findings] == ["loop-out-of-step"]


def test_saving_and_loading(document: Document, tmp_path: Path, qtbot: QtBot) -> None:
    document.edit(CURE)
    path = tmp_path / "saved.wattigram.toml"
    document.save(path)
    assert document.is_clean
    assert load_project(path) == document.workspace.project
    document.edit(SetBufferLength("ADC 1", 256))
    assert not document.is_clean
    with qtbot.waitSignal(document.replaced):
        document.load(path)
    assert document.stack.count() == 0
    assert document.workspace.project.chains[0].buffer.samples == 512


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
    document.flush_recovery()
    assert not copies_folder(tmp_path).exists()
    document.path = tmp_path / "project.wattigram.toml"
    document.edit(CURE)
    document.flush_recovery()
    assert abandoned(tmp_path) == []  # its window still lives
    document.close()
    found = abandoned(tmp_path)[0].read()
    assert found.workspace.project == document.workspace.project
    assert found.origin == document.path
    abandoned(tmp_path)[0].discard()
    assert abandoned(tmp_path) == []


def test_each_window_keeps_its_own_copy(qtbot: QtBot, kiln: Workspace, tmp_path: Path) -> None:
    windows = [Document(kiln, None, RecoveryCopy(copies_folder(tmp_path))) for _ in range(2)]
    for number, one in enumerate(windows):
        one.edit(SetSampling("ADC 1", number, 384))
        one.flush_recovery()
    windows[0].close()
    offered = abandoned(tmp_path)
    assert [one.read().workspace.project for one in offered] == [windows[0].workspace.project]
    windows[1].stack.undo()
    windows[1].close()  # nothing of it is unsaved
    assert len(abandoned(tmp_path)) == 1


def test_a_killed_process_leaves_its_copy(tmp_path: Path) -> None:
    code = (
        "import os, sys; from pathlib import Path\n"
        "from wattigram.core.model.design import open_workspace\n"
        "from wattigram.desktop.state.recovery import RecoveryCopy, copies_folder\n"
        "copy = RecoveryCopy(copies_folder(Path(sys.argv[1])))\n"
        "copy.write(open_workspace(Path(sys.argv[2])), None, 'untitled 1')\n"
        "os.kill(os.getpid(), 9)\n"
    )
    ended = subprocess.run([sys.executable, "-c", code, str(tmp_path), str(KILN)], check=False)
    assert ended.returncode == -9
    found = abandoned(tmp_path)[0]
    assert "studio-kiln" in found.title
    assert found.read().takes == "untitled 1"


@pytest.mark.parametrize("content", [b"", b"\xff", b"# recovered from: x\nformat = 1", b"nonsense"])
def test_a_damaged_copy_gives_a_sentence_and_stays(tmp_path: Path, content: bytes) -> None:
    path = copies_folder(tmp_path) / "copy 1"
    path.mkdir(parents=True)
    (path / PROJECT).write_bytes(content)
    with pytest.raises(ProjectError):
        abandoned(tmp_path)[0].read()
    assert (path / PROJECT).read_bytes() == content


def test_the_copy_of_an_earlier_version_is_offered(tmp_path: Path) -> None:
    (tmp_path / "recovery.wattigram.toml").write_text(
        "# recovered from: /home/a/kiln.wattigram.toml\n" + KILN.read_text()
    )
    adopt_old_copy(tmp_path, tmp_path)
    found = abandoned(tmp_path)[0].read()
    assert found.origin == Path("/home/a/kiln.wattigram.toml")
    assert not (tmp_path / "recovery.wattigram.toml").exists()


def test_a_recovered_project_brings_its_own_part(
    qtbot: QtBot, own_part: Path, tmp_path: Path
) -> None:
    document = Document(open_workspace(own_part), own_part, RecoveryCopy(copies_folder(tmp_path)))
    document.edit(SetSampling("ADC 1", 0, 384))
    document.close()
    (own_part.parent / "mine.toml").unlink()
    found = abandoned(tmp_path)[0].read()
    document.recover(found)
    saved = tmp_path / "q.wattigram.toml"
    document.save(saved)
    assert open_workspace(saved).part == document.workspace.part
    document.close()


# What other programs do to the file


@pytest.fixture
def saved(document: Document, tmp_path: Path) -> Path:
    path = tmp_path / "kiln.wattigram.toml"
    document.save(path)
    return path


def test_a_file_changed_by_another_program_is_not_overwritten(
    document: Document, saved: Path
) -> None:
    saved.write_text(saved.read_text() + "# theirs\n")
    document.edit(CURE)
    assert document.on_disk is OnDisk.CHANGED
    with pytest.raises(ChangedOnDiskError):
        document.save(saved)
    assert saved.read_text().endswith("# theirs\n")
    assert not document.is_clean
    document.keep_own()
    document.save(saved)
    assert "# theirs" not in saved.read_text()
    assert document.on_disk is OnDisk.SAME


def test_a_reload_is_one_step_that_can_be_undone(document: Document, saved: Path) -> None:
    document.edit(CURE)
    mine = document.workspace.project
    saved.write_text(KILN.read_text().replace("studio-kiln", "theirs", 1))
    document.reload()
    assert (document.workspace.project.name, document.is_clean) == ("theirs", True)
    document.stack.undo()
    assert (document.workspace.project, document.is_clean) == (mine, False)


def test_a_newer_programs_file_is_not_overwritten(document: Document, saved: Path) -> None:
    newer = saved.read_text().replace("version = 6", "version = 99")
    saved.write_text(newer)
    with pytest.raises(ProjectError, match="version 99"):
        document.save(saved, overwrite=True)
    assert saved.read_text() == newer


def test_a_file_that_is_gone_is_written_again(document: Document, saved: Path) -> None:
    saved.unlink()
    assert document.on_disk is OnDisk.GONE
    document.edit(CURE)
    document.save(saved)
    assert load_project(saved) == document.workspace.project


def test_saving_through_a_link_keeps_the_link(
    document: Document, saved: Path, tmp_path: Path
) -> None:
    (tmp_path / "real").mkdir()
    real = saved.rename(tmp_path / "real" / "kiln.wattigram.toml")
    saved.symlink_to(real)
    document.edit(CURE)
    document.save(saved)
    assert saved.is_symlink()
    assert load_project(real) == document.workspace.project


def test_the_first_project_is_the_last_one_then_the_demo(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("WATTIGRAM_CONFIG", str(tmp_path / "config"))
    settings = Settings()
    assert first_workspace(None, settings)[1] == KILN
    mine = tmp_path / "mine.wattigram.toml"
    mine.write_text(KILN.read_text().replace('name = "studio-kiln"', 'name = "mine"', 1))
    settings.add_recent(mine)
    assert first_workspace(None, settings)[0].project.name == "mine"
    assert first_workspace(KILN.parent, settings) == (open_workspace(KILN), KILN, "")
    monkeypatch.setattr("wattigram.desktop.shell.app.STUDIO_KILN", tmp_path / "gone")
    mine.write_text("nonsense")
    workspace, path, why = first_workspace(None, settings)
    assert "cannot be read" in why
    mine.unlink()
    workspace, path, why = first_workspace(None, settings)
    assert why == ""
    assert (workspace.project.name, path, workspace.project.chains) == ("untitled", None, ())
