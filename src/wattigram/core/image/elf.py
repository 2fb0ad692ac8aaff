"""An ELF file with its debug information, read through pyelftools."""

from __future__ import annotations

import bisect
from dataclasses import dataclass
from functools import cached_property
from io import BytesIO
from pathlib import Path
from typing import Any

from wattigram.core.errors import FirmwareError

LARGEST_BYTES = 64 << 20


@dataclass(frozen=True)
class Segment:
    """Bytes that are loaded to an address."""

    address: int
    data: bytes


@dataclass(frozen=True)
class Image:
    """A compiled program: one for a 32-bit Arm core can be run, any other little-endian one be looked at."""

    path: str
    content: bytes

    @cached_property
    def _elf(self) -> Any:
        from elftools.elf.elffile import ELFFile

        return ELFFile(BytesIO(self.content))

    @cached_property
    def segments(self) -> tuple[Segment, ...]:
        """What a loader puts into memory, at its load addresses."""
        return tuple(
            Segment(segment["p_paddr"], segment.data())
            for segment in self._elf.iter_segments()
            if segment["p_type"] == "PT_LOAD" and segment["p_filesz"]
        )

    @cached_property
    def sections(self) -> tuple[tuple[int, int, bool], ...]:
        """Address, size, and whether it comes with content, of each part of memory that it takes."""
        return tuple(
            (section["sh_addr"], section["sh_size"], section["sh_type"] != "SHT_NOBITS")
            for section in self._elf.iter_sections()
            if section["sh_flags"] & 2 and section["sh_size"]
        )

    @cached_property
    def symbols(self) -> dict[str, tuple[int, int]]:
        """Address and size of each named thing; functions without their mode bit."""
        table = self._elf.get_section_by_name(".symtab")
        found = {}
        for symbol in table.iter_symbols() if table is not None else ():
            kind = symbol["st_info"]["type"]
            if symbol.name and kind in {"STT_FUNC", "STT_OBJECT", "STT_NOTYPE"} and symbol["st_shndx"] != "SHN_UNDEF":
                value = symbol["st_value"] & ~1 if kind == "STT_FUNC" else symbol["st_value"]
                found[symbol.name] = (value, symbol["st_size"])
        return found

    @cached_property
    def _functions(self) -> list[tuple[int, int, str]]:
        table = self._elf.get_section_by_name(".symtab")
        found = [
            (symbol["st_value"] & ~1, symbol["st_size"], symbol.name)
            for symbol in (table.iter_symbols() if table is not None else ())
            if symbol["st_info"]["type"] == "STT_FUNC"
        ]
        return sorted(found)

    def function_at(self, address: int) -> str:
        """Name of the function that has an address, "" for none."""
        place = bisect.bisect_right(self._functions, (address, 1 << 62, "")) - 1
        if place < 0:
            return ""
        begin, size, name = self._functions[place]
        return name if begin <= address < begin + max(size, 2) else ""

    @cached_property
    def _lines(self) -> tuple[list[int], list[tuple[str, int]]]:
        """Addresses in order, with the file and line that begin there; line 0 where nothing is known."""
        found: list[tuple[int, str, int]] = []
        if not self._elf.has_dwarf_info():
            return [], []
        dwarf = self._elf.get_dwarf_info()
        for unit in dwarf.iter_CUs():
            program = dwarf.line_program_for_CU(unit)
            if program is None:
                continue
            files = program["file_entry"]
            first = 0 if program["version"] >= 5 else 1
            for entry in program.get_entries():
                state = entry.state
                if state is None:
                    continue
                place = state.file - first
                name = files[place].name.decode("utf-8", "replace") if 0 <= place < len(files) else ""
                found.append((state.address, name, 0 if state.end_sequence else state.line))
        found.sort(key=lambda one: (one[0], one[2] != 0))
        return [one[0] for one in found], [(one[1], one[2]) for one in found]

    def line_at(self, address: int) -> str:
        """``file:line`` of an address, "" where nothing is known."""
        addresses, lines = self._lines
        place = bisect.bisect_right(addresses, address) - 1
        if place < 0 or not lines[place][1]:
            return ""
        return f"{lines[place][0]}:{lines[place][1]}"

    def place(self, address: int) -> str:
        """An address for people: file and line, function, and the number."""
        parts = [self.line_at(address)]
        function = self.function_at(address)
        if function:
            parts.append(f"in {function}()")
        parts.append(f"at {address:#010x}")
        return " ".join(part for part in parts if part)


def named_sizes(path: Path) -> list[tuple[str, int, bool]]:
    """Name, bytes, and whether it is written to, of each function and variable in an object file; none if it is no such file."""
    from elftools.common.exceptions import ELFError
    from elftools.elf.elffile import ELFFile

    found = []
    try:
        with path.open("rb") as file:
            elf = ELFFile(file)
            table: Any = elf.get_section_by_name(".symtab")
            for symbol in table.iter_symbols() if table is not None else ():
                section = symbol["st_shndx"]
                if symbol["st_size"] and isinstance(section, int):
                    writable = bool(elf.get_section(section)["sh_flags"] & 1)
                    found.append((symbol.name, symbol["st_size"], writable))
    except (OSError, ELFError):
        return []
    return found


def load_image(path: Path, *, looked_at: bool = False) -> Image:
    """Read an ELF file; one that is only ``looked_at`` may be for any little-endian processor.

    Raises
    ------
    FirmwareError
        When it cannot be read, or is no program for such a core.
    """
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise FirmwareError("The image is larger than 64 MiB.", where=str(path))
        content = path.read_bytes()
    except OSError as fault:
        raise FirmwareError(f"The image cannot be read: {fault.strerror}.", where=str(path)) from fault
    return check_image(Image(str(path), content), looked_at=looked_at)


def check_image(image: Image, *, looked_at: bool = False) -> Image:
    """The image itself; raises :class:`FirmwareError` for what is no program for such a core."""
    from elftools.common.exceptions import ELFError

    try:
        elf = image._elf
        is_ours = elf["e_machine"] == "EM_ARM" and elf.elfclass == 32
        usable = (is_ours or looked_at) and elf.little_endian and image.segments
    except (ELFError, ValueError, KeyError, OverflowError, AssertionError) as fault:
        raise FirmwareError(f"This is no sound ELF file: {fault}.", where=image.path) from fault
    if not usable:
        raise FirmwareError(
            "This is no program for a little-endian processor."
            if looked_at
            else "This is no program for a 32-bit little-endian Arm core.",
            where=image.path,
            cure="Build it with the cross compiler.",
        )
    return image
