"""What the program remembers from one time to the next, and where it keeps things."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs
from PyQt6.QtCore import QSettings

RECENT_KEPT = 8


def config_folder() -> Path:
    """Folder of settings and recovery copies; ``WATTIGRAM_CONFIG`` overrides it."""
    return Path(os.environ.get("WATTIGRAM_CONFIG") or platformdirs.user_config_dir("wattigram"))


def takes_folder(project: str) -> Path:
    """Folder of a project's takes; ``WATTIGRAM_DATA`` overrides its parent."""
    data = (
        os.environ.get("WATTIGRAM_DATA")
        or os.environ.get("WATTIGRAM_CONFIG")
        or platformdirs.user_data_dir("wattigram")
    )
    safe = "".join(letter if letter.isalnum() or letter in "-_ " else "-" for letter in project).strip() or "project"
    return Path(data) / "takes" / safe


def next_take_path(folder: Path) -> Path:
    """A name for the next take: "take 12.h5"."""
    folder.mkdir(parents=True, exist_ok=True)
    numbers = [int(path.stem[5:]) for path in folder.glob("take *.h5") if path.stem[5:].isdigit()]
    return folder / f"take {max(numbers, default=0) + 1}.h5"


class Settings:
    """Typed access to the settings file."""

    def __init__(self) -> None:
        folder = config_folder()
        folder.mkdir(parents=True, exist_ok=True)
        self._file = QSettings(str(folder / "wattigram.ini"), QSettings.Format.IniFormat)

    @property
    def recovery_path(self) -> Path:
        """Where unsaved work is kept."""
        return config_folder() / "recovery.wattigram.toml"

    @property
    def instrument(self) -> str:
        """Address of the meter or generator on the bench."""
        return str(self._file.value("instrument", "") or "")

    @instrument.setter
    def instrument(self, address: str) -> None:
        self._file.setValue("instrument", address)

    @property
    def recent(self) -> list[Path]:
        """Projects opened lately, the newest first, those that still exist."""
        stored = self._file.value("recent", [])
        names = [stored] if isinstance(stored, str) else list(stored or [])
        return [Path(name) for name in names if Path(name).is_file()]

    def add_recent(self, path: Path) -> None:
        """Note that a project was opened or saved."""
        names = [str(path.resolve())]
        names += [str(other) for other in self.recent if str(other) not in names]
        self._file.setValue("recent", names[:RECENT_KEPT])

    def get(self, key: str, default: str = "") -> str:
        """A text."""
        value = self._file.value(key, default)
        return value if isinstance(value, str) else default

    def set(self, key: str, value: object) -> None:
        """Remember a value."""
        self._file.setValue(key, value)

    def blob(self, key: str) -> bytes:
        """Geometry and the like."""
        value = self._file.value(key)
        return bytes(value) if value is not None and not isinstance(value, str) else b""

    def sync(self) -> None:
        """Write now."""
        self._file.sync()
