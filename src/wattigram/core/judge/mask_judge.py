"""A signal held against a mask of one's own."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.capture.take import Take
from wattigram.core.judge.compared_streams import best_blocks, value_step_v
from wattigram.core.judge.judgement import Judgement, not_judged
from wattigram.core.judge.verdict import Outcome
from wattigram.core.model.design import MaskExpectation
from wattigram.core.model.design.mask import parse_mask

FloatArray = NDArray[np.float64]


class MaskClock:
    """Tells for each sample how far into the mask it is, in the order in which samples come.

    A mask begins with the take, or where the signal crosses a level; it begins again with its period,
    or with the first crossing after its last point.
    """

    def __init__(self, expectation: MaskExpectation, begins_s: float = 0.0) -> None:
        """``begins_s`` is when the take begins, in seconds since the start."""
        self.mask = parse_mask(expectation.points)
        self._level_v = expectation.at_v
        self._sign = -1.0 if expectation.begins == "falling" else 1.0
        self._by_crossing = expectation.begins != "start"
        period = expectation.period_s
        self._period_s = None if period is None else float(period)
        self._zero_s: float | None = None if self._by_crossing else begins_s
        self._last: tuple[float, float] | None = None

    def into(self, times_s: FloatArray, volts: FloatArray) -> FloatArray:
        """Seconds since the mask began, (n,) float64; NaN where it has not.

        Parameters
        ----------
        times_s, volts : (n,) float64, samples that came
        """
        into = np.full(len(times_s), np.nan)
        begin = 0
        for at_s in self._beginnings(times_s, volts):
            end = int(np.searchsorted(times_s, at_s, side="left"))
            if self._zero_s is not None:
                into[begin:end] = times_s[begin:end] - self._zero_s
            self._zero_s, begin = at_s, end
        if self._zero_s is not None:
            into[begin:] = times_s[begin:] - self._zero_s
        if self._period_s is not None:
            into = np.mod(into, self._period_s)
        if len(times_s):
            self._last = float(times_s[-1]), float(volts[-1])
        return into

    def _beginnings(self, times_s: FloatArray, volts: FloatArray) -> list[float]:
        """Instants at which the mask begins anew within a block."""
        if not self._by_crossing or self._level_v is None:
            return []
        if self._period_s is not None and self._zero_s is not None:
            return []
        before = self._last or (float(times_s[0]), float(volts[0]))
        times = np.concatenate(([before[0]], times_s))
        height = self._sign * (np.concatenate(([before[1]], volts)) - self._level_v)
        rises = np.flatnonzero((height[:-1] < 0) & (height[1:] >= 0))
        found: list[float] = []
        free_s = -np.inf if self._zero_s is None else self._zero_s + self.mask.length_s
        for place in rises.tolist():
            share = -height[place] / (height[place + 1] - height[place])
            at_s = float(times[place] + share * (times[place + 1] - times[place]))
            if at_s >= free_s:
                found.append(at_s)
                if self._period_s is not None:
                    break
                free_s = at_s + self.mask.length_s
        return found


def judge_mask(take: Take, expectation: MaskExpectation) -> Judgement:
    """Whether a share of the samples lies within the mask. A reading is good to half a step: the share
    holds if it is reached with limits that much tighter, and fails if it is not with limits that much wider.
    """
    clock = MaskClock(expectation, take.begins_s)
    unsure_v = value_step_v(take, expectation.signal) / 2
    count = inside = surely = perhaps = 0
    worst_v, worst_s = 0.0, 0.0
    for block in best_blocks(take, expectation.signal):
        times_s, volts = block.times_s[block.valid], block.volts[block.valid]
        if not len(volts):
            continue
        into = clock.into(times_s, volts)
        low, high = clock.mask.at(into)
        judged = np.isfinite(low)
        beyond = np.maximum(low - volts, volts - high)[judged]
        if not len(beyond):
            continue
        count += len(beyond)
        inside += int(np.count_nonzero(beyond <= 0))
        surely += int(np.count_nonzero(beyond <= -unsure_v))
        perhaps += int(np.count_nonzero(beyond <= unsure_v))
        place = int(beyond.argmax())
        if beyond[place] > worst_v:
            worst_v, worst_s = float(beyond[place]), float(into[judged][place])
    if not count:
        at_v = expectation.at_v
        never = "" if at_v is None else f"it never crosses {format_volts(at_v)}"
        return not_judged(never or "no sample fell into the mask")
    share = inside / count
    outcome: Outcome = "open"
    if surely >= expectation.share * count:
        outcome = "holds"
    elif perhaps < expectation.share * count:
        outcome = "fails"
    note = f"{format_si(share, '%', 4)} of {count} samples lie inside"
    if worst_v:
        note += f"; the farthest is {format_volts(worst_v)} beyond, {format_si(worst_s, 's', 4)} into it"
    if outcome == "open":
        note += f": half a step of a reading, {format_volts(unsure_v)}, decides"
    return Judgement(outcome, share, "%", expectation.share, None, count, note)
