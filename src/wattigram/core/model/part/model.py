"""The part file's model; ``docs/part-format.md`` describes it for people."""

from __future__ import annotations

from fractions import Fraction
from functools import cached_property
from pathlib import Path
from typing import Annotated, Literal, Self

import msgspec
from msgspec import Meta

from wattigram.core.base.errors import PartError
from wattigram.core.base.fields import (
    Counts,
    CountsOrZero,
    Hertz,
    Ohms,
    PositiveVolts,
    Seconds,
    Share,
    ShareOrZero,
    Volts,
    VoltsOrZero,
    VoltsPerSecond,
)
from wattigram.core.base.models import StrictModel
from wattigram.core.base.toml_document import build, check_head, parse_toml, read_text
from wattigram.core.model.field_types import (
    Cycles,
    Flag,
    Identifier,
    Name,
    PinName,
    Positive,
    check_distinct,
)
from wattigram.core.model.part.converter import ComparatorUnit, Converter
from wattigram.core.model.part.migrations import from_older
from wattigram.core.model.part.registers import Block, MemoryMap, Register, check_blocks

FORMAT = "wattigram-part"
NEWEST_VERSION = 7


class Processor(StrictModel):
    """Highest bus clock, and what software in the path costs in processor cycles besides its
    handlers."""

    clock_hz: Hertz
    clock_tolerance: ShareOrZero = 0.0
    """By which the bus clock may be off as the part comes, with its own oscillator."""
    interrupt_entry_cycles: Cycles
    interrupt_exit_cycles: Cycles
    interrupt_jitter_cycles: Cycles = 0
    """An interrupt waits up to this long for the instruction that runs."""
    poll_cycles: Annotated[int, Meta(ge=1, le=10_000)] = 10
    """Once round a loop that asks a flag."""
    instruction_cycles: Annotated[float, Meta(ge=0.1, le=100)] = 1.0
    """Of an instruction, on average; 1 where the data sheet does not say."""
    core: Literal["cortex-m0plus", "cortex-m3", "cortex-m4", "cortex-m7", "cortex-m33"] = (
        "cortex-m4"
    )
    """Which core the compiler makes code for."""


class Reference(StrictModel):
    """A voltage that full scale can be measured against."""

    name: Name
    voltage_v: PositiveVolts
    pin: PinName | None = None
    """Where it comes from outside; the bench then says how much it is."""
    tolerance: ShareOrZero = 0.0
    """By which it may be off; of a supply that of what feeds the board is stated by the project."""


class Timer(StrictModel):
    """Timers of one kind; registers hold value − 1, so both count up to 2^bits."""

    names: Annotated[tuple[Name, ...], Meta(min_length=1)]
    counter_bits: Annotated[int, Meta(ge=4, le=32)]
    clock_divider: Annotated[int, Meta(ge=1, le=1024)] = 1
    """Bus clocks for each clock that reaches their prescaler."""
    prescaler_bits: Annotated[int, Meta(ge=0, le=16)] = 0
    """Every prescaler up to 2^bits can be chosen."""
    prescalers: tuple[Positive, ...] = ()
    """Those that can be chosen, where it is only some."""
    can_trigger: Flag
    pwm: Flag = False
    """It can put a pulse of chosen width on a pin."""
    pwm_pins: dict[Name, PinName] = msgspec.field(default_factory=dict)
    """The pin of each timer that can."""
    loads_after_dma: Flag = False
    """A new duty can wait until DMA has written all pieces of it."""

    def __post_init__(self) -> None:
        check_distinct(self.prescalers, f"{self.names[0]}: prescaler")
        if self.prescalers and self.prescaler_bits:
            raise ValueError(
                f"{self.names[0]}: prescalers, and prescaler_bits for every one up to 2^bits. Remove one of them."
            )

    @property
    def prescaler_choices(self) -> int | tuple[int, ...]:
        """Prescalers that can be chosen, lowest first; a number for all from 1 up to it."""
        return tuple(sorted(self.prescalers)) or 1 << self.prescaler_bits

    def has_prescaler(self, prescaler: int) -> bool:
        """Whether it can be chosen."""
        choices = self.prescaler_choices
        return 1 <= prescaler <= choices if isinstance(choices, int) else prescaler in choices


