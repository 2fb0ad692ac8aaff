"""Another board on a wire."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Annotated, ClassVar, Literal

from msgspec import Meta

from wattigram.core.base.fields import Every, Seconds, Share, VoltsOrZero
from wattigram.core.contract.serial_line import Parity
from wattigram.core.model.bench.sources.dc import DcSource
from wattigram.core.model.bench.sources.source import (
    Driven,
    SourceModel,
    Surroundings,
)


class SerialSource(SourceModel):
    """Another board that sends a value over a wire: ``bits`` of it, from 0 to full, every so often.

    The value goes from one share of full scale to another and back within a period. Baud, data bits,
    parity and stop bits are those of the other board. A value that does not fit into a word goes as
    two bytes.
    """

    labels: ClassVar[Mapping[str, str]] = {
        "period_s": "period",
        "noise_v": "noise rms",
    }
    kind: Literal["serial"] = "serial"
    baud: Annotated[int, Meta(ge=50, le=20_000_000)] = 115_200
    data_bits: Literal[7, 8, 9] = 8
    parity: Parity = "none"
    stop_bits: Literal[1, 2] = 1
    interval_s: Every
    bits: Annotated[int, Meta(ge=4, le=16)] = 8
    endianness: Literal["little-endian", "big-endian"] = "little-endian"
    from_level: Share = 0.0
    to_level: Share = 1.0
    period_s: Seconds = Fraction(2)
    noise_v: VoltsOrZero = 0.0

    def __post_init__(self) -> None:
        if self.data_bits == 7 and self.bits > 7:
            raise ValueError(
                f"a value of {self.bits} bits does not go over a line of 7 data bits. Send 7 bits, or "
                "take 8 data bits."
            )

    @property
    def words_each(self) -> Literal[1, 2]:
        """Words of a value."""
        return 1 if self.bits <= self.data_bits else 2

    @property
    def frame_bits(self) -> int:
        """Bit times of a word: start, data, parity, stop."""
        return 1 + self.data_bits + (self.parity != "none") + self.stop_bits

    def opened(self, around: Surroundings) -> Driven:
        """Between bytes the wire is high."""
        return DcSource(voltage_v=around.supply_v)
