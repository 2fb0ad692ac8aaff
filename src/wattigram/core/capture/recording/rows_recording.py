"""Rows that come one after the other, as a recording: kept in a temporary file until they are read."""

from __future__ import annotations

import tempfile
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.foreign.stream_reader import (
    Format,
    column_names,
    column_units,
    time_column,
)
from wattigram.core.capture.recording.channel import (
    Channel,
    EvenChannel,
    Recording,
    TimedChannel,
    even_rate_hz,
)


class RowsRecording:
    """Takes in rows of a foreign stream; gives them as a recording at the end."""

    def __init__(self, title: str, form: Format) -> None:
        self._title, self._form = title, form
        self._store = tempfile.TemporaryFile(prefix="wattigram-")  # noqa: SIM115
        # It lives until the recording is asked for, and its map as long as that.
        self.rows = 0

    def add(self, values: NDArray[np.float64]) -> None:
        """Take in (rows, columns) float64."""
        self._store.write(np.ascontiguousarray(values).tobytes())
        self.rows += len(values)

    def finish(self, rate_hz: float | None) -> Recording:
        """All of it; ``rate_hz`` is of the rows, where no column is the time.

        Raises
        ------
        TakeError
            Of no rows, of times that do not ascend, or where nobody knows the rate.
        """
        names, units = column_names(self._form), column_units(self._form)
        if not self.rows:
            self.close()
            raise TakeError("No row of numbers came.", where=self._title)
        self._store.flush()
        data: Any = np.memmap(self._store, np.float64, "r", 0, (self.rows, len(names)))
        self.close()
        time = time_column(self._form)
        channels: list[Channel] = []
        times = None if time is None else partial(_since_first, data, time)
        even_hz = rate_hz if times is None else even_rate_hz(times, self.rows)
        if times is None and even_hz is None:
            raise TakeError(
                "Nobody says the rate of its rows.", where=self._title, cure="Say the rate."
            )
        for place, (name, unit) in enumerate(zip(names, units, strict=True)):
            if place == time:
                continue
            read = partial(_column, data, place)
            if even_hz is not None:
                channels.append(EvenChannel(name, unit, self.rows, even_hz, read))
            elif times is not None:
                channels.append(TimedChannel(name, unit, self.rows, read, times))
        return Recording(self._title, self._form.title, tuple(channels))

    def close(self) -> None:
        """Let the file go; what was mapped stays."""
        self._store.close()


def _column(data: Any, place: int, begin: int, end: int) -> NDArray[np.float64]:
    return np.asarray(data[begin:end, place])


def _since_first(data: Any, place: int, begin: int, end: int) -> NDArray[np.float64]:
    return np.asarray(data[begin:end, place]) - float(data[0, place])
