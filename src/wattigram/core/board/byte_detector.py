"""Bytes that come over a serial port, as events."""

from __future__ import annotations

from wattigram.core.board.event_detection import DetectedEvent
from wattigram.core.board.wire_words import WireWords
from wattigram.core.contract.board_config import EffectiveWire


class ByteDetector:
    """A UART whose bytes the program waits for."""

    def __init__(self, wire: EffectiveWire, words: WireWords) -> None:
        self.watches = wire.watches
        self._words = words

    def advance(self, ticks: int) -> list[DetectedEvent]:
        """What came before then, in the order of time."""
        came = self._words.take(ticks)
        return [
            DetectedEvent(one.watch, True, word, round(at), place)
            for place, (at, word) in enumerate(
                zip(came.ticks.tolist(), came.words.tolist(), strict=True)
            )
            for one in self.watches
            if one.byte is None or one.byte == word
        ]
