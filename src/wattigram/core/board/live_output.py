"""Output pins whose voltage is made while the board runs: by DMA, or by the program.

Each change begins a stretch. Within it the voltage is a waveform in closed form, and behind low-passes
there is beside it what the stretches before left in each of them, as it dies away.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterator
from itertools import accumulate

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from wattigram.core.board.live_timer import LiveTimer
from wattigram.core.board.output_waveforms import levels_of_codes
from wattigram.core.contract.board_config import EffectiveDac, EffectivePort, EffectivePwm
from wattigram.core.contract.shapes import PiecewiseWaveform, pulse_train

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
Rows = tuple[FloatArray, FloatArray, FloatArray, FloatArray]
KEPT_S = 2.0
"""For so long a stretch that has ended can still be looked up."""


class LiveVoltage:
    """Stretches of a pin's voltage, in the order of time."""

    def __init__(self, first: PiecewiseWaveform) -> None:
        self.begins_s: list[float] = [-np.inf]
        self.waves: list[PiecewiseWaveform] = [first]
        self.dropped = 0
        """Stretches that nobody can look up any more."""
        self._bare = LiveWire(self, ())

    def change(self, at_s: float, wave: PiecewiseWaveform) -> None:
        """From then on it is another waveform; not earlier than the change before."""
        self.begins_s.append(max(at_s, self.begins_s[-1]))
        self.waves.append(wave)
        old = bisect_right(self.begins_s, at_s - KEPT_S) - 1
        if old >= 1024:
            self.dropped += old
            del self.begins_s[:old], self.waves[:old]

    def at(self, times_s: FloatArray) -> FloatArray:
        """Voltage at the pin itself, any shape of float64."""
        return self._bare.at(times_s)

    def wire(self, poles_s: tuple[float, ...]) -> LiveWire:
        """The same behind first-order low-passes."""
        return LiveWire(self, poles_s) if poles_s else self._bare


class LiveWire:
    """What a wire from a live pin carries behind low-passes."""

    def __init__(self, source: LiveVoltage, poles_s: tuple[float, ...]) -> None:
        self._source = source
        self._poles_s = poles_s
        self._waves: list[PiecewiseWaveform] = []
        self._left: list[FloatArray] = []
        """What the stretches before left in each low-pass when a stretch began, in volts."""
        self._first = source.dropped

    def at(self, times_s: FloatArray) -> FloatArray:
        """Voltage at given instants, any shape of float64."""
        self._catch_up()
        times_s = np.asarray(times_s, dtype=np.float64)
        begins_s = np.array(self._source.begins_s)
        stretches = np.maximum(np.searchsorted(begins_s, times_s, side="right") - 1, 0)
        first, last = int(stretches.min(initial=0)), int(stretches.max(initial=0))
        if first == last:
            return self._within(last, times_s)
        volts = np.empty(times_s.shape)
        for stretch in range(int(stretches.min()), last + 1):
            mine = stretches == stretch
            if mine.any():
                volts[mine] = self._within(stretch, times_s[mine])
        return volts

    def _catch_up(self) -> None:
        source = self._source
        gone = source.dropped - self._first
        if gone:
            del self._waves[:gone], self._left[:gone]
            self._first = source.dropped
        while len(self._waves) < len(source.waves):
            place = len(self._waves)
            wave = source.waves[place].filtered(*self._poles_s)
            left = np.zeros(len(wave.decays_s))
            if place and self._poles_s:
                at_s = np.array([source.begins_s[place]])
                left = self._modes(place - 1, at_s)[:, 0] - wave.modes(at_s)[:, 0]
            self._waves.append(wave)
            self._left.append(left)

    def _within(self, stretch: int, times_s: FloatArray) -> FloatArray:
        return np.asarray(self._modes(stretch, times_s.ravel()).sum(axis=0).reshape(times_s.shape))

    def _modes(self, stretch: int, times_s: FloatArray) -> FloatArray:
        """Share of each low-pass, (poles, n) volts."""
        wave, left = self._waves[stretch], self._left[stretch]
        modes = wave.modes(times_s)
        if left.any():
            since_s = times_s - self._source.begins_s[stretch]
            modes = modes + left[:, None] * np.exp(-since_s / wave.decays_s[:, None])
        return modes


