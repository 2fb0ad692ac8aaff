"""Two recordings on one time line: the second laid under the first, shifted so that they line up."""

from __future__ import annotations

from typing import Literal

import numpy as np

from wattigram.core.analysis import Stream, crossings, lag
from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording.channel import Block, Channel, Recording
from wattigram.core.capture.recording.from_take import TakeRecording

Alignment = Literal["start", "course", "edge", "event"]
LOOKED_AT = 1 << 20
"""Samples of a channel that are looked at to line it up."""


class ShiftedChannel(Channel):
    """A channel of another recording, so many seconds later."""

    def __init__(self, channel: Channel, name: str, shift_s: float) -> None:
        self.channel, self.name, self.shift_s = channel, name, shift_s
        self.unit, self.count, self.rate_hz = channel.unit, channel.count, channel.rate_hz
        self.lsb, self.full_scale = channel.lsb, channel.full_scale

    def read(self, begin: int, end: int) -> Block:
        """Samples of some numbers."""
        block = self.channel.read(begin, end)
        return Block(block.values, block.times_s + self.shift_s, block.valid, block.codes)

    def number_at(self, time_s: float) -> int:
        """Number of the first sample that is not before an instant."""
        return self.channel.number_at(time_s - self.shift_s)


def name_below(name: str, title: str) -> str:
    """What a channel of the recording that lies below is called."""
    return f"{name} ({title})"


def laid_over(first: Recording, second: Recording, title: str, shift_s: float) -> Recording:
    """All channels of both; those of the second with its title behind their names. Whoever opened them closes
    them."""
    below = tuple(
        ShiftedChannel(channel, name_below(channel.name, title), shift_s)
        for channel in second.channels
    )
    return Recording(first.title, first.format, (*first.channels, *below), first.notes)


def alignment_shift_s(first: Recording, second: Recording, by: Alignment, name: str = "") -> float:
    """By how much the second must be shifted so that it lines up with the first: at their starts, by the course of a
    channel of both, at its first rising edge, or at the first event of each.

    Raises
    ------
    TakeError
        Where there is nothing to line up by.
    """
    if by == "start":
        return 0.0
    if by == "event":
        return _first_event_s(first) - _first_event_s(second)
    one, other = (_stream(recording, name) for recording in (first, second))
    try:
        if by == "course":
            return -lag(one, other).value
        return _first_edge_s(one) - _first_edge_s(other)
    except ValueError as fault:
        raise TakeError(
            f"They cannot be lined up by “{name}”: {fault}.",
            where=second.title,
            cure="Choose another signal, or another way.",
        ) from fault


def _stream(recording: Recording, name: str) -> Stream:
    channel = recording.channel(name)
    came = channel.read(0, min(channel.count, LOOKED_AT)).came
    return Stream(came.values, came.times_s)


def _first_edge_s(stream: Stream) -> float:
    low, high = float(stream.values.min()), float(stream.values.max())
    found = crossings(stream.values, stream.times_s, (low + high) / 2, 0.2 * (high - low))
    if not len(found) or high <= low:
        raise ValueError("it has no rising edge")
    return float(found[0])


def _first_event_s(recording: Recording) -> float:
    if isinstance(recording, TakeRecording):
        ticks = recording.take.events["ticks"]
        if len(ticks):
            return float(np.min(ticks)) / recording.take.tick_hz
    raise TakeError(
        "It holds no event to line it up by.", where=recording.title, cure="Choose another way."
    )
