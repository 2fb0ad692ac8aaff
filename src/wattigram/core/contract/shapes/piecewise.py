"""Voltages over time in pieces, and what first-order poles leave of them, in closed form.

Within a piece the voltage is level + slope · d + swing · exp(−d / tau), d being the time since the
piece
began. That covers held steps with settling and slew, pulses and straight lines. A chain of poles is
split
into partial fractions, and each pole's answer to such a piece is again of that form.
"""

from __future__ import annotations

import math
from functools import cached_property
from itertools import accumulate

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
SETTLED_TAUS = 40
MOST_LEAD = 4096
"""Updates of a lead at most, where a table is shorter than its output takes to settle."""
_SAME = 1e-6
"""Poles nearer to each other than this are pulled apart."""


class PiecewiseWaveform(msgspec.Struct, frozen=True, dict=True):
    """A voltage over time.

    Attributes
    ----------
    starts_s : (n,) float64, ascending from 0
        Where pieces begin, within the period.
    level_v, slope_v_s, swing_v : (n,) float64
    tau_s : float
        Of all swings.
    period_s : float
        0 where it does not repeat: the last piece then goes on.
    begin_s : float
        When it begins; before that it stands at ``before_v``.
    always : bool
        It has been going on for ever, and nothing of a beginning is left.
    lead : Course or None
        The first laps from ``before_v``, where they differ from later ones by more than what
        settles exponentially: a
        first update that slews.
    """

    starts_s: FloatArray
    level_v: FloatArray
    slope_v_s: FloatArray
    swing_v: FloatArray
    tau_s: float = 0.0
    period_s: float = 0.0
    begin_s: float = 0.0
    before_v: float = 0.0
    poles_s: tuple[float, ...] = ()
    always: bool = False
    lead: PiecewiseWaveform | None = None

    def filtered(self, *poles_s: float) -> PiecewiseWaveform:
        """The same through first-order low-passes of these time constants."""
        more = tuple(pole for pole in poles_s if pole > 0)
        if not more:
            return self
        lead = self.lead.filtered(*more) if self.lead is not None else None
        return replace(self, poles_s=(*self.poles_s, *more), lead=lead)

    def at(self, times_s: FloatArray) -> FloatArray:
        """Voltage at given instants.

        Parameters
        ----------
        times_s : float64, any shape

        Returns
        -------
        float64, the same shape, volts
        """
        since = np.asarray(times_s, dtype=np.float64) - self.begin_s
        place = np.mod(since, self.period_s) if self.period_s else np.maximum(since, 0.0)
        volts = self._steady(place)
        if self.always:
            return volts
        if self.lead is not None:
            volts = self._after_lead(self.lead, since, volts)
        elif self.poles_s or self.tau_s:
            volts = volts + self._beginning(np.maximum(since, 0.0))
        return np.where(since < 0, self.before_v, volts)

    def _steady(self, place: FloatArray) -> FloatArray:
        piece = np.searchsorted(self.starts_s, place, side="right") - 1
        d = place - self.starts_s[piece]
        if not self.poles_s:
            own = self.swing_v[piece] * np.exp(-d / self.tau_s) if self.tau_s else 0.0
            return np.asarray(self.level_v[piece] + self.slope_v_s[piece] * d + own)
        return np.asarray(sum(self._by_pole(place), np.zeros(place.shape)))

    def _after_lead(
        self, lead: PiecewiseWaveform, since: FloatArray, volts: FloatArray
    ) -> FloatArray:
        """The lead first; then what it left at each pole beside the steady state, as it dies
        away."""
        end_s = self.lead_s
        if self.poles_s:
            place = np.array([end_s % self.period_s]) if self.period_s else np.array([end_s])
            late = np.maximum(since - end_s, 0.0)
            for own, other, (_weight, pole, _left) in zip(
                lead._by_pole(np.array([end_s])), self._by_pole(place), self._parts, strict=True
            ):
                volts = volts + float(own[0] - other[0]) * np.exp(-late / pole)
        return np.where(since < end_s, lead.at(np.clip(since, 0.0, end_s)), volts)

    @property
    def lead_s(self) -> float:
        """How long the lead lasts: whole laps."""
        assert self.lead is not None
        laps = (
            max(1, math.ceil(float(self.lead.starts_s[-1]) / self.period_s - 1e-9))
            if self.period_s
            else 1
        )
        return laps * self.period_s

    def _by_pole(self, place: FloatArray) -> list[FloatArray]:
        """What each pole's answer adds to the voltage."""
        piece = np.searchsorted(self.starts_s, place, side="right") - 1
        d = place - self.starts_s[piece]
        by_pole = []
        for weight, pole, left in self._parts:
            own = (
                self._swing_gain(pole) * self.swing_v[piece] * np.exp(-d / self.tau_s)
                if self.tau_s
                else 0.0
            )
            straight = self.level_v[piece] + self.slope_v_s[piece] * (d - pole)
            by_pole.append(np.asarray(weight * (straight + own + left[piece] * np.exp(-d / pole))))
        return by_pole

    def _beginning(self, since: FloatArray) -> FloatArray:
        """What the state before the first lap still adds."""
        if not self.period_s:
            return np.zeros(since.shape)
        missing_v = self.before_v - self.level_v[0] - self.swing_v[0] if self.tau_s else 0.0
        own = missing_v * np.exp(-since / self.tau_s) if self.tau_s else np.zeros(since.shape)
        if not self.poles_s:
            return np.asarray(own)
        total = np.zeros(since.shape)
        for weight, pole, left in self._parts:
            gain = self._swing_gain(pole) if self.tau_s else 0.0
            steady = self.level_v[0] - self.slope_v_s[0] * pole + gain * self.swing_v[0] + left[0]
            rest = self.before_v - steady - gain * missing_v
            total += weight * (gain * own + rest * np.exp(-since / pole))
        return total

    @property
    def decays_s(self) -> FloatArray:
        """Time constants of the low-passes behind it, (poles,); one of a second where there is none."""
        return np.array([pole for _weight, pole, _left in self._parts] or [1.0])

    def modes(self, times_s: FloatArray) -> FloatArray:
        """Share of each low-pass in the voltage of a waveform that has always been there.

        Parameters
        ----------
        times_s : (n,) float64

        Returns
        -------
        (poles, n) float64, volts, whose sum is the voltage; one row where there is no low-pass
        """
        since = times_s - self.begin_s
        place = np.mod(since, self.period_s) if self.period_s else np.maximum(since, 0.0)
        return np.array(self._by_pole(place) if self.poles_s else [self._steady(place)])

    def _swing_gain(self, pole: float) -> float:
        return self.tau_s / (self.tau_s - pole)

    @cached_property
    def _parts(self) -> list[tuple[float, float, FloatArray]]:
        """Weight, time constant, and what each piece begins with beyond its particular solution."""
        poles: list[float] = []
        for pole in sorted(self.poles_s):
            distinct = pole
            while any(abs(distinct - other) < _SAME * distinct for other in (*poles, self.tau_s)):
                distinct *= 1 + 2 * _SAME
            poles.append(distinct)
        pieces = []
        for pole in poles:
            weight = math.prod(pole / (pole - other) for other in poles if other != pole)
            pieces.append((weight, pole, self._left(pole)))
        return pieces

    def _left(self, pole: float) -> FloatArray:
        gain = self._swing_gain(pole) if self.tau_s else 0.0
        first = self.level_v - self.slope_v_s * pole + gain * self.swing_v
        if len(self.starts_s) == 1 and not self.period_s:
            return np.array([self.before_v - first[0]])
        ends = np.append(self.starts_s[1:], self.period_s or self.starts_s[-1])
        length = ends - self.starts_s
        own = gain * self.swing_v * np.exp(-length / self.tau_s) if self.tau_s else 0.0
        last = self.level_v + self.slope_v_s * (length - pole) + own
        kept = np.exp(-length / pole)
        added = last - np.roll(first, -1)
        begin = self.before_v - first[0]
        if self.period_s:
            share, rest = 1.0, 0.0
            for factor, more in zip(kept.tolist(), added.tolist(), strict=True):
                share, rest = share * factor, rest * factor + more
            begin = rest / (1 - share) if share < 1 else begin
        steps = zip(kept[:-1].tolist(), added[:-1].tolist(), strict=True)
        return np.array(
            list(accumulate(steps, lambda value, step: value * step[0] + step[1], initial=begin))
        )

    def corners_s(self, begin_s: float, end_s: float, most: int = 4096) -> FloatArray:
        """Instants in a span at which pieces begin, at most about ``most`` of them.

        (n,) float64, seconds.
        """
        if not self.period_s:
            corners = self.starts_s + self.begin_s
        else:
            first = math.floor((begin_s - self.begin_s) / self.period_s)
            laps = math.ceil((end_s - self.begin_s) / self.period_s) - first
            if laps * len(self.starts_s) > most:
                return np.linspace(begin_s, end_s, most)
            starts = (
                np.arange(first, first + laps)[:, None] * self.period_s + self.starts_s[None, :]
            )
            corners = starts.ravel() + self.begin_s
        return np.asarray(corners[(corners >= begin_s) & (corners <= end_s)])

    @cached_property
    def extent_v(self) -> tuple[float, float]:
        """Lowest and highest voltage of a lap."""
        ends = np.append(
            self.starts_s[1:],
            self.period_s or self.starts_s[-1] + 10 * max(self.tau_s, *self.poles_s, 0),
        )
        shares = np.linspace(0, 1, 9)[None, :] * (1 - 1e-9)
        volts = self._steady(
            (self.starts_s[:, None] + (ends - self.starts_s)[:, None] * shares).ravel()
        )
        return float(volts.min()), float(volts.max())


