"""Register writes, in their order, as settings: what the silicon would really do."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from wattigram.core.silicon.registers.encode import LINES_ENABLE, Shadow
from wattigram.core.silicon.registers.register_map import (
    RegisterAt,
    RegisterMap,
    Value,
    field_meaning,
)

LINES_DISABLE = 0xE000E180
"""Clear-enable registers of the core's interrupt controller (Armv7-M, B3.4)."""
MOST_LINES = 240


class SiliconState(msgspec.Struct):
    """What peripherals are set to after some writes.

    Attributes
    ----------
    shadow : what stands in each register
    first : dict of (owner, setting) → int
        Number of the write that first enabled something: "on", "run", "start", "window-on"; "line"
        for an interrupt.
    calibrated : set of owners
        Converters that were calibrated while they could be.
    touched : dict of owner → int
        Number of the first write to any of its registers.
    notes : list of str
        Writes that mean nothing, or that the silicon takes for something else than they seem.
    """

    registers: RegisterMap
    shadow: Shadow
    first: dict[tuple[str, str], int] = msgspec.field(default_factory=dict)
    calibrations: dict[str, int] = msgspec.field(default_factory=dict)
    calibrated: set[str] = msgspec.field(default_factory=set)
    touched: dict[str, int] = msgspec.field(default_factory=dict)
    lines: set[int] = msgspec.field(default_factory=set)
    notes: list[str] = msgspec.field(default_factory=list)
    writes: int = 0

    @classmethod
    def after_reset(cls, registers: RegisterMap) -> SiliconState:
        """Every field as it stands before the first write."""
        return cls(registers, Shadow(registers))

    def copy(self) -> SiliconState:
        """The same state, to go on from by itself."""
        return SiliconState(
            self.registers,
            self.shadow.copy(),
            dict(self.first),
            dict(self.calibrations),
            set(self.calibrated),
            dict(self.touched),
            set(self.lines),
            list(self.notes),
            self.writes,
        )

    def has(self, owner: str, name: str) -> bool:
        """Whether the part has a field for a setting."""
        return self.registers.has(owner, name)

    def code(self, owner: str, name: str, index: int = 0) -> int:
        """What stands in a field."""
        place = self.registers.find(owner, name, index)
        register = self.registers.at(place.address)
        assert register is not None
        return (self.shadow.value(register) & place.field.mask) >> place.field.low

    def value(self, owner: str, name: str, default: Value, index: int = 0) -> Value:
        """What a peripheral is set to; ``default`` where the part has no field for it, or its code
        means nothing."""
        if not self.has(owner, name):
            return default
        place = self.registers.find(owner, name, index)
        code = self.code(owner, name, index)
        meaning = field_meaning(self.registers.part, place.field, code)
        if meaning is None:
            note = f"{owner}, {place.register.name}.{place.field.name}: code {code} means nothing."
            if note not in self.notes:
                self.notes.append(note)
            return default
        return meaning

    def number(self, owner: str, name: str, default: int, index: int = 0) -> int:
        """A setting that is a number, also where a table lists them by name."""
        meaning = self.value(owner, name, default, index)
        return int(meaning) if isinstance(meaning, (int, str)) else default

    def clocks(self, owner: str, name: str, default: float, index: int = 0) -> float:
        """A number of clocks, which may be no whole one where a table lists them by name."""
        meaning = self.value(owner, name, "", index)
        value = float(meaning) if isinstance(meaning, (int, str)) and meaning != "" else default
        return int(value) if value == int(value) else value

    def text(self, owner: str, name: str, default: str, index: int = 0) -> str:
        """A setting that is a name."""
        return str(self.value(owner, name, default, index))

    def count_clocks(self, timer: str) -> int:
        """Bus clocks of a timer's count."""
        group = self.registers.part.timer(timer)
        divider = group.clock_divider if group is not None else 1
        return self.number(timer, "prescaler", 1) * divider

    def flag(self, owner: str, name: str, default: bool, index: int = 0) -> bool:
        """A setting that is on or off."""
        return bool(self.value(owner, name, default, index))

    def write(self, address: int, width: int, value: int) -> RegisterAt | None:
        """Take one write of ``width`` bits; gives the register that it went to."""
        number = self.writes
        self.writes += 1
        if LINES_ENABLE <= address < LINES_ENABLE + MOST_LINES // 8:
            self._enable_lines(address - LINES_ENABLE, value, number)
            return None
        if LINES_DISABLE <= address < LINES_DISABLE + MOST_LINES // 8:
            base = (address - LINES_DISABLE) * 8
            self.lines -= {base + bit for bit in range(32) if value >> bit & 1}
            return None
        register = self.registers.at(address)
        if register is None:
            self.notes.append(
                f"A write of {value:#x} to {address:#010x}, where there is no register."
            )
            return None
        self.touched.setdefault(register.owner, number)
        shift = 8 * (address - register.address)
        before = self.shadow.value(register)
        mask = ((1 << width) - 1) << shift
        whole = before & ~mask | value << shift & mask
        if (value << shift) >> register.register.width:
            self.notes.append(
                f"{register.owner}, {register.name}: {value:#x} does not fit into its {register.register.width} bits."
            )
        whole &= (1 << register.register.width) - 1
        self._note_beginnings(register, before, whole, number)
        self.shadow.write(register, whole)
        return register

    def _enable_lines(self, offset: int, value: int, number: int) -> None:
        for bit in range(32):
            if value >> bit & 1:
                line = offset * 8 + bit
                self.lines.add(line)
                owner = self.registers.owner_of_line(line)
                if owner is None:
                    self.notes.append(f"Interrupt line {line} is enabled, and nothing raises it.")
                else:
                    self.first.setdefault((owner, "line"), number)

    def _note_beginnings(self, register: RegisterAt, before: int, after: int, number: int) -> None:
        for bit_field in register.register.fields:
            was, now = before & bit_field.mask, after & bit_field.mask
            if not now or (was and bit_field.access != "start"):
                continue
            if bit_field.sets in {"on", "run", "start", "window-on"}:
                self.first.setdefault((register.owner, bit_field.sets), number)
            elif bit_field.sets == "calibrate":
                self.calibrations.setdefault(register.owner, number)
                if (register.owner, "on") not in self.first:
                    self.calibrated.add(register.owner)

    def is_on(self, owner: str, name: str = "on") -> bool:
        """Whether it is enabled now; what has no such field always is."""
        return self.flag(owner, name, True) if self.has(owner, name) else True


def decode_writes(registers: RegisterMap, writes: Iterable[tuple[int, int, int]]) -> SiliconState:
    """Settings after writes of (address, width in bits, value), in their order."""
    state = SiliconState.after_reset(registers)
    for address, width, value in writes:
        state.write(address, width, value)
    return state
