"""A part described by commands, and a project put on it."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from tests.cli.test_cli import wattigram
from tests.core.model.part.sheet.heron import FACTS
from tests.paths import CASES, EXAMPLES
from wattigram.core.model.part import load_part

TABLE = "pin,analog,other\nP0-P3,AIN0-AIN3,port P\nR0,,UART TX\n"


def _place(identifier: str, number: int, key: str) -> str:
    lists = {"pairs": "converters.1.pairs"}
    if identifier in {"core", "pins"}:
        return key
    head = lists.get(identifier, identifier)
    return f"{head}.{key}" if identifier == "memory" else f"{head}.{number}.{key}"


def test_a_part_is_described_from_nothing_and_a_project_put_on_it(tmp_path: Path) -> None:
    path = tmp_path / "heron-h5.toml"
    made = wattigram("part", "new", "Heron H5", "--out", path)
    assert "nothing is known yet" in made.stdout
    assert wattigram("part", "suffices", path).returncode == 1
    lines = [
        (_place(identifier, number, key), text)
        for identifier, things in FACTS
        for number, facts in enumerate(things, start=1)
        for key, text in facts.items()
    ]
    code = (
        "import sys\nfrom wattigram.cli.main import main\n"
        "for fact, text in LINES:\n"
        "    sys.argv = ['wattigram', 'part', 'set', PATH, '--', fact, text]\n"
        "    try:\n        main()\n    except SystemExit as end:\n        assert not end.code, (fact, end.code)\n"
    )
    run = subprocess.run(
        [sys.executable, "-c", f"LINES = {lines!r}\nPATH = {str(path)!r}\n{code}"],
        capture_output=True,
        text=True,
        check=False,
    )
    assert run.returncode == 0, run.stderr
    assert run.stdout.splitlines()[-1].endswith("It suffices for a design.")
    told = wattigram("part", "suffices", path)
    assert told.returncode == 0
    assert told.stdout.count("✓") == 2
    assert "✕ C" in told.stdout
    matched = wattigram("part", "match", path, CASES / "parts" / "heron-h5.svd", "--take")
    assert "SARC, 0x50010000: 31 fields taken" in matched.stdout
    assert "✓ sampling 1        FORM · APER_A" in matched.stdout
    part = load_part(path)
    assert len(part.blocks) == 13
    svd = CASES / "parts" / "heron-h5.svd"
    chosen = wattigram(
        "part", "match", path, svd, "--choose", "PULSE0: load = CTL.LOAD",
        "--choose", "PULSE1:load=CTL · LOAD",
    )  # fmt: skip
    assert chosen.stdout.count("✓ load              CTL · LOAD") == 2
    told = wattigram("part", "suffices", path)
    assert told.stdout.count("✓") == 3
    assert "not for: thresholds in hardware of SARC (window-entered" in told.stdout
    for wrong, why in (
        ("SARC: divider", "names no peripheral"),
        ("ADC 9: divider = FORM.DIV", "names no peripheral"),
        ("SARC: speed = FORM.DIV", "no setting of SARC"),
        ("SARC: divider = FORM.NONE", "has no field"),
        ("SARC: repeats = FORM.DIV", "hold “divider” already"),
    ):
        refused = wattigram("part", "match", path, svd, "--choose", wrong)
        assert refused.returncode == 2
        assert why in refused.stderr
    project = EXAMPLES / "kiln-lamp" / "kiln-lamp.wattigram.toml"
    out = tmp_path / "lamp.wattigram.toml"
    changed = wattigram("part", "change", project, path, "--out", out)
    assert changed.returncode == 0, changed.stdout + changed.stderr
    assert "converter ADC 1 → SARC" in changed.stdout
    checked = wattigram("check", out)
    assert "Heron H5" in checked.stdout


def test_a_fact_that_is_none_leaves_the_file_as_it_was(tmp_path: Path) -> None:
    path = tmp_path / "x.toml"
    wattigram("part", "new", "X", "--out", path)
    before = path.read_text()
    for fact, text, words in (
        ("processor.clock", "64", "has no unit"),
        ("processor.colour", "red", "no place of a fact"),
        ("converters.2.name", "ADC", "no place of a fact"),
        ("converters.1.bits", "ten", "no number"),
    ):
        refused = wattigram("part", "set", path, fact, text)
        assert refused.returncode == 2
        assert words in refused.stderr
        assert path.read_text() == before
    again = wattigram("part", "new", "X", "--out", path)
    assert again.returncode == 2
    assert "There is a file of that name already" in again.stderr


def test_a_table_of_pins_and_a_page_are_taken_over(tmp_path: Path) -> None:
    path, table = tmp_path / "x.toml", tmp_path / "pins.csv"
    wattigram("part", "new", "X", "--out", path)
    wattigram("part", "set", path, "converters.1.name", "ADC", "--note", "page 7")
    table.write_text(TABLE)
    told = wattigram("part", "pins", path, table)
    assert told.stdout.splitlines()[0] == "5 pins, 4 with a channel, 1 port"
    text = path.read_text()
    assert 'pins = ["P0", "P1", "P2", "P3", "R0"]' in text
    assert '"converters.1.name" = "page 7"' in text
    table.write_text("nothing")
    assert "No line of it has a pin" in wattigram("part", "pins", path, table).stderr


def test_a_part_that_cannot_hold_a_project_says_why(tmp_path: Path) -> None:
    project = EXAMPLES / "kiln-safety" / "kiln-safety.wattigram.toml"
    out = tmp_path / "x.wattigram.toml"
    refused = wattigram("part", "change", project, "quill-q8", "--out", out)
    assert refused.returncode == 1
    assert "✕ " in refused.stdout
    assert not out.exists()
