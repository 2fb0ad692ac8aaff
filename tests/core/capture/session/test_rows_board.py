"""Rows that other firmware prints or sends, as a board: run, recorded, held and proved like any other."""

from __future__ import annotations

import socket
import struct
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import h5py
import numpy as np
import pytest

from tests.paths import EXAMPLES
from tests.patience import PATIENCE_S
from wattigram.core.base.errors import LinkError
from wattigram.core.capture.foreign.byte_source import ByteSource
from wattigram.core.capture.session import record_run
from wattigram.core.capture.session.conditions import parse_condition
from wattigram.core.capture.session.recording_plan import RecordingPlan
from wattigram.core.capture.session.rows_board import RowsBoard
from wattigram.core.capture.take import Take, open_take
from wattigram.core.contract.row_formats import BinaryFormat, TextColumn, TextFormat
from wattigram.core.judge import prove
from wattigram.core.model.design import (
    RowsSetup,
    SignalColumn,
    Workspace,
    open_workspace,
    project_text,
)
from wattigram.core.model.design.edits import RemoveSignal, RenameSignal, SetRows

PRINT = EXAMPLES / "kiln-print"
TEXT = PRINT / "kiln-print.txt"


@pytest.fixture(scope="module")
def design() -> Workspace:
    return open_workspace(PRINT)


@contextmanager
def sender(data: Callable[[], Iterator[bytes]]) -> Iterator[str]:
    """Sends to whoever connects, and closes."""
    listener = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        connection, _ = listener.accept()
        with connection:
            for part in data():
                connection.sendall(part)

    thread = threading.Thread(target=serve)
    thread.start()
    yield f"tcp:127.0.0.1:{listener.getsockname()[1]}"
    thread.join(timeout=PATIENCE_S)
    listener.close()


