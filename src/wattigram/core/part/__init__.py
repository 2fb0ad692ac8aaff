"""What a microcontroller can do: read from a file, never written into code."""

from wattigram.core.part.catalogue import copy_part, find_part, list_parts
from wattigram.core.part.converter import Comparator, Converter, Hardware, Internal
from wattigram.core.part.model import Dac, Dma, Part, Reference, Timer, Uart, load_part, parse_part

__all__ = [
    "Comparator",
    "Converter",
    "Dac",
    "Dma",
    "Hardware",
    "Internal",
    "Part",
    "Reference",
    "Timer",
    "Uart",
    "copy_part",
    "find_part",
    "list_parts",
    "load_part",
    "parse_part",
]
