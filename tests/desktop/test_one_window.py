"""A project has one window: whoever opens it again is shown that."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QProcess

from tests.desktop.conftest import Wait
from wattigram.desktop.controllers.one_window import server_name, show_elsewhere
from wattigram.desktop.shell.window import MainWindow

OpenWindow = Callable[[Path], MainWindow]


def other_project(project: Path) -> Path:
    path = project.with_name("other.wattigram.toml")
    path.write_text(project.read_text().replace("studio-kiln", "other"))
    return path


def test_a_project_that_is_open_is_not_opened_twice(
    open_window: OpenWindow, project: Path, wait: Wait
) -> None:
    first = open_window(project)
    other = other_project(project)
    second = open_window(other)
    first.showMinimized()
    second.files.open(project)
    assert second.document.path == other
    assert "open in another window" in second.notice.text
    wait(lambda: not first.isMinimized())
    second.files.open(other)
    assert second.document.path == other, "its own it may read again"
    second.files.save_to(project, overwrite=True)
    assert "Choose another name" in second.notice.text
    assert "other" not in project.read_text()
    first.close()
    second.files.open(project)
    assert second.document.path == project
    assert not show_elsewhere(other), "it is let go with the window's other project"


def test_a_saved_copy_has_the_window(open_window: OpenWindow, project: Path) -> None:
    window = open_window(project)
    copy = project.with_name("copy.wattigram.toml")
    window.files.save_to(copy)
    assert window.document.path == copy
    assert not show_elsewhere(project)
    assert show_elsewhere(copy)


def test_a_window_of_its_own_is_another_process(
    open_window: OpenWindow, project: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(project)
    started: list[list[str]] = []

    def start(program: str, arguments: list[str]) -> tuple[bool, int]:
        started.append([program, *arguments])
        return True, 1

    monkeypatch.setattr(QProcess, "startDetached", start)
    other = other_project(project)
    window.files.open_beside(other)
    assert started == [[sys.executable, "-m", "wattigram", "open", str(other)]]
    window.files.open_beside(project.with_name("nobody.wattigram.toml"))
    assert len(started) == 2, "the other window says what is wrong"
    assert window.actions_list.named("Open a project in a window of its own…") is not None


def test_the_command_shows_the_window_that_is_there(
    open_window: OpenWindow, project: Path, wait: Wait
) -> None:
    window = open_window(project)
    window.showMinimized()
    done = subprocess.run(
        [sys.executable, "-m", "wattigram", "open", str(project)],
        capture_output=True,
        text=True,
        check=False,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )
    assert done.returncode == 0, done.stderr
    assert "is open in a window" in done.stdout
    wait(lambda: not window.isMinimized())


def test_names_tell_projects_apart(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    one, two = tmp_path / "a.wattigram.toml", tmp_path / "b.wattigram.toml"
    assert server_name(one) != server_name(two)
    (tmp_path / "link").symlink_to(tmp_path)
    assert server_name(tmp_path / "link" / "a.wattigram.toml") == server_name(one)
    before = server_name(one)
    monkeypatch.setenv("WATTIGRAM_STATE", str(tmp_path / "elsewhere"))
    assert server_name(one) != before
