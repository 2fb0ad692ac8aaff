"""The guide followed word by word: its commands in their order, its files, its menus and its links."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

from tests.core.firmware.compiled import find_compiler
from wattigram.desktop.shell.window import MainWindow

ROOT = Path(__file__).parents[2]
GUIDE, COPY = ROOT / "docs" / "guide", ROOT / "src" / "wattigram" / "desktop" / "guide"
CHAPTERS = sorted(GUIDE.glob("[0-9]*.md"))
FENCE = re.compile(r"^```(?P<how>[^\n]*)\n(?P<text>.*?)^```$", re.MULTILINE | re.DOTALL)
MENU = re.compile(r"\*(\w+) › ([^*]+)\*")
LINK = re.compile(r"\]\(([^)#]+)\)")


def test_there_are_ten_short_chapters() -> None:
    assert len(CHAPTERS) == 10
    for path in CHAPTERS:
        assert len(path.read_text().splitlines()) < 80, path.name


def test_its_commands_do_what_it_says(tmp_path: Path) -> None:
    """In an empty folder, chapter after chapter, as somebody would copy them."""
    folder = Path(sys.executable).parent
    around = os.environ | {"PATH": f"{folder}:{os.environ['PATH']}", "QT_QPA_PLATFORM": "offscreen"}
    around |= {"WATTIGRAM_CONFIG": str(tmp_path / "config")}
    work = tmp_path / "work"
    work.mkdir()
    told = {}
    for path in CHAPTERS:
        for fence in FENCE.finditer(path.read_text()):
            how, text = fence["how"].split(), fence["text"]
            if how[:1] == ["toml"]:
                target = work / how[2]
                before = target.read_text() if how[1] == "add" else ""
                target.write_text(before + text)
            elif how[:1] == ["sh"] and not (how[1:] == ["compiler"] and find_compiler() is None):
                run = subprocess.run(
                    ["bash", "-e", "-c", text],
                    cwd=work,
                    env=around,
                    capture_output=True,
                    text=True,
                    check=False,
                )
                wanted = 1 if how[1:] == ["fails"] else 0
                assert run.returncode == wanted, (path.name, text, run.stdout, run.stderr)
                told[path.name] = told.get(path.name, "") + run.stdout
    assert "✓ C" in told["02-part.md"]
    assert "47 kΩ needs 6.95 µs to settle, slot 2 gives 250 ns" in told["05-findings.md"]
    assert "Findings: none" in told["05-findings.md"]
    assert "3 hold, 0 fail, 0 open" in told["07-proof.md"]
    assert "1 ms … 15 ms after its cause" in told["08-program.md"]
    if find_compiler() is not None:
        assert "4 hold, 0 fail, 0 open" in told["09-firmware.md"]
    for name in ("proof.html", "proof.pdf", "proof.xml", "oven.csv"):
        assert (work / name).stat().st_size > 1000


@pytest.mark.parametrize("path", sorted(GUIDE.glob("*.md")), ids=lambda path: path.name)
def test_what_it_names_is_there(path: Path, window: MainWindow) -> None:
    text = path.read_text()
    for link in LINK.findall(text):
        assert (GUIDE / link).resolve().is_file(), link
    for group, name in MENU.findall(text):
        action = window.actions_list.named(name)
        assert action in window.actions_list.groups[group], (group, name)
    assert (COPY / path.name).read_text() == text, "the copy that the window shows is another one"


def test_the_glossary_of_the_window_is_that_of_the_documents() -> None:
    own = ROOT / "src" / "wattigram" / "desktop" / "glossary.md"
    assert own.read_text() == (ROOT / "docs" / "glossary.md").read_text()