def zero_order_hold(
    levels_v: FloatArray,
    update_s: float,
    *,
    tau_s: float = 0.0,
    slew_v_s: float = 0.0,
    repeat: bool = True,
    begin_s: float = 0.0,
    before_v: float = 0.0,
) -> PiecewiseWaveform:
    """Levels held for ``update_s`` each, reached by settling and no faster than ``slew_v_s``.

    A step that is larger than slew · tau goes straight at first; the rest is exponential.

    Parameters
    ----------
    levels_v : (n,) float64, volts
    """
    count = len(levels_v)
    period_s = count * update_s if repeat else 0.0
    starts = np.arange(count, dtype=np.float64) * float(update_s)
    if not tau_s:
        flat = np.zeros(count)
        return PiecewiseWaveform(
            starts, levels_v.copy(), flat, flat, 0.0, period_s, begin_s, before_v
        )
    # What is left of a step is at most a little more than the step itself: a tenth is more than
    # that.
    around = np.append(levels_v, levels_v[0]) if repeat else np.append(before_v, levels_v)
    if slew_v_s and np.abs(np.diff(around)).max(initial=0.0) * 1.1 > slew_v_s * tau_s:
        return _slewing(levels_v, update_s, tau_s, slew_v_s, period_s, begin_s, before_v)
    kept = math.exp(-update_s / tau_s)
    value = before_v
    if repeat:
        rest = 0.0
        for level in levels_v.tolist():
            rest = level + (rest - level) * kept
        value = rest / (1 - kept**count) if kept**count < 1 else before_v
        # The lap begins where the one before ended: rest is what a lap makes of 0.
    at = list(
        accumulate(
            levels_v[:-1].tolist(), lambda now, level: level + (now - level) * kept, initial=value
        )
    )
    return PiecewiseWaveform(
        starts,
        levels_v.copy(),
        np.zeros(count),
        np.array(at) - levels_v,
        tau_s,
        period_s,
        begin_s,
        before_v,
    )


