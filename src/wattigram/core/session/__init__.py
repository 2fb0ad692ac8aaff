"""A board and its stream on one worker thread: read, record, and give pictures of what came."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

from wattigram.core.session.snapshot import Snapshot, StreamPicture, ViewRequest

if TYPE_CHECKING:
    from wattigram.core.session.board_process import BoardProcess
    from wattigram.core.session.live import LiveSession
    from wattigram.core.session.record import RunOutcome, record_run

__all__ = ["BoardProcess", "LiveSession", "RunOutcome", "Snapshot", "StreamPicture", "ViewRequest", "record_run"]

_HOMES = {"BoardProcess": "board_process", "LiveSession": "live", "RunOutcome": "record", "record_run": "record"}


def __getattr__(name: str) -> Any:
    """Load what is asked for when it is asked for: a window starts without it."""
    if name not in _HOMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_HOMES[name]}"), name)
