"""A part's registers: where they lie, their fields, and how a setting becomes a field;
``docs/part-format.md``."""

from __future__ import annotations

import itertools
from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from wattigram.core.base.models import StrictModel
from wattigram.core.model.field_types import Name, check_distinct

CName = Annotated[
    str,
    Meta(
        pattern=r"^[A-Z][A-Z0-9_]{0,30}\Z",
        description="a name in capital letters, digits and underscores, at most 31",
    ),
]
Address = Annotated[int, Meta(ge=0, lt=1 << 32)]
BlockKind = Literal["system", "converter", "timer", "dma", "dac", "uart", "port", "comparator"]
Coding = Literal["flag", "value", "signed", "minus-one", "table", "shift", "mask", "pin", "pointer"]
Access = Literal["read-write", "read", "write", "start", "clear"]

SETTINGS: dict[BlockKind, dict[str, str]] = {
    "system": {
        "ticks-low": "lower half of the bus clocks since reset; reading it holds the upper half",
        "ticks-high": "upper half, as it was when the lower was read",
        "send-from": "address of bytes for the fast debug channel",
        "send-count": "how many; writing it sends them",
        "received": "next byte that came over the fast debug channel",
        "waiting": "bytes that wait there",
        "alarm": "ticks after which an interrupt comes, again and again; 0 for never",
        "alarm-seen": "the alarm's interrupt is pending",
    },
    "converter": {
        "on": "it is enabled",
        "calibrate": "starts calibration, and reads 1 until it is done",
        "start": "starts a conversion, a scan, or a continuous run",
        "reference": "what full scale is measured against, by the reference's name",
        "clock": "bus, or internal for its internal oscillator",
        "divider": "of its clock",
        "bits": "resolution",
        "alignment": "right or left",
        "trigger": "software, free-running, edge, threshold, or the name of a timer, comparator or "
        "converter",
        "edge-pin": "the pin whose edges are triggers",
        "edge": "rising, falling or both",
        "per-trigger": "conversion, scan or continuous",
        "length": "slots of its sequence",
        "listed": "one bit for each channel of its sequence, taken in their order",
        "channel": "of a slot; the only one where software points the converter",
        "pair": "the channel of a slot is the first of a pair, and its partner is taken away",
        "sampling": "sampling cycles of a slot, of a channel, or of all",
        "repeats": "conversions of a slot or channel that are added up",
        "shift": "places by which their sum is moved to the right",
        "low-pass": "shift of the low-pass behind a slot or channel; 0 for none",
        "delivery": "polling, conversion or scan (interrupts), fifo, dma",
        "tells-result": "an interrupt comes at each result, where that has a bit of its own",
        "tells-scan": "an interrupt comes at the end of a scan, where that has a bit of its own",
        "mark": "FIFO watermark: results that wait in it before an interrupt comes",
        "done": "a result, a scan or a FIFO's watermark is there; reading the result clears it, or "
        "writing 1 where it is cleared so",
        "scan-done": "the last result of a scan is there; written 1 it is taken",
        "result": "newest result; or that of each slot",
        "result-low": "lower byte of the newest result; reading it holds the upper one",
        "result-high": "upper byte, as it was when the lower was read",
        "newest": "newest result, or the oldest of the FIFO, where each slot has a result of its "
        "own",
        "result-ticks": "lower half of the instant at which the newest result, or the FIFO's "
        "oldest, was ready",
        "queued": "results in the FIFO",
        "passes": "results so far, modulo 2^32",
        "window-on": "a threshold is armed",
        "window-channel": "whose results it judges",
        "window-low": "lower limit, in codes",
        "window-high": "upper limit, in codes",
        "window-target": "what is taken away first, in codes",
        "window-judges": "raw, or filtered for what the low-pass gives",
        "window-condition": "outside, inside, above or below",
        "window-hysteresis": "in codes",
        "window-times": "results in a row",
        "window-every": "an event for each result and not only for crossings",
        "window-stops": "an event stops the converter",
        "window-tells": "its interrupt is enabled",
        "window-once": "it is not armed again after an event",
        "window-seen": "an event of this threshold waits; written 1 it is taken",
        "window-entered": "the condition began to hold, else it ended",
        "window-value": "result that made the event",
        "window-ticks-low": "lower half of the instant of the event",
        "window-ticks-high": "upper half of it",
    },
    "timer": {
        "prescaler": "clocks of a count",
        "period": "counts of a period",
        "compare": "counts of a pulse",
        "run": "it counts",
        "pulse": "the pulse is put on its pin",
        "preload": "a new pulse waits for the next period",
        "whole": "and until DMA has written all pieces of it",
        "loads": "what loads its second registers: direct for none, period, dma or software",
        "load": "software loads them now",
        "starts-with": "the converter with whose first trigger it begins, or none",
    },
    "dma": {
        "on": "it is enabled",
        "request": "what starts a transfer: a converter, a timer, or a UART with “room” or "
        "“received”",
        "from": "address that it reads",
        "to": "address that it writes",
        "count": "samples of a run",
        "place": "samples done in this run; may be set before it is enabled",
        "left": "samples that are left of this run, where it counts down",
        "repeat": "it begins again when a run is done",
        "from-width": "bits of what it reads",
        "to-width": "bits of what it writes",
        "from-step": "the address that it reads goes up",
        "to-step": "the address that it writes goes up",
        "pieces": "transfers for one request",
        "high-first": "of several pieces the upper comes first",
        "half": "an interrupt comes at the half-full event",
        "full": "an interrupt comes at the full event",
        "half-seen": "the half-full event was passed; written 1 it is taken",
        "full-seen": "the full event was passed; written 1 it is taken",
    },
    "dac": {
        "on": "it is enabled",
        "buffer": "through the output buffer",
        "reference": "what full scale is measured against, by the reference's name",
        "twice": "a second data register: the trigger moves a code to the output",
        "trigger": "none, or the name of a timer or converter",
        "data": "code",
    },
    "uart": {
        "on": "it is enabled",
        "divider": "of its bit clock",
        "data-bits": "7, 8 or 9",
        "parity": "none, even or odd",
        "stop-bits": "1 or 2",
        "sent": "byte to be sent",
        "received": "byte that came; reading it takes it",
        "room": "another byte can be given",
        "arrived": "a byte waits",
        "tells": "its interrupt comes as long as a byte waits",
        "overrun": "a byte came before the last was taken, and took its place; written 1 it is taken",
        "parity-fault": "a byte had a wrong parity bit; written 1 it is taken",
        "framing-fault": "a byte had no stop bit; written 1 it is taken",
    },
    "port": {
        "outputs": "pins that it drives, a bit each",
        "output": "their levels",
        "set": "written 1 a pin goes high",
        "clear": "written 1 a pin goes low",
        "toggle": "written 1 a pin changes",
        "input": "levels as they are on the pins",
    },
    "comparator": {
        "on": "it is enabled",
        "input": "pin that it looks at",
        "against": "internal, dac or pin",
        "threshold-pin": "pin that it compares with",
        "step": "of its internal threshold",
        "hysteresis": "in millivolts",
        "edge": "rising, falling or both",
        "tells": "its interrupt is enabled",
        "tells-rising": "rising edges interrupt, where each edge has a bit of its own",
        "tells-falling": "falling edges interrupt",
        "seen": "an edge waits; written 1 it is taken",
        "rose": "a rising edge waits, where each edge has a flag of its own; written 1 it is taken",
        "fell": "a falling edge waits; written 1 it is taken",
        "high": "its output was high after that edge",
        "ticks-low": "lower half of the instant of that edge",
        "ticks-high": "upper half of it",
    },
}
"""Settings by kind of block, each with what it says; what a field can mean."""


