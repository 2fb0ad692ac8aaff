"""What a microcontroller can do: read from a file, never written into code."""

from wattigram.core.model.part.catalogue import copy_part, find_part, list_parts, save_part_beside
from wattigram.core.model.part.converter import Comparator, Converter, Hardware, Internal
from wattigram.core.model.part.model import Dac, Dma, Part, Reference, Timer, Uart, load_part, parse_part
from wattigram.core.model.part.registers import SETTINGS, Block, Memory, Register, RegisterField

__all__ = [
    "SETTINGS",
    "Block",
    "Comparator",
    "Converter",
    "Dac",
    "Dma",
    "Hardware",
    "Internal",
    "Memory",
    "Part",
    "Reference",
    "Register",
    "RegisterField",
    "Timer",
    "Uart",
    "copy_part",
    "find_part",
    "list_parts",
    "load_part",
    "parse_part",
    "save_part_beside",
]
