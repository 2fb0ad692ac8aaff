"""Words as a UART reads them of its wire."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wattigram.core.board.other_boards import OtherBoard
from wattigram.core.contract.board_config import EffectiveWire
from wattigram.core.contract.serial_bytes import sent_words
from wattigram.core.contract.serial_line import LineReceiver, ReceivedWords


class WireWords:
    """Bit by bit of one piece of time after the other.

    Parameters
    ----------
    boards : other boards, of which one may be at the other end
    """

    def __init__(self, wire: EffectiveWire, boards: Sequence[OtherBoard], tick_hz: int) -> None:
        self._wire = wire
        self._tick_hz = tick_hz
        self._sent = 0
        self._board = boards[wire.board] if wire.board is not None else None
        self._hearing = self._board.listen(wire.board_uart) if self._board is not None else None
        self._receiver = LineReceiver(wire.sends, wire.hears, keeps_faulty=wire.keeps_faulty)

    def take(self, until: float) -> ReceivedWords:
        """Words that are there before ``until`` and were not taken before."""
        values = self._wire.values
        if values is not None:
            end = max(self._sent, int(until / values.every_ticks + 2) * values.words_each)
            self._receiver.feed(*sent_words(self._wire, values, self._sent, end))
            self._sent = end
        if self._board is not None and self._hearing is not None:
            self._board.hear(until / self._tick_hz)
            heard = self._hearing.take(until / self._tick_hz)
            begins_s = np.array([at_s for at_s, _word in heard], dtype=np.float64)
            words = np.array([word for _at_s, word in heard], dtype=np.int64)
            self._receiver.feed(begins_s * self._tick_hz, words)
        return self._receiver.take(until)
