"""A wire from one of the board's own outputs."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import ClassVar, Literal, Self

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.fields import VoltsOrZero
from wattigram.core.model.bench.sources.dc import DcSource
from wattigram.core.model.bench.sources.source import (
    Choice,
    Driven,
    SourceModel,
    Surroundings,
)
from wattigram.core.model.field_types import PinName


class Jumper(SourceModel):
    """A wire from one of the board's own outputs, by its pin; resistance and capacitor filter
    it."""

    title: ClassVar[str] = "jumper from an output"
    labels: ClassVar[Mapping[str, str]] = {
        "noise_v": "noise rms",
    }
    kind: Literal["jumper"] = "jumper"
    pin: PinName
    noise_v: VoltsOrZero = 0.0

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        if not around.output_pins:
            raise QuantityError("Nothing comes out of this part.", cure="Add a PWM output first.")
        return cls(pin=around.output_pins[0], noise_v=noise_v)

    def opened(self, around: Surroundings) -> Driven:
        played = around.output(self.pin)
        if played is None:
            return DcSource(voltage_v=0.0, noise_v=self.noise_v)
        return played.with_noise(math.hypot(played.noise_v, self.noise_v))

    def choices(self, around: Surroundings) -> tuple[Choice, ...]:
        return (Choice("from pin", "pin", {pin: pin for pin in around.output_pins}),)
