"""Whether a file is a take that can be read, before anything of it is believed."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import h5py
import numpy as np

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.take.layout import (
    EVENT_DTYPE,
    FORMAT,
    FORMER_EVENT_DTYPE,
    FRAME_DTYPE,
    GAP_DTYPE,
    VERSION,
    word_in,
)

ITEM_TYPES = frozenset({"|u1", "<u2", "<u4"})
LARGEST_STREAM_ITEMS = 1 << 34
LARGEST_TICKS = LARGEST_ITEM = 1 << 62
LARGEST_TEXT_BYTES = 8 << 20
MOST_STREAMS = 256
REPAIR = "“wattigram take repair” makes a sound take of what is there."


def check_take(file: Any, where: str) -> None:
    """Raise :class:`TakeError` where an open HDF5 file is no sound take of a known version."""
    if file.attrs.get("format") != FORMAT:
        raise TakeError(
            "This HDF5 file is no take of Wattigram.", where=where, cure="Choose another file."
        )
    version = int(file.attrs["version"])
    if not 1 <= version <= VERSION:
        raise TakeError(
            f"The take has version {version}, and this program knows up to {VERSION}.",
            where=where,
            cure="Use a newer Wattigram.",
        )
    if not 0 < int(file.attrs["tick_hz"]) <= 10**10:
        raise TakeError("The take's tick_hz is impossible.", where=where)
    if not 0 <= int(file.attrs.get("begins_ticks", 0)) <= LARGEST_TICKS:
        raise TakeError("The take begins at an impossible instant.", where=where)
    str(file.attrs[word_in(file.attrs, "build_id")])
    event_dtype = EVENT_DTYPE if version >= 4 else FORMER_EVENT_DTYPE
    tables = {"events": event_dtype, "gaps": GAP_DTYPE} | (
        {"repeats": GAP_DTYPE} if "repeats" in file else {}
    )
    for name, dtype in tables.items():
        _check_table(_dataset(file, name, where), name, dtype, where)
    for name in ("log", "bench"):
        if name in file or name == "log":
            texts = _dataset(file, name, where)
            if h5py.check_string_dtype(texts.dtype) is None or texts.ndim != 1:
                raise TakeError(f"The take's “{name}” holds no lines of text.", where=where)
    for name in ("project", "part"):
        if name in file or name == "project":
            text = _dataset(file, name, where)
            if h5py.check_string_dtype(text.dtype) is None or text.shape != ():
                raise TakeError(f"The take's “{name}” is no text.", where=where)
    for name, group in _streams(file, where):
        _check_stream(file, name, group, where)


def _streams(file: Any, where: str) -> Iterator[tuple[str, Any]]:
    streams = _own(file, "streams", where)
    if not isinstance(streams, h5py.Group) or len(streams) > MOST_STREAMS:
        raise TakeError("The take's “streams” is no group of streams.", where=where)
    for name in streams:
        if not (name.isascii() and name.isdigit() and len(name) < 4 and int(name) < MOST_STREAMS):
            raise TakeError(
                f"The take has a stream “{name[:20]}”, and streams are numbers below 256.",
                where=where,
            )
        group = _own(streams, name, where)
        if not isinstance(group, h5py.Group):
            raise TakeError(f"Stream {name} is no group.", where=where)
        yield name, group


def _check_stream(file: Any, name: str, group: Any, where: str) -> None:
    items = _dataset(group, word_in(group, "samples"), where)
    if (
        items.ndim != 1
        or items.dtype.str not in ITEM_TYPES
        or items.shape[0] > LARGEST_STREAM_ITEMS
    ):
        raise TakeError(f"Stream {name} does not hold unsigned samples in a row.", where=where)
    _check_table(_dataset(group, "frames", where), f"frames of stream {name}", FRAME_DTYPE, where)
    if not 0 <= int(items.attrs.get("first", 0)) <= LARGEST_ITEM:
        raise TakeError(f"Stream {name} begins with an impossible sample.", where=where)
    if "extremes" in group:
        cells = _dataset(group, "extremes", where)
        if cells.ndim != 3 or cells.dtype.str != "<i8" or cells.shape[0] > _held(cells):
            raise TakeError(f"The extremes of stream {name} are none.", where=where, cure=REPAIR)
    gaps = file["gaps"][:]
    mine = gaps[gaps["stream"] == int(name)]
    absent = int(np.minimum(mine["count"], LARGEST_STREAM_ITEMS).sum()) if len(mine) else 0
    if items.shape[0] > _held(items) + absent:
        raise TakeError(
            f"Stream {name} says that it has {items.shape[0]} samples, and the file holds at most "
            f"{_held(items)} of them.",
            where=where,
            cure=REPAIR,
        )


def _held(data: Any) -> int:
    """Elements of a dataset that the file has room for, whatever its header says."""
    if data.chunks is None:
        return int(data.id.get_storage_size() // data.dtype.itemsize)
    return int(data.id.get_num_chunks() * data.chunks[0])


def _check_table(data: Any, name: str, dtype: np.dtype[Any], where: str) -> None:
    if set(data.dtype.names or ()) != set(dtype.names or ()) or data.ndim != 1:
        raise TakeError(f"The take's “{name}” has other columns than it should.", where=where)
    if data.shape[0] > _held(data):
        raise TakeError(
            f"The take's “{name}” says that it has {data.shape[0]} rows, and the file has no room "
            "for them.",
            where=where,
            cure=REPAIR,
        )


def _own(parent: Any, name: str, where: str) -> Any:
    """What hangs under a name in the file itself; links would lead to other files, or round in
    circles."""
    if not isinstance(parent.get(name, getlink=True), h5py.HardLink):
        raise TakeError(
            f"The take's “{name}” is a link, and takes have none.",
            where=where,
            cure="Choose another file.",
        )
    return parent[name]


def _dataset(parent: Any, name: str, where: str) -> Any:
    data = _own(parent, name, where) if name in parent else None
    if not isinstance(data, h5py.Dataset):
        raise TakeError(f"The take's “{name}” is no dataset.", where=where, cure=REPAIR)
    if data.is_virtual or data.external:
        raise TakeError(
            f"The take's “{name}” lies in another file.", where=where, cure="Choose another file."
        )
    return data
