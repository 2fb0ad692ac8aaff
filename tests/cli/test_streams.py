"""Recordings and streams of other tools by command line: looked into, measured, taken in and out."""

from __future__ import annotations

import json
import os
import socket
import struct
import subprocess
import sys
import threading
from pathlib import Path

import numpy as np
import pytest

from tests.cli.test_cli import wattigram
from tests.paths import EXAMPLE_FILES, KILN
from tests.patience import PATIENCE_S
from wattigram.core.capture.take import open_take

EXAMPLES = EXAMPLE_FILES[0].parents[1]


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("streams") / "kiln.h5"
    assert wattigram("run", KILN, "--seconds", 2.5, "--out", path, "--fast").returncode == 0
    return path


def test_a_take_is_measured_with_what_was_predicted(take: Path) -> None:
    outcome = wattigram("take", "analyse", take, "sine", "--signal", "Coil current", "--json")
    assert outcome.returncode == 0
    (told,) = json.loads(outcome.stdout)
    assert set(told) == {
        "kind",
        "channels",
        "begin_s",
        "end_s",
        "samples",
        "missing",
        "figures",
        "notes",
    }
    figures = {figure["key"]: figure for figure in told["figures"]}
    frequency = figures["frequency"]
    assert set(frequency) == {
        "key",
        "title",
        "value",
        "uncertainty_k2",
        "unit",
        "predicted",
        "bound",
        "note",
    }
    assert frequency["value"] == pytest.approx(50, abs=0.01)
    for key in ("frequency", "amplitude", "offset"):
        one = figures[key]
        assert one["predicted"] == pytest.approx(one["value"], abs=one["uncertainty_k2"] + 2e-3)
    assert figures["sinad"]["predicted"] == pytest.approx(figures["sinad"]["value"], abs=1)


@pytest.mark.parametrize("what", ["statistics", "spectrum", "histogram"])
def test_all_signals_are_measured_where_none_is_named(what: str, take: Path) -> None:
    outcome = wattigram("take", "analyse", take, what, "--from", "0.5 s", "--to", "1.5 s")
    assert outcome.returncode == 0, outcome.stderr
    assert "Coil current: 10000 samples" in outcome.stdout
    assert "3.3 V rail" in outcome.stdout
    assert "e+0" not in outcome.stdout


def test_what_cannot_be_measured_is_said(take: Path) -> None:
    for arguments, text in (
        (("sine", "--signal", "3.3 V rail"), "no sine stands above"),
        (("statistics", "--signal", "nothing"), "no channel “nothing”"),
        (("gain", "--signal", "Coil current"), "takes 2 channels"),
        (("statistics", "--from", "7 s"), "nothing came"),
        (("statistics", "--from", "7 V"), "a time such as"),
    ):
        outcome = wattigram("take", "analyse", take, *arguments)
        assert outcome.returncode == 2
        assert text in outcome.stderr


def test_curves_are_told_to_scripts(take: Path) -> None:
    outcome = wattigram(
        "take",
        "analyse",
        take,
        "folded",
        "--signal",
        "Coil current",
        "--period",
        "20 ms",
        "--curves",
        "--json",
    )
    (told,) = json.loads(outcome.stdout)
    assert len(told["curve"]["mean"]) == 128
    assert np.ptp(told["curve"]["mean"]) == pytest.approx(1.5, abs=0.01)


def test_a_recording_of_another_tool_is_proved(take: Path, tmp_path: Path) -> None:
    wide = tmp_path / "log.csv"
    assert wattigram("take", "export", take, "--wide", wide, "--to", "2 s").returncode == 0
    info = wattigram("take", "info", wide).stdout
    assert "Coil current: 20000 samples, 10000 Hz, mean" in info
    brought = wattigram("take", "import", wide, "--project", KILN, "--out", tmp_path / "t.h5")
    assert brought.returncode == 0, brought.stderr
    assert "not judged" in brought.stdout
    proved = wattigram("prove", KILN, tmp_path / "t.h5")
    assert "✓ holds  Coil current is 50 Hz" in proved.stdout
    assert "it is the recording of another tool" in proved.stdout
    again = wattigram("take", "import", wide, "--project", KILN, "--out", tmp_path / "t.h5")
    assert again.returncode == 2
    wrong = wattigram(
        "take", "import", wide, "--project", KILN, "--out", tmp_path / "u.h5", "--map", "x"
    )
    assert "no SIGNAL=CHANNEL" in wrong.stderr


def lines(count: int) -> bytes:
    return b"".join(b"t=%d ms, u=%.3f V\n" % (10 * n, 1 + 0.1 * (n % 7)) for n in range(count))


