"""A board and its stream on one worker thread: read, record, and give pictures of what came."""

from __future__ import annotations

from typing import TYPE_CHECKING

from wattigram.core.base.lazy_imports import load_from
from wattigram.core.session.address import DEBUGGER, IMAGE, is_virtual
from wattigram.core.session.snapshot import OutputPicture, Snapshot, StreamPicture, ViewRequest

if TYPE_CHECKING:
    from wattigram.core.session.board_process import BoardProcess
    from wattigram.core.session.live import LiveSession
    from wattigram.core.session.record import RunOutcome, record_run

__all__ = [
    "DEBUGGER",
    "IMAGE",
    "BoardProcess",
    "LiveSession",
    "OutputPicture",
    "RunOutcome",
    "Snapshot",
    "StreamPicture",
    "ViewRequest",
    "is_virtual",
    "record_run",
]

_HOMES = {"BoardProcess": "board_process", "LiveSession": "live", "RunOutcome": "record", "record_run": "record"}

__getattr__ = load_from(__name__, _HOMES)
