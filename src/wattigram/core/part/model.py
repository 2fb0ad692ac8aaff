"""The part file's model; ``docs/part-format.md`` describes it for people."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from wattigram.core.document import build, check_head, parse_toml, read_text
from wattigram.core.errors import PartError
from wattigram.core.fields import (
    Counts,
    CountsOrZero,
    Farads,
    Hertz,
    Ohms,
    PositiveVolts,
    Seconds,
    Share,
    Strict,
    VoltsOrZero,
)

FORMAT = "wattigram-part"
NEWEST_VERSION = 1

Name = Annotated[str, StringConstraints(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f]+$")]
PinName = Annotated[str, StringConstraints(pattern=r"^[A-Z][0-9]{1,2}$")]
Identifier = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9\-]{0,40}$")]
Positive = Annotated[int, Field(strict=True, ge=1, le=1 << 32)]


def _distinct(values: tuple[object, ...], what: str) -> None:
    seen: set[object] = set()
    for value in values:
        if value in seen:
            raise ValueError(f"{what} {value} is listed twice. Remove one.")
        seen.add(value)


class Processor(Strict):
    """Highest bus clock, and what one interrupt costs in processor cycles besides its handler."""

    clock_hz: Hertz
    interrupt_entry_cycles: Annotated[int, Field(strict=True, ge=0, le=10_000)]
    interrupt_exit_cycles: Annotated[int, Field(strict=True, ge=0, le=10_000)]


class Reference(Strict):
    """A voltage that full scale can be measured against."""

    name: Name
    voltage_v: PositiveVolts


class Converter(Strict):
    """One ADC. Offsets and noise are in LSB of its highest resolution."""

    name: Name
    bits: Annotated[tuple[Annotated[int, Field(strict=True, ge=4, le=24)], ...], Field(min_length=1)]
    conversion_extra_cycles: Annotated[int, Field(strict=True, ge=0, le=1000)]
    dividers: Annotated[tuple[Positive, ...], Field(min_length=1)]
    clock_low_hz: Hertz
    clock_high_hz: Hertz
    sampling_cycles: Annotated[tuple[Positive, ...], Field(min_length=1)]
    sampling_capacitor_f: Farads
    switch_resistance_ohm: Ohms
    slots: Annotated[int, Field(strict=True, ge=1, le=256)]
    full_scale: Literal["2^N", "2^N-1"]
    needs_calibration: Annotated[bool, Field(strict=True)]
    offset_uncalibrated_lsb: Counts
    offset_calibrated_lsb: Counts
    gain_error: Share
    accuracy_lsb: CountsOrZero
    noise_lsb: CountsOrZero
    channels: dict[PinName, Annotated[int, Field(strict=True, ge=0, le=255)]]

    @model_validator(mode="after")
    def _plausible(self) -> Self:
        if self.clock_low_hz >= self.clock_high_hz:
            raise ValueError(f"{self.name}: clock_low is not below clock_high. Exchange them.")
        if self.sampling_capacitor_f <= 0:
            raise ValueError(f"{self.name}: sampling_capacitor must be above 0 F.")
        if not self.channels:
            raise ValueError(f"{self.name}: it has no channels. List each pin with its channel number.")
        _distinct(self.bits, f"{self.name}: resolution")
        _distinct(self.dividers, f"{self.name}: divider")
        _distinct(self.sampling_cycles, f"{self.name}: sampling time")
        _distinct(tuple(self.channels.values()), f"{self.name}: channel")
        return self

    def conversion_cycles(self, bits: int) -> int:
        """Converter clocks from the held instant to the code."""
        return bits + self.conversion_extra_cycles


class Timer(Strict):
    """Timers of one kind; registers hold value − 1, so both count up to 2^bits."""

    names: Annotated[tuple[Name, ...], Field(min_length=1)]
    counter_bits: Annotated[int, Field(strict=True, ge=4, le=32)]
    prescaler_bits: Annotated[int, Field(strict=True, ge=0, le=16)]
    can_trigger: Annotated[bool, Field(strict=True)]


class Dma(Strict):
    """DMA channels of one kind."""

    names: Annotated[tuple[Name, ...], Field(min_length=1)]
    widths: Annotated[tuple[Literal[8, 16, 32], ...], Field(min_length=1)]
    items_max: Positive
    modes: Annotated[tuple[Literal["one-shot", "loop"], ...], Field(min_length=1)]
    half_mark: Annotated[bool, Field(strict=True)]
    full_mark: Annotated[bool, Field(strict=True)]


class Dac(Strict):
    """One DAC; a buffered output stays ``buffer_margin_v`` away from either rail."""

    name: Name
    pin: PinName
    bits: Annotated[int, Field(strict=True, ge=4, le=24)]
    full_scale: Literal["2^N", "2^N-1"]
    update_rate_high_hz: Hertz
    settling_s: Seconds
    buffer_margin_v: VoltsOrZero


class Part(Strict):
    """A microcontroller as far as analog chains are concerned."""

    format: Literal["wattigram-part"]
    version: Literal[1]
    id: Identifier
    name: Name
    summary: Annotated[str, StringConstraints(max_length=300)]
    pins: Annotated[tuple[PinName, ...], Field(min_length=1, max_length=300)]
    processor: Processor
    references: Annotated[tuple[Reference, ...], Field(min_length=1)]
    converters: Annotated[tuple[Converter, ...], Field(min_length=1)]
    timers: tuple[Timer, ...] = ()
    dma: tuple[Dma, ...] = ()
    dacs: tuple[Dac, ...] = ()
    registers: tuple[()] = ()
    """Kept free for the register map; empty in version 1."""

    @model_validator(mode="after")
    def _plausible(self) -> Self:
        _distinct(self.pins, "pin")
        _distinct(tuple(item.name for item in self.references), "reference")
        _distinct(tuple(item.name for item in self.converters), "converter")
        _distinct(tuple(name for group in self.timers for name in group.names), "timer")
        _distinct(tuple(name for group in self.dma for name in group.names), "DMA channel")
        _distinct(tuple(item.name for item in self.dacs), "DAC")
        for converter in self.converters:
            for pin in converter.channels:
                if pin not in self.pins:
                    raise ValueError(f"{converter.name}: pin {pin} is not among the part's pins. Add it to “pins”.")
            if not any(
                converter.clock_low_hz <= self.processor.clock_hz / divider <= converter.clock_high_hz
                for divider in converter.dividers
            ):
                raise ValueError(
                    f"{converter.name}: no divider brings the bus clock into its range. Add one that does."
                )
        for dac in self.dacs:
            if dac.pin not in self.pins:
                raise ValueError(f"{dac.name}: pin {dac.pin} is not among the part's pins. Add it to “pins”.")
        return self

    def converter(self, name: str) -> Converter | None:
        """The converter of that name."""
        return next((item for item in self.converters if item.name == name), None)

    def reference(self, name: str) -> Reference | None:
        """The reference of that name."""
        return next((item for item in self.references if item.name == name), None)

    def timer(self, name: str) -> Timer | None:
        """The kind of timer that has this name."""
        return next((group for group in self.timers if name in group.names), None)

    def dma_channel(self, name: str) -> Dma | None:
        """The kind of DMA channel that has this name."""
        return next((group for group in self.dma if name in group.names), None)


def parse_part(text: str, where: str) -> Part:
    """Read a part from text.

    Raises
    ------
    PartError
        With every fault, its path in the file and its cure.
    """
    data = parse_toml(text, where, PartError)
    check_head(data, FORMAT, NEWEST_VERSION, where, PartError)
    return build(Part, data, where, PartError)


def load_part(path: Path) -> Part:
    """Read a part file; raises :class:`PartError`."""
    return parse_part(read_text(path, PartError), str(path))
