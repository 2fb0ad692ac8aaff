"""Comparing designs, parts of one's own, and checking every example."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.cli.test_cli import KILN, wattigram
from tests.paths import EXAMPLES


def test_two_designs_are_compared(tmp_path: Path) -> None:
    cured = tmp_path / "cured.wattigram.toml"
    cured.write_text(
        KILN.read_text().replace(
            'signal = "Door latch"\nsampling_cycles = 32',
            'signal = "Door latch"\nsampling_cycles = 384',
        )
    )
    outcome = wattigram("compare", KILN, cured)
    assert outcome.returncode == 1
    assert "settling, as wired" in outcome.stdout
    assert "better ›" in outcome.stdout
    found = json.loads(wattigram("compare", KILN, cured, "--json").stdout)
    assert {"subject", "figure", "unit", "a", "b", "better"} == set(found[0])
    same = wattigram("compare", KILN, KILN)
    assert same.returncode == 0
    assert "come to the same figures" in same.stdout


def test_a_part_of_ones_own(tmp_path: Path) -> None:
    path = tmp_path / "own.toml"
    made = wattigram("part", "new", "Own Part", "--like", "quill-q8", "--out", path)
    assert made.returncode == 0
    assert f"wattigram part check {path}" in made.stdout
    assert wattigram("part", "check", path).returncode == 0
    shown = wattigram("part", "show", path).stdout
    assert "Own Part (own-part)" in shown
    assert "software order" in shown
    broken = (
        path.read_text()
        .replace('clock_high = "1 MHz"', "clock_high = 1")
        .replace("slots = 8", "slots = 0")
    )
    path.write_text(broken)
    outcome = wattigram("part", "check", path)
    assert outcome.returncode == 2
    assert "clock_high" in outcome.stderr
    assert "slots" in outcome.stderr


def test_all_parts_are_listed_and_shown() -> None:
    listed = wattigram("part", "list").stdout
    for name in ("marten-m3", "quill-q8", "osprey-x2"):
        assert name in listed
    shown = wattigram("part", "show", "osprey-x2").stdout
    assert "pairs A0−A1=16" in shown
    assert "in hardware sum, block-average, low-pass, 4 thresholds" in shown
    assert "Comparator 1: on A2, A3, A4, B2" in shown


@pytest.mark.parametrize("example", ["kiln-safety", "wheel-pedal", "flame-watch"])
def test_an_example_is_checked_in_full(example: str) -> None:
    outcome = wattigram("check", EXAMPLES / example, "--json")
    assert outcome.returncode == 0
    found = json.loads(outcome.stdout)
    assert found["pins"]
    for converter in found["converters"]:
        assert set(converter["retrieval"]) == {
            "kind",
            "events_hz",
            "cpu_load",
            "isr_s",
            "main_s",
            "round_s",
            "gap_s",
            "held_up_s",
            "deadline_s",
            "lost_rate_hz",
            "reason",
        }
        assert converter["retrieval"]["lost_rate_hz"] == 0
        assert converter["startup"][-1]["step"] == "trigger"
        assert all(step["why"] for step in converter["startup"])
    reduces = [
        slot["reduce"]
        for converter in found["converters"]
        for slot in converter["slots"]
        if slot["reduce"]
    ]
    assert reduces
    for reduce in reduces:
        assert {
            "kind",
            "count",
            "shift",
            "rate_hz",
            "noise_lsb",
            "cutoff_hz",
            "latency_s",
            "bits",
        } <= set(reduce)
    text = wattigram("check", EXAMPLES / example).stdout
    assert "of the processor" in text


def test_the_figures_of_kiln_safety() -> None:
    found = json.loads(wattigram("check", EXAMPLES / "kiln-safety", "--json").stdout)
    assert found["comparators"][0]["rising_v"] == pytest.approx(1.8046875 + 0.016)
    assert found["comparators"][0]["edges_per_crossing"] == pytest.approx(1.0, abs=0.05)
    assert found["twins"][0]["of"] == "Upper zone"
    assert found["twins"][0]["worst_v"] < found["twins"][0]["within_v"]
    hot = found["windows"][0]
    assert (hot["name"], hot["by"], hot["times"]) == ("too hot", "hardware", 3)
    assert hot["high_code"] == pytest.approx(2.1 / 3.3 * 4096)
    coil = next(pin for pin in found["pins"] if pin["signal"] == "Coil current")
    assert (coil["negative"], coil["channel"]) == ("A1", 16)
    assert found["converters"][1]["retrieval"]["kind"] == "fifo"
    # 8 items at 5 kHz, 16 deep: 9 more until one is lost.
    assert found["converters"][1]["retrieval"]["deadline_s"] == pytest.approx(9 / 5000)


def test_run_begins_and_ends_by_itself(tmp_path: Path) -> None:
    out = tmp_path / "hot.h5"
    options = ("--start-at", "Upper zone ends", "--before", "200 ms", "--for", "0.5s", "--times", 2)
    done = wattigram("run", KILN, *options, "--fast", "--out", out, "--json")
    assert done.returncode == 0
    assert json.loads(done.stdout)["takes"] == [str(out), str(tmp_path / "hot 2.h5")]
    told = wattigram("take", "info", tmp_path / "hot 2.h5").stdout
    assert "  0.70" in told
    assert "of the run on" in told
    proved = wattigram("prove", KILN, out).stdout
    assert "✓ holds  Upper zone crosses its threshold" in proved


@pytest.mark.parametrize(
    ("options", "what"),
    [
        ((), "how long the run is to be"),
        (("--start-at", "Upper zone", "--split", "1 h"), "how long the run is to be"),
        (("--for", "long"), "“long” is no time"),
        (("--before", "1 s", "--for", "1 s"), "something that the start waits for"),
        (("--start-at", "Upper zone", "--before", "2 min", "--for", "1 s"), "at most 60 s"),
        (("--start-at", "Oven", "--for", "1 s"), "no source of events “Oven”"),
        (("--samples", "10", "--times", "some"), "“some” is no count"),
        (("--for", "1 s", "--split", "3 bytes"), "“3 bytes” is no time"),
    ],
)
def test_plans_that_cannot_be_are_told(tmp_path: Path, options: tuple[str, ...], what: str) -> None:
    done = wattigram("run", KILN, *options, "--out", tmp_path / "t.h5")
    assert done.returncode == 2
    assert what in done.stderr
    assert not list(tmp_path.iterdir())


def test_a_board_is_brought_up(tmp_path: Path, kiln_path: Path) -> None:
    """Steps are told as they stand; one that is wrong makes the status 1."""
    take = tmp_path / "take.h5"
    done = wattigram(
        "bring-up", kiln_path, "--board", "virtual", "--seconds", "4", "--take", take, "--json"
    )
    assert done.returncode == 1, done.stderr
    steps = {one["key"]: one for one in json.loads(done.stdout)}
    assert steps["identity"]["outcome"] == "holds"
    assert steps["clock"]["outcome"] == "passed over"
    assert steps["link"]["outcome"] == "holds"
    assert steps["take"]["outcome"] == "holds"
    assert steps["design"]["outcome"] == steps["proof"]["outcome"] == "fails"
    assert take.exists()
    again = wattigram("bring-up", kiln_path, "--board", "virtual", "--take", take)
    assert again.returncode == 2
    assert "already" in again.stderr
    nobody = wattigram("bring-up", kiln_path, "--board", "tcp:127.0.0.1:1", "--seconds", "2")
    assert nobody.returncode == 1
    assert "✕ It says who it is: Nobody answers" in nobody.stdout
