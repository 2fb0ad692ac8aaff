"""Registers of a part by what they hold and by where they lie, and settings as fields of them."""

from __future__ import annotations

import re
from functools import cached_property

import msgspec

from wattigram.core.base.errors import RegisterError
from wattigram.core.model.part import Block, Converter, Part, Register, RegisterField


class Symbol(msgspec.Struct, frozen=True):
    """The address of something that the linker places: a loop or a table."""

    kind: str
    name: str

    def __str__(self) -> str:
        return f"{self.kind} “{self.name}”"


Value = int | str | bool | frozenset[int] | Symbol
"""What a setting is: a number, a name, yes or no, a set of channels, or the address of a symbol."""


class Setting(msgspec.Struct, frozen=True):
    """One thing that a peripheral is set to; ``index`` counts slots, channels or windows."""

    owner: str
    name: str
    value: Value
    index: int = 0


class FieldPlace(msgspec.Struct, frozen=True):
    """One field of one register of one peripheral."""

    owner: str
    block: Block
    register: Register
    field: RegisterField
    address: int

    @property
    def field_address(self) -> int:
        """Address of the byte in which the field begins, as DMA would write it."""
        return self.address + self.field.low // 8


class RegisterAt(msgspec.Struct, frozen=True):
    """One register of one peripheral, ``index`` among those alike."""

    owner: str
    block: Block
    register: Register
    index: int
    address: int

    @property
    def name(self) -> str:
        """As people and C call it within its peripheral."""
        return (
            f"{self.register.name}_{self.index}" if self.register.count > 1 else self.register.name
        )


def c_name(text: str) -> str:
    """A name as C has it, in capitals."""
    return re.sub(r"[^A-Z0-9]+", "_", text.upper()).strip("_") or "X"


