"""Files that are dropped on the window: projects are opened, takes and recordings shown, register descriptions
read."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QMimeData

PROJECT = ".wattigram.toml"


def dropped_paths(data: QMimeData | None) -> list[Path]:
    """Files of this machine among what is dropped."""
    if data is None or not data.hasUrls():
        return []
    return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]


def take_dropped(
    paths: list[Path],
    open_project: Callable[[Path], None],
    show_recording: Callable[[Path], None],
    read_description: Callable[[Path], None],
    say: Callable[[str], None],
) -> None:
    """Do with each what its name asks for; of several projects the first is opened."""
    from wattigram.core.capture.recording import READERS  # late: HDF5 comes with it

    projects = [path for path in paths if path.name.endswith(PROJECT) or _holds_project(path)]
    suffixes = {suffix for reader in READERS for suffix in reader.suffixes} | {".h5"}
    recordings = [
        path for path in paths if path.suffix.lower() in suffixes and path not in projects
    ]
    descriptions = [path for path in paths if path.suffix.lower() == ".svd"]
    known = {*projects, *recordings, *descriptions}
    others = [path.name for path in paths if path not in known]
    if projects:
        open_project(projects[0])
    for path in recordings:
        show_recording(path)
    for path in descriptions:
        read_description(path)
    if others or len(projects) > 1:
        told = ", ".join([*others, *(path.name for path in projects[1:])])
        say(
            f"{told}: not opened. Drop one project (*{PROJECT}, or its folder), "
            "takes, recordings of other tools, or register descriptions (*.svd)."
        )


def _holds_project(path: Path) -> bool:
    return path.is_dir() and any(path.glob(f"*{PROJECT}"))
