"""Names of takes that are numbered, also where several programs record at the same time."""

from __future__ import annotations

from pathlib import Path

import pytest

from wattigram.core.design import Workspace
from wattigram.core.errors import TakeError
from wattigram.core.session import record_run
from wattigram.core.take import TakeWriter, open_take
from wattigram.core.take.numbered import next_take_path, write_numbered


def writer(path: Path) -> TakeWriter:
    return TakeWriter(path, "", "0", 1)


def test_takes_are_numbered_on(tmp_path: Path) -> None:
    folder = tmp_path / "takes"
    assert next_take_path(folder).name == "take 1.h5"
    for name in ("take 1.h5", "take 9.h5", "take x.h5", "other.h5"):
        (folder / name).touch()
    assert next_take_path(folder).name == "take 10.h5"


def test_two_who_chose_the_same_name_both_write(tmp_path: Path) -> None:
    path = next_take_path(tmp_path)
    first, second = (write_numbered(path, writer) for _ in range(2))
    assert (first.path.name, second.path.name) == ("take 1.h5", "take 2.h5")
    first.close()
    second.close()


def test_what_is_wrong_with_the_folder_is_told_at_once(tmp_path: Path) -> None:
    tried: list[Path] = []

    def refuse(path: Path) -> TakeWriter:
        tried.append(path)
        raise TakeError("The take cannot be written: No space left on device.", where=str(path))

    with pytest.raises(TakeError, match="No space left"):
        write_numbered(tmp_path / "take 1.h5", refuse)
    assert len(tried) == 1


def test_a_run_takes_the_next_name_and_says_which(kiln: Workspace, tmp_path: Path) -> None:
    other = tmp_path / "take 3.h5"
    other.write_bytes(b"of another program")
    outcome = record_run(kiln, 0.02, tmp_path / "take 3.h5", fast=True, numbered=True)
    assert outcome.take.name == "take 4.h5"
    assert other.read_bytes() == b"of another program"
    with open_take(outcome.take) as take:
        assert take.complete
