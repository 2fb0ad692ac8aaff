"""Firmware that is larger than the part's memory: by how much, and what takes most of it."""

from __future__ import annotations

import re
from collections.abc import Iterable
from pathlib import Path

from wattigram.core.contract.image import named_sizes
from wattigram.core.model.part import Part

LARGEST = 4
_OVERFLOW = re.compile(r"region [`'‘](?P<region>code|data)['’] overflowed by (?P<bytes>\d+) bytes")
_OF_LINKER = re.compile(
    r"^(?:\S*ld|collect2)\S*: .*(?:will not fit in region|overflowed by|ld returned)"
)


def overflows(output: str, objects: Iterable[Path], part: Part) -> list[str]:
    """A sentence for each memory that a linker found too small.

    Parameters
    ----------
    output : str
        What the linker said of regions ``code`` and ``data``.
    objects : paths of what it was to link, for the sizes of what is in them
    """
    memory = part.memory
    sentences: list[str] = []
    matches = list(_OVERFLOW.finditer(output))
    if memory is None or not matches:
        return sentences
    sizes = [entry for path in objects for entry in named_sizes(path)]
    for match in matches:
        is_data = match["region"] == "data"
        total = memory.data_bytes if is_data else memory.code_bytes
        mine = sorted(
            ((size, name) for name, size, writable in sizes if writable == is_data), reverse=True
        )
        largest = ", ".join(f"{name} {size} bytes" for size, name in mine[:LARGEST])
        sentences.append(
            f"{'Data and stack do' if is_data else 'The code does'} not fit: {match['bytes']} "
            f"bytes more than the {total} of "
            f"{part.name}. Largest: {largest}."
        )
    return sentences


def is_of_room(line: str) -> bool:
    """A linker's line that :func:`overflows` says better."""
    return _OF_LINKER.match(line) is not None
