"""Compiled firmware as a file: what is loaded where, names of things in it, lines of its source."""

from wattigram.core.contract.image.dwarf_types import CType, Member, Place, Variable, places, variables
from wattigram.core.contract.image.elf import Image, Segment, load_image, named_sizes

__all__ = [
    "CType",
    "Image",
    "Member",
    "Place",
    "Segment",
    "Variable",
    "load_image",
    "named_sizes",
    "places",
    "variables",
]
