"""What a design predicts of a stretch of a take."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.recording import Channel
from wattigram.core.capture.recording.from_take import QuantityChannel, TakeChannel
from wattigram.core.judge.compared_streams import compared

MOST = 1 << 20
"""Samples of which an expectation is worked out."""


class Predicted(msgspec.Struct, frozen=True):
    """Readings that are to be expected at the instants of the samples, with their noise.

    ``values`` and ``times_s`` are (n,) float64, in the channel's unit; ``noise`` is rms.
    """

    values: NDArray[np.float64]
    times_s: NDArray[np.float64]
    noise: float

    @property
    def std(self) -> float:
        """Of what comes, noise with it."""
        return math.hypot(float(self.values.std()), self.noise)


def predicted(channel: Channel, begin_s: float | None, end_s: float | None) -> Predicted | None:
    """Of a stretch, or the first million samples of it; None for what no design predicts."""
    if isinstance(channel, QuantityChannel):
        volts = predicted(channel.source, begin_s, end_s)
        return None if volts is None else _in_quantity(channel, volts)
    if not isinstance(channel, TakeChannel):
        return None
    take, name = channel.take, channel.signal.name
    chain = take.workspace.project.chain_of(name)
    begin, end = channel.numbers(begin_s, end_s)
    if chain is None or end <= begin:
        return None
    stream = compared(take, chain, name, begin, min(end, begin + MOST), channel.filtered)
    if stream is None:
        return None
    expected = stream.expected
    return Predicted(expected.predicted_v, stream.samples.times_s, expected.noise_v)


def _in_quantity(channel: QuantityChannel, volts: Predicted) -> Predicted:
    """The same in the quantity that a design states; noise by the slope of its scale where the readings are."""
    values = channel.quantity.of(volts.values)
    known = np.isfinite(values)
    step = max(volts.noise, 1e-6)
    above, below = (channel.quantity.of(volts.values[known] + side) for side in (step, -step))
    slopes = np.abs(above - below) / (2 * step)
    slopes = slopes[np.isfinite(slopes)]
    noise = volts.noise * float(np.sqrt(np.mean(slopes**2))) if len(slopes) else math.nan
    return Predicted(values[known], volts.times_s[known], noise)
