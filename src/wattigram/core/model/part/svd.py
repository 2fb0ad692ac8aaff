"""Register descriptions in the open SVD format, as a start for a part file of one's own.

The format says where registers and fields lie, and nothing of what they are for: that is found by
:mod:`wattigram.core.model.part.register_matches`, or said by an engineer. A description is a
stranger's file: what it would unfold to is counted before the parser sees it.
"""

from __future__ import annotations

import contextlib
import io
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
MOST_DERIVED = 5_000
MOST_LOOKED_AT = 200_000_000
"""Elements that are looked at to find what others are derived from."""


class SvdField(msgspec.Struct, frozen=True):
    """Bits of a register; ``values`` are named codes, ``count`` so many alike side by side, a bit
    of each pin for one."""

    name: str
    low: int
    width: int
    access: str = ""
    text: str = ""
    values: tuple[tuple[str, int], ...] = ()
    count: int = 1


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


class SvdDescription(msgspec.Struct, frozen=True):
    """A device as a file describes it; ``notes`` say what in it was not understood."""

    name: str
    core: str
    peripherals: tuple[SvdPeripheral, ...]
    notes: tuple[str, ...] = ()


def read_svd(path: Path) -> SvdDescription:
    """What a file describes: derived peripherals, arrays and clusters unfolded.

    Raises
    ------
    PartError
        When it cannot be read, is no XML of that kind, has entities, which a description has no
        need of, or unfolds to more than a device has.
    """
    from cmsis_svd.parser import SVDParser
    from lxml import etree

    where = str(path)
    with reading_foreign(PartError, "The description cannot be read", where):
        if path.stat().st_size > LARGEST_BYTES:
            raise PartError("The description is larger than 64 MiB.", where=where)
        content = path.read_bytes()
    with reading_foreign(PartError, "This is no sound XML", where):
        root = _parse(content, where)
    if root is None or root.tag != "device" or root.find("peripherals") is None:
        raise PartError(
            "This is no register description: it has no device with peripherals.", where=where
        )
    with reading_foreign(PartError, "The description is not understood", where):
        _check_unfolded(root, where)
    notes: list[str] = []
    said = io.StringIO()  # the parser prints what it does not know
    with reading_foreign(PartError, "The description is not understood", where):
        parser = etree.XMLParser(resolve_entities=False, no_network=True)
        with contextlib.redirect_stdout(said):
            device = SVDParser(etree.fromstring(content, parser).getroottree()).get_device()
        peripherals = tuple(
            _peripheral(one, where, notes) for item in device.peripherals for one in _each(item)
        )
    notes += [line.removeprefix("[WARNING] ").strip() for line in said.getvalue().splitlines()]
    core = root.findtext("cpu/name") or ""
    return SvdDescription(_plain(device.name or ""), core, peripherals, tuple(dict.fromkeys(notes)))


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


def _check_unfolded(root: Any, where: str) -> None:
    """Refuse what would fill the memory once arrays and derivations are unfolded."""
    by_name: dict[str, Any] = {}
    derived = count = 0
    for element in root.iter():
        count += 1
        if (name := element.findtext("name")) is not None:
            by_name.setdefault(name, element)
        derived += "derivedFrom" in element.attrib
    if derived > MOST_DERIVED:
        raise PartError(f"It has more than {MOST_DERIVED} derived elements.", where=where)
    if derived * count > MOST_LOOKED_AT:
        raise PartError(
            f"It has {derived} derived elements among {count}: looking all of them up takes too long.",
            where=where,
        )
    sizes: dict[int, int] = {}

    def size(element: Any, above: frozenset[int]) -> int:
        key = id(element)
        if key in above:
            raise PartError(
                f"“{element.findtext('name', '')[:40]}” is derived from itself.", where=where
            )
        if key not in sizes:
            total = 1 + sum(size(child, above | {key}) for child in element)
            source = by_name.get(element.get("derivedFrom", "").rpartition(".")[2])
            if source is not None and source is not element:
                total += size(source, above | {key})
            times = element.findtext("dim")
            repeats = _number(times) if times and _is_number(times) else 1
            if repeats > MOST_REPEATS * 16:
                raise PartError(
                    f"“{element.findtext('name', '')[:40]}” is there {repeats} times.",
                    where=where,
                    cure="No device has so many alike.",
                )
            sizes[key] = min(total * max(1, repeats), MOST_ELEMENTS + 1)
        return sizes[key]

    if size(root, frozenset()) > MOST_ELEMENTS:
        raise PartError(f"It unfolds to more than {MOST_ELEMENTS} elements.", where=where)


def _each(item: Any) -> Iterator[Any]:
    """Members of an array, or the one."""
    yield from getattr(item, "peripherals", None) or [item]


