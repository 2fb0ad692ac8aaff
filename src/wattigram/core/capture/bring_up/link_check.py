"""What a link really carries, against what the design sends."""

from __future__ import annotations

import msgspec

LEAST_S = 3.0
NEAR_SHARE = 0.25
"""A rate that is farther than that from the designed one is no rate of this design: heads of frames, and
log lines, come on top."""


class SeenLink(msgspec.Struct, frozen=True):
    """Bytes in a second of the board's own time, and what did not come, since it was listened to."""

    bytes_hz: float
    lost_cycles: int
    bytes_skipped: int
    span_s: float

    @property
    def is_whole(self) -> bool:
        """Nothing was lost, and nothing came that is no frame."""
        return not self.lost_cycles and not self.bytes_skipped


class LinkCheck:
    """Counts from the first look on; a board that began anew is counted anew."""

    def __init__(self) -> None:
        self._first: tuple[float, int, int, int] | None = None
        self._last: tuple[float, int, int, int] | None = None

    def look(self, board_s: float, bytes_came: int, lost_cycles: int, bytes_skipped: int) -> None:
        """Counts of a session, at an instant of the board."""
        now = board_s, bytes_came, lost_cycles, bytes_skipped
        if self._last is None or board_s < self._last[0] or bytes_came < self._last[1]:
            self._first = None
        if self._first is None and board_s > 0:
            self._first = now
        self._last = now

    def forget(self) -> None:
        """Count anew."""
        self._first = self._last = None

    @property
    def seen(self) -> SeenLink | None:
        """What came; None where it was not listened to for long enough."""
        if self._first is None or self._last is None:
            return None
        span_s, came, lost, skipped = (
            late - early for early, late in zip(self._first, self._last, strict=True)
        )
        if span_s < LEAST_S:
            return None
        return SeenLink(came / span_s, int(lost), int(skipped), span_s)
