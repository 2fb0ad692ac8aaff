"""A thermistor under a resistor."""

from __future__ import annotations

import math
from collections.abc import Mapping
from fractions import Fraction
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from msgspec import Meta

from wattigram.core.base.fields import Celsius, Ohms, Seconds, Volts, VoltsOrZero
from wattigram.core.model.bench.sources.shaped import straight_lines
from wattigram.core.model.bench.sources.source import Driven, SourceModel, Surroundings

BENDS = 64
"""Straight lines for each way."""


class Thermistor(SourceModel):
    """An NTC to ground under a resistor to ``supply_v``; R = R25 · exp(B · (1/T − 1/298.15 K)).

    The temperature goes from one to the other and back within a period.
    """

    title: ClassVar[str] = "thermistor"
    labels: ClassVar[Mapping[str, str]] = {
        "r25_ohm": "at 25 °C",
        "beta_kelvin": "B, in kelvin",
        "pull_up_ohm": "pull-up",
        "supply_v": "supply",
        "from_degc": "coldest",
        "to_degc": "hottest",
        "period_s": "period",
        "noise_v": "noise rms",
    }
    kind: Literal["thermistor"] = "thermistor"
    r25_ohm: Ohms = 10e3
    beta_kelvin: Annotated[float, Meta(gt=0, le=20_000)] = 3435.0
    pull_up_ohm: Ohms = 10e3
    supply_v: Volts = 3.3
    from_degc: Celsius = 20.0
    to_degc: Celsius = 80.0
    period_s: Seconds = Fraction(10)
    noise_v: VoltsOrZero = 0.0

    def __post_init__(self) -> None:
        if (
            min(self.from_degc, self.to_degc) <= -273.15
            or self.r25_ohm <= 0
            or self.pull_up_ohm <= 0
        ):
            raise ValueError(
                "a temperature at absolute zero, or a resistance of 0 Ω. Write real ones."
            )

    def voltage_at(self, degc: float) -> float:
        """Of the divider at a temperature."""
        ohm = self.r25_ohm * math.exp(
            min(600.0, self.beta_kelvin * (1 / (degc + 273.15) - 1 / 298.15))
        )
        return self.supply_v * ohm / (ohm + self.pull_up_ohm)

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        return cls(supply_v=around.supply_v, noise_v=noise_v)

    def opened(self, around: Surroundings) -> Driven:
        ways = np.linspace(0, 1, BENDS + 1)
        there = [
            self.voltage_at(self.from_degc + (self.to_degc - self.from_degc) * way) for way in ways
        ]
        turns = np.concatenate((ways / 2, 0.5 + ways[1:] / 2))
        return straight_lines(turns, [*there, *there[-2::-1]], self.period_s, self.noise_v)
