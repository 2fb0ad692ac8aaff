"""How numbers are written in what other firmware sends: lines of text, or bytes."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from wattigram.core.base.models import StrictModel

Separator = Literal[",", ";", "\t", " ", "|"]
Decimal = Literal[".", ","]
ColumnName = Annotated[str, Meta(min_length=1, max_length=80)]
MOST_COLUMNS = 256
Number = Literal["u8", "i8", "u16", "i16", "u24", "i24", "u32", "i32", "f32", "f64"]
NUMBERS: dict[str, int] = {
    "u8": 1, "i8": 1, "u16": 2, "i16": 2, "u24": 3, "i24": 3, "u32": 4, "i32": 4, "f32": 4, "f64": 8,
}  # fmt: skip
"""Kinds of numbers, and their bytes."""
Framing = Literal["none", "sync", "cobs", "slip"]
MOST_CHANNELS = 64
LONGEST_FRAME = 4096


class TextColumn(StrictModel):
    """One number of a line.

    ``radix`` 16 is for bare hexadecimal numbers; those with 0x are known by that. ``is_time`` tells instants, in
    the unit, or as a date or a time of day.
    """

    name: ColumnName
    unit: Annotated[str, Meta(max_length=16)] = ""
    is_time: bool = False
    radix: Literal[10, 16] = 10


class TextFormat(StrictModel):
    """How the numbers of a line are written.

    With ``labelled`` each stands behind its name, as in ``a=12`` or ``a: 12``, in any order, and a separator does
    not matter.
    """

    columns: Annotated[tuple[TextColumn, ...], Meta(min_length=1, max_length=MOST_COLUMNS)]
    separator: Separator = ","
    decimal: Decimal = "."
    labelled: bool = False

    @property
    def title(self) -> str:
        """As it is told to people."""
        count = len(self.columns)
        parts = [f"{count} number{'s' if count > 1 else ''} a line"]
        if self.labelled:
            parts.append("each behind its name")
        elif count > 1:
            words = {",": "comma", ";": "semicolon", "\t": "tab", " ": "space", "|": "bar"}
            parts.append(f"with a {words[self.separator]} between")
        if self.decimal == ",":
            parts.append("with a decimal comma")
        if any(column.radix == 16 for column in self.columns):
            parts.append("in hexadecimal")
        return ", ".join(parts)


class BinaryFormat(StrictModel):
    """How numbers lie in bytes.

    Attributes
    ----------
    number, big_endian, channels
        Rows of all channels, one after the other.
    framing
        ``none``: rows and nothing else, so that a byte that is lost is not noticed. ``sync``: each frame begins
        with the bytes ``sync``. ``cobs`` and ``slip``: frames end with a byte that is in none (RFC 1055 for SLIP;
        Cheshire and Baker for COBS).
    sync : str
        In hexadecimal; "" for none.
    frame_bytes : int
        Of a frame, sync included, stuffing taken out; 0 without frames.
    skip_bytes : int
        Between sync and the first number.
    counter_at, counter_bytes : int
        A number in each frame that grows by one, by its place in the frame; 0 bytes where there is none.
    """

    number: Number
    channels: Annotated[int, Meta(ge=1, le=MOST_CHANNELS)] = 1
    big_endian: bool = False
    framing: Framing = "none"
    sync: Annotated[str, Meta(pattern=r"^(?:[0-9a-f]{2}){0,16}\Z")] = ""
    frame_bytes: Annotated[int, Meta(ge=0, le=LONGEST_FRAME)] = 0
    skip_bytes: Annotated[int, Meta(ge=0, le=LONGEST_FRAME)] = 0
    counter_at: Annotated[int, Meta(ge=0, le=LONGEST_FRAME)] = 0
    counter_bytes: Annotated[int, Meta(ge=0, le=4)] = 0
    rows: Annotated[int, Meta(ge=1, le=LONGEST_FRAME)] = 1
    """In a frame."""

    def __post_init__(self) -> None:
        if self.framing == "sync" and not self.sync:
            raise ValueError("frames that begin with a sync have one. Say its bytes.")
        if (
            self.framing != "none"
            and self.first_byte + self.row_bytes * self.rows > self.frame_bytes
        ):
            raise ValueError("the numbers do not fit into a frame. Make it longer.")
        if self.counter_at + self.counter_bytes > max(self.frame_bytes, 0) and self.counter_bytes:
            raise ValueError("the counter lies beyond the frame's end.")

    @property
    def row_bytes(self) -> int:
        """Of one row."""
        return NUMBERS[self.number] * self.channels

    @property
    def first_byte(self) -> int:
        """Place of the first number in a frame."""
        return len(self.sync) // 2 + self.skip_bytes

    @property
    def title(self) -> str:
        """As it is told to people."""
        words = {"u": "unsigned", "i": "signed", "f": "float"}
        bits = 8 * NUMBERS[self.number]
        kind = f"{bits}-bit {words[self.number[0]]}"
        if bits > 8:
            kind += ", highest byte first" if self.big_endian else ", lowest byte first"
        told = [f"{self.channels} channel{'s' if self.channels > 1 else ''} of {kind}"]
        match self.framing:
            case "sync":
                told.append(f"frames of {self.frame_bytes} bytes that begin with {self.sync}")
            case "cobs" | "slip":
                told.append(f"{self.framing.upper()} frames of {self.frame_bytes} bytes")
            case _:
                pass
        if self.counter_bytes:
            told.append(f"a counter of {8 * self.counter_bytes} bits")
        return "; ".join(told)