class DmaGroup(StrictModel):
    """DMA channels of one kind."""

    names: Annotated[tuple[Name, ...], Meta(min_length=1)]
    widths: Annotated[tuple[Literal[8, 16, 32], ...], Meta(min_length=1)]
    items_max: Positive
    modes: Annotated[tuple[Literal["one-shot", "loop"], ...], Meta(min_length=1)]
    half_mark: Flag
    full_mark: Flag
    transfer_cycles: Annotated[int, Meta(ge=1, le=1000)] = 4
    """Bus clocks of a transfer; channels take turns."""


class UartGroup(StrictModel):
    """Serial ports of one kind; bit clock = bus clock / (oversampling · divider)."""

    names: Annotated[tuple[Name, ...], Meta(min_length=1)]
    send_pins: dict[Name, PinName]
    receive_pins: dict[Name, PinName]
    oversampling: Annotated[int, Meta(ge=4, le=64)] = 16
    divider_bits: Annotated[int, Meta(ge=4, le=24)] = 16
    waiting_bytes: Annotated[int, Meta(ge=1, le=256)] = 1
    """Behind the one that is being sent; what comes when they are full overwrites the last."""
    data_bits: Annotated[tuple[Literal[7, 8, 9], ...], Meta(min_length=1, max_length=3)] = (8,)
    """Lengths of a word that it can be set to."""
    faulty_words: Literal["kept", "dropped"] = "kept"
    """What it does with a word whose parity or stop bit is wrong."""


class Port(StrictModel):
    """Pins that the program sets and reads, each by its bit in the port's registers."""

    name: Name
    bits: Annotated[
        dict[PinName, Annotated[int, Meta(ge=0, le=31)]], Meta(min_length=1, max_length=32)
    ]
    resistance_ohm: Ohms = 40.0
    """Of an output."""

    def __post_init__(self) -> None:
        check_distinct(tuple(self.bits.values()), f"{self.name}: bit")


class Dac(StrictModel):
    """One DAC; a buffered output stays ``buffer_margin_v`` away from either rail."""

    name: Name
    pin: PinName
    bits: Annotated[int, Meta(ge=4, le=24)]
    full_scale: Literal["2^N", "2^N-1"]
    update_rate_high_hz: Hertz
    settling_s: Seconds
    """To half a count after a full step."""
    settling_unbuffered_s: Seconds | None = None
    """The same without its output buffer; None where that makes no difference."""
    buffer_margin_v: VoltsOrZero
    slew_v_s: VoltsPerSecond | None = None
    can_buffer_twice: Flag = True
    """A trigger can move a code from a second register to the output."""
    accuracy_lsb: CountsOrZero = 2.0
    """Limit that the data sheet gives for offset, gain and bend together."""
    offset_lsb: Counts = 0.0
    """Of this specimen, as the virtual board has it; so are the next three."""
    gain_error: Share = 0.0
    bend_lsb: Counts = 0.0
    """At mid-scale, as a parabola between the ends."""
    carry_lsb: Counts = 0.0
    """By which the step into the upper half is too large."""
    noise_v: VoltsOrZero = 0.0
    resistance_ohm: Ohms = 0.0
    """Of the output without its buffer."""
    reference: Name | None = None
    """That of the part which full scale is always measured against."""
    references: tuple[Name, ...] = ()
    """Those of which the design chooses one for it; with neither it follows the converters' reference."""

    def settles_s(self, buffered: bool) -> Fraction:
        """Time to half a count after a full step, with its output buffer or without."""
        own = self.settling_unbuffered_s
        return self.settling_s if buffered or own is None else own

    def slews_v_s(self, buffered: bool) -> float:
        """Limit of its output's slope, 0 for none; it is the buffer's where its settling is stated apart."""
        is_free = not buffered and self.settling_unbuffered_s is not None
        return 0.0 if is_free else self.slew_v_s or 0.0


