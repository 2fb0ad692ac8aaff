"""A switch with a resistor."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal, Self

from wattigram.core.base.fields import Volts, VoltsOrZero
from wattigram.core.model.bench.sources.dc import DcSource
from wattigram.core.model.bench.sources.source import (
    Choice,
    Driven,
    SourceModel,
    Surroundings,
)
from wattigram.core.model.field_types import Flag


class Switch(SourceModel):
    """A switch to ``closed_v``; a resistor pulls to ``open_v`` while it is open."""

    title: ClassVar[str] = "switch"
    labels: ClassVar[Mapping[str, str]] = {
        "open_v": "open",
        "closed_v": "closed",
        "noise_v": "noise rms",
    }
    kind: Literal["switch"] = "switch"
    is_closed: Flag = False
    open_v: Volts = 3.3
    closed_v: Volts = 0.0
    noise_v: VoltsOrZero = 0.0

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        return cls(open_v=around.supply_v, noise_v=noise_v)

    def opened(self, around: Surroundings) -> Driven:
        volts = self.closed_v if self.is_closed else self.open_v
        return DcSource(voltage_v=volts, noise_v=self.noise_v)

    def choices(self, around: Surroundings) -> tuple[Choice, ...]:
        return (Choice("now", "is_closed", {"open": False, "closed": True}),)
