"""What whoever watches firmware says of it in a board's log: its register writes in their order,
and how it failed."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

import msgspec

WORD = "registers"
POLLED = "captured by polling memory"
"""In the line that begins a take of whoever reads memory: nothing comes but items."""
IMPORTED = "brought in from"
"""How the log of a take begins that was made of the recording of another tool."""
FAILED = "The firmware failed"
"""A line that begins so tells what stopped the program, with file and line."""
WRITES_A_LINE = 100
MOST_WRITES = 1 << 12

RegisterWrite = tuple[int, int, int]
"""Address, width in bits, value."""
ChannelPointing = tuple[tuple[int, float], ...]
"""Channels with their sampling cycles, in the order in which software points a converter to
them."""
LONGEST_POINTING = 2048
_LATE = re.compile(
    r"changed ([0-9a-f]{1,8}) from ([0-9a-f]{1,8}) at (\d{1,18}) in (\S{1,200}) of (.{1,80}): (\S{1,40})"
)
_POINTED = re.compile(r"pointed ((?:\d{1,9}:\d{1,9}(?:\.\d{1,3})? ){1,64})of (.{1,80})")


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
        " ".join(
            ["pointed", *(f"{channel}:{cycles:g}" for channel, cycles in pointing), "of", name]
        )
        for name, pointing in pointings.items()
    ]


class LateWrite(msgspec.Struct, frozen=True):
    """The first change of a setting by code that nobody generated, while the board ran.

    Attributes
    ----------
    ticks : since the start
    before, after : what stood in the field, as codes
    place : file and line, "" where the image does not say
        Of where the processor was last known to be: the write is there or a few lines below.
    """

    owner: str
    setting: str
    ticks: int
    before: int
    after: int
    place: str


def late_write_text(write: LateWrite) -> str:
    """A line for it: ``changed AFTER from BEFORE at TICKS in PLACE of OWNER: SETTING``, hexadecimal
    values."""
    return (
        f"changed {write.after:x} from {write.before:x} at {write.ticks} in {write.place or '?'} of "
        f"{write.owner}: {write.setting}"
    )


def parse_late_write(text: str) -> LateWrite | None:
    """The write of such a line; None for any other line."""
    match = _LATE.fullmatch(text) if len(text) <= LONGEST_POINTING else None
    if match is None:
        return None
    after, before, ticks, place, owner, setting = match.groups()
    return LateWrite(
        owner, setting, int(ticks), int(before, 16), int(after, 16), "" if place == "?" else place
    )


def parse_pointing(text: str) -> tuple[str, ChannelPointing] | None:
    """The converter of such a line and where it is pointed to; None for any other line."""
    match = _POINTED.fullmatch(text) if len(text) <= LONGEST_POINTING else None
    if match is None:
        return None
    pairs = (part.split(":") for part in match[1].split())
    return match[2], tuple((int(channel), float(cycles)) for channel, cycles in pairs)
