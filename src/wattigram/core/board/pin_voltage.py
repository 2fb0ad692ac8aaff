"""Pin voltages at the held instants of one slot, block by block, in float32."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from wattigram.core.board.output_waveforms import Outputs
from wattigram.core.contract.board_config import PinDrive

Float32Array = NDArray[np.float32]
SLOW_TURN = Fraction(1, 64)
"""Triangles and squares that advance less a cycle are drawn in straight pieces."""


class SlotDrive:
    """Evaluates one drive at ``held + cycle · period`` for cycles of a block.

    A value depends on its cycle number alone: phases start anew from an exact fraction at each
    block, and offsets within the block come from tables, so that pieces of any size agree bit for
    bit.
    """

    def __init__(
        self,
        drive: PinDrive,
        outputs: Outputs,
        held_s: Fraction,
        period_s: Fraction,
        cycles: int,
        halo: int,
        lsb: float,
    ) -> None:
        self._outputs = outputs
        self._held_s = held_s
        self._period_s = period_s
        self._halo = halo
        self._drive = drive
        self._lsb = lsb
        self._tables: list[tuple[Fraction, Fraction, Float32Array, Float32Array]] = []
        steps = np.arange(-halo, cycles, dtype=np.float64)
        for amplitude_v, frequency_hz, phase in drive.sines:
            turns = steps * float(Fraction(frequency_hz) * period_s % 1)
            angle = 2 * math.pi * (turns - np.floor(turns))
            scale = amplitude_v * lsb
            tables = (
                (scale * np.sin(angle)).astype(np.float32),
                (scale * np.cos(angle)).astype(np.float32),
            )
            self._tables.append((Fraction(frequency_hz), Fraction(phase), *tables))
        self._numbers = steps.astype(np.float32)
        self._advance = Fraction(drive.frequency_hz) * period_s

    @property
    def constant(self) -> float | None:
        """The level in LSB where the drive never changes."""
        is_constant = self._drive.shape == "level" and not self._drive.sines
        return self._drive.level_v * self._lsb if is_constant else None

    def fill(
        self, out: Float32Array, block_cycle: int, begin: int, end: int, scratch: Float32Array
    ) -> None:
        """Voltages in LSB of cycles ``block_cycle + begin`` to ``+ end``; ``begin`` may reach into
        the halo.

        Parameters
        ----------
        out : (end − begin,) float32, any stride
        scratch : (2, at least end − begin) float32
        """
        drive = self._drive
        start_s = self._held_s + block_cycle * self._period_s
        window = slice(begin + self._halo, end + self._halo)
        if drive.shape in {"course", "sweep", "output", "board"}:
            times_s = float(start_s) + self._numbers[window].astype(np.float64) * float(
                self._period_s
            )
            out[:] = self._outputs.drive_voltage(drive, times_s) * self._lsb
        elif self.constant is not None:
            out[:] = self.constant
        elif drive.shape in {"level", "sines"}:
            self._fill_sines(out, start_s, window, scratch)
        else:
            base = float(start_s * Fraction(drive.frequency_hz) % 1)
            if self._advance < SLOW_TURN:
                self._fill_slow(out, base, begin, end)
            else:
                turns = self._numbers[window].astype(np.float64) * float(self._advance) + base
                self._fill_shape(out, turns - np.floor(turns))

    def _fill_shape(self, out: Float32Array, turns: NDArray[np.float64]) -> None:
        drive = self._drive
        low, span = drive.level_v * self._lsb, (drive.high_v - drive.level_v) * self._lsb
        if drive.shape == "triangle":
            out[:] = low + span * (1 - np.abs(1 - 2 * turns))
        else:
            out[:] = np.where(turns < 1 - drive.high_share, low, low + span)

    def _fill_slow(self, out: Float32Array, base: float, begin: int, end: int) -> None:
        """Straight pieces between the bends of a triangle, or the edges of a square."""
        drive = self._drive
        low, high = drive.level_v * self._lsb, drive.high_v * self._lsb
        advance = float(self._advance)
        is_square = drive.shape == "square"
        bend = 1 - drive.high_share if is_square else 0.5
        turn = math.floor(base + advance * begin) - 1
        position = begin
        while position < end:
            for start_turn, stop_turn, rising in (
                (turn, turn + bend, True),
                (turn + bend, turn + 1, False),
            ):
                stop = end if advance == 0 else min(end, math.ceil((stop_turn - base) / advance))
                if stop <= position:
                    continue
                piece = out[position - begin : stop - begin]
                if is_square:
                    piece[:] = low if rising else high
                else:
                    slope = 2 * (high - low) * advance * (1 if rising else -1)
                    foot = (low if rising else high) + (
                        slope * (base - start_turn) / advance if advance else 0.0
                    )
                    numbers = self._numbers[position + self._halo : stop + self._halo]
                    np.multiply(numbers, np.float32(slope), out=piece)
                    piece += np.float32(foot)
                position = stop
            turn += 1

    def _fill_sines(
        self, out: Float32Array, start_s: Fraction, window: slice, scratch: Float32Array
    ) -> None:
        total = scratch[0, : len(out)]
        term = scratch[1, : len(out)]
        for index, (frequency, phase, sines, cosines) in enumerate(self._tables):
            angle = 2 * math.pi * float((start_s * frequency + phase) % 1)
            if index == 0:
                np.multiply(cosines[window], np.float32(math.sin(angle)), out=total)
            else:
                np.multiply(cosines[window], np.float32(math.sin(angle)), out=term)
                np.add(total, term, out=total)
            np.multiply(sines[window], np.float32(math.cos(angle)), out=term)
            np.add(total, term, out=total)
        np.add(total, np.float32(self._drive.level_v * self._lsb), out=out)
