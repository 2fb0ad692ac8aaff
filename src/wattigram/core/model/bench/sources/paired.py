"""The same source as another pin's."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal, Self

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.fields import VoltsOrZero
from wattigram.core.model.bench.sources.source import Choice, SourceModel, Surroundings
from wattigram.core.model.field_types import PinName


class PairedSource(SourceModel):
    """The same source as another pin's, through this pin's own resistance."""

    title: ClassVar[str] = "same as another pin"
    labels: ClassVar[Mapping[str, str]] = {
        "noise_v": "noise rms",
    }
    kind: Literal["follow"] = "follow"
    pin: PinName
    noise_v: VoltsOrZero = 0.0

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        if not around.other_pins:
            raise QuantityError("No other pin is wired.", cure="Wire another pin first.")
        return cls(pin=around.other_pins[0], noise_v=noise_v)

    def choices(self, around: Surroundings) -> tuple[Choice, ...]:
        return (Choice("same as pin", "pin", {pin: pin for pin in around.other_pins}),)
