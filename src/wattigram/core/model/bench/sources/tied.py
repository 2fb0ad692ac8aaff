"""A wire to something whose voltage is known."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal, Self

from wattigram.core.base.fields import VoltsOrZero
from wattigram.core.model.bench.sources.dc import DcSource
from wattigram.core.model.bench.sources.source import (
    Choice,
    Driven,
    SourceModel,
    Surroundings,
)


class TiedInput(SourceModel):
    """A wire to something whose voltage is known: ground, the reference, the supply, or half of
    it."""

    title: ClassVar[str] = "tied to a known voltage"
    labels: ClassVar[Mapping[str, str]] = {
        "noise_v": "noise rms",
    }
    kind: Literal["tied"] = "tied"
    to: Literal["ground", "reference", "supply", "half"] = "ground"
    noise_v: VoltsOrZero = 0.0

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        return cls()

    def opened(self, around: Surroundings) -> Driven:
        levels = {
            "ground": 0.0,
            "reference": around.reference_v,
            "supply": around.supply_v,
            "half": around.supply_v / 2,
        }
        return DcSource(voltage_v=levels[self.to], noise_v=self.noise_v)

    def choices(self, around: Surroundings) -> tuple[Choice, ...]:
        words = ("ground", "reference", "supply", "half")
        return (Choice("to", "to", {word: word for word in words}),)