CountedBy = Literal["", "slot", "channel", "group", "window"]


class RegisterField(StrictModel):
    """Some bits of a register and the setting that they hold.

    ``start``: writing 1 starts something. ``clear``: writing 1 takes a flag away. Where several fields
    hold one setting, ``of`` says what they are counted by, and ``number`` which of them it is, from 0.
    """

    name: CName
    low: Annotated[int, Meta(ge=0, le=31)] = 0
    width: Annotated[int, Meta(ge=1, le=32)] = 1
    sets: str
    coded: Coding = "flag"
    table: dict[str, Annotated[int, Meta(ge=0, lt=1 << 32)]] = msgspec.field(default_factory=dict)
    access: Access = "read-write"
    of: CountedBy = ""
    number: Annotated[int, Meta(ge=0, le=255)] = 0

    def __post_init__(self) -> None:
        if self.number and not self.of:
            raise ValueError(f"field {self.name}: say what its number counts in “of”.")
        if (self.coded == "table") != bool(self.table):
            raise ValueError(
                f"field {self.name}: a table goes with coded = “table”, and with nothing else."
            )
        if self.coded == "flag" and self.width != 1:
            raise ValueError(f"field {self.name}: a flag has one bit. Say how it is coded.")
        for value, code in self.table.items():
            if code >= 1 << self.width:
                raise ValueError(
                    f"field {self.name}: code {code} of “{value}” does not fit into {self.width} "
                    "bits."
                )
        check_distinct(tuple(self.table.values()), f"field {self.name}: code")

    @property
    def mask(self) -> int:
        """Its bits in the register."""
        return ((1 << self.width) - 1) << self.low

    @property
    def bits_text(self) -> str:
        """Its bits as people write them, highest first."""
        return str(self.low) if self.width == 1 else f"{self.low + self.width - 1}:{self.low}"


