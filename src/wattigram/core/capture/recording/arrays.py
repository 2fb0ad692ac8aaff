"""NumPy files, and raw numbers without any description."""

from __future__ import annotations

import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording.channel import (
    Channel,
    EvenChannel,
    Recording,
    TimedChannel,
    even_rate_hz,
)
from wattigram.core.capture.recording.opening import WIDTHS, Reading

TIME_NAMES = frozenset(
    {"t", "time", "time_s", "times", "times_s", "seconds", "timestamp", "timestamps"}
)
RATE_NAMES = frozenset(
    {"fs", "rate", "rate_hz", "sample_rate", "samplerate", "sampling_rate", "fsample"}
)
MOST_CHANNELS = 1024
MOST_BYTES = 1 << 31
"""Of an array that cannot be read in parts."""
NO_RATE = "Say the rate in samples a second."


def read_npy(path: Path, reading: Reading) -> Recording:
    """An array: one channel, or one a column; it is not read before it is asked for."""
    array = np.load(path, mmap_mode="r", allow_pickle=False)
    return Recording(str(path), "NumPy array", channels_of({path.stem: array}, reading, str(path)))


def read_npz(path: Path, reading: Reading) -> Recording:
    """Several arrays, each with its name; one called like a time is the instants of all that are as long, one
    number called like a rate their rate.

    Raises
    ------
    TakeError
        When it is larger than what is read at once, or nobody says the rate.
    """
    with zipfile.ZipFile(path) as archive:
        size = sum(item.file_size for item in archive.infolist())
    if size > MOST_BYTES:
        raise TakeError(
            f"Its arrays take {size / 1e9:.1f} GB of memory, and a packed file cannot be read in parts.",
            where=str(path),
            cure="Save them as single .npy files.",
        )
    with np.load(path, allow_pickle=False) as archive:
        arrays = {name: archive[name] for name in archive.files}
    return Recording(str(path), "NumPy arrays", channels_of(arrays, reading, str(path)))


def channels_of(
    arrays: dict[str, Any], reading: Reading, where: str, units: dict[str, str] | None = None
) -> tuple[Channel, ...]:
    """Channels of arrays by name, (n,) or (n, channels) each; records by their fields.

    Raises
    ------
    TakeError
        Where no array holds numbers, or nobody says the rate.
    """
    times: dict[int | str, Any] = {}
    """By the length of what they belong to, or by its name."""
    rate_hz = reading.rate_hz
    streams: list[tuple[str, Any]] = []
    for name, array in arrays.items():
        plain = name.rsplit("/", 1)[-1].lower()
        if getattr(array, "dtype", None) is None or array.ndim > 2 or not array.size:
            continue
        if array.dtype.names:
            fields = {field: array[field] for field in array.dtype.names}
            streams += [(field, column) for field, column in fields.items() if _is_number(column)]
        elif not _is_number(array) or plain == "code":
            continue
        elif array.size == 1:
            if plain in RATE_NAMES and rate_hz is None:
                rate_hz = float(np.asarray(array).ravel()[0])
        elif array.ndim == 2 and 1 not in array.shape:
            across = array.T if array.shape[0] > array.shape[1] else array
            streams += [(f"{name} {number}", row) for number, row in enumerate(across)]
        else:
            streams.append((name, array if array.ndim == 1 else np.asarray(array).ravel()))
    for name, array in list(streams):
        owner = _owner_of_time(name, {one for one, _ in streams})
        if owner is not None and reading.rate_hz is None:
            times[owner or len(array)] = array
        if owner is not None:
            streams = [one for one in streams if one[0] != name]
    if not streams:
        raise TakeError("It holds no numbers that make a stream.", where=where)
    if len(streams) > MOST_CHANNELS:
        raise TakeError(f"It holds {len(streams)} streams, more than {MOST_CHANNELS}.", where=where)
    return tuple(
        _channel(
            name,
            array,
            times.get(name, times.get(len(array))),
            rate_hz,
            reading,
            where,
            (units or {}).get(name),
        )
        for name, array in streams
    )


def _owner_of_time(name: str, names: set[str]) -> str | None:
    """Whose instants an array holds, by its name: "" for all that are as long; None where it holds none."""
    head, slash, tail = name.rpartition("/")
    if tail.lower() in TIME_NAMES:
        return head if slash and head in names else ""
    for ending in sorted(TIME_NAMES, key=len, reverse=True):
        owner = name.removesuffix(f"_{ending}")
        if owner != name and owner in names:
            return owner
    return None


