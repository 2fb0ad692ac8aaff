"""The set-up as C: each step with its writes, what each is for, and what must be waited for."""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from wattigram.core.firmware.c_names import c_comment, c_string
from wattigram.core.firmware.register_c import flag_c, write_c
from wattigram.core.silicon.registers import RegisterMap, Symbol, Write

LINE_WIDE = 110
"""Columns of a line that is easily read; what is longer is continued."""
_INDENT = 4


def setup_context(
    registers: RegisterMap, writes: Sequence[Write], symbol_c: Callable[[Symbol], str]
) -> list[dict[str, Any]]:
    """Steps for the template, in their order."""
    steps: list[dict[str, Any]] = []
    last = None
    for write in writes:
        if write.step is not last:
            last = write.step
            title = write.step.title[:1].upper() + write.step.title[1:]
            comment = list(_comment(f"{len(steps) + 1}. {title}. {write.step.reason}"))
            steps.append({"comment": comment, "writes": []})
        text = write_c(registers, write, symbol_c)
        lines = list(statement_lines(text.target, text.value, _note(write)))
        flag, owner = _wait(registers, write)
        steps[-1]["writes"].append({"lines": lines, "wait": flag, "owner": owner})
    return steps


def _comment(text: str) -> Iterator[str]:
    """A comment of as many lines as it takes."""
    lines = textwrap.wrap(c_comment(text), LINE_WIDE - _INDENT - 6)
    for number, line in enumerate(lines):
        yield f"{'   ' if number else '/* '}{line}{' */' if number == len(lines) - 1 else ''}"


def statement_lines(target: str, value: str, note: str = "") -> Iterator[str]:
    """A write, continued where it is long; its note stands behind it, or above where there is no
    room."""
    lines = [f"{target} ="]
    terms = value.split(" | ")
    for number, term in enumerate(terms):
        piece = f"{term};" if number == len(terms) - 1 else f"{term} |"
        if number and len(lines[-1]) + 1 + len(piece) + _INDENT > LINE_WIDE:
            lines.append(" " * (_INDENT - 1))
        lines[-1] += f" {piece}"
    if note and len(lines[-1]) + len(note) + _INDENT + 7 <= LINE_WIDE:
        lines[-1] += f" /* {note} */"
    elif note:
        yield from _comment(note)
    yield from lines


def _wait(registers: RegisterMap, write: Write) -> tuple[str, str]:
    """C of the flag that must be 0 again before the set-up goes on, and whose it is; empty where
    there is none."""
    for field in write.fields:
        if field.setting.name == "calibrate":
            register, flag = flag_c(registers, field.setting.owner, "calibrate")
            return f"({register} & {flag})", c_string(
                f"calibration of {field.setting.owner} did not end"
            )
    return "", ""


def _note(write: Write) -> str:
    """The settings that a write is for, in words."""
    if write.line is not None:
        return f"interrupt line {write.line}"
    parts = []
    for field in write.fields:
        value = field.setting.value
        if isinstance(value, frozenset):
            value = " ".join(str(number) for number in sorted(value))
        elif isinstance(value, bool):
            value = "yes" if value else "no"
        elif field.place.field.coded == "pointer" and isinstance(value, int):
            value = f"{value:#x}"
        parts.append(f"{field.setting.name} {value}")
    return c_comment(", ".join(parts))
