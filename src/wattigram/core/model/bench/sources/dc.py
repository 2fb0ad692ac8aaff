"""A fixed voltage."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import ClassVar, Literal, Self

import numpy as np

from wattigram.core.base.fields import Volts, VoltsOrZero
from wattigram.core.contract.board_config import PinDrive
from wattigram.core.model.bench.sources.sine import SineSource
from wattigram.core.model.bench.sources.source import (
    Crossing,
    Driven,
    DrivenModel,
    FloatArray,
    Surroundings,
)


class DcSource(DrivenModel):
    """A fixed voltage; a knob, when it is turned while the board runs."""

    title: ClassVar[str] = "DC, adjustable"
    labels: ClassVar[Mapping[str, str]] = {
        "voltage_v": "voltage",
        "noise_v": "noise rms",
    }
    kind: Literal["dc"] = "dc"
    voltage_v: Volts
    noise_v: VoltsOrZero = 0.0

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        return cls(voltage_v=around.reference_v / 2, noise_v=noise_v)

    def at(self, times_s: FloatArray) -> FloatArray:
        """The voltage, as often as it is asked for.

        (n,) float64, volts.
        """
        return np.full(times_s.shape, self.voltage_v)

    @property
    def extent_v(self) -> tuple[float, float]:
        """Twice the voltage."""
        return self.voltage_v, self.voltage_v

    @property
    def span_s(self) -> float:
        """Any will do."""
        return 0.5

    @property
    def slope_v_s(self) -> float:
        """It stands still."""
        return 0.0

    def crossings(self, level_v: float) -> tuple[Fraction, tuple[Crossing, ...]] | None:
        """It crosses nothing."""
        return None

    def with_mains(self, amplitude_v: float, mains_hz: Fraction) -> Driven:
        """A sine about the level."""
        return SineSource(
            offset_v=self.voltage_v,
            amplitude_v=amplitude_v,
            frequency_hz=mains_hz,
            noise_v=self.noise_v,
        )

    def drive(self) -> PinDrive:
        """A level."""
        return PinDrive(level_v=self.voltage_v, noise_v=self.noise_v)