class RegisterMap(msgspec.Struct, frozen=True, dict=True):
    """Finds registers of a part."""

    part: Part
    _places: dict[tuple[str, str], list[tuple[Block, int, Register, RegisterField]]] = (
        msgspec.field(default_factory=dict)
    )
    """Fields that hold a setting: one, which its register may repeat, or several that are counted."""

    def __post_init__(self) -> None:
        for block in self.part.blocks:
            for owner, base in zip(block.owners, block.bases, strict=True):
                for register in block.registers:
                    for bit_field in register.fields:
                        self._places.setdefault((owner, bit_field.sets), []).append(
                            (block, base, register, bit_field)
                        )

    def has(self, owner: str, name: str) -> bool:
        """Whether a peripheral has a field for a setting."""
        return (owner, name) in self._places

    def find(self, owner: str, name: str, index: int = 0) -> FieldPlace:
        """Where a setting lies.

        Raises
        ------
        RegisterError
            When the part has no field for it, or not so many.
        """
        places = self._places.get((owner, name))
        if places is None:
            raise RegisterError(
                f"{self.part.name} has no field for “{name}” of {owner}.",
                cure="Add one to the part's registers, or do without it.",
            )
        if places[0][3].of:
            for block, base, register, bit_field in places:
                if bit_field.number == index:
                    return FieldPlace(owner, block, register, bit_field, register.at(base))
            raise RegisterError(
                f"{owner}: no field for “{name}” of {places[0][3].of} {index}.",
                cure="Add it to the part's registers.",
            )
        block, base, register, bit_field = places[0]
        if index and not index < register.count:
            raise RegisterError(
                f"{owner}: {register.name} is there {register.count} times, {index + 1} are wanted."
            )
        return FieldPlace(owner, block, register, bit_field, register.at(base, index))

    def counted_by(self, owner: str, name: str) -> str:
        """What a setting's registers, or fields, are counted by: "slot", "channel", "group" of channels that are
        sampled alike, "window", or "" for one alone."""
        places = self._places.get((owner, name))
        return places[0][3].of or places[0][2].of if places is not None else ""

    @cached_property
    def registers(self) -> tuple[RegisterAt, ...]:
        """All of them, by address."""
        listed = [
            RegisterAt(owner, block, register, index, register.at(base, index))
            for block in self.part.blocks
            for owner, base in zip(block.owners, block.bases, strict=True)
            for register in block.registers
            for index in range(register.count)
        ]
        return tuple(sorted(listed, key=lambda one: one.address))

    @cached_property
    def _by_byte(self) -> dict[int, RegisterAt]:
        return {
            register.address + byte: register
            for register in self.registers
            for byte in range(register.register.width // 8)
        }

    def at(self, address: int) -> RegisterAt | None:
        """The register that has a byte at an address."""
        return self._by_byte.get(address)

    @cached_property
    def system(self) -> str:
        """The peripheral with ticks, alarm and debug channel."""
        return next(
            (block.owners[0] for block in self.part.blocks if block.kind == "system"), "System"
        )

    def line(self, owner: str) -> int | None:
        """Interrupt line of a peripheral."""
        block = next((block for block in self.part.blocks if owner in block.owners), None)
        return block.line(owner) if block is not None else None

    def owner_of_line(self, line: int) -> str | None:
        """The peripheral that raises an interrupt line."""
        for block in self.part.blocks:
            for owner in block.owners:
                if block.line(owner) == line:
                    return owner
        return None


_maps: dict[int, RegisterMap] = {}
MOST_MAPS = 8


def register_map(part: Part) -> RegisterMap:
    """The map of a part; the same object each time for the same part, since it is looked into at
    every edit."""
    kept = _maps.get(id(part))
    if kept is None or kept.part is not part:
        if len(_maps) >= MOST_MAPS:
            _maps.clear()
        kept = _maps[id(part)] = RegisterMap(part)
    return kept


def sampling_index(converter: Converter, by: str, place: int, channel: int) -> int:
    """Which of its registers holds the sampling time of a slot, by what they are counted by."""
    match by:
        case "slot":
            return place
        case "channel":
            return channel
        case "group":
            return next(
                number for number, group in enumerate(converter.sampling_groups) if channel in group
            )
        case _:
            return 0


def field_value(part: Part, place: FieldPlace, value: Value) -> int:
    """The code that stands for a value in its field.

    Raises
    ------
    RegisterError
        When the field cannot hold it.
    """
    one = place.field
    where = f"{place.owner}, {place.register.name}.{one.name}"
    code: int | None
    match one.coded:
        case "flag":
            code = int(bool(value))
        case "table":
            code = one.table.get(str(value))
            if code is None:
                raise RegisterError(f"{where}: “{value}” is not among {', '.join(one.table)}.")
        case "minus-one":
            code = _number(value, where) - 1
        case "shift":
            number = _number(value, where)
            if number < 1 or number & (number - 1):
                raise RegisterError(f"{where}: {number} is no power of two.")
            code = number.bit_length() - 1
        case "mask":
            if not isinstance(value, frozenset):
                raise RegisterError(f"{where}: {value} is no set of channels.")
            code = sum(1 << number for number in value)
        case "pin":
            if value not in part.pins:
                raise RegisterError(f"{where}: {part.name} has no pin {value}.")
            code = part.pins.index(str(value))
        case "signed":
            number, half = _number(value, where), 1 << (one.width - 1)
            if not -half <= number < half:
                raise RegisterError(
                    f"{where}: {number} does not fit into {one.width} bits with a sign."
                )
            code = number & ((1 << one.width) - 1)
        case "value" | "pointer":
            code = _number(value, where)
    if not 0 <= code < 1 << one.width:
        raise RegisterError(f"{where}: {value} does not fit into {one.width} bits.")
    return code


def _number(value: Value, where: str) -> int:
    if not isinstance(value, int):
        raise RegisterError(f"{where}: {value} is no number.")
    return int(value)


def field_meaning(part: Part, place: RegisterField, code: int) -> Value | None:
    """The value that a field's code stands for; None for a code that stands for nothing."""
    match place.coded:
        case "flag":
            return bool(code)
        case "table":
            return next((value for value, known in place.table.items() if known == code), None)
        case "minus-one":
            return code + 1
        case "shift":
            return 1 << code
        case "mask":
            return frozenset(number for number in range(place.width) if code >> number & 1)
        case "pin":
            return part.pins[code] if code < len(part.pins) else None
        case "signed":
            return code - (1 << place.width) if code >> (place.width - 1) else code
        case "value" | "pointer":
            return code
