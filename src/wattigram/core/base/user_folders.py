"""Where the program keeps what belongs to nobody's project: settings, takes, recovery copies, its
log."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

import platformdirs


def config_folder() -> Path:
    """Folder of the settings; ``WATTIGRAM_CONFIG`` overrides it."""
    return Path(os.environ.get("WATTIGRAM_CONFIG") or platformdirs.user_config_dir("wattigram"))


def data_folder() -> Path:
    """Folder of takes; ``WATTIGRAM_DATA`` overrides it, ``WATTIGRAM_CONFIG`` where that is not
    set."""
    chosen = os.environ.get("WATTIGRAM_DATA") or os.environ.get("WATTIGRAM_CONFIG")
    return Path(chosen or platformdirs.user_data_dir("wattigram"))


def state_folder() -> Path:
    """Folder of recovery copies, reports of faults and the log; ``WATTIGRAM_STATE`` or
    ``WATTIGRAM_CONFIG`` override it."""
    chosen = os.environ.get("WATTIGRAM_STATE") or os.environ.get("WATTIGRAM_CONFIG")
    return Path(chosen or platformdirs.user_state_dir("wattigram"))


def safe_name(text: str) -> str:
    """A name for a file or folder made of any text; "project" where nothing of it can be used."""
    safe = "".join(letter if letter.isalnum() or letter in "-_ " else "-" for letter in text)[
        :80
    ].strip()
    return safe or "project"


def folder_of(project: Path) -> str:
    """Name of the folder of a project's takes: its own name, and what tells it from others of that
    name elsewhere."""
    whole = os.path.realpath(project)
    digest = hashlib.sha256(os.fsencode(whole)).hexdigest()[:8]
    return f"{safe_name(project.name.removesuffix('.wattigram.toml'))} {digest}"
