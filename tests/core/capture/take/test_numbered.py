"""Names of takes that are numbered, also where several programs record at the same time."""

from __future__ import annotations

from pathlib import Path

import pytest

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import TakeWriter, open_take
from wattigram.core.capture.take.atomic_file import temporary_path
from wattigram.core.capture.take.take_numbers import next_take_path, write_numbered
from wattigram.core.model.design import Workspace, project_text


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


def test_a_take_has_its_name_only_once_it_can_be_opened(
    kiln: Workspace, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whenever the program is killed, there is a take of that name or none."""
    path, seen = tmp_path / "t.h5", []
    begin = TakeWriter._begin

    def watched(self: TakeWriter, *rest: str) -> None:
        begin(self, *rest)  # type: ignore[arg-type]
        seen.append(path.exists())

    monkeypatch.setattr(TakeWriter, "_begin", watched)
    writer = TakeWriter(path, project_text(kiln.project), "0", 1)
    assert seen == [False]
    assert [one.name for one in tmp_path.iterdir()] == ["t.h5"]
    copy = tmp_path / "copy.h5"  # as a killed writer would leave it
    copy.write_bytes(path.read_bytes())
    with open_take(copy) as take:
        assert not take.complete
    writer.close()


def test_what_a_killed_writer_left_is_removed_and_what_others_begin_is_not(tmp_path: Path) -> None:
    dead, alive, other = (
        tmp_path / f".{name}.new" for name in (f"t.h5.0.{2**22 + 1}", "t.h5.0.1", "u.h5.0.4194305")
    )
    for path in (dead, alive, other):
        path.touch()
    writer(tmp_path / "t.h5").close()
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted(
        [alive.name, other.name, "t.h5"]
    )


def test_a_take_that_is_replaced_stays_until_the_next_has_begun(
    kiln: Workspace, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "t.h5"
    TakeWriter(path, project_text(kiln.project), "first", 1).close()

    def fails(*_rest: object) -> None:
        raise TakeError("The take cannot be written: No space left on device.")

    monkeypatch.setattr(TakeWriter, "_begin", fails)
    with pytest.raises(TakeError):
        TakeWriter(path, project_text(kiln.project), "second", 1, overwrite=True)
    assert [one.name for one in tmp_path.iterdir()] == ["t.h5"]
    with open_take(path) as take:
        assert take.build_id == "first"


def test_a_disk_without_links_has_takes_all_the_same(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refuse(*_rest: object) -> None:
        raise PermissionError(1, "Operation not permitted")

    monkeypatch.setattr("os.link", refuse)
    writer(tmp_path / "t.h5").close()
    with pytest.raises(TakeError, match="a take of that name already"):
        writer(tmp_path / "t.h5")
    assert [one.name for one in tmp_path.iterdir()] == ["t.h5"]


def test_a_damaged_heap_is_told_wherever_it_is_read(kiln: Workspace, tmp_path: Path) -> None:
    """Text lies in heaps of the file; each of them spoilt in turn."""
    path = tmp_path / "t.h5"
    record_run(kiln, 0.02, path, fast=True)
    data = path.read_bytes()
    places = [at for at in range(len(data) - 4) if data[at : at + 4] == b"GCOL"]
    assert len(places) >= 2
    told = 0
    for at in places:
        copy = tmp_path / "copy.h5"
        copy.write_bytes(data[:at] + b"GC0L" + data[at + 4 :])
        try:
            with open_take(copy) as take:
                assert take.workspace.project.name
                assert take.history
                assert take.log
        except TakeError as fault:
            told += 1
            assert str(copy) in str(fault)
    assert told == len(places)


def test_two_takes_of_one_program_under_one_name_do_not_meet(tmp_path: Path) -> None:
    path = tmp_path / "t.h5"
    assert temporary_path(path) != temporary_path(path)
