"""A take is sound however its recording ends, and nothing that is no take is ever written over."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import h5py
import numpy as np
import pytest

from tests.paths import KILN
from tests.patience import PATIENCE_S
from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording import export_recording, recording_of_take
from wattigram.core.capture.session import BoardProcess, LiveSession, record_run
from wattigram.core.capture.session import live_session as live_module
from wattigram.core.capture.take import TakeWriter, open_take
from wattigram.core.capture.take import disk_space as room_module
from wattigram.core.capture.transport import SampleRun
from wattigram.core.judge import prove
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import Workspace, open_workspace, project_text
from wattigram.core.model.design.edits import SetWiring, apply_edit
from wattigram.core.silicon.deploy import effective_config

BLOCK = np.arange(1 << 17, dtype="<u2") | 1


def block(number: int) -> SampleRun:
    first = number * len(BLOCK)
    return SampleRun(0, first, BLOCK, np.array([len(BLOCK)]), np.array([first]), False)


def fill(writer: TakeWriter) -> int:
    """Write until no more goes in; the answer is how many items did."""
    for number in range(1000):
        try:
            writer.add_run(block(number))
            writer.flush()
        except TakeError:
            return number * len(BLOCK)
    raise AssertionError("the disk never became full")


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    folder = tmp_path / "disk"
    folder.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=24m", "tmpfs", str(folder)], capture_output=True
    )
    if mounted.returncode:
        pytest.skip("mounting takes more rights")
    yield folder
    subprocess.run(["umount", "-l", str(folder)], check=True)


def whole_items(path: Path) -> np.ndarray:
    with open_take(path) as take:
        items = take.items(0)
        items = items[take.valid(0, np.arange(len(items)))]
        assert np.count_nonzero(items == 0) == 0  # no zeros that look like samples
        assert np.array_equal(items, np.resize(BLOCK, len(items)))
        return items


def test_a_full_disk_ends_the_take_soundly(kiln: Workspace, small_disk: Path) -> None:
    writer = TakeWriter(small_disk / "t.h5", project_text(kiln.project), "mark", 96_000_000)
    written = fill(writer)
    writer.close(ended="The disk is full.")
    assert len(whole_items(small_disk / "t.h5")) >= written > 0
    with open_take(small_disk / "t.h5") as take:
        assert (take.complete, take.ended) == (False, "The disk is full.")


def test_a_disk_that_others_fill_meanwhile_leaves_what_was_safe(
    kiln: Workspace, small_disk: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As with a quota: nothing tells beforehand that there is no room."""
    monkeypatch.setattr(room_module.DiskSpace, "require", lambda *_args: None)
    writer = TakeWriter(small_disk / "t.h5", project_text(kiln.project), "mark", 96_000_000)
    written = fill(writer)
    writer.close(ended="The disk is full.")
    assert len(whole_items(small_disk / "t.h5")) >= written > 0


def test_a_full_disk_is_told_before_a_run(kiln: Workspace, small_disk: Path) -> None:
    (small_disk / "other").write_bytes(bytes(20 << 20))
    with pytest.raises(TakeError, match="The disk is full"):
        record_run(kiln, 0.2, small_disk / "t.h5", fast=True)
    assert not (small_disk / "t.h5").exists()


def test_a_full_disk_ends_a_run_with_a_sentence(kiln: Workspace, small_disk: Path) -> None:
    (small_disk / "other").write_bytes(bytes(9 << 20))
    outcome = record_run(kiln, 60.0, small_disk / "t.h5", fast=True)
    assert not outcome.is_whole
    assert outcome.seconds < 60
    assert any("The disk is full" in note for note in outcome.notes)
    with open_take(small_disk / "t.h5") as take:
        assert "The disk is full" in take.ended
        assert prove(kiln, take).count("holds") >= 6


LIMITED = """
import resource, sys
from pathlib import Path
from wattigram.core.model.design import open_workspace
from wattigram.core.capture.session import record_run
resource.setrlimit(resource.RLIMIT_FSIZE, (12 << 20, 12 << 20))
outcome = record_run(open_workspace(Path(sys.argv[1])), 100.0, Path(sys.argv[2]), fast=True)
print(outcome.is_whole, outcome.notes)
"""


def test_a_limit_on_a_files_size_ends_the_take_soundly(tmp_path: Path) -> None:
    run = subprocess.run(
        [sys.executable, "-c", LIMITED, str(KILN), str(tmp_path / "t.h5")],
        capture_output=True,
        text=True,
        timeout=PATIENCE_S,
    )
    assert run.stdout.startswith("False"), run.stderr
    assert "The disk is full" in run.stdout
    with open_take(tmp_path / "t.h5") as take:
        assert take.samples > 100_000


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP, signal.SIGINT])
def test_a_signal_finishes_the_take(number: signal.Signals, tmp_path: Path) -> None:
    path = tmp_path / "t.h5"
    command = [
        sys.executable,
        "-m",
        "wattigram",
        "run",
        str(KILN),
        "--seconds",
        "600",
        "--out",
        str(path),
    ]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    deadline = time.monotonic() + PATIENCE_S
    while not path.exists() or path.stat().st_size < 300_000:
        assert time.monotonic() < deadline
        assert process.poll() is None
        os.sched_yield()
    process.send_signal(number)
    said, complained = process.communicate(timeout=PATIENCE_S)
    assert process.returncode == 1, complained
    assert "of 600.000 s" in said
    assert "ended from outside" in complained
    with open_take(path) as take:
        assert "ended from outside" in take.ended
        assert take.totals["ticks"] > 0  # the board was told to stop, and said what it had sent


