"""What another board sends over a UART, as values and as bytes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.board_config import EffectiveSerial

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


def serial_bytes(serial: EffectiveSerial, begin: int, end: int) -> tuple[FloatArray, IntArray]:
    """Bytes ``begin`` to ``end`` that another board sends: ticks at which each has arrived, and the
    byte.

    Both are (bytes,): float64 and int64.
    """
    numbers = np.arange(begin, end)
    value, part = numbers // serial.bytes_each, numbers % serial.bytes_each
    at_ticks = value * serial.every_ticks
    codes = serial_codes(serial, value)
    low_first = part if serial.low_first else serial.bytes_each - 1 - part
    sent = (codes >> (8 * low_first)) & 0xFF
    read = np.array(serial.reads, dtype=np.int64)[sent] if serial.reads else sent
    return at_ticks + (part + 1) * serial.byte_ticks, read


def serial_codes(serial: EffectiveSerial, numbers: IntArray) -> IntArray:
    """Values that another board sends: there and back between two shares of full scale, rounded
    half up.

    ``numbers`` and the result are (n,) int64.
    """
    turns = np.mod(numbers * (serial.every_ticks / serial.period_ticks), 1.0)
    share = serial.from_share + (serial.to_share - serial.from_share) * (1 - np.abs(1 - 2 * turns))
    highest = (1 << serial.bits) - 1
    return np.asarray(np.clip(np.floor(share * highest + 0.5), 0, highest).astype(np.int64))
