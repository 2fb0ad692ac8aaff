"""The log, and reports of faults that are the program's own."""

from __future__ import annotations

import logging
import sys
import time
import traceback
from pathlib import Path

from wattigram.core.base.user_folders import state_folder

LARGEST_LOG_BYTES = 1 << 20
LOGS_KEPT = 3
REPORTS_KEPT = 20
PACKAGES = (
    "wattigram",
    "PyQt6",
    "PyQt6-Qt6",
    "numpy",
    "scipy",
    "msgspec",
    "h5py",
    "pyserial",
    "unicorn",
    "pyelftools",
)


def log_path() -> Path:
    """Where the log is."""
    return state_folder() / "wattigram.log"


def report_paths() -> list[Path]:
    """Reports of faults, the newest first."""
    folder = state_folder() / "reports"
    return sorted(folder.glob("report *.txt"), key=lambda path: path.stat().st_mtime, reverse=True)


def start_log(verbose: bool = False) -> None:
    """Write warnings to the log and to standard error; with ``verbose`` everything to both."""
    root = logging.getLogger()
    for handler in list(root.handlers):
        root.removeHandler(handler)
        handler.close()
    root.setLevel(logging.DEBUG if verbose else logging.INFO)
    shown = logging.StreamHandler()
    shown.setLevel(logging.DEBUG if verbose else logging.WARNING)
    shown.setFormatter(logging.Formatter("%(levelname)s %(name)s: %(message)s"))
    root.addHandler(shown)
    logging.raiseExceptions = False  # a full disk must not end what is being logged about
    root.addHandler(_LateLog())


class _LateLog(logging.Handler):
    """Opens the log at its first line: most commands write none, and what rotates files is slow to
    import.

    Where no log can be written the program runs without one.
    """

    _kept: logging.Handler | None = None

    def emit(self, record: logging.LogRecord) -> None:
        if self._kept is None:
            self._kept = _rotating_log()
        self._kept.handle(record)

    def close(self) -> None:
        if self._kept is not None:
            self._kept.close()
        super().close()


def _rotating_log() -> logging.Handler:
    from logging.handlers import RotatingFileHandler

    try:
        log_path().parent.mkdir(parents=True, exist_ok=True)
        kept = RotatingFileHandler(
            log_path(),
            maxBytes=LARGEST_LOG_BYTES,
            backupCount=LOGS_KEPT,
            encoding="utf-8",
            delay=True,
        )
    except OSError:
        return logging.NullHandler()
    kept.setFormatter(
        logging.Formatter("%(asctime)s %(process)d %(levelname)s %(name)s: %(message)s")
    )
    return kept


def write_report(fault: BaseException, doing: str) -> Path | None:
    """Leave a file with versions and traceback for whoever is to mend it; None where none can be
    written."""
    import platform

    lines = [
        f"Wattigram report, {time.strftime('%Y-%m-%d %H:%M:%S %z')}",
        f"While: {doing}",
        f"Python {platform.python_version()} on {platform.platform()}",
        *(f"{name} {_version(name)}" for name in PACKAGES),
        f"Arguments: {sys.argv[1:]}",
        "",
        "".join(traceback.format_exception(fault)),
    ]
    folder = state_folder() / "reports"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        kept = sorted(folder.glob("report *.txt"), key=lambda path: path.stat().st_mtime)
        for path in kept[: -REPORTS_KEPT + 1]:
            path.unlink(missing_ok=True)
        stem = time.strftime("report %Y-%m-%d %H-%M-%S")
        path = folder / f"{stem}.txt"
        number = 2
        while path.exists():
            path = folder / f"{stem} {number}.txt"
            number += 1
        path.write_text("\n".join(lines), encoding="utf-8")
    except OSError:
        return None
    return path


def _version(package: str) -> str:
    from importlib.metadata import (  # slow, and needed after a fault only
        PackageNotFoundError,
        version,
    )

    try:
        return version(package)
    except PackageNotFoundError:
        return "not installed"
