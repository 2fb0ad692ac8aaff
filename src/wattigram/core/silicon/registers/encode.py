"""Settings as register writes."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import msgspec

from wattigram.core.base.errors import RegisterError
from wattigram.core.silicon.registers.register_map import (
    FieldPlace,
    RegisterAt,
    RegisterMap,
    Setting,
    Symbol,
    field_value,
)
from wattigram.core.silicon.registers.setup_step import LINE, SetupStep

LINES_ENABLE = 0xE000E100
"""Set-enable registers of the core's interrupt controller, 32 lines each (Armv7-M, B3.4)."""


class FieldWrite(msgspec.Struct, frozen=True):
    """What a write puts into one field, and the setting that it comes from."""

    place: FieldPlace
    code: int
    setting: Setting


class Write(msgspec.Struct, frozen=True):
    """One write to a register.

    Attributes
    ----------
    value : int
        Of the whole register, fields that were written earlier included. Where ``symbol`` is not
        None the linker
        knows the address that stands there, and ``value`` has 0 in its place.
    fields : tuple of FieldWrite
        Those that this write is for.
    line : int or None
        The interrupt line that it enables, where the core's own controller is written.
    """

    address: int
    value: int
    step: SetupStep
    at: RegisterAt | None = None
    fields: tuple[FieldWrite, ...] = ()
    symbol: Symbol | None = None
    line: int | None = None


class Shadow:
    """What registers hold: reset values, then what has been written."""

    def __init__(self, registers: RegisterMap) -> None:
        self._registers = registers
        self._values: dict[int, int] = {}

    def copy(self) -> Shadow:
        """The same values, to go on from by themselves."""
        shadow = Shadow(self._registers)
        shadow._values.update(self._values)
        return shadow

    def value(self, register: RegisterAt) -> int:
        """What a register holds."""
        return self._values.get(register.address, register.register.reset)

    def write(self, register: RegisterAt, value: int) -> None:
        """Keep what stays in a register after a write: commands and flags do not."""
        kept = value
        for field in register.register.fields:
            if field.access != "read-write":
                kept &= ~field.mask
        self._values[register.address] = kept


def setup_writes(registers: RegisterMap, steps: Iterable[SetupStep]) -> tuple[Write, ...]:
    """The ordered list of writes that settings come to, one for each register of a step.

    Raises
    ------
    RegisterError
        When a field cannot hold its value, or a peripheral has no interrupt line.
    """
    shadow = Shadow(registers)
    writes: list[Write] = []
    for step in steps:
        writes += _step_writes(registers, shadow, step)
    return tuple(writes)


def _step_writes(registers: RegisterMap, shadow: Shadow, step: SetupStep) -> list[Write]:
    grouped: dict[int, list[tuple[FieldPlace, Setting]]] = {}
    made: list[Write] = []
    for setting in step.settings:
        if setting.name == LINE:
            made.append(_line_write(registers, step, setting))
        else:
            place = registers.find(setting.owner, setting.name, setting.index)
            grouped.setdefault(place.address, []).append((place, setting))
    writes = []
    for address, entries in grouped.items():
        register = registers.at(address)
        assert register is not None
        value, symbol, fields = shadow.value(register), None, []
        for place, setting in entries:
            code = 0
            if isinstance(setting.value, Symbol):
                symbol = setting.value
            else:
                code = field_value(registers.part, place, setting.value)
            value = value & ~place.field.mask | code << place.field.low
            fields.append(FieldWrite(place, code, setting))
        shadow.write(register, value)
        writes.append(Write(address, value, step, register, tuple(fields), symbol))
    return writes + made


def _line_write(registers: RegisterMap, step: SetupStep, setting: Setting) -> Write:
    line = registers.line(setting.owner)
    if line is None:
        raise RegisterError(
            f"{setting.owner} has no interrupt line on {registers.part.name}.",
            cure="Fetch its results by polling or DMA, or add the line to the part.",
        )
    return Write(LINES_ENABLE + 4 * (line // 32), 1 << line % 32, step, line=line)


def placed(
    writes: Iterable[Write], address_of: Callable[[Symbol], int]
) -> list[tuple[int, int, int]]:
    """Writes as a processor makes them: address, width in bits, value; with the addresses of
    symbols."""
    places: list[tuple[int, int, int]] = []
    for write in writes:
        value = write.value if write.symbol is None else address_of(write.symbol)
        places.append((write.address, 32 if write.at is None else write.at.register.width, value))
    return places
