"""Compiled firmware as a file: what is loaded where, names of things in it, lines of its source."""

from wattigram.core.contract.image.dwarf_types import (
    CType,
    Member,
    MemoryLocation,
    Variable,
    memory_locations,
    variables,
)
from wattigram.core.contract.image.elf import Image, LoadSegment, load_image, named_sizes

__all__ = [
    "CType",
    "Image",
    "LoadSegment",
    "Member",
    "MemoryLocation",
    "Variable",
    "load_image",
    "memory_locations",
    "named_sizes",
    "variables",
]
