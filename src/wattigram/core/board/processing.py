"""What becomes of a signal's values after conversion: its reduce stage, sample by sample in
integers."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.board_config import EffectiveTap

IntArray = NDArray[np.int64]


class Values(msgspec.Struct, frozen=True):
    """Some values of one stream: (n,) int64 each, with the held instant of the last sample in
    each."""

    values: IntArray
    ticks: IntArray


NOTHING = Values(np.empty(0, dtype=np.int64), np.empty(0, dtype=np.int64))


class Tap:
    """Picks a signal's items by their places, and reduces them."""

    def __init__(self, tap: EffectiveTap, slots: int, loop_items: int) -> None:
        self.tap = tap
        self._slots = slots
        self._loop_items = loop_items
        self._is_place = np.zeros(slots, dtype=bool)
        self._is_place[list(tap.places)] = True
        self._mask = (1 << tap.register_bits) - 1
        self._pending = NOTHING
        self._state: int | None = None
        self.done = 0
        """Reduced values given so far."""

    def feed(self, items: NDArray[Any], first: int, held_ticks: IntArray) -> tuple[Values, Values]:
        """Take items as they lie one after the other.

        Parameters
        ----------
        items : (n,) integers
        first : int
            Number of the first of them since the start; a place in the loop says whose it is.
        held_ticks : (n,) int64

        Returns
        -------
        raw, reduced : Values; reduced values are empty without a stage
        """
        numbers = np.arange(first, first + len(items), dtype=np.int64)
        mine = self._is_place[numbers % self._loop_items % self._slots]
        values = items[mine].astype(np.int64)
        if self.tap.signed_bits:
            half = 1 << (self.tap.signed_bits - 1)
            values = (values + half) % (2 * half) - half
        raw = Values(values, held_ticks[mine])
        return raw, self._reduce(raw)

    def _reduce(self, raw: Values) -> Values:
        match self.tap.stage:
            case "none":
                return NOTHING
            case "sum" | "block-average":
                return self._block(raw)
            case "moving-average":
                return self._running(raw)
            case "low-pass":
                return self._low_pass(raw)

    def _register(self, sums: IntArray) -> IntArray:
        """What the register keeps, shifted right; signed items keep their sign."""
        if self.tap.signed_bits:
            half = 1 << (self.tap.register_bits - 1)
            return ((sums + half) % (2 * half) - half) >> self.tap.shift
        return (sums & self._mask) >> self.tap.shift

    def _block(self, raw: Values) -> Values:
        count = self.tap.count
        values = np.concatenate((self._pending.values, raw.values))
        ticks = np.concatenate((self._pending.ticks, raw.ticks))
        whole = len(values) // count * count
        self._pending = Values(values[whole:], ticks[whole:])
        sums = values[:whole].reshape(-1, count).sum(axis=1)
        return Values(self._register(sums), ticks[:whole].reshape(-1, count)[:, -1])

    def _running(self, raw: Values) -> Values:
        """The register holds the sum of the newest ``count`` values, zeros before the first."""
        if not len(raw.values):
            return NOTHING
        count = self.tap.count
        before = (
            self._pending.values if self._state is not None else np.zeros(count, dtype=np.int64)
        )
        self._state = 0
        values = np.concatenate((before, raw.values))
        totals = np.concatenate(([0], np.cumsum(values)))
        self._pending = Values(values[-count:], NOTHING.ticks)
        sums = totals[count + 1 :] - totals[1 : len(values) - count + 1]
        return Values(self._register(sums), raw.ticks)

    def _low_pass(self, raw: Values) -> Values:
        """acc += x − (acc >> k); the output is acc >> k. The first sample sets it."""
        shift, mask = self.tap.shift, self._mask
        out = []
        state = self._state
        for value in raw.values.tolist():
            state = value << shift if state is None else state + value - (state >> shift)
            if not self.tap.signed_bits:
                state &= mask
            out.append(state >> shift)
        self._state = state
        return Values(np.array(out, dtype=np.int64), raw.ticks)
