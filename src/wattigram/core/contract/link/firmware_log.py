"""What whoever watches firmware says of it in a board's log: its register writes in their order,
and how it failed."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

WORD = "registers"
POLLED = "captured by polling memory"
"""In the line that begins a take of whoever reads memory: nothing comes but items."""
FAILED = "The firmware failed"
"""A line that begins so tells what stopped the program, with file and line."""
WRITES_A_LINE = 100
MOST_WRITES = 1 << 12

RegisterWrite = tuple[int, int, int]
"""Address, width in bits, value."""
ChannelPointing = tuple[tuple[int, int], ...]
"""Channels with their sampling cycles, in the order in which software points a converter to
them."""
LONGEST_POINTING = 2048
_POINTED = re.compile(r"pointed ((?:\d{1,9}:\d{1,9} ){1,64})of (.{1,80})")


def writes_text(writes: Sequence[RegisterWrite]) -> list[str]:
    """Lines for them: ``registers address:bits:value ...`` with hexadecimal addresses and
    values."""
    return [
        " ".join(
            [
                WORD,
                *(
                    f"{address:x}:{bits}:{value:x}"
                    for address, bits, value in writes[at : at + WRITES_A_LINE]
                ),
            ]
        )
        for at in range(0, len(writes), WRITES_A_LINE)
    ]


def parse_writes(text: str) -> tuple[RegisterWrite, ...] | None:
    """Writes of such a line; None for any other line, and for one that is spoilt."""
    word, _, rest = text.partition(" ")
    if word != WORD:
        return None
    writes = []
    for part in rest.split()[:MOST_WRITES]:
        numbers = part.split(":")
        try:
            address, bits, value = int(numbers[0], 16), int(numbers[1]), int(numbers[2], 16)
        except (ValueError, IndexError):
            return None
        if not 0 <= address < 1 << 32 or bits not in {8, 16, 32} or not 0 <= value < 1 << 32:
            return None
        writes.append((address, bits, value))
    return tuple(writes)


def pointings_text(pointings: Mapping[str, ChannelPointing]) -> list[str]:
    """A line for each converter: ``pointed channel:sampling ... of NAME``."""
    return [
        " ".join(["pointed", *(f"{channel}:{cycles}" for channel, cycles in pointing), "of", name])
        for name, pointing in pointings.items()
    ]


def parse_pointing(text: str) -> tuple[str, ChannelPointing] | None:
    """The converter of such a line and where it is pointed to; None for any other line."""
    match = _POINTED.fullmatch(text) if len(text) <= LONGEST_POINTING else None
    if match is None:
        return None
    pairs = (part.split(":") for part in match[1].split())
    return match[2], tuple((int(channel), int(cycles)) for channel, cycles in pairs)
