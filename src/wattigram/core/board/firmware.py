"""What the board's program does at each half mark: reduce the signals, watch their windows."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.board.effective import EffectiveConverter, EffectiveTap, EffectiveWindow
from wattigram.core.link import EVENT_DTYPE


class Tap:
    """Reduce stage and window of one signal, fed with loop memory."""

    def __init__(self, tap: EffectiveTap, index: int, converter: EffectiveConverter) -> None:
        self.tap = tap
        self._index = index
        self._slots = len(converter.slots)
        self._cycle_ticks = converter.cycle_ticks
        self._held = np.array([converter.slots[place].held_ticks for place in tap.places], dtype=np.int64)
        self._is_place = np.zeros(self._slots, dtype=bool)
        self._is_place[list(tap.places)] = True
        self._held_of_place = np.zeros(self._slots, dtype=np.int64)
        self._held_of_place[list(tap.places)] = self._held
        self._loop_items = converter.loop.items
        self._mask = (1 << tap.register_bits) - 1
        self._pending = np.empty(0, dtype=np.int64)
        self._pending_ticks = np.empty(0, dtype=np.int64)
        self._inside = False

    def feed(self, items: NDArray[Any], first: int) -> tuple[NDArray[np.uint32], NDArray[np.int64], NDArray[Any]]:
        """Take a half of the loop.

        Parameters
        ----------
        items : (n,) unsigned, as they lie in memory
        first : int
            Number of the first of them since the start.

        Returns
        -------
        reduced : (m,) uint32; empty without a reduce stage
        ticks : (m,) int64, held instants of the last sample in each
        events : (e,) EVENT_DTYPE
        """
        numbers = np.arange(first, first + len(items), dtype=np.int64)
        places = numbers % self._loop_items % self._slots
        mine = self._is_place[places]
        values = items[mine].astype(np.int64)
        ticks = numbers[mine] // self._slots * self._cycle_ticks + self._held_of_place[places[mine]]
        reduced = np.empty(0, dtype=np.uint32)
        reduced_ticks = np.empty(0, dtype=np.int64)
        if self.tap.count > 1:
            reduced, reduced_ticks = self._reduce(values, ticks)
        window = self.tap.window
        events = np.empty(0, dtype=EVENT_DTYPE)
        if window is not None:
            judged = (reduced.astype(np.int64), reduced_ticks) if window.on_reduced else (values, ticks)
            events = self._judge(window, *judged)
        return reduced, reduced_ticks, events

    def _reduce(
        self, values: NDArray[np.int64], ticks: NDArray[np.int64]
    ) -> tuple[NDArray[np.uint32], NDArray[np.int64]]:
        count = self.tap.count
        values = np.concatenate((self._pending, values))
        ticks = np.concatenate((self._pending_ticks, ticks))
        whole = len(values) // count * count
        self._pending, self._pending_ticks = values[whole:], ticks[whole:]
        sums = values[:whole].reshape(-1, count).sum(axis=1) & self._mask
        return (sums >> self.tap.shift).astype(np.uint32), ticks[:whole].reshape(-1, count)[:, -1]

    def _judge(self, window: EffectiveWindow, values: NDArray[np.int64], ticks: NDArray[np.int64]) -> NDArray[Any]:
        enters, leaves = window_masks(window, values)
        events = []
        position = 0
        while position < len(values):
            wanted = leaves if self._inside else enters
            step = int(np.argmax(wanted[position:]))
            if not wanted[position + step]:
                break
            position += step
            self._inside = not self._inside
            events.append((self._index, self._inside, 0, int(values[position]), int(ticks[position])))
            position += 1
        return np.array(events, dtype=EVENT_DTYPE)


def window_masks(window: EffectiveWindow, values: NDArray[np.int64]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Where the condition begins to hold, and where it has ceased by the hysteresis."""
    low, high, slack = window.low, window.high, window.hysteresis
    match window.condition:
        case "outside":
            return (values < low) | (values > high), (values >= low + slack) & (values <= high - slack)
        case "inside":
            return (values >= low) & (values <= high), (values < low - slack) | (values > high + slack)
        case "above":
            return values > high, values <= high - slack
        case "below":
            return values < low, values >= low + slack
