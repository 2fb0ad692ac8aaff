"""PWM: what remains of the timer as resolution, and what a filter makes of the pulses."""

from __future__ import annotations

import math
from fractions import Fraction

import msgspec

from wattigram.core.contract.shapes import pulse_train
from wattigram.core.model.design.outputs import PwmOutput
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.clocks import TimerSetting, set_timer


class PwmTiming(msgspec.Struct, frozen=True):
    """A PWM output as its timer really is set.

    Attributes
    ----------
    counts : int
        Timer counts in a period: so many steps the duty has, plus one for always.
    high_counts : int
        Of those, high.
    bits : float
        Resolution, log2 of the steps.
    """

    setting: TimerSetting
    counts: int
    high_counts: int
    high_v: float

    @property
    def period_s(self) -> Fraction:
        return self.setting.period_s

    @property
    def duty(self) -> Fraction:
        """As it comes out."""
        return Fraction(self.high_counts, self.counts)

    @property
    def bits(self) -> float:
        return math.log2(self.counts)

    @property
    def mean_v(self) -> float:
        return float(self.duty) * self.high_v

    def ripple_v(self, poles_s: tuple[float, ...]) -> float:
        """Peak to peak behind low-passes, in the steady state."""
        period_s = float(self.period_s)
        course = pulse_train(0.0, self.high_v, float(self.duty) * period_s, period_s).filtered(
            *poles_s
        )
        low_v, high_v = course.extent_v
        return high_v - low_v


def settling_s(poles_s: tuple[float, ...], bits: float) -> float:
    """Time until a full step is within half a step of the resolution; poles one after the other, at
    most their sum."""
    return sum(poles_s) * (bits + 1) * math.log(2)


def pwm_timing(workspace: Workspace, pwm: PwmOutput) -> PwmTiming:
    """The timer of a PWM output; the duty is rounded to its counts."""
    setting = set_timer(
        workspace, pwm.timer, pwm.period_s, pwm.prescaler_register, pwm.period_register
    )
    counts = setting.period_counts
    return PwmTiming(
        setting, counts, min(counts, math.floor(pwm.duty * counts + 0.5)), workspace.supply_v
    )
