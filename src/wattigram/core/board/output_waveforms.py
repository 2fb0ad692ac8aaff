"""What the board's own output pins carry, this specimen's imperfections included."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.board_config import (
    EffectiveConfig,
    EffectiveDac,
    EffectivePwm,
    PinDrive,
)
from wattigram.core.contract.shapes import PiecewiseWaveform, pulse_train, zero_order_hold

FloatArray = NDArray[np.float64]
_LEVEL = PiecewiseWaveform(np.zeros(1), np.zeros(1), np.zeros(1), np.zeros(1), always=True)


def levels_of_codes(dac: EffectiveDac, codes: NDArray[np.int64]) -> FloatArray:
    """Volts of codes: offset, gain, a bend like a parabola, and a step too large into the upper half.

    ``codes`` and the result are (n,).
    """
    share = codes / (1 << dac.bits)
    bend = 4 * dac.bend_lsb * share * (1 - share)
    carry = np.where(share >= 0.5, dac.carry_lsb, 0.0)
    real = codes * (1 + dac.gain_error) + dac.offset_lsb + bend + carry
    return np.clip(real * dac.lsb_v, dac.low_v, dac.high_v)


def dac_waveform(dac: EffectiveDac, tick_hz: int) -> PiecewiseWaveform:
    """The voltage of a DAC's pin."""
    levels = levels_of_codes(dac, np.array(dac.codes))
    if dac.steady:
        flat = np.zeros(1)
        return PiecewiseWaveform(np.zeros(1), levels[:1], flat, flat, always=True)
    return zero_order_hold(
        levels,
        dac.update_ticks / tick_hz,
        tau_s=dac.tau_s,
        slew_v_s=dac.slew_v_s,
        repeat=dac.repeat,
        begin_s=dac.begin_ticks / tick_hz,
        before_v=float(levels_of_codes(dac, np.zeros(1, dtype=np.int64))[0]),
    )


def pwm_waveform(pwm: EffectivePwm, tick_hz: int) -> PiecewiseWaveform:
    """The pulses of a PWM pin."""
    count_s = pwm.count_ticks / tick_hz
    return pulse_train(0.0, pwm.high_v, pwm.high_counts * count_s, pwm.counts * count_s)


class Wire(Protocol):
    """What a wire carries."""

    def at(self, times_s: FloatArray) -> FloatArray:
        """Voltage at given instants, any shape of float64."""
        ...


class Live(Protocol):
    """Pins whose voltage is made while the board runs."""

    def wire(self, pin: str, poles_s: tuple[float, ...]) -> Wire | None:
        """The voltage behind first-order low-passes; None for a pin that is known beforehand."""
        ...


class Elsewhere(Protocol):
    """Another board, whose pins are wired to this one."""

    def course(self, pin: str, poles_s: tuple[float, ...]) -> Wire:
        """What a wire from one of its pins carries behind low-passes."""
        ...


class Outputs:
    """Courses of a board's output pins."""

    def __init__(
        self, config: EffectiveConfig, live: Live | None = None, boards: Sequence[Elsewhere] = ()
    ) -> None:
        self._courses = {dac.pin: dac_waveform(dac, config.tick_hz) for dac in config.dacs}
        self._courses |= {pwm.pin: pwm_waveform(pwm, config.tick_hz) for pwm in config.pwm}
        self._live = live
        self._boards = boards
        self._wires: dict[tuple[str, tuple[float, ...]], Wire] = {}
        self._from_boards: dict[tuple[int, str, tuple[float, ...]], Wire] = {}

    def course(self, pin: str, poles_s: tuple[float, ...] = ()) -> Wire:
        """What a wire from an output carries behind low-passes; 0 V where nothing comes out."""
        key = (pin, poles_s)
        if key not in self._wires:
            live = self._live.wire(pin, poles_s) if self._live is not None else None
            self._wires[key] = live or self._courses.get(pin, _LEVEL).filtered(*poles_s)
        return self._wires[key]

    def _from_board(self, drive: PinDrive) -> Wire:
        key = (drive.board, drive.output, drive.poles_s)
        if key not in self._from_boards:
            board = self._boards[drive.board]
            self._from_boards[key] = board.course(drive.output, drive.poles_s)
        return self._from_boards[key]

    def drive_voltage(self, drive: PinDrive, times_s: FloatArray) -> FloatArray:
        """Open-circuit voltage of a pin without noise.

        Parameters
        ----------
        times_s : float64, any shape

        Returns
        -------
        float64, the same shape, volts
        """
        volts = self._base(drive, times_s)
        for amplitude_v, frequency_hz, phase in drive.sines:
            turns = times_s * frequency_hz + phase
            volts = volts + amplitude_v * np.sin(2 * math.pi * (turns - np.floor(turns)))
        return volts

    def _base(self, drive: PinDrive, times_s: FloatArray) -> FloatArray:
        match drive.shape:
            case "level" | "sines":
                return np.full(times_s.shape, drive.level_v)
            case "output":
                return self.course(drive.output, drive.poles_s).at(times_s)
            case "board":
                return self._from_board(drive).at(times_s)
            case "course":
                return _course_of(drive).at(times_s)
            case "sweep":
                into = np.mod(times_s, drive.lasting_s)
                swept = drive.frequency_hz * into + (drive.to_hz - drive.frequency_hz) * into**2 / (
                    2 * drive.lasting_s
                )
                return np.asarray(
                    drive.level_v + drive.high_v * np.sin(2 * math.pi * np.mod(swept, 1.0))
                )
        turns = times_s * drive.frequency_hz
        turns = turns - np.floor(turns)
        if drive.shape == "triangle":
            return np.asarray(
                drive.level_v + (drive.high_v - drive.level_v) * (1 - np.abs(1 - 2 * turns))
            )
        return np.where(turns < 1 - drive.high_share, drive.level_v, drive.high_v)


@lru_cache(maxsize=64)
def _course_of(drive: PinDrive) -> PiecewiseWaveform:
    rows = np.array(drive.pieces, dtype=np.float64).reshape(-1, 3)
    starts, level, slope = rows.T
    course = PiecewiseWaveform(
        np.ascontiguousarray(starts),
        np.ascontiguousarray(level),
        np.ascontiguousarray(slope),
        np.zeros(len(rows)),
        0.0,
        drive.period_s,
        drive.begin_s,
        always=True,
    )
    return course.filtered(*drive.poles_s)
