"""Types of an image's variables, from its DWARF: what lies where in memory, and how to read it."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from typing import Any, Literal

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from wattigram.core.base.errors import FirmwareError
from wattigram.core.base.foreign import reading_foreign
from wattigram.core.contract.image.elf import Image

Kind = Literal["unsigned", "signed", "float", "bool", "pointer", "array", "struct", "other"]
MOST_ELEMENTS = 1 << 16
DEEPEST = 8
MOST_TYPES = 100_000
MOST_PLACES = 200_000
_ADDRESS_OPERATION = 0x03
_ADDRESS_BYTES = (5, 9)
"""Of that operation with its address, for 32 and for 64 bits."""
_ENCODINGS: dict[int, Kind] = {
    0x02: "bool",
    0x04: "float",
    0x05: "signed",
    0x06: "signed",
    0x07: "unsigned",
    0x08: "unsigned",
}


class CType(msgspec.Struct, frozen=True):
    """A type as C has it; an array has ``count`` of ``element``, a struct has members."""

    name: str
    kind: Kind
    size: int
    element: CType | None = None
    count: int = 0
    members: tuple[Member, ...] = ()


class Member(msgspec.Struct, frozen=True):
    """A member of a struct, ``offset`` bytes from its beginning."""

    name: str
    offset: int
    type: CType


class MemoryLocation(msgspec.Struct, frozen=True):
    """Something in memory that can be looked at: a number, or an array of numbers."""

    name: str
    address: int
    type: CType
    count: int = 1
    file: str = ""
    """That it is from, where it is known."""

    @property
    def size(self) -> int:
        """Bytes of all."""
        return self.type.size * self.count

    @property
    def is_array(self) -> bool:
        """It has more than one number."""
        return self.count > 1

    def numbers(self, data: bytes) -> NDArray[Any]:
        """Its numbers, (count,); raises ``ValueError`` where there are too few bytes."""
        if len(data) < self.size:
            raise ValueError(f"{self.name}: {len(data)} bytes for {self.size}")
        letter = {"signed": "i", "float": "f"}.get(self.type.kind, "u")
        return np.frombuffer(data[: self.size], dtype=np.dtype(f"<{letter}{self.type.size}"))


class Variable(msgspec.Struct, frozen=True):
    """A variable that the image has, and the file that it is from."""

    name: str
    address: int
    type: CType
    file: str


def variables(image: Image) -> tuple[Variable, ...]:
    """Variables that the debug information places; none without such information.

    One that the linker has left out has no address, and is passed over. Where two files have one of
    the same name,
    the second is told by its file: "state of own.c".
    """
    with reading_foreign(
        FirmwareError, "The image's debug information is damaged", image.path, "Build it again."
    ):
        return _variables(image)


def _variables(image: Image) -> tuple[Variable, ...]:
    dwarf = image.dwarf
    if dwarf is None:
        return ()
    by_name: dict[str, Variable] = {}
    known = _KnownTypes(image)
    for unit in dwarf.iter_CUs():
        top = unit.get_top_DIE()
        unit_name = top.attributes.get("DW_AT_name")
        file = (
            unit_name.value.decode("utf-8", "replace").rpartition("/")[2]
            if unit_name is not None
            else ""
        )
        for die in _children(top, image):
            if die.tag != "DW_TAG_variable":
                continue
            address = _address(die)
            if not address:
                continue
            name, of_type = _named(die)
            if name and of_type is not None:
                if name in by_name and by_name[name].address != address:
                    name = f"{name} of {file}"
                by_name.setdefault(name, Variable(name, address, _type(of_type, known, 0), file))
    return tuple(by_name.values())


class _KnownTypes(dict[int, CType]):
    """Types by their place, with a bound on how many are made: damaged ones can lead round in
    circles."""

    def __init__(self, image: Image) -> None:
        super().__init__()
        self.image = image
        self._left = MOST_TYPES

    def count(self) -> None:
        """One more is made."""
        self._left -= 1
        if self._left < 0:
            raise FirmwareError(
                "The image's types are without end.", where=self.image.path, cure="Build it again."
            )


def _children(die: Any, image: Image) -> Iterator[Any]:
    """Entries below one; each lies behind the one before, or the information is damaged."""
    last = die.offset
    for child in die.iter_children():
        if child.offset <= last:
            raise FirmwareError(
                "The image's debug information goes round in circles.", where=image.path
            )
        last = child.offset
        yield child


def _address(die: Any) -> int | None:
    location = die.attributes.get("DW_AT_location")
    value = getattr(location, "value", None)
    if (
        not isinstance(value, list)
        or len(value) not in _ADDRESS_BYTES
        or value[0] != _ADDRESS_OPERATION
    ):
        return None
    return int.from_bytes(bytes(value[1:]), "little")


def _named(die: Any) -> tuple[str, Any]:
    """Name and type of a variable, which may stand with its declaration."""
    for _ in range(4):
        name, of_type = die.attributes.get("DW_AT_name"), die.attributes.get("DW_AT_type")
        if name is not None and of_type is not None:
            return name.value.decode("utf-8", "replace"), die.get_DIE_from_attribute("DW_AT_type")
        if "DW_AT_specification" not in die.attributes:
            break
        die = die.get_DIE_from_attribute("DW_AT_specification")
    return "", None


def _type(die: Any, known: _KnownTypes, depth: int) -> CType:
    if die.offset in known:
        return known[die.offset]
    known.count()
    made = _make(die, known, depth)
    known[die.offset] = made
    return made


def _make(die: Any, known: _KnownTypes, depth: int) -> CType:
    name = (
        die.attributes["DW_AT_name"].value.decode("utf-8", "replace")
        if "DW_AT_name" in die.attributes
        else ""
    )
    size = (
        int(die.attributes["DW_AT_byte_size"].value) if "DW_AT_byte_size" in die.attributes else 0
    )
    inner = die.get_DIE_from_attribute("DW_AT_type") if "DW_AT_type" in die.attributes else None
    if depth > DEEPEST:
        return CType(name, "other", size)
    match die.tag:
        case "DW_TAG_base_type":
            return CType(
                name, _ENCODINGS.get(die.attributes["DW_AT_encoding"].value, "other"), size
            )
        case "DW_TAG_enumeration_type":
            return CType(f"enum {name}".strip(), "unsigned", size)
        case "DW_TAG_pointer_type":
            return CType("pointer", "pointer", size or 4)
        case "DW_TAG_typedef" | "DW_TAG_const_type" | "DW_TAG_volatile_type" | "DW_TAG_atomic_type":
            if inner is None:
                return CType(name or "void", "other", 0)
            below = _type(inner, known, depth + 1)
            return CType(
                name or below.name,
                below.kind,
                below.size,
                below.element,
                below.count,
                below.members,
            )
        case "DW_TAG_array_type" if inner is not None:
            element = _type(inner, known, depth + 1)
            count = 1
            for child in _children(die, known.image):
                if "DW_AT_upper_bound" in child.attributes:
                    count *= int(child.attributes["DW_AT_upper_bound"].value) + 1
            return CType(f"{element.name}[{count}]", "array", element.size * count, element, count)
        case "DW_TAG_structure_type" | "DW_TAG_union_type":
            members = tuple(_members(die, known, depth))
            return CType(name or "struct", "struct", size, members=members)
        case _:
            return CType(name or "other", "other", size)


def _members(die: Any, known: _KnownTypes, depth: int) -> Iterator[Member]:
    for child in _children(die, known.image):
        if child.tag != "DW_TAG_member" or "DW_AT_type" not in child.attributes:
            continue
        name = (
            child.attributes["DW_AT_name"].value.decode("utf-8", "replace")
            if "DW_AT_name" in child.attributes
            else ""
        )
        offset = child.attributes.get("DW_AT_data_member_location")
        yield Member(
            name,
            int(offset.value) if offset is not None and isinstance(offset.value, int) else 0,
            _type(child.get_DIE_from_attribute("DW_AT_type"), known, depth + 1),
        )


def memory_locations(image: Image) -> tuple[MemoryLocation, ...]:
    """All that can be looked at, by name: numbers, arrays of numbers, and members of structs by
    their path."""
    locations: list[MemoryLocation] = []
    for variable in variables(image):
        leaves = _leaves(variable.name, variable.address, variable.type, 0)
        locations += [
            replace(leaf, file=variable.file)
            for leaf in islice(leaves, MOST_PLACES - len(locations))
        ]
    return tuple(sorted(locations, key=lambda variable: variable.name))


def _leaves(name: str, address: int, of_type: CType, depth: int) -> Iterator[MemoryLocation]:
    if depth > DEEPEST:
        return
    match of_type.kind:
        case "array" if of_type.element is not None:
            element = of_type.element
            if element.kind in {"struct", "array"}:
                for number in range(min(of_type.count, 64)):
                    yield from _leaves(
                        f"{name}[{number}]", address + number * element.size, element, depth + 1
                    )
            elif element.size in {1, 2, 4, 8} and element.kind != "other":
                yield MemoryLocation(
                    name, address, element, max(1, min(of_type.count, MOST_ELEMENTS))
                )
        case "struct":
            for member in of_type.members:
                yield from _leaves(
                    f"{name}.{member.name}", address + member.offset, member.type, depth + 1
                )
        case "other":
            return
        case _:
            if of_type.size in {1, 2, 4, 8}:
                yield MemoryLocation(name, address, of_type)