class Register(StrictModel):
    """A register, or ``count`` alike every ``step`` bytes; ``of`` says what they are counted by."""

    name: CName
    offset: Address
    width: Literal[8, 16, 32] = 32
    reset: Address = 0
    count: Annotated[int, Meta(ge=1, le=256)] = 1
    step: Annotated[int, Meta(ge=1, le=1024)] = 4
    of: CountedBy = ""
    title: Annotated[str, Meta(max_length=120)] = ""
    fields: tuple[RegisterField, ...] = ()

    def __post_init__(self) -> None:
        check_distinct(tuple(field.name for field in self.fields), f"register {self.name}: field")
        taken = 0
        for field in self.fields:
            if field.low + field.width > self.width:
                raise ValueError(
                    f"register {self.name}: field {field.name} lies beyond its {self.width} bits."
                )
            if taken & field.mask:
                raise ValueError(
                    f"register {self.name}: field {field.name} overlaps another. Move it."
                )
            taken |= field.mask
        if (self.count > 1) != bool(self.of):
            raise ValueError(
                f"register {self.name}: say what its {self.count} are counted by in “of”."
            )
        if self.count > 1 and self.step < self.width // 8:
            raise ValueError(
                f"register {self.name}: a step of {self.step} bytes lets them overlap."
            )
        if self.reset >= 1 << self.width:
            raise ValueError(f"register {self.name}: its reset value does not fit.")

    def at(self, base: int, index: int = 0) -> int:
        """Address of one of them."""
        return base + self.offset + index * self.step


class Block(StrictModel):
    """Registers of one kind of peripheral; ``owners`` have a base address each, and an interrupt
    line or -1."""

    name: CName
    kind: BlockKind
    owners: Annotated[tuple[Name, ...], Meta(min_length=1)]
    bases: tuple[Address, ...]
    lines: tuple[Annotated[int, Meta(ge=-1, le=239)], ...] = ()
    registers: Annotated[tuple[Register, ...], Meta(min_length=1, max_length=400)]

    def __post_init__(self) -> None:
        if len(self.bases) != len(self.owners):
            raise ValueError(f"block {self.name}: {len(self.owners)} owners need as many bases.")
        if self.lines and len(self.lines) != len(self.owners):
            raise ValueError(f"block {self.name}: {len(self.owners)} owners need as many lines.")
        check_distinct(tuple(item.name for item in self.registers), f"block {self.name}: register")
        known = SETTINGS[self.kind]
        seen: dict[str, list[tuple[CountedBy, int]]] = {}
        taken: dict[int, str] = {}
        for register in self.registers:
            for number in range(register.count):
                for byte in range(register.width // 8):
                    other = taken.setdefault(register.at(0, number) + byte, register.name)
                    if other != register.name:
                        raise ValueError(
                            f"block {self.name}: {register.name} lies over {other}. Move one of "
                            "them."
                        )
            for field in register.fields:
                if field.sets not in known:
                    raise ValueError(
                        f"block {self.name}: “{field.sets}” is no setting of a {self.kind}. "
                        f"Choose one of {', '.join(known)}."
                    )
                if field.of and register.of:
                    raise ValueError(
                        f"block {self.name}: {register.name} is counted already; its fields are not."
                    )
                others = seen.setdefault(field.sets, [])
                counted = {of for of, _number in others} | {field.of}
                if others and (
                    counted != {field.of} or not field.of or (field.of, field.number) in others
                ):
                    raise ValueError(
                        f"block {self.name}: two fields hold “{field.sets}”. Remove one, or say what they "
                        "are counted by in “of” and “number”."
                    )
                others.append((field.of, field.number))

    @property
    def size_bytes(self) -> int:
        """From its base to the end of its last register."""
        return max(
            register.at(0, register.count - 1) + register.width // 8 for register in self.registers
        )

    def line(self, owner: str) -> int | None:
        """Interrupt line of an owner."""
        line = self.lines[self.owners.index(owner)] if self.lines else -1
        return line if line >= 0 else None


class MemoryMap(StrictModel):
    """Where code and data lie, and how much of either there is."""

    code_begin: Address
    code_bytes: Annotated[int, Meta(ge=256, le=1 << 28)]
    data_begin: Address
    data_bytes: Annotated[int, Meta(ge=256, le=1 << 28)]

    def has_data(self, address: int, count: int = 1) -> bool:
        """Whether so many bytes from an address on are data memory."""
        return self.data_begin <= address and address + count <= self.data_begin + self.data_bytes

    def has_code(self, address: int, count: int = 1) -> bool:
        """Whether so many bytes from an address on are code memory."""
        return self.code_begin <= address and address + count <= self.code_begin + self.code_bytes


def check_blocks(blocks: tuple[Block, ...]) -> None:
    """Raise ``ValueError`` where blocks overlap, or a peripheral has two."""
    check_distinct(tuple(block.name for block in blocks), "block")
    check_distinct(tuple(owner for block in blocks for owner in block.owners), "registers of")
    spans = sorted(
        (base, base + block.size_bytes, owner)
        for block in blocks
        for owner, base in zip(block.owners, block.bases, strict=True)
    )
    for (_begin, end, owner), (begin, _end, other) in itertools.pairwise(spans):
        if begin < end:
            raise ValueError(
                f"the registers of {other} at {begin:#x} lie within those of {owner}. Move them."
            )
    check_distinct(
        tuple(line for block in blocks for line in block.lines if line >= 0), "interrupt line"
    )
