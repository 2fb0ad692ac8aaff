from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from tests.paths import KILN
from tests.patience import PATIENCE_S
from wattigram.core.model.part.catalogue import FOLDER

MARTEN = FOLDER / "marten-m3.toml"


def wattigram(*arguments: object, **environment: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "wattigram", *map(str, arguments)]
    return subprocess.run(
        command,
        capture_output=True,
        text=True,
        timeout=PATIENCE_S,
        env=os.environ | environment,
        check=False,
    )


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("cli") / "kiln.h5"
    assert wattigram("run", KILN, "--seconds", 2.5, "--out", path, "--fast").returncode == 0
    return path


def test_check_gives_the_agreed_keys() -> None:
    outcome = wattigram("check", KILN, "--json")
    assert outcome.returncode == 1
    found = json.loads(outcome.stdout)
    assert list(found) == [
        "project",
        "part",
        "build_mark",
        "pins",
        "converters",
        "startup",
        "loops",
        "windows",
        "comparators",
        "generators",
        "pwm",
        "uarts",
        "routes",
        "reactions",
        "twins",
        "findings",
    ]
    first = found["converters"][0]
    assert {"name", "clock_hz", "period_s", "busy_s", "slack_s", "slots"} <= set(first)
    assert first["busy_s"] == 11.625e-6
    keys = [
        "signal",
        "pin",
        "sampling_s",
        "conversion_s",
        "start_s",
        "held_s",
        "rate_hz",
        "reduced_rate_hz",
        "lsb_v",
        "settling_error_lsb",
    ]
    assert set(keys) <= set(first["slots"][0])
    assert first["slots"][1]["held_s"] == 5.40625e-6
    assert first["slots"][1]["reduced_rate_hz"] == 625.0
    assert first["slots"][2]["settling_error_lsb"] == pytest.approx(1120.0, abs=0.01)
    assert found["loops"][0] == {
        "name": "Loop A",
        "items": 512,
        "bytes": 1024,
        "lap_s": 0.0128,
        "half_s": 0.0064,
        "in_step": True,
        "read_period_s": None,
        "newest_age_s": None,
    }
    assert {"code", "severity", "where", "message", "remedy"} <= set(found["findings"][0])
    assert found["findings"][0]["remedy"] == "Door latch: sampling 32 clk → 384 clk"


def test_check_in_words() -> None:
    text = wattigram("check", KILN).stdout
    assert "scan time 11.625 µs, slack 88.375 µs (88.4 %)" in text
    assert "error: Door latch reads its neighbour (ADC 1, slot 3)" in text


def test_run_gives_the_agreed_keys(tmp_path: Path) -> None:
    outcome = wattigram(
        "run", KILN, "--seconds", 0.2, "--out", tmp_path / "t.h5", "--fast", "--json"
    )
    found = json.loads(outcome.stdout)
    assert outcome.returncode == 0
    assert {
        key: found[key]
        for key in ("seconds", "cycles", "scans", "samples", "lost_cycles", "events")
    } == {
        "seconds": 0.2,
        "cycles": 2000,
        "scans": {"ADC 1": 2000, "ADC 2": 2000},
        "samples": 10_000,
        "lost_cycles": 0,
        "events": 0,
    }
    assert found["take"] == str(tmp_path / "t.h5")


def test_several_takes_are_proved_side_by_side(take: Path, tmp_path: Path) -> None:
    other = tmp_path / "again.h5"
    shutil.copy(take, other)
    outcome = wattigram("prove", KILN, take, other)
    assert outcome.returncode == 1
    lines = outcome.stdout.splitlines()
    assert lines[0].split() == [take.name, "again.h5"]
    latch = next(line for line in lines if "Door latch steps" in line)
    assert latch.count("✕ 0.514 V") == 2
    assert lines[-1].startswith("again.h5: ")
    told = json.loads(wattigram("prove", KILN, take, other, "--json").stdout)
    assert [Path(one["take"]).name for one in told] == [take.name, "again.h5"]
    refused = wattigram("prove", KILN, take, other, "--html", tmp_path / "r.html")
    assert refused.returncode == 2
    assert "A report is of one take" in refused.stderr


def test_prove_gives_the_agreed_keys_files_and_status(take: Path, tmp_path: Path) -> None:
    outcome = wattigram(
        "prove",
        KILN,
        take,
        "--json",
        "--junit",
        tmp_path / "r.xml",
        "--html",
        tmp_path / "r.html",
        "--pdf",
        tmp_path / "r.pdf",
    )
    assert outcome.returncode == 1
    found = json.loads(outcome.stdout)
    assert (found["take"], found["holds"], found["fails"], found["open"]) == (str(take), 7, 1, 0)
    keys = ["signal", "kind", "text", "verdict", "measured", "unit", "low", "high", "samples"]
    assert set(keys) <= set(found["expectations"][0])
    assert found["likely_causes"][0]["cause"] == "sampling-too-short"
    assert {"signal", "cause", "fit", "evidence", "remedy"} <= set(found["likely_causes"][0])
    assert (tmp_path / "r.xml").read_text().startswith("<?xml")
    assert "</html>" in (tmp_path / "r.html").read_text()
    assert (tmp_path / "r.pdf").read_bytes().startswith(b"%PDF")