def _is_number(array: Any) -> bool:
    return np.asarray(array[:0]).dtype.kind in "iufb" if array.ndim else array.dtype.kind in "iuf"


def _channel(
    name: str,
    array: Any,
    times: Any,
    rate_hz: float | None,
    reading: Reading,
    where: str,
    unit: str | None,
) -> Channel:
    unit = reading.unit if reading.unit is not None else (unit or "")
    if times is not None:
        begin_s = float(times[0])
        even_hz = even_rate_hz(lambda begin, end: np.asarray(times[begin:end]), len(times))
        if even_hz is not None:
            return _even(name, unit, array, even_hz, reading)
        return TimedChannel(
            name,
            unit,
            len(array),
            lambda begin, end: (
                np.asarray(array[begin:end], dtype=np.float64) * reading.scale + reading.zero
            ),
            lambda begin, end: np.asarray(times[begin:end], dtype=np.float64) - begin_s,
        )
    if rate_hz is None or not 0 < rate_hz <= 1e12:
        raise TakeError(f"Nothing says the rate of “{name}”.", where=where, cure=NO_RATE)
    return _even(name, unit, array, rate_hz, reading)


def _even(name: str, unit: str, array: Any, rate_hz: float, reading: Reading) -> EvenChannel:
    return EvenChannel(
        name,
        unit,
        len(array),
        rate_hz,
        lambda begin, end: np.asarray(array[begin:end]),
        scale=reading.scale,
        zero=reading.zero,
        is_coded=np.asarray(array[:0]).dtype.kind in "iu",
    )


def read_raw(path: Path, reading: Reading) -> Recording:
    """Numbers one after the other, row by row of all channels.

    Raises
    ------
    TakeError
        When nobody says what they are, or it is too short.
    """
    if reading.number is None:
        raise TakeError(
            "Raw numbers do not say what they are.",
            where=str(path),
            cure="Say their kind (u8 to f64), how many channels there are, and the rate.",
        )
    if reading.rate_hz is None:
        raise TakeError("Raw numbers have no rate.", where=str(path), cure=NO_RATE)
    width = WIDTHS[reading.number]
    size = path.stat().st_size - reading.skip_bytes
    rows = size // (width * reading.channels)
    if rows < 1:
        raise TakeError("It is shorter than one row of numbers.", where=str(path))
    left = size - rows * width * reading.channels
    data = np.memmap(path, np.uint8, "r", reading.skip_bytes, (rows, reading.channels, width))
    channels = tuple(
        EvenChannel(
            f"{path.stem} {number + 1}" if reading.channels > 1 else path.stem,
            reading.unit or "",
            rows,
            reading.rate_hz,
            _numbers_of(data[:, number], reading.number, reading.big_endian),
            scale=reading.scale,
            zero=reading.zero,
            is_coded=reading.number[0] != "f",
            full_scale=abs(reading.scale) * 2 ** (8 * width) if reading.number[0] != "f" else None,
        )
        for number in range(reading.channels)
    )
    notes = (f"{left} bytes at the end make no whole row.",) if left else ()
    return Recording(str(path), "raw numbers", channels, notes)


def _numbers_of(data: NDArray[np.uint8], number: str, big_endian: bool) -> Any:
    def read(begin: int, end: int) -> NDArray[Any]:
        return decoded(np.asarray(data[begin:end]), number, big_endian)

    return read


def decoded(data: NDArray[np.uint8], number: str, big_endian: bool) -> NDArray[Any]:
    """Numbers from their bytes, (n, width) uint8 to (n,)."""
    data = data if big_endian else data[:, ::-1]  # the highest byte first
    if number in {"i24", "u24"}:
        wide = data.astype(np.int32)
        value = wide[:, 0] << 16 | wide[:, 1] << 8 | wide[:, 2]
        return np.asarray(
            np.where(value >= 1 << 23, value - (1 << 24), value) if number == "i24" else value
        )
    kind = {"u": "u", "i": "i", "f": "f"}[number[0]]
    return np.ascontiguousarray(data).view(f">{kind}{WIDTHS[number]}").ravel()
