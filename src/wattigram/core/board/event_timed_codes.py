"""Codes of a converter whose conversions come at any instants, one after the other."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.board.output_waveforms import Outputs
from wattigram.core.board.settling import SequenceSettling
from wattigram.core.contract.board_config import EffectiveBench, EffectiveConverter

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
_NOISE_BLOCK = 1 << 14
LEAST_REFERENCE_V = 0.05
"""A reference below that makes full scale of everything."""


class NumberedNoise:
    """Standard normal noise in which each value has a number, so that a run does not depend on its
    pieces."""

    def __init__(self, *key: int) -> None:
        self._key = key
        self._block: NDArray[np.float32] | None = None
        self._number = -1

    def values(self, begin: int, end: int) -> NDArray[np.float32]:
        """Values ``begin`` to ``end``, (end − begin,) float32."""
        out = np.empty(end - begin, dtype=np.float32)
        at = begin
        while at < end:
            block = at // _NOISE_BLOCK
            if self._block is None or block != self._number:
                generator = np.random.Generator(np.random.SFC64([*self._key, block]))
                self._block = generator.standard_normal(_NOISE_BLOCK, dtype=np.float32)
                self._number = block
            stop = min(end, (block + 1) * _NOISE_BLOCK)
            first = at - block * _NOISE_BLOCK
            out[at - begin : stop - begin] = self._block[first : first + stop - at]
            at = stop
        return out


class TimedSynth:
    """Codes of conversions at given instants; keeps what the capacitor holds from call to call."""

    def __init__(
        self,
        converter: EffectiveConverter,
        index: int,
        bench: EffectiveBench,
        outputs: Outputs,
        tick_hz: int,
        seed: int,
    ) -> None:
        self._outputs = outputs
        self._tick_hz = tick_hz
        self._noise = NumberedNoise(seed, index, 0x71DE)
        self._done = 0
        self._ended_s = 0.0
        self._sides = [SequenceSettling(converter, bench.pins, tick_hz, side) for side in (0, 1)]
        self.set_up(converter, bench)

    def set_up(self, converter: EffectiveConverter, bench: EffectiveBench) -> None:
        """Other slots; what the capacitors hold stays."""
        self._converter = converter
        self._repeats = np.array([slot.repeats for slot in converter.slots])
        self._each = np.array([slot.each_ticks for slot in converter.slots])
        self._sampled = np.array([slot.sampling_ticks for slot in converter.slots])
        self._signed = np.array([slot.negative is not None for slot in converter.slots])
        self.set_bench(bench)

    def set_bench(self, bench: EffectiveBench) -> None:
        """Turn the knobs; holds from the next call on."""
        converter = self._converter
        self._bench = bench
        self._sigma = np.array(
            [
                math.hypot(
                    math.hypot(
                        bench.pins[slot.pin].noise_v,
                        bench.pins[slot.negative].noise_v if slot.negative else 0,
                    )
                    / (converter.lsb_v * (2 if slot.negative else 1)),
                    converter.noise_lsb,
                )
                for slot in converter.slots
            ]
        )
        for side in self._sides:
            side.rewire(converter, bench.pins, self._tick_hz)

    def standing(self) -> tuple[Any, ...]:
        """How far it has come, with what the capacitors hold, to come back to."""
        return self._done, self._ended_s, *(side.standing() for side in self._sides)

    def stand_again(self, standing: tuple[Any, ...]) -> None:
        """Stand where it was, so that the same conversions have the same noise."""
        self._done, self._ended_s, *sides = standing
        for side, held in zip(self._sides, sides, strict=True):
            side.stand_again(held)

    def codes(self, held_ticks: FloatArray, places: IntArray) -> IntArray:
        """Results of slots, hardware sums done.

        Parameters
        ----------
        held_ticks : (n,) float64
            Held instant of the first conversion for each result.
        places : (n,) int64
            The slot of each.

        Returns
        -------
        (n,) int64
        """
        converter = self._converter
        if not len(places):
            return np.empty(0, dtype=np.int64)
        repeats = self._repeats[places]
        begins = np.cumsum(repeats) - repeats
        order = np.repeat(places, repeats)  # slot of each conversion
        again = np.arange(len(order)) - np.repeat(begins, repeats)
        times_s = (np.repeat(held_ticks, repeats) + again * self._each[order]) / self._tick_hz
        held = self._settled_v(order, times_s)
        noise = self._noise.values(self._done, self._done + len(order))
        self._done += len(order)
        signed = self._signed[order]
        if converter.reference is not None:
            meant_v = converter.lsb_v * (1 << converter.bits)
            held = held * (
                meant_v
                / np.maximum(
                    self._outputs.drive_voltage(converter.reference, times_s), LEAST_REFERENCE_V
                )
            )
        lsb = (
            held / (np.where(signed, 2.0, 1.0) * converter.lsb_v) * (1 + converter.gain_error)
            + converter.offset_lsb
        )
        lsb += noise * self._sigma[order]
        top = np.where(signed, 1 << (converter.bits - 1), 1 << converter.bits) - 1
        low = np.where(signed, -(1 << (converter.bits - 1)), 0)
        whole = np.clip(np.floor(lsb + 0.5), low, top).astype(np.int64)
        if len(order) == len(places):
            return whole
        return combine(np.add.reduceat(whole, begins), places, converter)

    def _settled_v(self, order: IntArray, times_s: FloatArray) -> FloatArray:
        """What is held of the inputs of slots, each at its instant, (n,) volts; of a pair the
        difference."""
        positive = np.empty(len(order))
        negative = np.zeros(len(order))
        for place in np.unique(order).tolist():
            slot, mine = self._converter.slots[place], order == place
            positive[mine] = self._outputs.drive_voltage(self._bench.pins[slot.pin], times_s[mine])
            if slot.negative is not None:
                negative[mine] = self._outputs.drive_voltage(
                    self._bench.pins[slot.negative], times_s[mine]
                )
        lengths_s = self._connected_s(order, times_s) if self._converter.tracks else None
        first, second = self._sides
        if not self._converter.each_side:
            return first.settle(positive - negative, order, times_s, lengths_s)
        held = first.settle(positive, order, times_s, lengths_s)
        pairs = self._signed[order]
        if lengths_s is not None:
            lengths_s = lengths_s[pairs]
        held[pairs] -= second.settle(negative[pairs], order[pairs], times_s[pairs], lengths_s)
        return held

    def _connected_s(self, order: IntArray, times_s: FloatArray) -> FloatArray:
        """From the end of the conversion before to each instant, (n,): it tracks what comes next."""
        ends_s = times_s + (self._each - self._sampled)[order] / self._tick_hz
        began_s = np.concatenate([[self._ended_s], ends_s[:-1]])
        self._ended_s = float(ends_s[-1])
        return np.asarray(
            np.maximum(times_s - began_s, self._sampled[order] / self._tick_hz), dtype=np.float64
        )


def combine(sums: IntArray, places: IntArray, converter: EffectiveConverter) -> IntArray:
    """Results of slots from the sums of their repeats: cut to the register, shifted right; in
    place.

    Parameters
    ----------
    sums : (n,) int64
    places : (n,) int64
        The slot of each.
    """
    for place, slot in enumerate(converter.slots):
        if slot.repeats > 1:
            mine = places == place
            held = sums[mine] if slot.negative else sums[mine] & ((1 << slot.register_bits) - 1)
            sums[mine] = held >> slot.shift
    return sums
