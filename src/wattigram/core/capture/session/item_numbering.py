"""Numbers of items as boards give them, as far as they can be believed."""

from __future__ import annotations

from wattigram.core.capture.transport import SampleRun

MOST_AT_ONCE = 1 << 16
"""Items that may be missing at any one time, whatever the ticks say."""
MOST_A_TICK = 2
"""Items of one stream that a tick of the board's clock can bring."""


class ItemNumbering:
    """Follows the numbers of each stream; one that no board could have come to counts from where
    the last ended."""

    def __init__(self) -> None:
        self._moved: dict[int, int] = {}
        self._newest_ticks: dict[int, int] = {}
        self.jumps: dict[int, int] = {}
        """How often a stream's numbers went where they cannot be."""

    def clear(self) -> None:
        """The board starts anew."""
        self._moved.clear()
        self._newest_ticks.clear()
        self.jumps.clear()

    def newest_ticks(self, stream: int) -> int:
        """Of the newest frame that came."""
        return self._newest_ticks.get(stream, 0)

    def placed(self, run: SampleRun, expected: int) -> SampleRun:
        """The run with numbers that can be: as they came, or as they came less what was wrong
        before."""
        begin_ticks = int(run.frame_ticks[0]) if len(run.frame_ticks) else 0
        most = expected + self._most_missing(run.stream, begin_ticks)
        moved = 0 if run.first <= most else self._moved.get(run.stream, 0)
        if run.first - moved > most:
            moved = run.first - expected
            self.jumps[run.stream] = self.jumps.get(run.stream, 0) + 1
        self._moved[run.stream] = moved
        if len(run.frame_ticks):
            self._newest_ticks[run.stream] = int(run.frame_ticks[-1])
        return run._replace(first=run.first - moved) if moved else run

    def total(self, stream: int, told: int, expected: int, ticks: int) -> int:
        """Items of a stream in the end, as a board tells them; those that came where that cannot
        be."""
        total = told - self._moved.get(stream, 0)
        return total if total - expected <= self._most_missing(stream, ticks) else expected

    def _most_missing(self, stream: int, ticks: int) -> int:
        return max(MOST_AT_ONCE, MOST_A_TICK * (ticks - self.newest_ticks(stream)))
