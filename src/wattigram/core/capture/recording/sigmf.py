"""SigMF: a JSON file that describes, and a file of numbers (Signal Metadata Format, version 1)."""

from __future__ import annotations

import json
import re
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording.arrays import decoded
from wattigram.core.capture.recording.channel import Channel, EvenChannel, Recording
from wattigram.core.capture.recording.opening import Reading

META, DATA = ".sigmf-meta", ".sigmf-data"
MOST_BYTES = 64 << 20
_DATATYPE = re.compile(r"([rc])([fiu])(8|16|32|64)(?:_(le|be))?\Z")


def read_sigmf(path: Path, reading: Reading) -> Recording:
    """Real samples of any number of channels; complex ones as two channels each.

    Raises
    ------
    TakeError
        When half of it is missing, or it describes samples that are not read.
    """
    meta_path, data_path = path.with_suffix(META), path.with_suffix(DATA)
    for wanted in (meta_path, data_path):
        if not wanted.exists():
            raise TakeError(
                f"Half of it is missing: {wanted.name}.",
                where=str(path),
                cure="Put both files beside each other.",
            )
    if meta_path.stat().st_size > MOST_BYTES:
        raise TakeError("Its description is larger than any.", where=str(meta_path))
    meta = json.loads(meta_path.read_text(encoding="utf-8"))
    described: Any = meta["global"]
    found = _DATATYPE.match(str(described["core:datatype"]))
    if (
        found is None
        or (found[2] in "iu" and found[3] == "64")
        or (found[2] == "f" and found[3] in "8 16")
    ):
        raise TakeError(
            f"Samples of kind “{described['core:datatype']}” are not read.", where=str(meta_path)
        )
    rate_hz = reading.rate_hz or float(described.get("core:sample_rate", 0))
    if not 0 < rate_hz <= 1e12:
        raise TakeError(
            "It does not say its rate.",
            where=str(meta_path),
            cure="Say the rate in samples a second.",
        )
    parts = 2 if found[1] == "c" else 1
    count = int(described.get("core:num_channels", 1)) * parts
    if not 1 <= count <= 1024:
        raise TakeError(f"It has {count} channels.", where=str(meta_path))
    number, width = f"{found[2]}{found[3]}", int(found[3]) // 8
    skip = int((meta.get("captures") or [{}])[0].get("core:header_bytes", 0))
    rows = (data_path.stat().st_size - skip) // (width * count)
    if rows < 1:
        raise TakeError("It holds no samples.", where=str(data_path))
    data = np.memmap(data_path, np.uint8, "r", skip, (rows, count, width))
    own = described.get("wattigram:channels")
    names = own if isinstance(own, list) and len(own) == count else [{}] * count
    channels: list[Channel] = []
    for place in range(count):
        about = names[place] if isinstance(names[place], dict) else {}
        plain = path.stem if count == 1 else f"{path.stem} {place // parts + 1}"
        if parts == 2:
            plain += " I" if place % 2 == 0 else " Q"
        channels.append(
            EvenChannel(
                str(about.get("name", plain)),
                reading.unit if reading.unit is not None else str(about.get("unit", "")),
                rows,
                rate_hz,
                partial(_numbers, data, place, number, found[4] == "be"),
                scale=reading.scale * float(about.get("scale", 1.0)),
                zero=reading.zero + float(about.get("zero", 0.0)),
                is_coded=found[2] != "f",
            )
        )
    notes = (
        ("Its samples are complex: each channel is given as two, I and Q.",) if parts == 2 else ()
    )
    return Recording(str(path), "SigMF", tuple(channels), notes)


def _numbers(
    data: NDArray[np.uint8], place: int, number: str, big_endian: bool, begin: int, end: int
) -> NDArray[Any]:
    return decoded(np.asarray(data[begin:end, place]), number, big_endian)
