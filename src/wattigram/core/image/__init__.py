"""Compiled firmware as a file: what is loaded where, names of things in it, lines of its source."""

from wattigram.core.image.elf import Image, Segment, load_image, named_sizes
from wattigram.core.image.types import CType, Member, Place, Variable, places, variables

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
