"""``wattigram firmware``: files, build, JSON, tables, and what it refuses."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.cli.test_cli import wattigram
from tests.core.firmware.compiled import needs_compiler


@needs_compiler
def test_it_writes_builds_and_tells_in_json(kiln_path: Path, tmp_path: Path) -> None:
    done = wattigram("firmware", kiln_path, "--out", tmp_path / "c", "--build", "--json")
    assert done.returncode == 0, done.stderr
    values = json.loads(done.stdout)
    assert "wg_setup.c" in values["new"]
    assert values["build"]["errors"] == values["build"]["warnings"] == 0
    assert Path(values["build"]["elf"]).is_file()
    assert 0 < values["build"]["data_bytes"] < values["build"]["data_room_bytes"] == 98304
    first = values["registers"][0]
    assert first["register"] == "Timer 2 STEP"
    assert first["settings"] == ["prescaler"]
    assert values["registers"][-1]["register"] == "Timer 2 RUN"
    run = wattigram(
        "run",
        kiln_path,
        "--seconds",
        "0.2",
        "--fast",
        "--out",
        tmp_path / "t.h5",
        "--board",
        f"image:{values['build']['elf']}",
    )
    assert run.returncode == 0, run.stderr
    assert "10000 samples" in run.stdout


def test_tables_only(kiln_path: Path, tmp_path: Path) -> None:
    done = wattigram("firmware", kiln_path, "--out", tmp_path, "--tables")
    assert done.returncode == 0, done.stderr
    assert [path.name for path in tmp_path.iterdir()] == ["wg_tables.h"]
    assert "#define WG_TIMER_2_PERIOD 9600u" in (tmp_path / "wg_tables.h").read_text()


@needs_compiler
def test_a_build_that_fails_has_status_1(kiln_path: Path, tmp_path: Path) -> None:
    assert wattigram("firmware", kiln_path, "--out", tmp_path).returncode == 0
    (tmp_path / "own.c").write_text("int x = ;\n")
    done = wattigram("firmware", kiln_path, "--out", tmp_path, "--build")
    assert done.returncode == 1
    assert "own.c:1:9: error" in done.stderr
    assert "The build failed: 1 errors." in done.stdout


@pytest.mark.parametrize("image", ["nothing.elf", "text.elf"])
def test_an_image_that_is_none(image: str, kiln_path: Path, tmp_path: Path) -> None:
    (tmp_path / "text.elf").write_text("no image")
    done = wattigram(
        "run",
        kiln_path,
        "--seconds",
        "0.1",
        "--out",
        tmp_path / "t.h5",
        "--board",
        f"image:{tmp_path / image}",
    )
    assert done.returncode == 2
    assert image in done.stderr
