"""What a microcontroller can do: read from a file, never written into code."""

from wattigram.core.model.part.catalogue import (
    CatalogueEntry,
    copy_part,
    find_part,
    list_parts,
    save_part_beside,
)
from wattigram.core.model.part.converter import ComparatorUnit, Converter, Hardware, InternalChannel
from wattigram.core.model.part.model import (
    Dac,
    DmaGroup,
    Part,
    Port,
    Reference,
    Timer,
    UartGroup,
    load_part,
    parse_part,
)
from wattigram.core.model.part.registers import SETTINGS, Block, MemoryMap, Register, RegisterField

__all__ = [
    "SETTINGS",
    "Block",
    "CatalogueEntry",
    "ComparatorUnit",
    "Converter",
    "Dac",
    "DmaGroup",
    "Hardware",
    "InternalChannel",
    "MemoryMap",
    "Part",
    "Port",
    "Reference",
    "Register",
    "RegisterField",
    "Timer",
    "UartGroup",
    "copy_part",
    "find_part",
    "list_parts",
    "load_part",
    "parse_part",
    "save_part_beside",
]
