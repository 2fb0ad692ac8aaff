"""Recordings of other tools: which reader a file wants, and what must be said where the file does not."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from wattigram.core.base.errors import TakeError
from wattigram.core.base.foreign import reading_foreign, visible_text
from wattigram.core.base.models import StrictModel
from wattigram.core.capture.recording.channel import Recording

Number = Literal["u8", "i8", "u16", "i16", "i24", "u24", "u32", "i32", "f32", "f64"]
WIDTHS: dict[str, int] = {
    "u8": 1, "i8": 1, "u16": 2, "i16": 2, "i24": 3, "u24": 3, "u32": 4, "i32": 4, "f32": 4, "f64": 8,
}  # fmt: skip


class Reading(StrictModel):
    """What a file does not say itself, or says wrongly; None leaves it to the file.

    Attributes
    ----------
    format : str or None
        One of :data:`READERS`; by the file's first bytes and its ending where nothing is said.
    rate_hz : float or None
        Of each channel; of a table it takes the place of its time column.
    number, channels, big_endian, skip_bytes : of raw numbers, channel after channel in each row
    separator, decimal, time_column : of tables
    unit, scale, zero : of all channels; a value is zero + scale · what is read
    """

    format: str | None = None
    rate_hz: Annotated[float, Meta(gt=0, le=1e12)] | None = None
    number: Number | None = None
    channels: Annotated[int, Meta(ge=1, le=1024)] = 1
    big_endian: bool = False
    skip_bytes: Annotated[int, Meta(ge=0)] = 0
    separator: Literal[",", ";", "\t", " ", "|"] | None = None
    decimal: Literal[".", ","] | None = None
    time_column: str | None = None
    unit: str | None = None
    scale: float = 1.0
    zero: float = 0.0


class Reader(msgspec.Struct, frozen=True):
    """A format: how it is called, its endings, how it begins, and where its reader is."""

    name: str
    title: str
    suffixes: tuple[str, ...]
    begins: tuple[bytes, ...]
    home: str

    def read(self, path: Path, reading: Reading) -> Recording:
        """Open a file with it."""
        module, name = self.home.split(":")
        found: Callable[[Path, Reading], Recording] = getattr(
            __import__(f"wattigram.core.capture.recording.{module}", fromlist=[name]), name
        )
        return found(path, reading)


READERS = (
    Reader("take", "Take", (), (), "containers:read_hdf5"),
    Reader(
        "hdf5", "HDF5", (".h5", ".hdf5", ".hdf"), (b"\x89HDF\r\n\x1a\n",), "containers:read_hdf5"
    ),
    Reader(
        "wav",
        "WAV",
        (".wav", ".wave", ".w64", ".rf64"),
        (b"RIFF", b"RF64", b"RIFX"),
        "waves:read_wav",
    ),
    Reader("npy", "NumPy array", (".npy",), (b"\x93NUMPY",), "arrays:read_npy"),
    Reader("npz", "NumPy arrays", (".npz",), (b"PK\x03\x04",), "arrays:read_npz"),
    Reader("mat", "MAT", (".mat",), (b"MATLAB 5.0",), "containers:read_mat"),
    Reader("sigmf", "SigMF", (".sigmf-meta", ".sigmf-data"), (), "sigmf:read_sigmf"),
    Reader("raw", "Raw numbers", (".raw", ".bin", ".dat", ".pcm"), (), "arrays:read_raw"),
    Reader(
        "table",
        "Table of text",
        (".csv", ".tsv", ".txt", ".tab", ".log", ".asc"),
        (),
        "tables:read_table",
    ),
)
"""In the order in which they are asked."""
CHOOSE = "Choose a recording that is there."


def open_recording(path: Path, reading: Reading | None = None) -> Recording:
    """Open a take, or a recording that another tool made.

    Raises
    ------
    TakeError
        When the file is not there, is none of the formats, or lacks something that must be said.
    """
    reading = reading or Reading()
    where = visible_text(str(path))
    if "\0" in str(path) or not path.exists():
        raise TakeError(
            "The recording cannot be opened: there is no such file.", where=where, cure=CHOOSE
        )
    if path.is_dir():
        raise TakeError("The recording cannot be opened: it is a folder.", where=where, cure=CHOOSE)
    with reading_foreign(TakeError, "The recording cannot be opened", where, CHOOSE):
        reader = _reader(path, reading)
        return reader.read(path, reading)


def _reader(path: Path, reading: Reading) -> Reader:
    if reading.format is not None:
        for reader in READERS:
            if reader.name == reading.format:
                return reader
        known = ", ".join(reader.name for reader in READERS)
        raise TakeError(
            f"“{reading.format}” is no format of recordings.",
            where=str(path),
            cure=f"Choose one of {known}.",
        )
    with path.open("rb") as file:
        begin = file.read(16)
    suffix = path.suffix.lower()
    for reader in READERS:
        if any(begin.startswith(mark) for mark in reader.begins):
            return reader
    for reader in READERS:
        if suffix in reader.suffixes:
            return reader
    if begin and all(byte in b"\t\r\n" or byte >= 0x20 for byte in begin):
        return next(reader for reader in READERS if reader.name == "table")
    endings = ", ".join(suffix for reader in READERS for suffix in reader.suffixes)
    raise TakeError(
        "Nothing says what this recording is.",
        where=visible_text(str(path)),
        cure=f"Say its format, or give it one of these endings: {endings}.",
    )
