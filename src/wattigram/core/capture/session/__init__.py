"""A board and its stream on one worker thread: read, record, and give pictures of what came."""

from __future__ import annotations

from typing import TYPE_CHECKING

from wattigram.core.base.lazy_imports import load_from
from wattigram.core.capture.session.address import DEBUGGER, IMAGE, is_virtual
from wattigram.core.capture.session.snapshot import (
    HoldState,
    OutputPicture,
    Snapshot,
    StreamPicture,
    ViewRequest,
)

if TYPE_CHECKING:
    from wattigram.core.capture.session.board_process import BoardProcess
    from wattigram.core.capture.session.live_session import LiveSession
    from wattigram.core.capture.session.record import RunOutcome, record_run

__all__ = [
    "DEBUGGER",
    "IMAGE",
    "BoardProcess",
    "HoldState",
    "LiveSession",
    "OutputPicture",
    "RunOutcome",
    "Snapshot",
    "StreamPicture",
    "ViewRequest",
    "is_virtual",
    "record_run",
]

_HOMES = {
    "BoardProcess": "board_process",
    "LiveSession": "live_session",
    "RunOutcome": "record",
    "record_run": "record",
}

__getattr__ = load_from(__name__, _HOMES)
