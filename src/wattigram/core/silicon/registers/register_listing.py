"""Registers as a design leaves them, bit by bit: which setting made each field, in which step, and
what has changed."""

from __future__ import annotations

from difflib import SequenceMatcher

import msgspec

from wattigram.core.model.part import RegisterField
from wattigram.core.silicon.registers.encode import FieldWrite, Shadow, Write
from wattigram.core.silicon.registers.register_map import RegisterAt, RegisterMap


class SheetField(msgspec.Struct, frozen=True):
    """One field: its code at the end, and the writes that it comes from; ``writes`` number those of
    the design."""

    field: RegisterField
    code: int
    last: FieldWrite | None
    writes: tuple[int, ...]

    @property
    def is_command(self) -> bool:
        """It was given to the peripheral and does not stay: the register's value has it no more."""
        return self.field.access == "start" and self.last is not None


class SheetRow(msgspec.Struct, frozen=True):
    """One register: its value when all is set up; ``symbol`` names what the linker places there."""

    at: RegisterAt
    value: int
    symbol: str
    fields: tuple[SheetField, ...]
    writes: tuple[int, ...]

    @property
    def hex_text(self) -> str:
        """Its value as people copy it."""
        return f"0x{self.value:0{self.at.register.width // 4}x}"


def register_sheet(registers: RegisterMap, writes: tuple[Write, ...]) -> tuple[SheetRow, ...]:
    """Every register that is written, in the order in which it first is; commands show what was
    last given."""
    shadow = Shadow(registers)
    order: dict[int, RegisterAt] = {}
    by_register: dict[int, list[int]] = {}
    by_field: dict[tuple[int, str], list[int]] = {}
    last: dict[tuple[int, str], FieldWrite] = {}
    symbols: dict[int, str] = {}
    for number, write in enumerate(writes):
        if write.at is None:
            continue
        address = write.at.address
        order.setdefault(address, write.at)
        by_register.setdefault(address, []).append(number)
        shadow.write(write.at, write.value)
        if write.symbol is not None:
            symbols[address] = str(write.symbol)
        for bit_field in write.fields:
            key = address, bit_field.place.field.name
            by_field.setdefault(key, []).append(number)
            last[key] = bit_field
    rows = []
    for address, register in order.items():
        value = shadow.value(register)
        fields = []
        for field in sorted(register.register.fields, key=lambda bit_field: -bit_field.low):
            key = address, field.name
            code = (value & field.mask) >> field.low
            if field.access == "start" and key in last:
                code = last[key].code
            fields.append(SheetField(field, code, last.get(key), tuple(by_field.get(key, ()))))
        rows.append(
            SheetRow(
                register,
                value,
                symbols.get(address, ""),
                tuple(fields),
                tuple(by_register[address]),
            )
        )
    return tuple(rows)


def write_lines(writes: tuple[Write, ...]) -> tuple[str, ...]:
    """Writes as lines of hexadecimal numbers with their registers, for the clipboard and to
    compare."""
    lines = []
    for write in writes:
        if write.at is None:
            lines.append(
                f"0x{write.address:08x} = 0x{write.value:08x}  interrupt line {write.line}"
            )
            continue
        value = (
            str(write.symbol)
            if write.symbol is not None
            else f"0x{write.value:0{write.at.register.width // 4}x}"
        )
        lines.append(f"0x{write.address:08x} = {value}  {write.at.owner} {write.at.name}")
    return tuple(lines)


def line_changes(before: tuple[str, ...], now: tuple[str, ...]) -> tuple[tuple[str, str], ...]:
    """Lines that went ("−"), came ("+") or stayed (" "), in order."""
    changes: list[tuple[str, str]] = []
    for tag, a0, a1, b0, b1 in SequenceMatcher(None, before, now, autojunk=False).get_opcodes():
        if tag == "equal":
            changes += [(" ", line) for line in now[b0:b1]]
            continue
        changes += [("−", line) for line in before[a0:a1]]
        changes += [("+", line) for line in now[b0:b1]]
    return tuple(changes)