class LiveDac:
    """A DAC's pin: each code is reached by settling, and no faster than it slews."""

    def __init__(self, dac: EffectiveDac, tick_hz: int) -> None:
        self._dac = dac
        self._tick_hz = tick_hz
        self.voltage = LiveVoltage(_held(float(levels_of_codes(dac, np.array(dac.codes[:1]))[0])))

    def put(self, ticks: FloatArray, codes: IntArray) -> None:
        """Codes reach the converter: (n,) ticks in order, not before the last ones, and (n,) codes."""
        if not len(ticks):
            return
        begins_s = np.asarray(ticks, dtype=np.float64) / self._tick_hz
        before_v = float(self.voltage.at(begins_s[:1])[0])
        levels_v = levels_of_codes(self._dac, codes)
        self.voltage.change(
            float(begins_s[0]),
            _steps(before_v, levels_v, begins_s, self._dac.tau_s, self._dac.slew_v_s),
        )


class LiveLevel:
    """A port pin: high or low."""

    def __init__(self, port: EffectivePort, tick_hz: int) -> None:
        self._high_v = port.high_v
        self._tick_hz = tick_hz
        self.voltage = LiveVoltage(_held(0.0))  # it is no output before the board is set up
        if port.is_high:
            self.voltage.change(0.0, _held(port.high_v))

    def put(self, ticks: float, is_high: bool) -> None:
        """It changes, not before the last change."""
        self.voltage.change(ticks / self._tick_hz, _held(self._high_v if is_high else 0.0))


class LivePulses:
    """A PWM pin: duty and period as they take effect."""

    def __init__(self, pwm: EffectivePwm, tick_hz: int) -> None:
        self._pwm = pwm
        self._tick_hz = tick_hz
        self._high_counts = pwm.high_counts
        self._timer = LiveTimer(pwm.counts, pwm.count_ticks)
        self._counts, self._count_ticks = pwm.counts, pwm.count_ticks
        self.voltage = LiveVoltage(_held(0.0))  # the counter starts with the board
        self.voltage.change(0.0, self._train())

    def run(self, ticks: float, *, on: bool) -> None:
        """The counter stops where it is, and its pin stays as it is; or it goes on from there."""
        if on == self._timer.runs:
            return
        self._timer.run(ticks, on=on)
        self.voltage.change(ticks / self._tick_hz, self._train() if on else self._standing())

    def _standing(self) -> PiecewiseWaveform:
        is_high = self._timer.position(0.0) < min(self._high_counts, self._counts)
        return _held(self._pwm.high_v if is_high else 0.0)

    def put(
        self,
        ticks: FloatArray,
        *,
        high_counts: IntArray | None = None,
        counts: IntArray | None = None,
        count_ticks: float | None = None,
    ) -> None:
        """Duty or period change: in the middle of a period where the register has no second one.

        The counter goes on; where it stands beyond a shorter period, a new period begins at once.

        Parameters
        ----------
        ticks : (n,) float64, in order, not before the last ones
        high_counts, counts : (n,) int64
        """
        edges: list[tuple[float, bool]] = []
        for number, at in enumerate(ticks.tolist()):
            if number and self._timer.runs:
                edges += self._edges(float(ticks[number - 1]), at)
            if counts is not None:
                self._counts = max(1, int(counts[number]))
            if high_counts is not None:
                self._high_counts = int(high_counts[number])
            self._count_ticks = count_ticks or self._count_ticks
            self._timer.set_up(at, self._counts, self._count_ticks)
        if edges:
            self.voltage.change(float(ticks[0]) / self._tick_hz, self._drawn(edges))
        if len(ticks):
            wave = self._train() if self._timer.runs else self._standing()
            self.voltage.change(float(ticks[-1]) / self._tick_hz, wave)

    def _edges(self, begin: float, end: float) -> Iterator[tuple[float, bool]]:
        """Where the pin changes from one instant to another, the state at the first one included."""
        period, high = self.period_ticks, min(self._high_counts, self._counts) * self._count_ticks
        start = (
            self._timer.origin + math.floor((begin - self._timer.origin) / period + 1e-9) * period
        )
        while start < end:
            for at, is_high in ((start, True), (start + high, False)):
                until = start + (high if is_high else period)
                if until > begin and at < end and until > at:
                    yield max(at, begin), is_high
            start += period

    def _drawn(self, edges: list[tuple[float, bool]]) -> PiecewiseWaveform:
        starts_s = np.array([at for at, _is_high in edges]) / self._tick_hz
        level = np.array([self._pwm.high_v if is_high else 0.0 for _at, is_high in edges])
        flat = np.zeros(len(edges))
        return PiecewiseWaveform(
            starts_s - starts_s[0], level, flat, flat, begin_s=float(starts_s[0]), always=True
        )

    @property
    def period_ticks(self) -> float:
        """Of a period as it is now."""
        return self._counts * self._count_ticks

    def effect_ticks(self, ticks: float) -> float:
        """When a register that is written then takes effect: with the next period, where it has a
        second one."""
        return self.next_period(ticks) if self._pwm.preload else ticks

    def next_period(self, ticks: float) -> float:
        """Ticks at which the first period from then on begins; at once where the counter stands."""
        return self._timer.next_period(ticks) if self._timer.runs else ticks

    def _train(self) -> PiecewiseWaveform:
        count_s = self._count_ticks / self._tick_hz
        high_s = min(self._high_counts, self._counts) * count_s
        train = pulse_train(0.0, self._pwm.high_v, high_s, self._counts * count_s)
        return replace(train, begin_s=self._timer.origin / self._tick_hz, always=True)


