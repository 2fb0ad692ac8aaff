"""Register descriptions in the open SVD format, as a start for a part file of one's own.

The format says where registers and fields lie, and nothing of what they are for: that is left to be
filled in.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from io import BytesIO
from pathlib import Path
from typing import Any

import msgspec

from wattigram.core.base.errors import PartError
from wattigram.core.base.foreign import reading_foreign
from wattigram.core.model.part.registers import SETTINGS

LARGEST_BYTES = 64 << 20
MOST_REPEATS = 256
DEEPEST = 40
MOST_ELEMENTS = 1_000_000


class SvdField(msgspec.Struct, frozen=True):
    """Bits of a register; ``values`` are named codes."""

    name: str
    low: int
    width: int
    access: str = ""
    text: str = ""
    values: tuple[tuple[str, int], ...] = ()


class SvdRegister(msgspec.Struct, frozen=True):
    """A register, or ``count`` alike every ``step`` bytes."""

    name: str
    offset: int
    width: int
    reset: int
    text: str
    fields: tuple[SvdField, ...]
    count: int = 1
    step: int = 4


class SvdPeripheral(msgspec.Struct, frozen=True):
    """A peripheral with its registers and interrupt lines."""

    name: str
    base: int
    text: str
    registers: tuple[SvdRegister, ...]
    lines: tuple[int, ...] = msgspec.field(default=())


def read_svd(path: Path) -> tuple[SvdPeripheral, ...]:
    """Peripherals of a file.

    Raises
    ------
    PartError
        When it cannot be read, is no XML of that kind, or has entities, which a description has no
        need of.
    """
    with reading_foreign(PartError, "The description cannot be read", str(path)):
        if path.stat().st_size > LARGEST_BYTES:
            raise PartError("The description is larger than 64 MiB.", where=str(path))
        content = path.read_bytes()
    with reading_foreign(PartError, "This is no sound XML", str(path)):
        root = _parse(content, str(path))
    if root is None or root.tag != "device" or root.find("peripherals") is None:
        raise PartError(
            "This is no register description: it has no device with peripherals.", where=str(path)
        )
    with reading_foreign(PartError, "The description is not understood", str(path)):
        return tuple(_peripherals(root))


def _parse(content: bytes, where: str) -> Any:
    """The root of a document that is neither too deep nor too large; both are seen while it is
    read."""
    from defusedxml import ElementTree

    depth = count = 0
    root = None
    for event, element in ElementTree.iterparse(BytesIO(content), events=("start", "end")):
        if event == "end":
            depth -= 1
            continue
        if root is None:
            root = element
        depth += 1
        count += 1
        if depth > DEEPEST:
            raise PartError(
                f"Its elements are nested more than {DEEPEST} deep (in <{element.tag[:40]}>).",
                where=where,
                cure="Registers of a description lie less than ten deep.",
            )
        if count > MOST_ELEMENTS:
            raise PartError(f"It has more than {MOST_ELEMENTS} elements.", where=where)
    return root


def _peripherals(root: Any) -> Iterator[SvdPeripheral]:
    width = _number(root.findtext("size") or root.findtext("width") or "32")
    elements = {item.findtext("name", ""): item for item in root.find("peripherals")}
    for name, item in elements.items():
        source = elements.get(item.get("derivedFrom", ""), item)
        registers = item.find("registers")
        if registers is None:
            registers = source.find("registers")
        lines = tuple(_number(one.findtext("value", "0")) for one in item.findall("interrupt"))
        yield SvdPeripheral(
            name,
            _number(item.findtext("baseAddress", "0")),
            _plain(item.findtext("description") or source.findtext("description") or ""),
            tuple(_registers(registers, width, 0)) if registers is not None else (),
            lines,
        )


def _registers(parent: Any, width: int, base: int) -> Iterator[SvdRegister]:
    for item in parent:
        if item.tag == "cluster":
            yield from _registers(item, width, base + _number(item.findtext("addressOffset", "0")))
        elif item.tag == "register":
            bits = _number(item.findtext("size") or str(width))
            count = min(MOST_REPEATS, _number(item.findtext("dim") or "1"))
            fields = item.find("fields")
            yield SvdRegister(
                name=re.sub(r"\[?%s\]?", "", item.findtext("name", "")).strip("_") or "REGISTER",
                offset=base + _number(item.findtext("addressOffset", "0")),
                width=8 if bits <= 8 else 16 if bits <= 16 else 32,
                reset=_number(item.findtext("resetValue") or "0"),
                text=_plain(item.findtext("description") or ""),
                fields=tuple(_field(field) for field in fields) if fields is not None else (),
                count=count,
                step=_number(item.findtext("dimIncrement") or "4"),
            )


def _field(item: Any) -> SvdField:
    if (text := item.findtext("bitRange")) is not None:
        high, low = (int(one) for one in text.strip("[] ").split(":"))
    elif item.findtext("lsb") is not None:
        low, high = _number(item.findtext("lsb", "0")), _number(item.findtext("msb", "0"))
    else:
        low = _number(item.findtext("bitOffset", "0"))
        high = low + _number(item.findtext("bitWidth") or "1") - 1
    values = []
    for one in item.iter("enumeratedValue"):
        value = one.findtext("value", "")
        if re.fullmatch(r"(0[xX][0-9a-fA-F]+|#[01]+|0[bB][01]+|\d+)", value.strip()):
            values.append((one.findtext("name", ""), _number(value)))
    return SvdField(
        item.findtext("name", ""),
        low,
        high - low + 1,
        item.findtext("access", ""),
        _plain(item.findtext("description") or ""),
        tuple(values),
    )


def _number(text: str) -> int:
    plain = text.strip().lower().replace("#", "0b")
    return int(plain, 0) if not re.fullmatch(r"0\d+", plain) else int(plain)


def _plain(text: str) -> str:
    return " ".join(text.split())[:120]


def _c_name(text: str) -> str:
    name = re.sub(r"[^A-Z0-9]+", "_", text.upper()).strip("_")
    return (name if name[:1].isalpha() else f"R_{name}")[:31] or "X"


def blocks_toml(peripherals: tuple[SvdPeripheral, ...], kinds: Mapping[str, str]) -> str:
    """Blocks of a part file for some peripherals; fields stand in comments until somebody says what
    they set.

    Raises
    ------
    PartError
        When a peripheral is not in the description, or its kind is none.
    """
    by_name = {peripheral.name: peripheral for peripheral in peripherals}
    out: list[str] = []
    for name, kind in kinds.items():
        if name not in by_name:
            raise PartError(
                f"There is no peripheral “{name}”.",
                cure=f"There are {', '.join(list(by_name)[:40])}.",
            )
        if kind not in SETTINGS:
            raise PartError(
                f"“{kind}” is no kind of block.", cure=f"Choose one of {', '.join(SETTINGS)}."
            )
        out += _block(by_name[name], kind)
    return "\n".join(out) + "\n"


def _block(peripheral: SvdPeripheral, kind: str) -> Iterator[str]:
    yield "[[blocks]]"
    yield f'name = "{_c_name(peripheral.name)}"'
    yield f'kind = "{kind}"'
    yield f"owners = [{_quoted(peripheral.name)}]  # as the rest of the part file calls it"
    yield f"bases = [{peripheral.base:#x}]"
    yield f"lines = [{peripheral.lines[0] if peripheral.lines and 0 <= peripheral.lines[0] < 240 else -1}]"
    settings = next(known for name, known in SETTINGS.items() if name == kind)
    yield f"# What a field can set here: {', '.join(settings)}"
    for register in peripheral.registers:
        yield ""
        yield "[[blocks.registers]]"
        yield f'name = "{_c_name(register.name)}"'
        yield f"offset = {register.offset:#x}"
        if register.width != 32:
            yield f"width = {register.width}"
        if register.reset:
            yield f"reset = {register.reset & ((1 << register.width) - 1):#x}"
        if register.text:
            yield f"title = {_quoted(register.text)}"
        if register.count > 1:
            yield f"# {register.count} alike, every {register.step} bytes: count, step and of = slot, channel or window"
        yield "fields = ["
        for bits in register.fields:
            yield f"    # {_field_toml(bits)}"
        yield "]"
    yield ""


def _field_toml(bits: SvdField) -> str:
    parts = [f'name = "{_c_name(bits.name)}"', f"low = {bits.low}"]
    if bits.width > 1:
        parts.append(f"width = {bits.width}")
    parts.append('sets = "?"')
    if bits.values:
        entries = ", ".join(f"{_quoted(name)} = {code}" for name, code in bits.values)
        parts.append(f'coded = "table", table = {{ {entries} }}')
    elif bits.width > 1:
        parts.append('coded = "value"')
    if bits.access == "read-only":
        parts.append('access = "read"')
    elif bits.access == "write-only":
        parts.append('access = "write"')
    return f"{{ {', '.join(parts)} }},  {bits.text}".rstrip()


def _quoted(text: str) -> str:
    plain = re.sub(r"[\x00-\x1f\x7f]", " ", text).replace("\\", "\\\\").replace('"', '\\"')
    return f'"{plain}"'
