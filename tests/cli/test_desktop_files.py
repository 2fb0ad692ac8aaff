"""What makes the program known to desktops, shells and man."""

from __future__ import annotations

import configparser
import re
import shutil
import subprocess
from pathlib import Path
from xml.etree import ElementTree

import pytest
from PyQt6.QtSvg import QSvgRenderer

from tests.cli.test_cli import wattigram
from wattigram.cli.commands import COMMANDS
from wattigram.desktop.shell.app import APP_ID, ICON


@pytest.fixture(scope="module")
def share(tmp_path_factory: pytest.TempPathFactory) -> Path:
    prefix = tmp_path_factory.mktemp("prefix")
    done = wattigram("desktop-files", prefix)
    assert done.returncode == 0
    written = [Path(line) for line in done.stdout.splitlines()]
    assert written
    assert all(path.is_file() for path in written)
    return prefix / "share"


def test_the_entry_opens_projects_in_a_window_with_the_icon(share: Path) -> None:
    parser = configparser.ConfigParser(interpolation=None)
    parser.optionxform = str  # type: ignore[assignment,method-assign]
    parser.read(share / f"applications/{APP_ID}.desktop")
    entry = parser["Desktop Entry"]
    assert entry["Exec"] == "wattigram open %f"
    assert (
        share / f"icons/hicolor/scalable/apps/{entry['Icon']}.svg"
    ).read_text() == ICON.read_text()
    assert QSvgRenderer(str(ICON)).isValid()
    mime = ElementTree.parse(share / f"mime/packages/{APP_ID}.xml").getroot()
    kind = mime[0].attrib["type"]
    assert kind in entry["MimeType"]
    globs = [one.attrib["pattern"] for one in mime[0] if one.tag.endswith("glob")]
    assert globs == ["*.wattigram.toml"]
    about = ElementTree.parse(share / f"metainfo/{APP_ID}.metainfo.xml").getroot()
    assert about.findtext("launchable") == f"{APP_ID}.desktop"
    if checker := shutil.which("desktop-file-validate"):
        assert (
            subprocess.run(
                [checker, share / f"applications/{APP_ID}.desktop"], check=False
            ).returncode
            == 0
        )


def test_the_man_page_has_every_command_and_its_options(share: Path) -> None:
    page = (share / "man/man1/wattigram.1").read_text()
    for name in COMMANDS:
        assert f"wattigram {name}".replace("-", "\\-") in page
    assert "\\-\\-start\\-at" in page
    assert "take analyse" in page
    assert not re.search(r"(?m)^'", page)
    if shutil.which("man"):
        shown = subprocess.run(
            ["man", "-l", "--warnings", share / "man/man1/wattigram.1"],
            capture_output=True, text=True, check=False, env={"PATH": "/usr/bin:/bin", "MANWIDTH": "100"},
        )  # fmt: skip
        assert shown.returncode == 0
        assert "Exit status is 0 where all is well" in " ".join(shown.stdout.split())


def test_shells_complete_commands(share: Path) -> None:
    script = share / "bash-completion/completions/wattigram"
    if not script.exists():
        pytest.skip("no bash that is new enough")
    assert subprocess.run(["bash", "-n", script], check=False).returncode == 0
    assert (share / "zsh/site-functions/_wattigram").read_text().startswith("#compdef wattigram")
    assert "wattigram" in (share / "fish/vendor_completions.d/wattigram.fish").read_text()


def test_a_prefix_that_is_no_folder_is_told(tmp_path: Path) -> None:
    (tmp_path / "share").write_text("")
    done = wattigram("desktop-files", tmp_path)
    assert done.returncode == 2
    assert "Choose a prefix" in done.stderr