def _slewing(
    levels_v: FloatArray,
    update_s: float,
    tau_s: float,
    slew_v_s: float,
    period_s: float,
    begin_s: float,
    before_v: float,
) -> PiecewiseWaveform:
    rows: list[tuple[float, float, float, float]] = []

    def lap(value: float) -> float:
        rows.clear()
        for number, level in enumerate(levels_v.tolist()):
            start = number * update_s
            miss = level - value
            straight = max(0.0, abs(miss) / slew_v_s - tau_s)
            slope = math.copysign(slew_v_s, miss)
            if straight > 0:
                rows.append((start, value, slope, 0.0))
                if straight >= update_s:
                    value += slope * update_s
                    continue
                value += slope * straight
            rows.append((start + straight, level, 0.0, value - level))
            value = level + (value - level) * math.exp(-(update_s - straight) / tau_s)
        return value

    value = before_v
    if period_s:
        for _round in range(20):
            after = lap(value)
            if abs(after - value) < 1e-9:
                break
            value = after
    lap(value)
    starts, level, slope, swing = (np.array(column) for column in zip(*rows, strict=True))
    lead = None
    if period_s:
        laps = min(
            max(1, math.ceil(SETTLED_TAUS * tau_s / period_s)), max(1, MOST_LEAD // len(levels_v))
        )
        lead = _slewing(np.tile(levels_v, laps), update_s, tau_s, slew_v_s, 0.0, 0.0, before_v)
    return PiecewiseWaveform(
        starts, level, slope, swing, tau_s, period_s, begin_s, before_v, lead=lead
    )


def piecewise_linear(times_s: FloatArray, volts: FloatArray, period_s: float) -> PiecewiseWaveform:
    """Lines between corners, repeated for ever; two corners at one time make a jump.

    Parameters
    ----------
    times_s, volts : (n,) float64, from 0 to ``period_s``
    """
    length = np.diff(times_s)
    kept = length > 0
    slope = np.diff(volts)[kept] / length[kept]
    flat = np.zeros(len(slope))
    return PiecewiseWaveform(
        times_s[:-1][kept], volts[:-1][kept], slope, flat, 0.0, period_s, always=True
    )


def pulse_train(low_v: float, high_v: float, high_s: float, period_s: float) -> PiecewiseWaveform:
    """High from the start of each period for ``high_s``, then low."""
    if high_s <= 0 or high_s >= period_s:
        level = high_v if high_s > 0 else low_v
        return PiecewiseWaveform(
            np.zeros(1), np.array([level]), np.zeros(1), np.zeros(1), 0.0, period_s
        )
    return PiecewiseWaveform(
        np.array([0.0, high_s]), np.array([high_v, low_v]), np.zeros(2), np.zeros(2), 0.0, period_s
    )
