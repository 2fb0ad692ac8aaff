"""Damage that makes the HDF5 library loop or fault ends in a sentence."""

from __future__ import annotations

from pathlib import Path

import pytest

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import open_take
from wattigram.core.capture.take import opening as opening_module
from wattigram.core.capture.take.opening import is_take
from wattigram.core.model.design import Workspace

LOOPS = "while True: pass"
FAULTS = "import ctypes; ctypes.string_at(0)"


@pytest.fixture
def lengthened(kiln: Workspace, tmp_path: Path) -> Path:
    """A take with bytes behind what it says is its end, as a killed program may leave it."""
    path = tmp_path / "t.h5"
    record_run(kiln, 0.02, path, fast=True)
    with path.open("ab") as stream:
        stream.write(bytes(100))
    return path


def test_a_file_of_another_length_than_it_says_is_looked_at_and_read(lengthened: Path) -> None:
    with open_take(lengthened) as take:
        assert take.complete
        assert take.samples > 0
    assert is_take(lengthened)


@pytest.mark.parametrize(
    ("does", "words"), [(LOOPS, "does not end"), (FAULTS, "makes the HDF5 library fail")]
)
def test_a_file_that_the_library_never_ends_with_is_refused(
    does: str, words: str, lengthened: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The process that looks first loops, or faults, in place of the library."""
    run = opening_module.subprocess.run

    def looks(command: list[str], **named: object) -> object:
        limit = f"import resource\nresource.setrlimit(resource.RLIMIT_CPU, (1, 2))\n{does}"
        return run([command[0], "-c", limit], **named)  # type: ignore[call-overload]

    monkeypatch.setattr(opening_module.subprocess, "run", looks)
    with pytest.raises(TakeError, match=words) as told:
        open_take(lengthened)
    assert str(lengthened) in str(told.value)
    assert not is_take(lengthened)


def test_a_take_that_was_closed_is_opened_without_further_ado(
    kiln: Workspace, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "t.h5"
    record_run(kiln, 0.02, path, fast=True)
    monkeypatch.setattr(
        opening_module, "_try_out", lambda _path: pytest.fail("another process was started")
    )
    open_take(path).close()
