"""A bench supply."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal, Self

from wattigram.core.base.fields import Volts, VoltsOrZero
from wattigram.core.model.bench.sources.dc import DcSource
from wattigram.core.model.bench.sources.source import (
    Driven,
    SourceModel,
    Surroundings,
)


class Supply(SourceModel):
    """A bench supply set to a voltage; the reading of a meter, once typed in, counts for more."""

    title: ClassVar[str] = "bench supply"
    labels: ClassVar[Mapping[str, str]] = {
        "voltage_v": "voltage",
        "meter_v": "meter reads",
        "noise_v": "noise rms",
    }
    kind: Literal["supply"] = "supply"
    voltage_v: Volts
    meter_v: Volts | None = None
    noise_v: VoltsOrZero = 0.0

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        return cls(voltage_v=around.reference_v / 2, noise_v=noise_v)

    def opened(self, around: Surroundings) -> Driven:
        volts = self.voltage_v if self.meter_v is None else self.meter_v
        return DcSource(voltage_v=volts, noise_v=self.noise_v)
