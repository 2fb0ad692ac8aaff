"""An ELF file with its debug information, read through pyelftools."""

from __future__ import annotations

import bisect
import logging
from functools import cached_property
from io import BytesIO
from pathlib import Path
from typing import Any

import msgspec

from wattigram.core.base.errors import FirmwareError
from wattigram.core.base.foreign import reading_foreign

_log = logging.getLogger(__name__)
LARGEST_BYTES = 64 << 20
LARGEST_UNPACKED_BYTES = 256 << 20
_DAMAGED = "The image is damaged"
_SHF_COMPRESSED = 1 << 11
LOOKED_THROUGH = 64
"""Lines that are looked at before an address."""


class LoadSegment(msgspec.Struct, frozen=True):
    """Bytes that are loaded to an address."""

    address: int
    data: bytes


class Image(msgspec.Struct, frozen=True, dict=True):
    """A compiled program: one for a 32-bit Arm core can be run, any other little-endian one be
    looked at."""

    path: str
    content: bytes

    @cached_property
    def _elf(self) -> Any:
        from elftools.elf.elffile import ELFFile

        return ELFFile(BytesIO(self.content))

    @cached_property
    def dwarf(self) -> Any:
        """Its debug information; None where it has none.

        Raises
        ------
        FirmwareError
            When it is damaged, or unpacks to more than can be meant.
        """
        with reading_foreign(FirmwareError, _DAMAGED, self.path):
            unpacked = 0
            for section in self._elf.iter_sections():
                if section["sh_flags"] & _SHF_COMPRESSED:
                    unpacked += section.data_size
            if unpacked > LARGEST_UNPACKED_BYTES:
                raise FirmwareError(
                    "Its debug information unpacks to more than 256 MiB.", where=self.path
                )
            return self._elf.get_dwarf_info() if self._elf.has_dwarf_info() else None

    @cached_property
    def segments(self) -> tuple[LoadSegment, ...]:
        """What a loader puts into memory, at its load addresses."""
        with reading_foreign(FirmwareError, _DAMAGED, self.path):
            return tuple(
                LoadSegment(segment["p_paddr"], segment.data())
                for segment in self._elf.iter_segments()
                if segment["p_type"] == "PT_LOAD" and segment["p_filesz"]
            )

    @cached_property
    def sections(self) -> tuple[tuple[int, int, bool], ...]:
        """Address, size, and whether it comes with content, of each part of memory that it
        takes."""
        with reading_foreign(FirmwareError, _DAMAGED, self.path):
            return tuple(
                (section["sh_addr"], section["sh_size"], section["sh_type"] != "SHT_NOBITS")
                for section in self._elf.iter_sections()
                if section["sh_flags"] & 2 and section["sh_size"]
            )

    def _symbols(self) -> list[tuple[str, str, int, int]]:
        """Name, kind, value and size of each symbol that is defined."""
        with reading_foreign(FirmwareError, _DAMAGED, self.path):
            table = self._elf.get_section_by_name(".symtab")
            return [
                (symbol.name, symbol["st_info"]["type"], symbol["st_value"], symbol["st_size"])
                for symbol in (table.iter_symbols() if table is not None else ())
                if symbol["st_shndx"] != "SHN_UNDEF"
            ]

    @cached_property
    def symbols(self) -> dict[str, tuple[int, int]]:
        """Address and size of each named thing; functions without their mode bit."""
        return {
            name: (value & ~1 if kind == "STT_FUNC" else value, size)
            for name, kind, value, size in self._symbols()
            if name and kind in {"STT_FUNC", "STT_OBJECT", "STT_NOTYPE"}
        }

    @cached_property
    def _functions(self) -> list[tuple[int, int, str]]:
        return sorted(
            (value & ~1, size, name)
            for name, kind, value, size in self._symbols()
            if kind == "STT_FUNC"
        )

    def function_at(self, address: int) -> str:
        """Name of the function that has an address, "" for none."""
        place = bisect.bisect_right(self._functions, (address, 1 << 62, "")) - 1
        if place < 0:
            return ""
        begin, size, name = self._functions[place]
        return name if begin <= address < begin + max(size, 2) else ""

    @cached_property
    def _lines(self) -> tuple[list[int], list[tuple[str, int]]]:
        """Addresses in order, with the file and line that begin there; line 0 where nothing is
        known."""
        try:
            with reading_foreign(FirmwareError, _DAMAGED, self.path):
                entries = self._line_entries()
        except FirmwareError as fault:  # an address without its line is better than no image
            _log.info("%s", fault)
            return [], []
        entries.sort(key=lambda entry: (entry[0], entry[2] != 0))
        return [entry[0] for entry in entries], [(entry[1], entry[2]) for entry in entries]

    def _line_entries(self) -> list[tuple[int, str, int]]:
        entries: list[tuple[int, str, int]] = []
        dwarf = self.dwarf
        for unit in dwarf.iter_CUs() if dwarf is not None else ():
            program = dwarf.line_program_for_CU(unit)
            if program is None:
                continue
            files = program["file_entry"]
            first = 0 if program["version"] >= 5 else 1
            begin: int | None = None
            for entry in program.get_entries():
                state = entry.state
                if state is None:
                    continue
                begin = state.address if begin is None else begin
                # A function that the linker left out keeps its lines, from address 0 on, where the
                # vectors lie.
                is_left_out = begin == 0
                if state.end_sequence:
                    begin = None
                if is_left_out:
                    continue
                place = state.file - first
                name = (
                    files[place].name.decode("utf-8", "replace") if 0 <= place < len(files) else ""
                )
                entries.append((state.address, name, 0 if state.end_sequence else state.line))
        return entries

    def line_at(self, address: int) -> str:
        """``file:line`` of an address, "" where nothing is known."""
        addresses, lines = self._lines
        place = bisect.bisect_right(addresses, address) - 1
        if place < 0 or not lines[place][1]:
            return ""
        return f"{lines[place][0]}:{lines[place][1]}"

    def source_at(self, address: int) -> str:
        """``file:line`` of the statement at an address that stands in a source file itself: where
        a function of a header was put in, that which calls it; "" where nothing is known."""
        addresses, lines = self._lines
        place = bisect.bisect_right(addresses, address) - 1
        for number in range(place, max(-1, place - LOOKED_THROUGH), -1):
            name, line = lines[number]
            if not line:
                return ""
            if not name.endswith(".h"):
                return f"{name}:{line}"
        return ""

    def place(self, address: int) -> str:
        """An address for people: file and line, function, and the number."""
        parts = [self.line_at(address)]
        function = self.function_at(address)
        if function:
            parts.append(f"in {function}()")
        parts.append(f"at {address:#010x}")
        return " ".join(part for part in parts if part)


