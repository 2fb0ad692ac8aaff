"""HDF5 and MAT files: takes, and data sets of other tools."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import h5py
import numpy as np

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording.arrays import MOST_BYTES, RATE_NAMES, TIME_NAMES, channels_of
from wattigram.core.capture.recording.channel import Recording
from wattigram.core.capture.recording.from_take import recording_of_take
from wattigram.core.capture.recording.opening import Reading
from wattigram.core.capture.take.layout import FORMAT
from wattigram.core.capture.take.reader import open_take

MOST_SETS = 4096
_UNITS = ("units", "unit")


class _Part:
    """A data set, or one of its columns, that is read in parts."""

    def __init__(self, data: Any, column: int | None = None) -> None:
        self._data, self._column = data, column
        self.dtype = data.dtype
        self.shape = data.shape if column is None else data.shape[:1]
        self.ndim = len(self.shape)
        self.size = int(np.prod(self.shape))

    def __len__(self) -> int:
        return int(self.shape[0])

    def __getitem__(self, part: Any) -> Any:
        return self._data[part] if self._column is None else self._data[part, self._column]


def read_hdf5(path: Path, reading: Reading) -> Recording:
    """A take, or the data sets of another tool: a rate beside them, an attribute with one, or a data set of times
    tells when."""
    try:
        with h5py.File(path, "r") as file:
            is_take = str(file.attrs.get("format", "")) == FORMAT
    except (OSError, RuntimeError):
        is_take = True  # whatever is wrong with it is told as of a take
    if is_take:
        return recording_of_take(open_take(path))
    file = h5py.File(path, "r")
    try:
        arrays, units, rate_hz = _sets(file, path)
        if reading.rate_hz is None and rate_hz is not None:
            reading = reading.replaced(rate_hz=rate_hz) if not _times_in(arrays) else reading
        return Recording(
            str(path), "HDF5", channels_of(arrays, reading, str(path), units), (), file.close
        )
    except BaseException:
        file.close()
        raise


def _times_in(arrays: dict[str, Any]) -> bool:
    return any(name.rsplit("/", 1)[-1].lower() in TIME_NAMES for name in arrays)


def _sets(file: Any, path: Path) -> tuple[dict[str, Any], dict[str, str], float | None]:
    """Data sets of numbers by their names, their units, and a rate that some attribute tells."""
    arrays: dict[str, Any] = {}
    units: dict[str, str] = {}
    rates: list[float] = []

    def look(name: str, item: Any) -> None:
        for key in item.attrs:
            if key.lower() in RATE_NAMES and np.size(item.attrs[key]) == 1:
                rates.append(float(np.ravel(item.attrs[key])[0]))
        if not isinstance(item, h5py.Dataset):
            return
        if len(arrays) >= MOST_SETS:
            raise TakeError(f"It holds more than {MOST_SETS} data sets.", where=str(path))
        if item.ndim == 2 and 1 < item.shape[1] <= item.shape[0] and item.dtype.kind in "iuf":
            for column in range(item.shape[1]):
                arrays[f"{name} {column}"] = _Part(item, column)
        elif item.ndim == 1 and item.dtype.kind in "iuf":
            arrays[name] = _Part(item)
        elif (
            item.ndim <= 2
            and item.size * item.dtype.itemsize <= MOST_BYTES
            and item.dtype.kind in "iufV"
        ):
            arrays[name] = np.asarray(item[()])
        unit = next((str(item.attrs[key]) for key in _UNITS if key in item.attrs), "")
        units.update(
            {key: unit for key in arrays if unit and key.startswith(name) and key not in units}
        )

    look("", file)
    file.visititems(look)
    return arrays, units, rates[0] if rates else None


def read_mat(path: Path, reading: Reading) -> Recording:
    """Variables of a MAT file: of version 5 at once, of version 7.3 in parts.

    Raises
    ------
    TakeError
        When it is of version 5 and too large to be read at once, or holds no streams.
    """
    with path.open("rb") as file:
        head = file.read(128)
    if b"MATLAB 7.3" in head:
        return read_hdf5(path, reading)
    if path.stat().st_size > MOST_BYTES:
        raise TakeError(
            "A MAT file of that version and size cannot be read in parts.",
            where=str(path),
            cure="Save it as version 7.3.",
        )
    from scipy.io import loadmat  # late: a third of a second that only this format costs

    variables = loadmat(path, mat_dtype=False, struct_as_record=True, squeeze_me=False)
    arrays = {
        name: np.asarray(value)
        for name, value in variables.items()
        if not name.startswith("__") and isinstance(value, np.ndarray) and value.dtype.kind in "iuf"
    }
    return Recording(str(path), "MAT", channels_of(arrays, reading, str(path)))
