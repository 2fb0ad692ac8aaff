"""Another board on a wire."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Annotated, ClassVar, Literal, Self

from msgspec import Meta

from wattigram.core.base.fields import Every, Seconds, Share, ShareOrZero, VoltsOrZero
from wattigram.core.contract.serial_line import Parity
from wattigram.core.model.bench.sources.dc import DcSource
from wattigram.core.model.bench.sources.source import (
    Choice,
    Driven,
    SourceModel,
    Surroundings,
)


class SerialSource(SourceModel):
    """Another board that sends a value over a wire: ``bits`` of it, from 0 to full, every so often.

    The value goes from one share of full scale to another and back within a period. Baud, data bits,
    parity, stop bits and the clock's tolerance are those of the other board. A value that does not fit into a word goes as
    two bytes.
    """

    labels: ClassVar[Mapping[str, str]] = {
        "baud": "baud",
        "clock_tolerance": "its clock is good to",
        "interval_s": "value every",
        "bits": "bits of a value",
        "from_level": "from",
        "to_level": "to",
        "period_s": "there and back in",
    }
    kind: Literal["serial"] = "serial"
    baud: Annotated[int, Meta(ge=50, le=20_000_000)] = 115_200
    data_bits: Literal[7, 8, 9] = 8
    parity: Parity = "none"
    stop_bits: Literal[1, 2] = 1
    clock_tolerance: ShareOrZero = 0.0
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

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        return cls(interval_s=Fraction(1, 200), noise_v=noise_v)

    def choices(self, around: Surroundings) -> tuple[Choice, ...]:
        words = {str(bits): bits for bits in (7, 8, 9)}
        choices = [
            Choice("data bits", "data_bits", words),
            Choice("parity", "parity", {word: word for word in ("none", "even", "odd")}),
            Choice("stop bits", "stop_bits", {"1": 1, "2": 2}),
        ]
        if self.words_each > 1:
            orders = {"low first": "little-endian", "high first": "big-endian"}
            choices.append(Choice("byte order", "endianness", orders))
        return tuple(choices)

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
