"""``wave``, ``instrument`` and the outputs in ``check --json``, as people call them."""

from __future__ import annotations

import json
import subprocess
import sys
import wave
from pathlib import Path

import pytest

from tests.cli.test_cli import wattigram
from tests.paths import EXAMPLES
from tests.patience import PATIENCE_S
from wattigram.core.model.design import load_project

RAMP = EXAMPLES / "kiln-ramp"


def test_a_table_goes_to_all_kinds_of_files(tmp_path: Path) -> None:
    outcome = wattigram(
        "wave",
        RAMP,
        "Power command",
        "--csv",
        tmp_path / "a.csv",
        "--wav",
        tmp_path / "a.wav",
        "--c",
        tmp_path / "a.c",
        "--seconds",
        2,
    )
    assert outcome.returncode == 0
    assert "1250 points, codes 496 to 3227, none clipped" in outcome.stdout
    assert len((tmp_path / "a.csv").read_text().splitlines()) == 1251
    assert "const uint16_t ramp_and_soak_table" in (tmp_path / "a.c").read_text()
    with wave.open(str(tmp_path / "a.wav")) as sound:
        assert (sound.getframerate(), sound.getnframes()) == (2500, 5000)


def test_a_table_that_is_not_there_is_a_sentence() -> None:
    outcome = wattigram("wave", RAMP, "No such")
    assert outcome.returncode == 2
    assert "There is no table “No such”" in outcome.stderr
    assert "Ramp and soak" in outcome.stderr
    nowhere = wattigram("wave", RAMP, "Ramp and soak", "--csv", "/no/such/place.csv")
    assert nowhere.returncode == 2
    assert "cannot be written" in nowhere.stderr


def test_outputs_have_the_agreed_keys() -> None:
    found = json.loads(wattigram("check", RAMP, "--json").stdout)
    one = found["generators"][0]
    wanted = {
        "name",
        "update_hz",
        "points",
        "wave_hz",
        "error_ppm",
        "lsb_v",
        "droop_db",
        "image_dbc",
        "clipped_points",
    }
    assert wanted <= set(one)
    assert (one["update_hz"], one["points"], one["wave_hz"], one["error_ppm"]) == (
        2500.0,
        1250,
        2.0,
        0.0,
    )
    assert {"name", "rate_hz", "duty", "bits", "ripple_v"} <= set(found["pwm"][0])
    assert found["pwm"][0]["counts"] == 6000
    wheel = json.loads(
        wattigram("check", EXAMPLES / "pedal-to-wheel" / "wheel.wattigram.toml", "--json").stdout
    )
    keys = {"from", "to", "trigger", "source_rate_hz", "sink_rate_hz", "overwritten_rate_hz"}
    assert all(keys <= set(route) for route in wheel["routes"])
    assert [route["source_rate_hz"] for route in wheel["routes"]] == [200.0, 5000.0]


def test_a_meter_is_read_into_a_project_and_a_generator_set(tmp_path: Path) -> None:
    project = tmp_path / "kiln-safety.wattigram.toml"
    project.write_text((EXAMPLES / "kiln-safety" / project.name).read_text())
    process = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "wattigram",
            "instrument",
            "simulate",
            "--port",
            "0",
            "--level",
            "1.5",
        ],
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        assert process.stdout is not None
        address = process.stdout.readline().strip()
        assert "Wattigram" in wattigram("instrument", "ask", address).stdout
        read = wattigram("instrument", "read", address, "--project", project, "--pin", "A4")
        assert float(read.stdout.split()[0]) == pytest.approx(1.5, abs=1e-3)
        wiring = load_project(project).wired("A4")
        assert wiring is not None
        assert wiring.source.meter_v == pytest.approx(1.5, abs=1e-3)  # type: ignore[union-attr]
        assert "DC" in wattigram("instrument", "set", address, project, "A4").stdout
        assert wattigram("instrument", "ask", address, "NONSENSE").returncode == 2
        assert (
            wattigram("instrument", "read", address, "--project", project, "--pin", "Z9").returncode
            == 2
        )
    finally:
        process.terminate()
        process.communicate(timeout=PATIENCE_S)
