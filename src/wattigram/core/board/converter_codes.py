"""A converter's codes: source, settling with memory of the slot before, offset, gain, noise, clip.

All in LSB and float32. One noise generator a block, keyed by seed, converter and block number, so
that a run depends neither on threads nor on the pieces in which it is asked for.
"""

from __future__ import annotations

from concurrent.futures import Executor
from fractions import Fraction
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from wattigram.core.board.event_timed_codes import LEAST_REFERENCE_V
from wattigram.core.board.output_waveforms import Outputs
from wattigram.core.board.pin_voltage import Float32Array, SlotDrive
from wattigram.core.board.settling import ScanSettling, conversions
from wattigram.core.contract.board_config import EffectiveBench, EffectiveConverter, EffectiveSlot

BLOCK_SAMPLES = 1 << 16
PIECE_SAMPLES = 1 << 16
"""Worked on at once: with smaller pieces threads wait for one another more than memory costs."""


class ConverterSynth:
    """Codes of one converter for any range of cycles."""

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
        self._key = (seed, index)
        self._conversions = [
            (slot, number) for slot in converter.slots for number in range(slot.repeats)
        ]
        self.slots = len(self._conversions)
        self.block_cycles = max(1, BLOCK_SAMPLES // self.slots)
        self._piece_cycles = max(1, PIECE_SAMPLES // self.slots)
        self._period_s = Fraction(converter.cycle_ticks, tick_hz)
        self._tick_hz = tick_hz
        self._noise: Float32Array | None = None
        self._noise_block = -1
        self._index = index
        self.set_bench(bench)

    def set_bench(self, bench: EffectiveBench) -> None:
        """Turn the knobs; holds from the next piece on."""
        converter = self._converter
        scale = (1 + converter.gain_error) / converter.lsb_v
        self._set_settling(bench)
        rows = self._piece_cycles + self._halo
        samples = rows * self.slots
        # Charge goes from slot to slot in volts: all are worked out in one unit, the counts of a
        # single-ended slot.
        self._drives = [
            self._drive(bench, slot.pin, slot, number, scale) for slot, number in self._conversions
        ]
        self._away = {
            place: self._drive(bench, slot.negative, slot, number, scale)
            for place, (slot, number) in enumerate(self._conversions)
            if slot.negative is not None
        }
        # A difference spans twice the reference, so its counts are twice as large.
        scales = [
            scale / 2 if slot.negative is not None else scale for slot, _number in self._conversions
        ]
        sigma = [
            np.hypot(
                np.hypot(
                    bench.pins[slot.pin].noise_v,
                    bench.pins[slot.negative].noise_v if slot.negative else 0.0,
                )
                * own,
                converter.noise_lsb,
            )
            for (slot, _number), own in zip(self._conversions, scales, strict=True)
        ]
        self._reference = (
            SlotDrive(
                converter.reference,
                self._outputs,
                Fraction(0),
                self._period_s,
                self.block_cycles,
                self._halo,
                1.0,
            )
            if converter.reference is not None
            else None
        )
        self._sigma = np.tile(np.array(sigma, dtype=np.float32), self._piece_cycles)
        self._bias = np.float32(converter.offset_lsb + 0.5)
        constants = [drive.constant for drive in self._drives]
        signed = np.array([slot.negative is not None for slot, _number in self._conversions])
        self._any_signed = bool(signed.any())
        top = np.where(signed, 1 << (converter.bits - 1), 1 << converter.bits) - 1
        low = np.where(signed, -(1 << (converter.bits - 1)), 0)
        self._lowest = np.tile(low.astype(np.float32), self._piece_cycles)
        self._highest = np.tile(top.astype(np.float32), self._piece_cycles)
        self._levels = np.tile(
            np.array([value or 0.0 for value in constants], dtype=np.float32), rows
        )
        self._work = np.empty((2, samples), dtype=np.float32)
        self._scratch = np.empty((2, rows), dtype=np.float32)
        self._varying = [place for place, value in enumerate(constants) if value is None]

    def _set_settling(self, bench: EffectiveBench) -> None:
        """The circuits of the sampling capacitors, and how many cycles before a piece still show in
        it."""
        self._sides: list[ScanSettling] = []
        period_s = float(self._period_s)
        by_side = [conversions(self._converter, bench.pins, self._tick_hz, side) for side in (0, 1)]
        memories = [ScanSettling(side, period_s, 1).memory_scans for side in by_side if side]
        self._halo = max(memories)
        rows = self._piece_cycles + self._halo
        self._sides = [ScanSettling(side, period_s, rows) for side in by_side if side]

    def _drive(
        self, bench: EffectiveBench, pin: str, slot: EffectiveSlot, number: int, scale: float
    ) -> SlotDrive:
        """The drive of a pin at one of a slot's conversions."""
        held_ticks = Fraction(slot.held_ticks) + number * Fraction(slot.each_ticks)
        held_s = held_ticks / self._tick_hz
        return SlotDrive(
            bench.pins[pin],
            self._outputs,
            held_s,
            self._period_s,
            self.block_cycles,
            self._halo,
            scale,
        )

    def codes(
        self, begin_cycle: int, end_cycle: int, out: NDArray[np.int32] | None = None
    ) -> NDArray[np.int32]:
        """Codes of cycles ``begin_cycle`` to ``end_cycle``, conversion after conversion.

        Returns
        -------
        ((end − begin) · conversions,) int32
        """
        if out is None:
            out = np.empty((end_cycle - begin_cycle) * self.slots, dtype=np.int32)
        cycle = begin_cycle
        while cycle < end_cycle:
            block = cycle // self.block_cycles
            stop = min(end_cycle, (block + 1) * self.block_cycles, cycle + self._piece_cycles)
            piece = out[(cycle - begin_cycle) * self.slots : (stop - begin_cycle) * self.slots]
            self._piece(
                block, cycle - block * self.block_cycles, stop - block * self.block_cycles, piece
            )
            cycle = stop
        return out

    def _piece(self, block: int, begin: int, end: int, out: NDArray[np.int32]) -> None:
        """One piece within a block; ``begin`` and ``end`` are cycles from the block's start."""
        slots, halo = self.slots, self._halo
        samples = (end - begin + halo) * slots
        held, other = self._work[0, :samples], self._work[1, :samples]
        block_cycle = block * self.block_cycles
        np.copyto(held, self._levels[:samples])
        rows = held.reshape(-1, slots)
        for place in self._varying:
            self._drives[place].fill(rows[:, place], block_cycle, begin - halo, end, self._scratch)
        away = np.empty((end - begin + halo, len(self._away)), dtype=np.float32)
        for column, drive in enumerate(self._away.values()):
            taken = np.empty(end - begin + halo, dtype=np.float32)
            drive.fill(taken, block_cycle, begin - halo, end, self._scratch)
            away[:, column] = taken
        before_start = halo - begin - block_cycle
        if before_start > 0:
            rows[:before_start] = 0.0  # the capacitors are empty when the board starts
            away[:before_start] = 0.0
        pairs = list(self._away)
        if pairs and not self._converter.each_side:
            rows[:, pairs] -= away
        self._sides[0].settle(held, other)
        if pairs:
            if self._converter.each_side:
                flat = away.ravel()
                self._sides[1].settle(flat, np.empty_like(flat))
                rows[:, pairs] -= flat.reshape(away.shape)
            rows[:, pairs] *= np.float32(0.5)
        if self._reference is not None:
            self._divide_by_reference(rows, block_cycle, begin, end)
        kept = held[halo * slots :]
        noise = self._block_noise(block)[begin * slots : end * slots]
        scaled = other[: len(kept)]
        np.multiply(noise, self._sigma[: len(kept)], out=scaled)
        scaled += kept
        scaled += self._bias
        if self._any_signed:
            np.floor(scaled, out=scaled)
            out[:] = np.clip(scaled, self._lowest[: len(kept)], self._highest[: len(kept)])
            return
        # Truncation rounds down only above zero, so the clip comes first.
        highest = (1 << self._converter.bits) - 1
        if scaled.min() < 0 or scaled.max() >= highest + 1:
            np.clip(scaled, 0, highest, out=scaled)
        out[:] = scaled

    def _divide_by_reference(
        self, rows: Float32Array, block_cycle: int, begin: int, end: int
    ) -> None:
        """Counts of a reference that wanders, taken once a scan, in place."""
        assert self._reference is not None
        volts = np.empty(len(rows), dtype=np.float32)
        self._reference.fill(volts, block_cycle, begin - self._halo, end, self._scratch)
        meant_v = self._converter.lsb_v * (1 << self._converter.bits)
        rows *= (np.float32(meant_v) / np.maximum(volts, np.float32(LEAST_REFERENCE_V)))[
            :, np.newaxis
        ]

    def _block_noise(self, block: int) -> Float32Array:
        if self._noise is None or self._noise_block != block:
            generator = np.random.Generator(np.random.SFC64([*self._key, block]))
            if self._noise is None:
                self._noise = np.empty(self.block_cycles * self.slots, dtype=np.float32)
            generator.standard_normal(dtype=np.float32, out=self._noise)
            self._noise_block = block
        return self._noise


def codes_on(
    synths: list[ConverterSynth], begin: int, end: int, executor: Executor | None
) -> NDArray[np.int32]:
    """Codes of a range of cycles, whole blocks shared out among synths of the same converter.

    Returns
    -------
    ((end − begin) · slots,) int32, the same for any number of synths
    """
    block = synths[0].block_cycles
    if executor is None or len(synths) == 1 or (end - 1) // block == begin // block:
        return synths[0].codes(begin, end)
    cuts = [begin, *range((begin // block + 1) * block, end, block), end]
    spans = list(pairwise(cuts))
    slots = synths[0].slots
    out = np.empty((end - begin) * slots, dtype=np.int32)

    def share(worker: int) -> None:
        for first, last in spans[worker :: len(synths)]:
            synths[worker].codes(first, last, out[(first - begin) * slots : (last - begin) * slots])

    list(executor.map(share, range(len(synths))))
    return out
