"""A board and its stream on one worker thread: read, record, and give pictures of what came."""

from wattigram.core.session.board_process import BoardProcess
from wattigram.core.session.live import LiveSession, Snapshot, ViewRequest
from wattigram.core.session.picture import StreamPicture
from wattigram.core.session.record import RunOutcome, record

__all__ = [
    "BoardProcess",
    "LiveSession",
    "RunOutcome",
    "Snapshot",
    "StreamPicture",
    "ViewRequest",
    "record",
]
