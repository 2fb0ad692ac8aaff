"""Where software has pointed a converter that converts one input after the other."""

from __future__ import annotations

from wattigram.core.silicon.registers import SiliconState
from wattigram.core.silicon.registers.equivalents import channel_of
from wattigram.core.silicon.registers.register_map import sampling_index

Pointing = tuple[int, float]
"""A channel, and the clocks for which it is sampled."""


def pointing_of(state: SiliconState, name: str) -> Pointing:
    """The input that a converter converts next, where software sets it; else nothing."""
    if state.registers.counted_by(name, "channel") or not state.has(name, "channel"):
        return 0, 0
    converter = state.registers.part.converter(name)
    assert converter is not None
    channel = channel_of(state, converter)
    by = state.registers.counted_by(name, "sampling")
    return channel, state.clocks(name, "sampling", 1, sampling_index(converter, by, 0, channel))