def test_a_pipe_is_looked_at() -> None:
    command = [sys.executable, "-m", "wattigram", "stream", "-", "--json"]
    outcome = subprocess.run(
        command, input=b"boot\n" + lines(200), capture_output=True, timeout=PATIENCE_S, check=True
    )
    told = json.loads(outcome.stdout)
    assert set(told) == {"rows", "rate_hz", "columns", "source", "way", "others", "lost"}
    assert told["rows"] == 200
    assert told["rate_hz"] == pytest.approx(100)
    (column,) = told["columns"]
    assert (column["name"], column["unit"]) == ("u", "V")
    assert (column["minimum"], column["maximum"]) == pytest.approx((1, 1.6))


def test_a_port_is_listened_to_for_so_many_rows(tmp_path: Path) -> None:
    """Whatever else comes, and however long it goes on."""
    server = socket.create_server(("127.0.0.1", 0))
    gone = threading.Event()

    def send() -> None:
        connection, _ = server.accept()
        with connection:
            try:
                while not gone.wait(0.005):
                    connection.sendall(lines(50))
            except OSError:
                return

    sender = threading.Thread(target=send)
    sender.start()
    try:
        port = server.getsockname()[1]
        table = tmp_path / "t.csv"
        outcome = wattigram("stream", f"tcp:127.0.0.1:{port}", "--rows", 300, "--csv", table)
    finally:
        gone.set()
        sender.join()
        server.close()
    assert outcome.returncode == 0, outcome.stderr
    assert "2 numbers a line, each behind its name" in outcome.stdout
    assert table.read_text().splitlines()[0] == "t (s),u (V)"


def test_where_two_ways_fit_nobody_guesses(tmp_path: Path) -> None:
    path = tmp_path / "a.txt"
    path.write_text("\n".join(f"{n % 90 + 10},{n % 9 + 1}" for n in range(100)))
    asked = wattigram("stream", path)
    assert asked.returncode == 1
    assert "Choose one with --way" in asked.stdout
    ways = json.loads(wattigram("stream", path, "--json").stdout)
    assert {"source", "ways"} == set(ways)
    assert set(ways["ways"][0]) == {"way", "score"}
    assert "column 2" in wattigram("stream", path, "--way", 1).stdout
    assert (
        "column 2" in wattigram("stream", path, "--separator", "comma", "--decimal", "point").stdout
    )


def test_noise_and_nothing_are_told_from_numbers(tmp_path: Path) -> None:
    (tmp_path / "n").write_bytes(np.random.default_rng(1).bytes(8000))
    noise = wattigram("stream", tmp_path / "n")
    assert noise.returncode == 2
    assert "Is the baud right?" in noise.stderr
    assert "cannot be read" in wattigram("stream", tmp_path / "none").stderr
    assert "it is a folder" in wattigram("stream", tmp_path).stderr
    (tmp_path / "empty").write_bytes(b"")
    assert "ended before anything came" in wattigram("stream", tmp_path / "empty").stderr


def test_a_named_pipe_is_waited_for(tmp_path: Path) -> None:
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)

    def write() -> None:
        with pipe.open("wb") as stream:  # opens once somebody reads
            stream.write(lines(100))

    writer = threading.Thread(target=write)
    writer.start()
    outcome = wattigram("stream", pipe)
    writer.join()
    assert "100 rows" in outcome.stdout


def test_a_stream_becomes_a_take_that_is_proved(tmp_path: Path) -> None:
    """What a firmware prints: codes at the design's own rate, or volts with their times."""
    design = EXAMPLES / "pottery-log"
    rows = [
        f"chamber={2.4 - 1.8 * n * 0.05 / 60:.4f} fan={2.4 + 0.002 * (n % 3 - 1):.4f}"
        for n in range(400)
    ]
    path = tmp_path / "printed.txt"
    path.write_text("\n".join(["hello", *rows, ""]))
    out = tmp_path / "t.h5"
    maps = ("--map", "Chamber=chamber", "--map", "Fan supply=fan")
    told = wattigram("stream", path, "--project", design, *maps, "--out", out)
    assert told.returncode == 0, told.stderr
    assert "design's own rate, 20 Hz" in told.stderr
    proved = wattigram("prove", design, out)
    assert proved.returncode == 0, proved.stdout
    assert "4 hold, 0 fail, 0 open" in proved.stdout
    assert wattigram("stream", path, "--project", design, *maps, "--out", out).returncode == 2
    assert "Give --project, and --out or --keep" in wattigram("stream", path, "--out", out).stderr
    fast = wattigram(
        "stream", path, "--project", design, *maps, "--out", out, "--force", "--rate", "21 Hz"
    )
    assert fast.returncode == 0
    assert "✕ fails  Chamber comes at every scan" in wattigram("prove", design, out).stdout


