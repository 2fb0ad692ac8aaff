"""Serial ports as firmware meets them: bytes that it gives to them, and words that come."""

from __future__ import annotations

from wattigram.core.contract.serial_line import FRAMING_FAULT, PARITY_FAULT
from wattigram.core.emulator.peripherals import Peripherals


class UartLine:
    """Bytes that firmware gives to a UART, as they leave it one after the other."""

    def __init__(self) -> None:
        self._free = 0.0
        self.bytes: list[tuple[int, int]] = []

    def has_room(self, now: int, byte_ticks: float) -> bool:
        """One byte leaves, and one more can wait."""
        return self._free - now <= byte_ticks

    def room_at(self, byte_ticks: float) -> float:
        """When another byte can wait."""
        return self._free - byte_ticks

    def put(self, now: int, byte: int, byte_ticks: float) -> None:
        """A byte that leaves as soon as it can; one too many takes the place of the one that
        waits."""
        if not self.has_room(now, byte_ticks) and self.bytes:
            self.bytes[-1] = (self.bytes[-1][0], byte)
            return
        start = max(float(now), self._free)
        self.bytes.append((round(start), byte))
        self._free = start + byte_ticks


def put_word(peripherals: Peripherals, uart: str, word: int, faults: int) -> bool:
    """A word has come; one that nobody took is overwritten by it. Whether that raises an interrupt."""
    live = peripherals.live
    if live.get((uart, "arrived", 0)):
        live[uart, "overrun", 0] = 1
    live[uart, "received", 0] = word
    live[uart, "arrived", 0] = 1
    if faults & PARITY_FAULT:
        live[uart, "parity-fault", 0] = 1
    if faults & FRAMING_FAULT:
        live[uart, "framing-fault", 0] = 1
    return peripherals.is_told(uart, "arrived")
