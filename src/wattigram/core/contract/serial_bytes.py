"""What another board sends over a UART, as values and as words."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.board_config import EffectiveSerial, EffectiveWire
from wattigram.core.contract.serial_line import LineReceiver, ReceivedWords

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BYTE_BITS = 8


class WireWords:
    """Words as a UART reads them of its wire, bit by bit of one piece of time after the other."""

    def __init__(self, wire: EffectiveWire) -> None:
        self._wire = wire
        self._sent = 0
        self._receiver = LineReceiver(wire.sends, wire.hears, keeps_faulty=wire.keeps_faulty)

    def take(self, until: float) -> ReceivedWords:
        """Words that are there before ``until`` and were not taken before."""
        values = self._wire.values
        if values is not None:
            end = max(self._sent, int(until / values.every_ticks + 2) * values.words_each)
            self._receiver.feed(*sent_words(self._wire, values, self._sent, end))
            self._sent = end
        return self._receiver.take(until)


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