def test_a_cured_project_proves_with_status_0(take: Path, tmp_path: Path) -> None:
    cured = tmp_path / "cured.wattigram.toml"
    cured.write_text(
        KILN.read_text().replace(
            'signal = "Door latch"\nsampling_cycles = 32',
            'signal = "Door latch"\nsampling_cycles = 384',
        )
    )
    assert wattigram("check", cured).returncode == 0
    assert (
        wattigram("run", cured, "--seconds", 2.5, "--out", tmp_path / "t.h5", "--fast").returncode
        == 0
    )
    assert wattigram("prove", cured, tmp_path / "t.h5").returncode == 0
    other = wattigram("prove", cured, take)
    assert other.returncode == 1
    assert "the take was made from build" in other.stderr


def test_takes_are_looked_into_and_exported(take: Path, tmp_path: Path) -> None:
    text = wattigram("take", "info", take).stdout
    assert "2.5000 s, 125000 samples, 0 scans lost, 2 events" in text
    assert "Upper zone: 25000 samples, 1562 filtered" in text
    outcome = wattigram("take", "export", take, "--csv", tmp_path / "t.csv")
    assert outcome.returncode == 0
    assert (tmp_path / "t.csv").read_text().startswith("time_s,signal,unit,code,value\n")


def test_parts_are_listed_shown_and_checked(tmp_path: Path) -> None:
    assert "marten-m3" in wattigram("part", "list").stdout
    assert "ADC 2: 12/10/8 bits" in wattigram("part", "show", "marten-m3").stdout
    assert "is sound: 2 converters, 24 pins" in wattigram("part", "check", MARTEN).stdout
    own = tmp_path / "own.toml"
    own.write_text(MARTEN.read_text().replace("slots = 16", "slots = -1"))
    bad = wattigram("part", "check", own)
    assert bad.returncode == 2
    assert "converters[1].slots" in bad.stderr
    assert "also: converters[2].slots" in bad.stderr


def test_the_effective_configuration_can_be_printed_and_run(tmp_path: Path) -> None:
    text = wattigram("board", KILN, "--print-config").stdout
    assert json.loads(text)["tick_hz"] == 96_000_000
    assert "converter 1" not in text


@pytest.mark.parametrize(
    "arguments",
    [
        ("bogus",),
        ("check",),
        ("check", "nowhere.toml"),
        ("check", MARTEN),
        ("run", KILN, "--seconds", "0", "--out", "/tmp/x.h5"),
        ("run", KILN, "--seconds", "nan", "--out", "/tmp/x.h5"),
        ("run", KILN, "--seconds", "1", "--out", "/nowhere/x.h5", "--fast"),
        ("run", KILN, "--seconds", "1", "--out", "/tmp/x.h5", "--board", "usb:1"),
        ("run", KILN, "--seconds", "1", "--out", "/tmp/x.h5", "--board", "tcp:127.0.0.1:1"),
        ("prove", KILN, KILN),
        ("prove", KILN, "nowhere.h5"),
        ("take", "info", MARTEN),
        ("take", "export", "nowhere.h5"),
        ("part", "show", "nothing"),
        ("part", "check", "nowhere.toml"),
        ("board",),
        ("board", KILN, "--config", KILN),
        ("board", "--config", KILN),
    ],
    ids=lambda arguments: " ".join(str(argument)[-12:] for argument in arguments),
)
def test_what_cannot_be_done_is_a_sentence_and_status_2(arguments: tuple[object, ...]) -> None:
    outcome = wattigram(*arguments)
    assert outcome.returncode == 2
    assert outcome.stderr.startswith("wattigram: ")
    assert "Traceback" not in outcome.stderr


def test_without_a_display_the_window_says_so() -> None:
    command = [sys.executable, "-m", "wattigram"]
    bare = {
        key: value
        for key, value in os.environ.items()
        if key not in {"DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"}
    }
    outcome = subprocess.run(
        command, capture_output=True, text=True, timeout=PATIENCE_S, env=bare, check=False
    )
    assert outcome.returncode == 2
    assert "no display" in outcome.stderr


def test_the_demo_goes_from_end_to_end(tmp_path: Path) -> None:
    outcome = wattigram("demo", "--headless", "--out", tmp_path / "out")
    assert outcome.returncode == 0, outcome.stderr
    assert "7 hold, 1 fail, 0 open" in outcome.stdout
    assert "8 hold, 0 fail, 0 open" in outcome.stdout
    names = {path.name for path in (tmp_path / "out").iterdir()}
    assert {
        "first-take.h5",
        "second-take.h5",
        "first-proof.html",
        "second-proof.html",
        "window.png",
    } <= names
    assert (tmp_path / "out" / "window.png").stat().st_size > 50_000


def test_the_version_is_said() -> None:
    assert wattigram("--version").stdout.startswith("wattigram 0.")
