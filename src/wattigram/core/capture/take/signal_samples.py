"""What a take holds of one signal, or of one output."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.link import OVERWRITTEN, TORN
from wattigram.core.model.design import Signal

FloatArray = NDArray[np.float64]


class SignalSamples(msgspec.Struct, frozen=True, dict=True):
    """Samples of one signal in time order.

    Attributes
    ----------
    items : (n,) unsigned, as they lay in memory
    volts : (n,) float64, the signal's own volts
    cycles : (n,) int64, number of the cycle that each was converted in
    valid : (n,) bool, false where data never came
    """

    signal: Signal
    items: NDArray[Any]
    volts: FloatArray
    cycles: NDArray[np.int64]
    valid: NDArray[np.bool_]
    held_s: Callable[[], FloatArray]
    is_reduced: bool = False
    """Values of the signal's stage after memory, and not samples."""

    @cached_property
    def times_s(self) -> FloatArray:
        """Held instants since the start, (n,) float64 seconds; worked out, or read, when they are
        asked for."""
        return self.held_s()

    @property
    def count(self) -> int:
        """Samples that came."""
        return int(np.count_nonzero(self.valid))


class OutputSamples(msgspec.Struct, frozen=True):
    """Writes at the end of a route, in order: when each took effect, or was overwritten.

    Attributes
    ----------
    times_s : (n,) float64
    marked : (n,) int64, values with the virtual board's marks
    """

    times_s: FloatArray
    marked: NDArray[np.int64]

    @property
    def values(self) -> NDArray[np.int64]:
        """Values without marks.

        (n,) int64.
        """
        return self.marked & (TORN - 1)

    @property
    def overwritten(self) -> NDArray[np.bool_]:
        """Which never took effect.

        (n,) bool.
        """
        return np.asarray((self.marked & OVERWRITTEN) != 0)

    @property
    def torn(self) -> NDArray[np.bool_]:
        """Which took effect half written.

        (n,) bool.
        """
        return np.asarray((self.marked & TORN) != 0)
