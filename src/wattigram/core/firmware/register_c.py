"""Registers and writes as C expressions."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from wattigram.core.base.errors import FirmwareError
from wattigram.core.model.part import Register, RegisterField
from wattigram.core.silicon.registers import (
    RegisterAt,
    RegisterMap,
    Symbol,
    Write,
    c_name,
    field_value,
)


def c_register(register: RegisterAt) -> str:
    """A register, as the registers' header names it."""
    name = f"{c_name(register.owner)}_{register.register.name}"
    return f"{name}({register.index}u)" if register.register.count > 1 else name


def c_field(block: str, register: Register, field: RegisterField) -> str:
    """A field, as the registers' header names it."""
    return f"{block}_{register.name}_{field.name}"


def field_term(block: str, register: Register, field: RegisterField, code: int) -> str:
    """A code in its field, as a macro; the code is not 0, or the field is an address."""
    name = c_field(block, register, field)
    match field.coded:
        case "flag":
            return name
        case "table":
            meaning = next((value for value, known in field.table.items() if known == code), None)
            return f"{name}_{c_name(meaning)}" if meaning is not None else f"{name}({code}u)"
        case "minus-one":
            return f"{name}({code + 1}u - 1u)"
        case "mask" | "signed":
            return f"{name}({code:#x}u)"
        case _:
            return f"{name}({code}u)"


class WriteC(msgspec.Struct, frozen=True):
    """A write as C: left and right side."""

    target: str
    value: str


def write_c(registers: RegisterMap, write: Write, symbol_c: Callable[[Symbol], str]) -> WriteC:
    """The C of one write of the set-up."""
    if write.at is None:
        number = write.line or 0
        return WriteC(f"WG_LINES_ENABLE({number // 32}u)", f"1u << {number % 32}")
    register = write.at
    terms: list[str] = []
    for field in register.register.fields:
        code = (write.value & field.mask) >> field.low
        if field.coded == "pointer":
            terms.append(address_c(registers, code, write.symbol, symbol_c))
        elif code:
            terms.append(field_term(register.block.name, register.register, field, code))
    value = " | ".join(terms) or "0u"
    if register.register.width < 32:
        value = f"(uint{register.register.width}_t)({value})"
    return WriteC(c_register(register), value)


def address_c(
    registers: RegisterMap, address: int, symbol: Symbol | None, symbol_c: Callable[[Symbol], str]
) -> str:
    """An address as C: of something in memory, or of a register."""
    if symbol is not None:
        return f"(uint32_t)(uintptr_t){symbol_c(symbol)}"
    register = registers.at(address)
    if register is None:
        return f"{address:#x}u"
    offset = address - register.address
    text = f"(uint32_t)(uintptr_t)&{c_register(register)}"
    return f"{text} + {offset}u" if offset else text


def read_c(registers: RegisterMap, owner: str, name: str, index: int = 0) -> str:
    """C that reads a field, moved down to its lowest bit; raises :class:`FirmwareError` where there
    is none."""
    register, field = _found(registers, owner, name, index)
    text = c_register(register)
    if register.register.width < 32:
        text = f"(uint32_t){text}"
    if field.width == register.register.width:
        return text
    macro = c_field(register.block.name, register.register, field)
    bits = macro if field.coded == "flag" else f"{macro}_BITS"
    return f"(({text} & {bits}) >> {field.low})" if field.low else f"({text} & {bits})"


def flag_c(registers: RegisterMap, owner: str, name: str, index: int = 0) -> tuple[str, str]:
    """A register and the macro of one of its flags."""
    register, field = _found(registers, owner, name, index)
    return c_register(register), c_field(register.block.name, register.register, field)


def set_flag_c(
    registers: RegisterMap, owner: str, name: str, index: int = 0, on: bool = True
) -> str:
    """A statement that sets or clears one flag and leaves what is beside it; a flag alone is simply
    written."""
    register, field = _found(registers, owner, name, index)
    target, macro = c_register(register), c_field(register.block.name, register.register, field)
    cast = f"(uint{register.register.width}_t)" if register.register.width < 32 else ""
    if field.access == "clear" or len(register.register.fields) == 1:
        return f"{target} = {f'{cast}{macro}' if on else '0u'};"
    # Commands and flags that a write could set off again are left out of what is written back.
    others = [
        c_field(register.block.name, register.register, bit_field)
        for bit_field in register.register.fields
        if bit_field.access in {"start", "clear"} and bit_field is not field
    ]
    kept = f"{target} & ~({' | '.join([macro, *others])})" if others or not on else target
    value = f"({kept}) | {macro}" if on else kept
    return f"{target} = {f'{cast}({value})' if cast else value};"


def field_value_c(registers: RegisterMap, owner: str, name: str, value: str) -> str:
    """A statement that puts a number, as C, into a field and leaves what is beside it.

    Raises :class:`FirmwareError` where there is no such field, or it holds no number.
    """
    register, field = _found(registers, owner, name, 0)
    if field.coded not in {"value", "minus-one"}:
        raise FirmwareError(
            f"{registers.part.name}: “{name}” of {owner} is coded as {field.coded}, and the "
            "program must put a number there.",
            cure="Describe it as a value, or do without.",
        )
    target = c_register(register)
    macro = c_field(register.block.name, register.register, field)
    number = f"{value} - 1u" if field.coded == "minus-one" else value
    width = register.register.width
    cast = f"(uint{width}_t)" if width < 32 else ""
    if len(register.register.fields) == 1:
        return f"{target} = {cast}{macro}({number});"
    return f"{target} = {cast}(({target} & ~{macro}_BITS) | {macro}({number}));"


def field_code_c(
    registers: RegisterMap, owner: str, name: str, value: int | frozenset[int], index: int = 0
) -> str:
    """A statement that puts a value of the design into a field and leaves what is beside it.

    Raises :class:`FirmwareError` where there is no such field.
    """
    register, field = _found(registers, owner, name, index)
    code = field_value(registers.part, registers.find(owner, name, index), value)
    target = c_register(register)
    macro = c_field(register.block.name, register.register, field)
    put = field_term(register.block.name, register.register, field, code) if code else "0u"
    if len(register.register.fields) > 1:
        put = f"({target} & ~{macro}_BITS) | {put}"
    if register.register.width < 32:
        put = f"(uint{register.register.width}_t)({put})"
    return f"{target} = {put};"


def _found(
    registers: RegisterMap, owner: str, name: str, index: int
) -> tuple[RegisterAt, RegisterField]:
    if not registers.has(owner, name):
        raise FirmwareError(
            f"{registers.part.name}: the registers of {owner} have no “{name}”, which its "
            "firmware needs.",
            cure="Add it to the part file, or take the tables only.",
        )
    place = registers.find(owner, name, index)
    register = registers.at(place.address)
    assert register is not None
    return register, place.field
