"""What a microcontroller can do: read from a file, never written into code."""

from wattigram.core.part.catalogue import find_part, list_parts
from wattigram.core.part.model import Converter, Dac, Dma, Part, Reference, Timer, load_part, parse_part

__all__ = [
    "Converter",
    "Dac",
    "Dma",
    "Part",
    "Reference",
    "Timer",
    "find_part",
    "list_parts",
    "load_part",
    "parse_part",
]
