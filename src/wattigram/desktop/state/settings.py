"""What the program remembers from one time to the next, and where it keeps things."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSettings

from wattigram.core.base.user_folders import config_folder, folder_of

RECENT_KEPT = 8


class Settings:
    """Typed access to the settings file."""

    def __init__(self) -> None:
        folder = config_folder()
        folder.mkdir(parents=True, exist_ok=True)
        self._file = QSettings(str(folder / "wattigram.ini"), QSettings.Format.IniFormat)

    def takes_name(self, project: Path) -> str:
        """Name of the folder of a project's takes: by its path, or the one that it had before it
        was first saved."""
        own = folder_of(project)
        return self.get(f"takes/{own}") or own

    def keep_takes_name(self, project: Path, name: str) -> None:
        """A project that had no file has one now; its takes stay where they are."""
        self.set(f"takes/{folder_of(project)}", name)

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