def _peripheral(item: Any, where: str, notes: list[str]) -> SvdPeripheral:
    if item.base_address is None:
        raise PartError(
            f"{item.name}: its base address is no number.",
            where=where,
            cure="Mend that element and read it again.",
        )
    return SvdPeripheral(
        item.name or "",
        item.base_address,
        _plain(item.description or ""),
        tuple(
            one
            for register in item.registers or ()
            for one in _registers(register, 0, "", f"{item.name}", notes)
        ),
        tuple(one.value for one in item.interrupts or () if one.value is not None),
    )


def _registers(
    item: Any, base: int, prefix: str, place: str, notes: list[str]
) -> Iterator[SvdRegister]:
    """A register; those of a cluster; of an array of clusters each register once with how many there
    are."""
    meta = getattr(item, "meta_register", None) or getattr(item, "meta_cluster", None) or item
    count, step = meta.dim or 1, meta.dim_increment or 4
    if meta.address_offset is None:
        notes.append(f"{place}.{meta.name}: its offset is no number; left out")
        return
    name = re.sub(r"\[?%s\]?", "", meta.name or "").strip("_")
    offset = base + meta.address_offset
    if hasattr(meta, "registers"):
        inner = f"{prefix}{name}_"
        for one in (*(meta.registers or ()), *(meta.clusters or ())):
            # The parser has moved the plain registers of a plain cluster already, and no others.
            is_moved = meta.dim is None and hasattr(one, "fields") and one.dim is None
            at, named = (base, prefix) if is_moved else (offset, inner)
            for register in _registers(one, at, named, f"{place}.{name}", notes):
                if count == 1:
                    yield register
                elif register.count == 1:
                    yield msgspec.structs.replace(register, count=count, step=step)
                else:
                    for number in range(count):
                        yield msgspec.structs.replace(
                            register,
                            name=f"{register.name}_{number}",
                            offset=register.offset + number * step,
                        )
        return
    bits = meta.size or 32
    if bits > 32:
        notes.append(f"{place}.{name}: {bits} bits wide; its lower 32 are taken")
    fields = []
    for one in meta.fields or ():
        field = _field(one, f"{place}.{name}", notes)
        if field is not None:
            fields.append(field)
    yield SvdRegister(
        name=prefix + name or "REGISTER",
        offset=offset,
        width=8 if bits <= 8 else 16 if bits <= 16 else 32,
        reset=meta.reset_value or 0,
        text=_plain(meta.description or ""),
        fields=tuple(fields),
        count=count,
        step=step,
    )


def _field(item: Any, place: str, notes: list[str]) -> SvdField | None:
    """A field; of an array whose members lie side by side one that has all their bits."""
    meta = getattr(item, "meta_field", item)
    name = re.sub(r"\[?%s\]?", "", meta.name or "").strip("_")
    low, width, count = meta.bit_offset, meta.bit_width or 1, meta.dim or 1
    if low is None:
        notes.append(f"{place}.{name}: where its bits lie is not said; left out")
        return None
    if count > 1 and meta.dim_increment != width:
        notes.append(f"{place}.{name}: {count} of them with gaps between; the first is taken")
        count = 1
    if low + width * count > 32:
        notes.append(f"{place}.{name}: beyond 32 bits; left out")
        return None
    values = [
        (one.name, one.value)
        for listed in meta.enumerated_values or ()
        for one in listed.enumerated_values
        if one.name is not None and one.value is not None
    ]
    return SvdField(
        name,
        low,
        width * count,
        meta.access.value if meta.access is not None else "",
        _plain(meta.description or ""),
        tuple(dict(values).items()),
        count,
    )


def _is_number(text: str) -> bool:
    return re.fullmatch(r"\s*(0[xX][0-9a-fA-F]+|#[01]+|0[bB][01]+|\d+)\s*", text) is not None


def _number(text: str) -> int:
    plain = text.strip().lower().replace("#", "0b")
    return int(plain, 0) if not re.fullmatch(r"0\d+", plain) else int(plain)


def _plain(text: str) -> str:
    return " ".join(text.split())[:120]


def c_name(text: str) -> str:
    """A name as registers and fields of a part have it, in capitals."""
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
    yield f'name = "{c_name(peripheral.name)}"'
    yield f'kind = "{kind}"'
    yield f"owners = [{_quoted(peripheral.name)}]  # as the rest of the part file calls it"
    yield f"bases = [{peripheral.base:#x}]"
    yield f"lines = [{peripheral.lines[0] if peripheral.lines and 0 <= peripheral.lines[0] < 240 else -1}]"
    settings = next(known for name, known in SETTINGS.items() if name == kind)
    yield f"# What a field can set here: {', '.join(settings)}"
    for register in peripheral.registers:
        yield ""
        yield "[[blocks.registers]]"
        yield f'name = "{c_name(register.name)}"'
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
    parts = [f'name = "{c_name(bits.name)}"', f"low = {bits.low}"]
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