def named_sizes(path: Path) -> list[tuple[str, int, bool]]:
    """Name, bytes, and whether it is written to, of each function and variable in an object file;
    none if it is no such file."""
    from elftools.elf.elffile import ELFFile

    sizes = []
    try:
        with reading_foreign(FirmwareError, _DAMAGED, str(path)), path.open("rb") as file:
            elf = ELFFile(file)
            table: Any = elf.get_section_by_name(".symtab")
            for symbol in table.iter_symbols() if table is not None else ():
                section = symbol["st_shndx"]
                if symbol["st_size"] and isinstance(section, int):
                    writable = bool(elf.get_section(section)["sh_flags"] & 1)
                    sizes.append((symbol.name, symbol["st_size"], writable))
    except FirmwareError:
        return []
    return sizes


def load_image(path: Path, *, looked_at: bool = False) -> Image:
    """Read an ELF file; one that is only ``looked_at`` may be for any little-endian processor.

    Raises
    ------
    FirmwareError
        When it cannot be read, or is no program for such a core.
    """
    with reading_foreign(FirmwareError, "The image cannot be read", str(path)):
        if path.stat().st_size > LARGEST_BYTES:
            raise FirmwareError("The image is larger than 64 MiB.", where=str(path))
        content = path.read_bytes()
    return check_image(Image(str(path), content), looked_at=looked_at)


def check_image(image: Image, *, looked_at: bool = False) -> Image:
    """The image itself; raises :class:`FirmwareError` for what is no program for such a core."""
    with reading_foreign(FirmwareError, "This is no sound ELF file", image.path):
        elf = image._elf
        is_ours = elf["e_machine"] == "EM_ARM" and elf.elfclass == 32
        usable = (is_ours or looked_at) and elf.little_endian and image.segments
    if not usable:
        raise FirmwareError(
            "This is no program for a little-endian processor."
            if looked_at
            else "This is no program for a 32-bit little-endian Arm core.",
            where=image.path,
            cure="Build it with the cross compiler.",
        )
    return image
