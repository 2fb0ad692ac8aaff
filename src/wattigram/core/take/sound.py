"""Whether a file is a take that can be read, before anything of it is believed."""

from __future__ import annotations

from typing import Any

import h5py

from wattigram.core.errors import TakeError
from wattigram.core.take.writer import EVENT_DTYPE, FORMAT, GAP_DTYPE, VERSION

_ITEM_TYPES = frozenset({"|u1", "<u2", "<u4"})
LARGEST_STREAM_ITEMS = 1 << 34


def check_take(file: Any, where: str) -> None:
    """Raise :class:`TakeError` where an open HDF5 file is no sound take of a known version."""
    if file.attrs.get("format") != FORMAT:
        raise TakeError("This HDF5 file is no take of Wattigram.", where=where, cure="Choose another file.")
    version = int(file.attrs["version"])
    if not 1 <= version <= VERSION:
        raise TakeError(
            f"The take has version {version}, and this program knows up to {VERSION}.",
            where=where,
            cure="Use a newer Wattigram.",
        )
    if not 0 < int(file.attrs["tick_hz"]) <= 10**10:
        raise TakeError("The take's tick_hz is impossible.", where=where)
    str(file.attrs["build_mark"])
    tables = {"events": EVENT_DTYPE, "gaps": GAP_DTYPE} | ({"repeats": GAP_DTYPE} if "repeats" in file else {})
    for name in (*tables, "log", "project"):
        if not isinstance(file[name], h5py.Dataset):
            raise TakeError(f"The take's “{name}” is no dataset.", where=where)
    for name, dtype in tables.items():
        if set(file[name].dtype.names or ()) != set(dtype.names or ()) or file[name].ndim != 1:
            raise TakeError(f"The take's “{name}” has other columns than it should.", where=where)
    for name in ("project", "part"):
        if name in file and (
            not isinstance(file[name], h5py.Dataset)
            or h5py.check_string_dtype(file[name].dtype) is None
            or file[name].shape != ()
        ):
            raise TakeError(f"The take's “{name}” is no text.", where=where)
    for name, group in file["streams"].items():
        items = group["items"]
        if not (name.isascii() and name.isdigit() and int(name) < 256):
            raise TakeError(f"The take has a stream “{name[:20]}”, and streams are numbers below 256.", where=where)
        if items.ndim != 1 or items.dtype.str not in _ITEM_TYPES or items.shape[0] > LARGEST_STREAM_ITEMS:
            raise TakeError(f"Stream {name} does not hold unsigned items in a row.", where=where)
        if set(group["frames"].dtype.names or ()) != {"first", "count", "ticks"}:
            raise TakeError(f"Stream {name} has no proper list of frames.", where=where)
