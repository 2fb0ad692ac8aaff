"""Channels of a take: each signal as it was converted, and after its filter."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.recording.channel import Block, Channel, Recording
from wattigram.core.capture.take.reader import Take
from wattigram.core.model.design import Quantity, Signal, rate_divisor, signal_scale
from wattigram.core.predict.timing import scan_timing

FILTERED = " filtered"
"""What is put behind a signal's name for the values of its filter."""


class TakeChannel(Channel):
    """A signal of a take, in its own volts."""

    unit = "V"

    def __init__(self, take: Take, signal: Signal, *, filtered: bool = False) -> None:
        self.take, self.signal, self.filtered = take, signal, filtered
        self.name = signal.name + (FILTERED if filtered else "")
        self._first = take.first_sample(signal.name, filtered)
        count = take.reduced_count(signal.name) if filtered else take.raw_count(signal.name)
        self.count = max(0, count - self._first)
        chain = take.workspace.project.chain_of(signal.name)
        assert chain is not None
        timing = scan_timing(take.workspace, chain)
        places = chain.places_of(signal.name)
        if len(places) == 1 and not timing.stamped:
            every = rate_divisor(signal.later_filter) if filtered and signal.later_filter else 1
            self.rate_hz = float(1 / timing.cycle_s) / every
        scale = signal_scale(take.workspace, chain, signal.name)
        self._code_v = scale.lsb_v / float(signal.scaling)
        self.full_scale = abs(self._code_v) * (1 << scale.bits)
        self.lsb = None if filtered else abs(self._code_v)

    def read(self, begin: int, end: int) -> Block:
        """Samples of some numbers."""
        read = self.take.reduced if self.filtered else self.take.raw
        samples = read(self.signal.name, self._first + begin, self._first + end)
        if samples is None:
            return Block.joined([])
        codes = None if self.filtered else np.rint(samples.volts / self._code_v).astype(np.int64)
        return Block(samples.volts, samples.times_s, samples.valid, codes)

    @property
    def missing(self) -> tuple[tuple[int, int], ...]:
        """Samples that never came: numbers of the first and past the last."""
        gaps = self.take.missing(self.signal.name, self.filtered)
        return tuple((first - self._first, last - self._first) for first, last in gaps)

    def read_items(self, begin: int, end: int) -> NDArray[Any]:
        """What lay in memory of some numbers, (n,) unsigned."""
        read = self.take.reduced if self.filtered else self.take.raw
        samples = read(self.signal.name, self._first + begin, self._first + end)
        return samples.items if samples is not None else np.empty(0, dtype=np.uint16)

    def number_at(self, time_s: float) -> int:
        """Number of the first sample that is not before an instant."""
        low, high = 0, self.count
        while low < high:
            middle = (low + high) // 2
            if float(self.read(middle, middle + 1).times_s[0]) < time_s:
                low = middle + 1
            else:
                high = middle
        return low


class QuantityChannel(Channel):
    """A signal of a take in the quantity that its design states, after its filter where it has one."""

    def __init__(self, source: TakeChannel, quantity: Quantity) -> None:
        self.source, self.quantity = source, quantity
        self.name = f"{source.signal.name} in {quantity.unit}"
        self.unit, self.count, self.rate_hz = quantity.unit, source.count, source.rate_hz
        self.within = quantity.within

    def read(self, begin: int, end: int) -> Block:
        """Samples of some numbers."""
        block = self.source.read(begin, end)
        values = self.quantity.of(block.values)
        return Block(values, block.times_s, block.valid & np.isfinite(values))

    def number_at(self, time_s: float) -> int:
        """Number of the first sample that is not before an instant."""
        return self.source.number_at(time_s)


class TakeRecording(Recording):
    """The channels of a take, with the take itself."""

    def __init__(self, take: Take) -> None:
        self.take = take
        channels: list[Channel] = []
        for signal in take.workspace.project.signals:
            if take.workspace.project.chain_of(signal.name) is None:
                continue
            channels.append(TakeChannel(take, signal))
            if signal.later_filter is not None:
                channels.append(TakeChannel(take, signal, filtered=True))
            if signal.quantity is not None and isinstance(channels[-1], TakeChannel):
                channels.append(QuantityChannel(channels[-1], signal.quantity))
        notes = () if take.complete else ("The take ends at its last flush: it was not finished.",)
        if take.begins_ticks:
            notes = (*notes, f"It begins {take.begins_s:.6g} s after the board was started.")
        super().__init__(str(take.path), "take", tuple(channels), notes, take.close)


def recording_of_take(take: Take) -> TakeRecording:
    """All signals that are converted, those with a filter twice; closed with it."""
    return TakeRecording(take)
