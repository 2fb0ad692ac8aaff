"""What another board sends over a UART, as values and as words."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.board_config import EffectiveSerial, EffectiveWire

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BYTE_BITS = 8


def sent_words(
    wire: EffectiveWire, values: EffectiveSerial, begin: int, end: int
) -> tuple[FloatArray, IntArray]:
    """Words ``begin`` to ``end`` that another board sends: ticks at which each begins, and the word.

    Both are (words,): float64 and int64. Words of a value follow each other.
    """
    numbers = np.arange(begin, end)
    value, part = numbers // values.words_each, numbers % values.words_each
    codes = serial_codes(values, value)
    low_first = part if values.low_first else values.words_each - 1 - part
    words = codes >> (BYTE_BITS * low_first)
    if values.words_each > 1:
        words &= (1 << BYTE_BITS) - 1
    word_ticks = wire.sends.frame_bits * wire.sends.bit_ticks
    return value * values.every_ticks + part * word_ticks, words


def serial_codes(serial: EffectiveSerial, numbers: IntArray) -> IntArray:
    """Values that another board sends: there and back between two shares of full scale, rounded
    half up.

    ``numbers`` and the result are (n,) int64.
    """
    turns = np.mod(numbers * (serial.every_ticks / serial.period_ticks), 1.0)
    share = serial.from_share + (serial.to_share - serial.from_share) * (1 - np.abs(1 - 2 * turns))
    highest = (1 << serial.bits) - 1
    return np.asarray(np.clip(np.floor(share * highest + 0.5), 0, highest).astype(np.int64))
