"""Bytes that come over a serial port, as events."""

from __future__ import annotations

from wattigram.core.board.event_detection import DetectedEvent
from wattigram.core.contract.board_config import EffectiveWire
from wattigram.core.contract.serial_bytes import WireWords


class ByteDetector:
    """A UART whose bytes the program waits for."""

    def __init__(self, wire: EffectiveWire) -> None:
        self.watches = wire.watches
        self._words = WireWords(wire)

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
