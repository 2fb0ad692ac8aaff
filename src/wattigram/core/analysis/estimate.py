"""A figure with how far it may be off."""

from __future__ import annotations

import math

import msgspec


class Estimate(msgspec.Struct, frozen=True):
    """A value with its standard uncertainty (k = 1), both in one unit.

    Twice ``sigma`` either side covers the truth in about 95 of 100 cases (GUM, JCGM 100, clause 6).
    """

    value: float
    sigma: float

    def scaled(self, factor: float) -> Estimate:
        """In another unit."""
        return Estimate(self.value * factor, self.sigma * abs(factor))

    @property
    def low(self) -> float:
        """Lower end at k = 2."""
        return self.value - 2 * self.sigma

    @property
    def high(self) -> float:
        """Upper end at k = 2."""
        return self.value + 2 * self.sigma


def decibels(power_ratio: Estimate) -> Estimate:
    """A ratio of powers in dB; −∞ for nothing."""
    if power_ratio.value <= 0:
        return Estimate(-math.inf, math.inf)
    return Estimate(
        10 * math.log10(power_ratio.value),
        10 / math.log(10) * power_ratio.sigma / power_ratio.value,
    )


def ratio(above: Estimate, below: Estimate) -> Estimate:
    """Quotient of two figures that do not depend on each other."""
    value = above.value / below.value
    return Estimate(value, math.hypot(above.sigma / below.value, value * below.sigma / below.value))


def root(square: Estimate) -> Estimate:
    """Square root of a mean square; where that is hardly above nothing its uncertainty is that of the
    square's own root."""
    value = math.sqrt(max(square.value, 0.0))
    if value * value <= square.sigma:
        return Estimate(value, math.sqrt(square.sigma) / 2)
    return Estimate(value, square.sigma / (2 * value))
