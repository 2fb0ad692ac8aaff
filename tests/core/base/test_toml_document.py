from __future__ import annotations

import os
from pathlib import Path

import pytest

from wattigram.core.base.errors import ProjectError
from wattigram.core.base.toml_document import LARGEST_FILE_BYTES, read_text, write_atomically


def test_writing_replaces_the_file_in_one_step(tmp_path: Path) -> None:
    path = tmp_path / "a.toml"
    path.write_text("old")
    write_atomically(path, "new", ProjectError)
    assert path.read_text() == "new"
    assert list(tmp_path.iterdir()) == [path]


def test_bytes_are_written_as_they_are(tmp_path: Path) -> None:
    write_atomically(tmp_path / "a.pdf", b"\xff\r\n\x00", ProjectError)
    assert (tmp_path / "a.pdf").read_bytes() == b"\xff\r\n\x00"


def test_the_old_file_stays_when_the_folder_is_gone(tmp_path: Path) -> None:
    with pytest.raises(ProjectError, match="cannot be written"):
        write_atomically(tmp_path / "none" / "a.toml", "new", ProjectError)


def test_the_mode_of_a_file_is_kept(tmp_path: Path) -> None:
    path = tmp_path / "a.toml"
    path.write_text("old")
    os.chmod(path, 0o600)
    write_atomically(path, "new", ProjectError)
    assert path.stat().st_mode & 0o777 == 0o600


@pytest.mark.parametrize(
    ("content", "words"),
    [(b"\xff\xfe", "not UTF-8"), (b"x" * (LARGEST_FILE_BYTES + 1), "more than")],
    ids=["not text", "too large"],
)
def test_files_that_are_no_text_are_refused(tmp_path: Path, content: bytes, words: str) -> None:
    path = tmp_path / "a.toml"
    path.write_bytes(content)
    with pytest.raises(ProjectError, match=words) as fault:
        read_text(path, ProjectError)
    assert fault.value.where == str(path)


def test_a_missing_file_and_a_folder_are_sentences(tmp_path: Path) -> None:
    for path in (tmp_path / "none", tmp_path, Path("a\x00b")):
        with pytest.raises(ProjectError, match="cannot be read"):
            read_text(path, ProjectError)