def test_nothing_but_a_take_is_written_over(kiln: Workspace, tmp_path: Path) -> None:
    project = tmp_path / "p.wattigram.toml"
    shutil.copy(KILN, project)
    (tmp_path / "other.h5").write_bytes(b"not hdf5")
    with h5py.File(tmp_path / "foreign.h5", "w") as foreign:
        foreign["data"] = [1, 2]
    for name in ("p.wattigram.toml", "other.h5", "foreign.h5"):
        before = (tmp_path / name).read_bytes()
        for overwrite in (False, True):
            with pytest.raises(TakeError, match="no take"):
                record_run(kiln, 0.1, tmp_path / name, fast=True, overwrite=overwrite)
        assert (tmp_path / name).read_bytes() == before


def test_a_take_is_replaced_only_by_who_says_so(kiln: Workspace, tmp_path: Path) -> None:
    path = tmp_path / "t.h5"
    record_run(kiln, 0.1, path, fast=True)
    with pytest.raises(TakeError, match="--force"):
        record_run(kiln, 0.2, path, fast=True)
    assert record_run(kiln, 0.2, path, fast=True, overwrite=True).is_whole
    with open_take(path) as take:
        assert take.seconds == pytest.approx(0.2)


def test_a_take_carries_its_part(own_part: Path, tmp_path: Path) -> None:
    workspace = open_workspace(own_part)
    path = tmp_path / "elsewhere.h5"
    record_run(workspace, 2.5, path, fast=True)
    turned = apply_edit(
        workspace,
        SetWiring(Wiring(pin="A6", source_resistance_ohm=1.0, source=DcSource(voltage_v=0.5))),
    )
    shutil.rmtree(own_part.parent)
    with open_take(path) as take:
        assert take.workspace.part == workspace.part
        assert take.workspace.part.text == workspace.part.text
        assert prove(workspace, take).count("holds") >= 6
        written = export_recording(recording_of_take(take), tmp_path / "t.csv")
        assert written.rows > 100_000
        writer = TakeWriter(
            tmp_path / "u.h5", take.project_text, "m", 1000, part_text=take.part_text
        )
        writer.add_bench(5, project_text(turned.project))
        writer.close()
    with open_take(tmp_path / "u.h5") as take:
        assert take.history[1][1].project == turned.project


# A session


def test_a_take_started_at_once_has_the_boards_own_clock(kiln: Workspace, tmp_path: Path) -> None:
    """The board is known before the take begins, whatever its ticks are."""
    other = kiln.project.replaced(bus_clock_hz=kiln.bus_clock_hz / 2)
    config = effective_config(Workspace(other, kiln.part))
    with BoardProcess(config) as board:
        session = LiveSession(kiln, board.address, lambda _shot: None)
        session.start(tmp_path / "t.h5")
        deadline = time.monotonic() + PATIENCE_S
        while not (tmp_path / "t.h5").exists() and time.monotonic() < deadline:
            os.sched_yield()
        session.close()
    with open_take(tmp_path / "t.h5") as take:
        assert take.tick_hz == config.tick_hz != kiln.bus_clock_hz
        assert take.board


def test_a_session_whose_thread_fails_says_so(
    kiln: Workspace, monkeypatch: pytest.MonkeyPatch
) -> None:
    shots: list[object] = []

    def broken(*_args: object, **_named: object) -> None:
        raise ZeroDivisionError("here")

    monkeypatch.setattr(live_module, "virtual_board", broken)
    session = LiveSession(kiln, "virtual", shots.append)
    session._thread.join(10)
    assert "Internal error" in shots[-1].message  # type: ignore[attr-defined]
    assert shots[-1].state == "failed"  # type: ignore[attr-defined]


def test_a_session_on_a_full_disk_goes_on_without_its_take(
    kiln: Workspace, small_disk: Path
) -> None:
    shots: list[object] = []
    (small_disk / "other").write_bytes(bytes(14 << 20))
    session = LiveSession(kiln, "virtual", shots.append)
    session.start(small_disk / "t.h5")
    deadline = time.monotonic() + PATIENCE_S
    while not any("The disk is full" in shot.message for shot in shots):  # type: ignore[attr-defined]
        assert time.monotonic() < deadline
        os.sched_yield()
    last = shots[-1]
    session.close()
    assert (last.state, last.recording) == ("running", None)  # type: ignore[attr-defined]
    with open_take(small_disk / "t.h5") as take:
        assert "The disk is full" in take.ended
