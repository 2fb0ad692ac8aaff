"""Bit clock of a UART: a divider of the bus clock, and what a byte takes."""

from __future__ import annotations

from fractions import Fraction

import msgspec

from wattigram.core.model.design.outputs import UartSetup
from wattigram.core.model.design.workspace import Workspace


class UartTiming(msgspec.Struct, frozen=True):
    """A UART as it is really clocked.

    Attributes
    ----------
    baud_hz : Fraction
        Bits per second, which differ from those wanted as far as the divider goes.
    error : Fraction
        Share by which they are too many.
    bits : Fraction
        Bit times of a byte: start, data, parity, stop.
    """

    divider: int
    baud_hz: Fraction
    error: Fraction
    bits: Fraction

    @property
    def byte_s(self) -> Fraction:
        """Time of a byte on the wire."""
        return self.bits / self.baud_hz

    @property
    def bytes_hz(self) -> Fraction:
        """Bytes per second at most."""
        return self.baud_hz / self.bits


def uart_timing(workspace: Workspace, uart: UartSetup) -> UartTiming:
    """Nearest legal divider and what follows from it; a frame is start + data + parity + stop
    bits."""
    part = workspace.part.uart(uart.name)
    assert part is not None
    wanted = workspace.bus_clock_hz / (part.oversampling * uart.baud)
    divider = min(max(1, round(wanted)), 1 << part.divider_bits)
    baud_hz = workspace.bus_clock_hz / (part.oversampling * divider)
    bits = Fraction(1 + uart.data_bits + (uart.parity != "none") + uart.stop_bits)
    return UartTiming(divider, baud_hz, baud_hz / uart.baud - 1, bits)