def _held(level_v: float) -> PiecewiseWaveform:
    flat = np.zeros(1)
    return PiecewiseWaveform(flat, np.array([level_v]), flat, flat, before_v=level_v, always=True)


def _steps(
    before_v: float, levels_v: FloatArray, begins_s: FloatArray, tau_s: float, slew_v_s: float
) -> PiecewiseWaveform:
    """From level to level, the last one for ever: straight as long as settling would be faster than
    the slew rate, then exponential."""
    since_s = begins_s - begins_s[0]
    near_v = slew_v_s * tau_s
    reach_v = np.abs(np.diff(np.append(before_v, levels_v))).max() * 1.1
    if slew_v_s and reach_v > near_v:
        rows = _slewing(before_v, levels_v, since_s, tau_s, slew_v_s)
    elif tau_s:
        kept = np.exp(-np.diff(since_s) / tau_s).tolist()
        values_v = np.array(
            list(
                accumulate(
                    zip(levels_v[:-1].tolist(), kept, strict=True),
                    lambda now, step: step[0] + (now - step[0]) * step[1],
                    initial=before_v,
                )
            )
        )
        rows = (since_s, levels_v, np.zeros(len(since_s)), values_v - levels_v)
    else:
        flat = np.zeros(len(since_s))
        rows = (since_s, levels_v, flat, flat)
    return PiecewiseWaveform(
        *rows, tau_s=tau_s, begin_s=float(begins_s[0]), before_v=before_v, always=True
    )


def _slewing(
    before_v: float, levels_v: FloatArray, since_s: FloatArray, tau_s: float, slew_v_s: float
) -> Rows:
    """Starts, levels, slopes and swings of steps of which some are limited by the slew rate."""
    near_v, now_v = slew_v_s * tau_s, before_v
    lasting_s = np.append(np.diff(since_s), np.inf).tolist()
    rows: list[tuple[float, float, float, float]] = []
    for start_s, level_v, left_s in zip(
        since_s.tolist(), levels_v.tolist(), lasting_s, strict=True
    ):
        away_v = now_v - level_v
        if abs(away_v) > near_v:
            sign = 1.0 if away_v > 0 else -1.0
            straight_s = (abs(away_v) - near_v) / slew_v_s
            rows.append((start_s, now_v, -sign * slew_v_s, 0.0))
            if straight_s >= left_s:
                now_v -= sign * slew_v_s * left_s
                continue
            start_s, left_s, away_v = start_s + straight_s, left_s - straight_s, sign * near_v
        rows.append((start_s, level_v, 0.0, away_v if tau_s else 0.0))
        now_v = level_v + (away_v * math.exp(-left_s / tau_s) if tau_s else 0.0)
    starts, level, slope, swing = (np.array(column) for column in zip(*rows, strict=True))
    return starts, level, slope, swing
