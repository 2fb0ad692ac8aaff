"""Help, examples, and files that are dropped on the window."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent

from tests.desktop.conftest import Wait
from tests.paths import EXAMPLE_FILES, EXAMPLES, KILN
from wattigram import __version__
from wattigram.core.base.logs import log_path, write_report
from wattigram.desktop.controllers.files import example_line
from wattigram.desktop.pages.page_stack import CHAIN, PROOF, STREAMS, WAVE
from wattigram.desktop.shell.help_windows import GuideWindow, TextWindow
from wattigram.desktop.shell.window import MainWindow


def drop(window: MainWindow, *paths: Path) -> bool:
    """Drop files on the window, as a file manager does; says whether they were taken."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    none, left = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton
    actions = Qt.DropAction.CopyAction
    enter = QDragEnterEvent(QPointF(50, 50).toPoint(), actions, data, left, none)
    window.dragEnterEvent(enter)
    if not enter.isAccepted():
        return False
    window.dropEvent(QDropEvent(QPointF(50, 50), actions, data, left, none))
    return True


def text_of(window: MainWindow, action: str) -> str:
    window.actions_list.named(action).trigger()
    shown = window.findChildren(TextWindow)[-1]
    text = shown.text.toPlainText()
    shown.close()
    return str(text)


def test_a_project_and_recordings_are_dropped(
    window: MainWindow, wait: Wait, kiln_take: Path, tmp_path: Path
) -> None:
    assert drop(window, EXAMPLES / "kiln-print")
    assert window.document.workspace.project.name == "kiln-print"
    assert window.windowTitle() == "kiln-print[*] – Wattigram"
    assert drop(window, kiln_take, EXAMPLES / "pottery-log" / "firing-log.csv")
    assert window.stack.currentIndex() == STREAMS
    page = window.streams_page
    wait(lambda: page.data is not None and page.data.path.name == "firing-log.csv")
    assert page.takes.count() == 2
    strange = tmp_path / "letter.odt"
    strange.write_text("")
    assert drop(window, strange, KILN)
    assert window.document.workspace.project.name == "studio-kiln"
    assert "letter.odt: not opened" in window.notice.text


def test_what_is_no_file_is_not_taken(window: MainWindow) -> None:
    data = QMimeData()
    data.setText("some words")
    event = QDragEnterEvent(
        QPointF(1, 1).toPoint(),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    event.setAccepted(False)
    window.dragEnterEvent(event)
    assert not event.isAccepted()


def test_the_title_says_whether_it_is_saved(window: MainWindow) -> None:
    assert not window.isWindowModified()
    window.actions_list.named("Add a signal").trigger()
    assert window.isWindowModified()
    window.document.stack.undo()
    assert not window.isWindowModified()


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=lambda path: path.name)
def test_an_example_says_what_it_is_in_a_line(path: Path) -> None:
    line = example_line(path)
    name, said = line.split(": ", 1)
    assert name == path.name.removesuffix(".wattigram.toml")
    assert 10 < len(said) < 130
    assert "#" not in said


def test_an_example_is_opened_as_a_copy_that_can_be_saved(window: MainWindow) -> None:
    line = example_line(EXAMPLES / "kiln-lamp" / "kiln-lamp.wattigram.toml")
    window.actions_list.named(line).trigger()
    path = window.document.path
    assert path is not None
    assert EXAMPLES not in path.parents
    path.write_text(path.read_text().replace("studio", "studio"))
    window.actions_list.named(line).trigger()  # the copy that is there stays
    assert window.document.path == path
    shutil.rmtree(path.parent)


def test_help_shows_words_parts_log_and_reports(window: MainWindow) -> None:
    about = text_of(window, "About Wattigram")
    assert __version__ in about
    for part in ("numpy", "PyQt6", "h5py"):
        assert part in about
    assert "not said" not in about
    log_path().parent.mkdir(parents=True, exist_ok=True)
    log_path().write_text("first line\n" * 3 + "the end of it\n")
    assert "the end of it" in text_of(window, "Show the log")
    assert "No fault" in text_of(window, "Show the newest fault report")
    write_report(ValueError("odd thing"), "testing")
    assert "odd thing" in text_of(window, "Show the newest fault report")
    assert "expected, captured" in text_of(window, "Explain words (glossary)")


def test_the_guide_opens_at_the_page_in_sight_and_leads_on(window: MainWindow) -> None:
    for page, words in ((PROOF, "7. The proof"), (CHAIN, "3. The design"), (WAVE, "Guide: from")):
        window.show_page(page)
        window.actions_list.named("Explain what is in sight (guide)").trigger()
        (guide,) = window.findChildren(GuideWindow)
        assert words in guide.text.toPlainText()
    guide.text.anchorClicked.emit(QUrl("02-part.md"))
    assert "2. Your part" in guide.text.toPlainText()
    assert "screenshots" not in guide.text.toPlainText()
    guide.text.anchorClicked.emit(QUrl("../glossary.md"))
    assert "likely cause" in guide.text.toPlainText()
    guide.text.anchorClicked.emit(QUrl("../firmware.md"))
    assert "firmware.md" in guide.windowTitle()
    guide.close()