class Part(StrictModel, dict=True):
    """A microcontroller as far as analog chains are concerned."""

    format: Literal["wattigram-part"]
    version: Literal[7]
    id: Identifier
    name: Name
    summary: Annotated[str, Meta(max_length=300)]
    pins: Annotated[tuple[PinName, ...], Meta(min_length=1, max_length=300)]
    processor: Processor
    pin_low_v: Volts = -0.3
    """Lowest voltage that any pin may have; beyond it the part may be damaged."""
    pin_above_supply_v: VoltsOrZero = 0.3
    """By which a pin may lie above the supply at most."""
    references: Annotated[tuple[Reference, ...], Meta(min_length=1)]
    converters: Annotated[tuple[Converter, ...], Meta(min_length=1)]
    timers: tuple[Timer, ...] = ()
    dma: tuple[DmaGroup, ...] = ()
    dacs: tuple[Dac, ...] = ()
    uarts: tuple[UartGroup, ...] = ()
    ports: tuple[Port, ...] = ()
    comparators: tuple[ComparatorUnit, ...] = ()
    memory: MemoryMap | None = None
    blocks: Annotated[tuple[Block, ...], Meta(max_length=100)] = ()
    """Its registers; firmware is to be had where there are any."""
    notes: Annotated[dict[str, Annotated[str, Meta(max_length=300)]], Meta(max_length=1000)] = (
        msgspec.field(default_factory=dict)
    )
    """Where the data sheet says a fact, by the fact's place in the file: ``converters.1.noise``."""

    def __post_init__(self) -> None:
        check_blocks(self.blocks)
        self._check_owners()
        self._check_names()
        for converter in self.converters:
            self._check_converter(converter)
        self._check_all_pins()

    def _check_names(self) -> None:
        for what, names in (
            ("pin", self.pins),
            ("reference", tuple(item.name for item in self.references)),
            ("converter", tuple(item.name for item in self.converters)),
            ("timer", tuple(name for group in self.timers for name in group.names)),
            ("DMA channel", tuple(name for group in self.dma for name in group.names)),
            ("DAC", tuple(item.name for item in self.dacs)),
            ("UART", tuple(name for group in self.uarts for name in group.names)),
            ("port", tuple(item.name for item in self.ports)),
            ("port pin", tuple(pin for item in self.ports for pin in item.bits)),
            ("comparator", tuple(item.name for item in self.comparators)),
        ):
            check_distinct(names, what)

    def _check_converter(self, converter: Converter) -> None:
        paired = tuple(pin for pair in converter.pairs for pin in (pair.positive, pair.negative))
        for pin in (*converter.channels, *paired):
            self._check_pin(converter.name, pin)
        others = {item.name for item in self.converters} - {converter.name}
        for other in converter.in_step_with:
            if other not in others:
                raise ValueError(
                    f"{converter.name}: in step with {other}, which is no other converter here."
                )
        self._check_sampling(converter)
        if "dma" in converter.retrievals and not self.dma:
            raise ValueError(
                f"{converter.name}: DMA among its retrievals, and the part has none. Remove it."
            )
        clocks_hz = [self.processor.clock_hz / divider for divider in converter.dividers]
        low_hz, high_hz = converter.clock_low_hz, converter.clock_high_hz
        if not any(low_hz <= clock_hz <= high_hz for clock_hz in clocks_hz):
            raise ValueError(
                f"{converter.name}: no divider brings the bus clock into its range. Add one "
                "that does."
            )

    def _check_all_pins(self) -> None:
        for dac in self.dacs:
            self._check_pin(dac.name, dac.pin)
            if dac.reference is not None and dac.references:
                raise ValueError(
                    f"{dac.name}: a reference that it always has, and references to choose from. "
                    "Remove one of them."
                )
            check_distinct(dac.references, f"{dac.name}: reference")
            for name in dac.references or (dac.reference,):
                if name is not None and self.reference(name) is None:
                    raise ValueError(
                        f"{dac.name}: there is no reference “{name}”. Choose one of "
                        f"{', '.join(one.name for one in self.references)}."
                    )
        for timers in self.timers:
            self._check_pins(timers.names, timers.pwm_pins, "PWM")
        for uarts in self.uarts:
            self._check_pins(uarts.names, uarts.send_pins, "send")
            self._check_pins(uarts.names, uarts.receive_pins, "receive")
        for port in self.ports:
            for pin in port.bits:
                self._check_pin(port.name, pin)
        for comparator in self.comparators:
            for pin in (*comparator.inputs, *comparator.threshold_pins):
                self._check_pin(comparator.name, pin)
        for reference in self.references:
            if reference.pin is not None:
                self._check_pin(reference.name, reference.pin)

    def _check_owners(self) -> None:
        known: dict[str, set[str]] = {
            "converter": {item.name for item in self.converters},
            "timer": {name for group in self.timers for name in group.names},
            "dma": {name for group in self.dma for name in group.names},
            "dac": {item.name for item in self.dacs},
            "uart": {name for group in self.uarts for name in group.names},
            "port": {item.name for item in self.ports},
            "comparator": {item.name for item in self.comparators},
        }
        for block in self.blocks:
            for owner in block.owners if block.kind in known else ():
                if owner not in known[block.kind]:
                    raise ValueError(f"block {block.name}: the part has no {block.kind} “{owner}”.")

    def _check_pins(self, names: tuple[str, ...], pins: dict[str, str], what: str) -> None:
        for name, pin in pins.items():
            if name not in names:
                raise ValueError(
                    f"the {what} pin {pin} belongs to {name}, which is not among its names. "
                    "Remove it."
                )
            self._check_pin(name, pin)

    def _check_pin(self, owner: str, pin: str) -> None:
        if pin not in self.pins:
            raise ValueError(f"{owner}: pin {pin} is not among the part's pins. Add it to “pins”.")

    @cached_property
    def text(self) -> str:
        """The file that the part was read from, so that it can go where the file cannot; "" where
        there was none."""
        return ""

    def with_text(self, text: str) -> Self:
        """This very part, which from now on knows the file that it was read from."""
        self.__dict__["text"] = text
        return self

    def converter(self, name: str) -> Converter | None:
        """The converter of that name."""
        return next((item for item in self.converters if item.name == name), None)

    def sampling_groups(self, converter: Converter) -> tuple[tuple[int, ...], ...]:
        """Channels of a converter that are sampled alike, as it is told, or as its registers have it:
        a sampling time of each channel goes for all its slots."""
        by = {
            field.of or register.of
            for register in self._sampling_registers(converter)
            for field in register.fields
            if field.sets == "sampling"
        }
        if converter.sampling_groups or "channel" not in by:
            return converter.sampling_groups
        return tuple((channel,) for channel in converter.channel_numbers)

    def _sampling_registers(self, converter: Converter) -> tuple[Register, ...]:
        return tuple(
            register
            for block in self.blocks
            if converter.name in block.owners
            for register in block.registers
            if any(field.sets == "sampling" for field in register.fields)
        )

    def _check_sampling(self, converter: Converter) -> None:
        grouped = {channel for group in converter.sampling_groups for channel in group}
        for register in self._sampling_registers(converter):
            if register.of != "group":
                continue
            for channel in converter.channel_numbers:
                if channel not in grouped:
                    raise ValueError(
                        f"register {register.name} is counted by group, and channel {channel} of "
                        f"{converter.name} is in none. Put it into one of its sampling_groups."
                    )
            if register.count != len(converter.sampling_groups):
                raise ValueError(
                    f"register {register.name} is there {register.count} times, and {converter.name} has "
                    f"{len(converter.sampling_groups)} sampling_groups. Make them as many."
                )

    def reference(self, name: str) -> Reference | None:
        """The reference of that name."""
        return next((item for item in self.references if item.name == name), None)

    def timer(self, name: str) -> Timer | None:
        """The kind of timer that has this name."""
        return next((group for group in self.timers if name in group.names), None)

    def dac(self, name: str) -> Dac | None:
        """The DAC of that name."""
        return next((item for item in self.dacs if item.name == name), None)

    def uart(self, name: str) -> UartGroup | None:
        """The kind of UART that has this name."""
        return next((group for group in self.uarts if name in group.names), None)

    def port_of(self, pin: str) -> Port | None:
        """The port that has a pin."""
        return next((port for port in self.ports if pin in port.bits), None)

    def comparator(self, name: str) -> ComparatorUnit | None:
        """The comparator of that name."""
        return next((item for item in self.comparators if item.name == name), None)

    def dma_channel(self, name: str) -> DmaGroup | None:
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
    if check_head(data, FORMAT, NEWEST_VERSION, where, PartError) < NEWEST_VERSION:
        data = from_older(data)
    return build(Part, data, where, PartError).with_text(text)


def load_part(path: Path) -> Part:
    """Read a part file; raises :class:`PartError`."""
    return parse_part(read_text(path, PartError), str(path))
