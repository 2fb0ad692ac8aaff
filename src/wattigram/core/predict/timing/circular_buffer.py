"""Loop buffers: layout, laps and marks."""

from __future__ import annotations

from fractions import Fraction

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.model.design.project import Chain
from wattigram.core.model.design.workspace import Workspace, cached
from wattigram.core.predict.timing.cycle import scan_timing


class BufferTiming(msgspec.Struct, frozen=True):
    """A loop of ``items`` that ``slots`` slots fill in turn."""

    name: str
    items: int
    item_bytes: int
    slots: int
    lap_s: Fraction
    read_period_s: Fraction | None = None
    """How often the program reads the newest results, where no interrupt tells of them."""

    oldest_s: Fraction = Fraction(0)
    """How long ago the newest result of a slot was held at most, when the program reads it."""

    @property
    def bytes(self) -> int:
        """Memory taken."""
        return self.items * self.item_bytes

    @property
    def half_s(self) -> Fraction:
        """Time from mark to mark, which is the deadline of the handler; from one read to the next where
        there are no marks."""
        return self.lap_s / 2 if self.read_period_s is None else self.read_period_s

    @property
    def in_step(self) -> bool:
        """Every lap finds every signal in its own places."""
        return self.items % self.slots == 0

    @property
    def halves_in_step(self) -> bool:
        """The half mark, where there is one, falls between two cycles."""
        unit = 2 * self.slots if self.read_period_s is None else self.slots
        return self.items % unit == 0


def item_bits(chain: Chain) -> int:
    """Width of an item as the program reads it."""
    return chain.read_as.element_bits or chain.buffer.element_bits


@cached
def buffer_timing(workspace: Workspace, chain: Chain) -> BufferTiming:
    """Layout and timing of a chain's loop."""
    cycle = scan_timing(workspace, chain)
    slots = len(chain.slots)
    lap_s = Fraction(chain.buffer.samples, slots) / cycle.cycle_rate_hz
    return BufferTiming(
        chain.buffer.name,
        chain.buffer.samples,
        item_bits(chain) // 8,
        slots,
        lap_s,
        chain.read_period_s,
        cycle.cycle_s + max(slot.end_s - slot.held_s for slot in cycle.slots),
    )


def buffer_numbers(
    total: int, loop_items: int, slots: int, places: NDArray[np.int64]
) -> NDArray[np.int64]:
    """Numbers of the items that a reader finds at the given places of the sequence.

    A reader counts places from the start of the loop, so that a loop out of step hands it other
    signals' items from the second lap on.

    ``places`` is (k,) int64, the result (n,) int64.
    """
    is_mine = np.zeros(slots, dtype=bool)
    is_mine[places] = True
    lap = np.flatnonzero(is_mine[np.arange(loop_items) % slots])
    laps = -(-total // loop_items)
    numbers = (np.arange(laps, dtype=np.int64)[:, None] * loop_items + lap[None, :]).ravel()
    return numbers[: np.searchsorted(numbers, total)]