def printed() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Milliseconds, and codes of both signals, as the text says them."""
    rows = [
        [int(part.partition("=")[2]) for part in line.split()]
        for line in TEXT.read_text().splitlines()
        if line.startswith("ms=")
    ]
    times, zone, coil = np.array(rows).T
    return times, zone, coil


def run(workspace: Workspace, out: Path, board: str, seconds: float = 20.0) -> Take:
    record_run(workspace, seconds, out, board=board)
    return open_take(out)


def test_text_is_a_take_of_its_own_codes_and_instants(design: Workspace, tmp_path: Path) -> None:
    with run(design, tmp_path / "t.h5", f"rows:{TEXT}") as take:
        times_ms, zone, coil = printed()
        for name, codes in (("Chamber", zone), ("Coil", coil)):
            samples = take.raw(name)
            assert samples is not None
            np.testing.assert_array_equal(samples.items, codes)
            np.testing.assert_allclose(samples.times_s, (times_ms - times_ms[0]) / 1e3, atol=1e-8)
        assert take.seconds == pytest.approx(20.0, abs=0.02)
        assert take.complete
        assert any("6 lines or bytes say something else" in line for line in take.log)
        assert [verdict.outcome for verdict in prove(design, take).verdicts] == ["holds"] * 3


def test_it_comes_over_a_port_in_pieces_and_may_stop_anywhere(
    design: Workspace, tmp_path: Path
) -> None:
    data = TEXT.read_bytes()

    def parts() -> Iterator[bytes]:
        for begin in range(0, len(data) // 2, 777):
            yield data[begin : begin + 777]

    with sender(parts) as address, run(design, tmp_path / "t.h5", f"rows:{address}") as take:
        came = take.came("Chamber")
        assert 900 < came < 1100
        assert take.raw("Chamber").items.tolist() == printed()[1][:came].tolist()  # type: ignore[union-attr]


def test_so_many_seconds_are_as_many(design: Workspace, tmp_path: Path) -> None:
    with run(design, tmp_path / "t.h5", f"rows:{TEXT}", 3.0) as take:
        assert take.came("Coil") == 300
        assert take.seconds == pytest.approx(3.0)


def test_a_plan_holds_what_is_printed(design: Workspace, tmp_path: Path) -> None:
    hot = parse_condition(design, "Chamber > 2.0 V")
    plan = RecordingPlan(starts=hot, before_s=0.5, for_s=1.0)
    outcome = record_run(design, 20.0, tmp_path / "t.h5", board=f"rows:{TEXT}", plan=plan)
    assert outcome.is_whole
    with open_take(outcome.take) as take:
        samples = take.head("Chamber", 10_000)
        assert samples is not None
        assert samples.volts[0] < 2.0 < samples.volts[-1]
        rises = samples.times_s[samples.volts > 2.0][0]
        assert rises - samples.times_s[0] >= 0.5 - 0.02
        np.testing.assert_allclose(np.diff(samples.times_s), 0.01, atol=1e-6)


def binary(design: Workspace, form: BinaryFormat, rate: object = None) -> Workspace:
    columns = {
        "Chamber": SignalColumn(name="channel 1", reads="codes"),
        "Coil": SignalColumn(name="channel 2", reads="codes"),
    }
    setup = RowsSetup(binary=form, rate_hz=rate)
    return design.with_project(SetRows(setup, columns).apply(design.project))


def test_bytes_with_a_counter_tell_what_was_lost(design: Workspace, tmp_path: Path) -> None:
    form = BinaryFormat(
        number="u16", channels=2, framing="sync", sync="a55a", frame_bytes=7, skip_bytes=1,
        counter_at=2, counter_bytes=1,
    )  # fmt: skip
    _times, zone, coil = printed()

    def parts() -> Iterator[bytes]:
        for number, (a, b) in enumerate(zip(zone.tolist(), coil.tolist(), strict=True)):
            if not 500 <= number < 520:
                yield b"\xa5\x5a" + struct.pack("<BHH", number % 256, a, b)

    with (
        sender(parts) as address,
        run(binary(design, form), tmp_path / "t.h5", f"rows:{address}") as take,
    ):
        assert take.came("Chamber") == 1980
        assert take.lost_cycles == 20
        samples = take.raw("Chamber")
        assert samples is not None
        assert samples.items[600] == zone[600]
        assert samples.times_s[600] == pytest.approx(6.0)  # at the design's own rate
        assert any("20 rows are missing" in line for line in take.log)


def counted(path: Path, each: int, lost: set[int]) -> tuple[BinaryFormat, np.ndarray]:
    """Write frames with a counter but for some, all to be read at once; their format, and all rows."""
    form = BinaryFormat(
        number="u16", channels=2, framing="sync", sync="a55a", frame_bytes=3 + 4 * each,
        skip_bytes=1, counter_at=2, counter_bytes=1, rows=each,
    )  # fmt: skip
    rows = np.column_stack(printed()[1:]).astype("<u2").reshape(-1, each, 2)
    frames = [
        b"\xa5\x5a" + bytes([number % 256]) + frame.tobytes() for number, frame in enumerate(rows)
    ]
    path.write_bytes(b"".join(one for number, one in enumerate(frames) if number not in lost))
    return form, rows.reshape(-1, 2)


@pytest.mark.parametrize("each", [1, 2])
def test_rows_before_a_loss_keep_their_instants_though_all_come_at_once(
    design: Workspace, tmp_path: Path, each: int
) -> None:
    form, rows = counted(tmp_path / "rows.bin", each, {300, 301, 302, 700})
    board = f"rows:{tmp_path / 'rows.bin'}"
    with run(binary(design, form), tmp_path / "t.h5", board) as take:
        samples = take.raw("Chamber")
        assert samples is not None
        came = samples.valid
        assert np.count_nonzero(~came) == 4 * each
        np.testing.assert_array_equal(samples.items[came], rows[came, 0])
        assert not came[300 * each : 303 * each].any()
        assert not came[700 * each : 701 * each].any()


def test_each_part_says_what_was_lost_in_it(design: Workspace, tmp_path: Path) -> None:
    form, _rows = counted(tmp_path / "rows.bin", 1, {300, 301, 302, 1500})
    outcome = record_run(
        binary(design, form),
        20.0,
        tmp_path / "t.h5",
        board=f"rows:{tmp_path / 'rows.bin'}",
        plan=RecordingPlan(split_s=10.0),
    )
    told = []
    for path in outcome.takes:
        with open_take(path) as take, h5py.File(path) as file:
            assert file.attrs["scans_lost"] == take.lost_cycles
            told.append(take.lost_cycles)
    assert told == [3, 1]


def test_a_rate_that_is_said_is_that_of_the_rows(design: Workspace, tmp_path: Path) -> None:
    form = BinaryFormat(number="u16", channels=2)
    path = tmp_path / "rows.bin"
    _times, zone, coil = printed()
    path.write_bytes(np.column_stack((zone, coil)).astype("<u2").tobytes())
    with run(binary(design, form, 50), tmp_path / "t.h5", f"rows:{path}", 60.0) as take:
        assert take.seconds == pytest.approx(40.0, abs=0.05)
        rate = next(one for one in prove(design, take).verdicts if one.kind == "rate")
        assert rate.outcome == "fails"  # the design wants twice as many


def test_volts_units_holes_and_a_firmware_that_begins_anew(
    design: Workspace, tmp_path: Path
) -> None:
    lines = [f"{k / 100:.2f};{1000 + k};{2.5 + k / 1e4}" for k in range(100)]
    lines[40] = "0.40;;2.504"
    lines += [f"{k / 100:.2f};{1100 + k};2.51" for k in range(50)]
    lines.append("9.99;9999;2.5")
    path = tmp_path / "rows.txt"
    path.write_text("\n".join(lines) + "\n")
    columns = tuple(
        TextColumn(name=name, unit=unit, is_time=name == "t")
        for name, unit in (("t", "s"), ("a", "mV"), ("b", "V"))
    )
    setup = RowsSetup(text=TextFormat(columns=columns, separator=";"))
    said = {"Chamber": SignalColumn(name="a"), "Coil": SignalColumn(name="b")}
    workspace = design.with_project(SetRows(setup, said).apply(design.project))
    with run(workspace, tmp_path / "t.h5", f"rows:{path}", 60.0) as take:
        samples = take.raw("Chamber")
        assert samples is not None
        assert (len(samples.volts), samples.count) == (151, 150)
        assert not samples.valid[40]
        assert samples.volts[10] == pytest.approx(1.010, abs=5e-4)
        steps = np.diff(samples.times_s[:150][samples.valid[:150]])
        assert np.all(steps > 0)  # its time goes on where it was
        assert samples.times_s[149] == pytest.approx(1.49, abs=0.011)
        assert any("lie beyond the converter's range" in line for line in take.log)


@pytest.mark.parametrize(("seconds", "told"), [(19.0, False), (38.0, True), (1.0, False)])
def test_rows_that_come_at_another_rate_are_noticed(
    design: Workspace, seconds: float, told: bool
) -> None:
    rows = np.column_stack(printed()[1:]).astype("<u2")
    parts = [rows[at : at + 100].tobytes() for at in range(0, len(rows), 100)]
    now, step = [0.0], seconds / (len(parts) - 1)

    def read() -> bytes | None:
        now[0] += step
        return parts.pop(0) if parts else None

    form = BinaryFormat(number="u16", channels=2)
    board = RowsBoard(binary(design, form), ByteSource("wire", read, lambda: None), lambda: now[0])
    board.command("start")
    text = b"".join(iter(board.read, b""))
    assert (b"is that their rate?" in text) == told


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (lambda project: SetRows(None, {}).apply(project), "does not say how the rows"),
        (
            lambda project: SetRows(project.rows, {"Coil": SignalColumn(name="coil")}).apply(
                project
            ),
            "No column is said for “Chamber”",
        ),
        (
            lambda project: SetRows(
                project.rows,
                {"Coil": SignalColumn(name="coil"), "Chamber": SignalColumn(name="oven")},
            ).apply(project),
            "Columns are: ms, zone, coil",
        ),
    ],
)
def test_what_is_not_said_is_asked_for(
    design: Workspace, tmp_path: Path, change: Callable[..., object], why: str
) -> None:
    workspace = design.with_project(change(design.project))  # type: ignore[arg-type]
    with pytest.raises(LinkError) as refused:
        record_run(workspace, 1.0, tmp_path / "t.h5", board=f"rows:{TEXT}")
    assert why in str(refused.value)
    assert not (tmp_path / "t.h5").exists()


def test_names_go_with_signals_and_firmware_stays(design: Workspace, tmp_path: Path) -> None:
    renamed = RenameSignal("Chamber", "Oven").apply(design.project)
    assert renamed.signal("Oven").column == design.project.signal("Chamber").column
    assert RemoveSignal("Coil").apply(design.project).rows == design.project.rows
    without = design.with_project(SetRows(None, {}).apply(design.project))
    assert without.build_id == design.build_id
    path = tmp_path / "again.wattigram.toml"
    path.write_text(project_text(design.project))
    assert open_workspace(path).project == design.project
