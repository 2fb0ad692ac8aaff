"""Another board on a wire."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Annotated, ClassVar, Literal

from msgspec import Meta

from wattigram.core.base.fields import Every, Seconds, Share, VoltsOrZero
from wattigram.core.model.bench.sources.dc import DcSource
from wattigram.core.model.bench.sources.source import (
    Driven,
    SourceModel,
    Surroundings,
)


class SerialSource(SourceModel):
    """Another board that sends a value over a wire: ``bits`` of it, from 0 to full, every so often.

    The value goes from one share of full scale to another and back within a period.
    """

    labels: ClassVar[Mapping[str, str]] = {
        "period_s": "period",
        "noise_v": "noise rms",
    }
    kind: Literal["serial"] = "serial"
    baud: Annotated[int, Meta(ge=50, le=20_000_000)] = 115_200
    interval_s: Every
    bits: Annotated[int, Meta(ge=4, le=16)] = 8
    endianness: Literal["little-endian", "big-endian"] = "little-endian"
    from_level: Share = 0.0
    to_level: Share = 1.0
    period_s: Seconds = Fraction(2)
    noise_v: VoltsOrZero = 0.0

    @property
    def bytes_each(self) -> int:
        """Bytes of a value."""
        return 1 if self.bits <= 8 else 2

    def opened(self, around: Surroundings) -> Driven:
        """Between bytes the wire is high."""
        return DcSource(voltage_v=around.supply_v)
