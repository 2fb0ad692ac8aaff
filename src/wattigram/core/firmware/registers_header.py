"""The registers' header: one line for each field and each register."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from wattigram.core.firmware.c_names import c_comment
from wattigram.core.firmware.register_c import c_field
from wattigram.core.model.part import Block, Register, RegisterField
from wattigram.core.silicon.registers import c_name


def block_context(block: Block) -> dict[str, Any]:
    """A block for the template: its fields once, its registers for each owner."""
    return {
        "name": block.name,
        "kind": block.kind,
        "fields": [
            line
            for register in block.registers
            for field in register.fields
            for line in _field(block, register, field)
        ],
        "owners": [
            {"lines": [_register(c_name(owner), base, register) for register in block.registers]}
            for owner, base in zip(block.owners, block.bases, strict=True)
        ],
    }


def _field(block: Block, register: Register, field: RegisterField) -> Iterator[str]:
    name = c_field(block.name, register, field)
    shift = f" << {field.low}" if field.low else ""
    if field.coded == "flag":
        yield f"#define {name} (1u{shift}) /**< {c_comment(field.sets)} */"
        return
    if field.width < 32:
        yield f"#define {name}_BITS ({(1 << field.width) - 1:#x}u{shift}) /**< {c_comment(field.sets)} */"
    if field.coded == "table":
        for value, code in field.table.items():
            yield f"#define {name}_{c_name(value)} ({code}u{shift})"
        yield f"#define {name}(code) ((uint32_t)(code){shift})"
        return
    what = "a number minus one" if field.coded == "minus-one" else c_comment(field.sets)
    yield f"#define {name}(code) ((uint32_t)(code){shift}) /**< {what} */"


def _register(owner: str, base: int, register: Register) -> str:
    name = f"{owner}_{register.name}"
    address = base + register.offset
    title = f" /**< {c_comment(register.title)} */" if register.title else ""
    if register.count > 1:
        return (
            f"#define {name}(n) WG_R{register.width}({address:#x}u + {register.step}u * (n)){title}"
        )
    return f"#define {name} WG_R{register.width}({address:#x}u){title}"