def test_rows_that_a_counter_misses_keep_their_places(tmp_path: Path) -> None:
    """In the table and in the take: what comes after them is not moved up."""
    design = EXAMPLES / "pottery-log"
    frames = [
        b"\xa5\x5a"
        + struct.pack("<Bff", n % 256, 2.4 - 1.8 * n * 0.05 / 60, 2.4 + 0.002 * (n % 3 - 1))
        for n in range(400)
    ]
    path, out, table = tmp_path / "sent.bin", tmp_path / "t.h5", tmp_path / "t.csv"
    path.write_bytes(b"".join(frames[:150] + frames[190:]))
    maps = ("--map", "Chamber=channel 1", "--map", "Fan supply=channel 2")
    told = wattigram(
        "stream", path, "--project", design, *maps, "--out", out, "--csv", table, "--rate", "20 Hz", "--json",
    )  # fmt: skip
    assert told.returncode == 0, told.stderr
    found = json.loads(told.stdout)
    assert (found["rows"], found["lost"]) == (360, 40)
    lines = table.read_text().splitlines()
    assert len(lines) == 401
    assert lines[160].endswith(",,")
    assert lines[400].startswith("19.95")
    with open_take(out) as take:
        assert take.lost_cycles == 40
        samples = take.raw("Chamber")
        assert samples is not None
        assert samples.times_s[samples.valid][-1] == pytest.approx(19.95, abs=0.1)
    proved = wattigram("prove", design, out).stdout
    assert "holds  Chamber follows" in proved


def test_places_of_a_take_are_listed(take: Path, tmp_path: Path) -> None:
    outcome = wattigram("take", "find", take, "unexpected", "--json")
    assert outcome.returncode == 0
    told = json.loads(outcome.stdout)
    assert {frozenset(one) for one in told} == {frozenset({"signal", "begin_s", "end_s", "text"})}
    assert {one["signal"] for one in told} == {"Door latch"}
    assert "outside what is expected" in told[0]["text"]
    part = wattigram("take", "find", take, "jump", "--from", "0.9 s", "--to", "1.1 s")
    assert part.returncode == 0
    assert part.stdout.count("\n") == 1
    assert "Door latch: a jump of -2.3" in part.stdout
    none = wattigram("take", "find", take, "missing")
    assert (none.returncode, none.stdout) == (1, "Nothing was found: samples missing.\n")
    lines = wattigram("take", "find", take, "event").stdout.splitlines()
    assert len(lines) == len(set(lines)) > 0
    assert "no level is given" in wattigram("take", "find", take, "level").stderr
    table = tmp_path / "t.csv"
    table.write_text("time_s,u (V)\n-1,0\n0,2\n1,0\n2,3\n")
    found = wattigram("take", "find", table, "level", "--level", "1.5", "--most", "1").stdout
    assert found == "1 s  u: one sample at or above 1.5 V\n"
    assert "no design" in wattigram("take", "find", table, "unexpected", "--signal", "u").stderr
    # What could not be looked through was not found to be as it should be.
    none = wattigram("take", "find", table, "unexpected")
    assert none.returncode != 0
    assert "no design" in none.stderr
    assert none.stdout == ""
    assert "“Coil current”: no threshold" in wattigram("take", "find", take, "event").stderr


def test_what_rows_are_is_kept_in_the_project(tmp_path: Path) -> None:
    text = EXAMPLES / "kiln-print" / "kiln-print.txt"
    said = (EXAMPLES / "kiln-print" / "kiln-print.wattigram.toml").read_text()
    project = tmp_path / "kiln.wattigram.toml"
    project.write_text(said[: said.index("[rows.text]")] + said[said.index("[[expectations]]") :])
    refused = wattigram(
        "run", project, "--board", f"rows:{text}", "--seconds", 1, "--out", tmp_path / "t.h5"
    )
    assert refused.returncode == 2
    assert "--keep" in refused.stderr
    hurried = wattigram("stream", text, "--measure-rate", "1")
    assert hurried.returncode == 2
    assert "A file has no rate" in hurried.stderr
    kept = wattigram("stream", text, "--project", project, "--keep", "--map", "Chamber=zone")
    assert kept.returncode == 0
    assert "zone → Chamber (codes)" in kept.stderr
    assert 'name = "ms"' in project.read_text()
    done = wattigram(
        "run", project, "--board", f"rows:{text}", "--seconds", 20, "--out", tmp_path / "t.h5"
    )
    assert done.returncode == 0
    proved = wattigram("prove", project, tmp_path / "t.h5")
    assert "3 hold, 0 fail, 0 open" in proved.stdout
    wrong = wattigram("stream", text, "--project", project, "--keep", "--map", "Chamber=oven")
    assert wrong.returncode == 2
    assert "There are: ms, zone, coil" in wrong.stderr
