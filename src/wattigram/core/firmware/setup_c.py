"""The set-up as C: each step with its writes, what each is for, and what must be waited for."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from wattigram.core.firmware.names import c_comment
from wattigram.core.firmware.register_c import flag_c, write_c
from wattigram.core.registers import RegisterMap, Symbol, Write


def setup_context(
    registers: RegisterMap, writes: Sequence[Write], symbol_c: Callable[[Symbol], str]
) -> list[dict[str, Any]]:
    """Steps for the template, in their order."""
    found: list[dict[str, Any]] = []
    last = None
    for write in writes:
        if write.step is not last:
            last = write.step
            title = write.step.title[:1].upper() + write.step.title[1:]
            found.append({"title": c_comment(title), "reason": c_comment(write.step.reason), "writes": []})
        text = write_c(registers, write, symbol_c)
        found[-1]["writes"].append(
            {"target": text.target, "value": text.value, "note": _note(write), "wait": _wait(registers, write)}
        )
    return found


def _wait(registers: RegisterMap, write: Write) -> str:
    """C of the flag that must be 0 again before the set-up goes on."""
    for one in write.fields:
        if one.setting.name == "calibrate":
            register, flag = flag_c(registers, one.setting.owner, "calibrate")
            return f"({register} & {flag})"
    return ""


def _note(write: Write) -> str:
    """The settings that a write is for, in words."""
    if write.line is not None:
        return f"interrupt line {write.line}"
    parts = []
    for one in write.fields:
        value = one.setting.value
        if isinstance(value, frozenset):
            value = " ".join(str(number) for number in sorted(value))
        elif isinstance(value, bool):
            value = "yes" if value else "no"
        elif one.place.field.coded == "pointer" and isinstance(value, int):
            value = f"{value:#x}"
        parts.append(f"{one.setting.name} {value}")
    return c_comment(", ".join(parts))
