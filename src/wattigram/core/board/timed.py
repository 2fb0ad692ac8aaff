"""Codes of a converter whose conversions come at any instants, one after the other."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from wattigram.core.board.effective import EffectiveBench, EffectiveConverter
from wattigram.core.board.outputs import Outputs

FloatArray = NDArray[np.float64]
_NOISE_BLOCK = 1 << 14


class NumberedNoise:
    """Standard normal noise in which each value has a number, so that a run does not depend on its pieces."""

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
        self._converter = converter
        self._outputs = outputs
        self._index = index
        self._tick_hz = tick_hz
        self._noise = NumberedNoise(seed, index, 0x71DE)
        self._held_v = 0.0
        self._done = 0
        self.set_bench(bench)

    def set_bench(self, bench: EffectiveBench) -> None:
        """Turn the knobs; holds from the next call on."""
        converter = self._converter
        self._bench = bench
        self._sigma = np.array(
            [
                math.hypot(
                    math.hypot(bench.pins[slot.pin].noise_v, bench.pins[slot.negative].noise_v if slot.negative else 0)
                    / (converter.lsb_v * (2 if slot.negative else 1)),
                    converter.noise_lsb,
                )
                for slot in converter.slots
            ]
        )
        self._carry = np.array(bench.carry[self._index])

    def codes(self, held_ticks: FloatArray) -> NDArray[np.int64]:
        """Codes of slots, hardware sums done.

        Parameters
        ----------
        held_ticks : (cycles, slots) float64
            Held instants of the first conversion of each slot; fewer slots for a cycle that stays incomplete.

        Returns
        -------
        (cycles · slots,) int64
        """
        converter = self._converter
        slots = converter.slots[: held_ticks.shape[1]]
        columns, places = [], []
        for place, slot in enumerate(slots):
            instants = held_ticks[:, place, None] + np.arange(slot.repeats)[None, :] * slot.each_ticks
            times_s = instants / self._tick_hz
            volts = self._outputs.drive_voltage(self._bench.pins[slot.pin], times_s)
            if slot.negative is not None:
                volts = volts - self._outputs.drive_voltage(self._bench.pins[slot.negative], times_s)
            columns.append(volts)
            places += [place] * slot.repeats
        source = np.concatenate(columns, axis=1)
        cycles, width = source.shape
        if not cycles:
            return np.empty(0, dtype=np.int64)
        order = np.array(places)
        held = self._settle(source.ravel(), np.tile(self._carry[order], cycles))
        noise = self._noise.values(self._done, self._done + cycles * width)
        self._done += cycles * width
        signed = np.array([slot.negative is not None for slot in slots])[order]
        counts_v = np.tile(np.where(signed, 2.0, 1.0) * converter.lsb_v, cycles)
        lsb = held / counts_v * (1 + converter.gain_error) + converter.offset_lsb
        lsb += noise * np.tile(self._sigma[order], cycles)
        codes = np.floor(lsb + 0.5).reshape(cycles, width)
        top = np.where(signed, 1 << (converter.bits - 1), 1 << converter.bits) - 1
        low = np.where(signed, -(1 << (converter.bits - 1)), 0)
        whole = np.clip(codes, low, top).astype(np.int64)
        if all(slot.repeats == 1 for slot in slots):
            return whole.ravel()
        edges = np.concatenate(([0], np.cumsum([slot.repeats for slot in slots])[:-1]))
        return combine(np.add.reduceat(whole, edges, axis=1), converter).ravel()

    def _settle(self, volts: FloatArray, carry: FloatArray) -> FloatArray:
        """c[i] = v[i] + (c[i−1] − v[i]) · carry[i], from what the capacitor held."""
        if not carry.any():
            self._held_v = float(volts[-1])
            return volts
        held = volts * (1 - carry)
        held[0] += self._held_v * carry[0]
        product = carry.copy()
        distance = 1
        while distance < len(held) and product[distance:].max(initial=0.0) > 1e-12:
            held[distance:] += product[distance:] * held[:-distance].copy()
            product[distance:] *= product[:-distance].copy()
            distance *= 2
        self._held_v = float(held[-1])
        return held


def combine(sums: NDArray[np.int64], converter: EffectiveConverter) -> NDArray[np.int64]:
    """Results of slots from the sums of their repeats: cut to the register, shifted right.

    Parameters
    ----------
    sums : (cycles, slots) int64
    """
    for place, slot in enumerate(converter.slots[: sums.shape[1]]):
        if slot.repeats > 1:
            held = sums[:, place] if slot.negative else sums[:, place] & ((1 << slot.register_bits) - 1)
            sums[:, place] = held >> slot.shift
    return sums
