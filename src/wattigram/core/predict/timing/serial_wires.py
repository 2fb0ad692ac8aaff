"""Wires that carry bytes: what the bench sends to a UART, and how its two ends are set up."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

import msgspec
import numpy as np

from wattigram.core.contract.serial_line import LineFormat, LineReceiver, Parity, frame_text
from wattigram.core.model.bench import SerialSource
from wattigram.core.model.design.route import Order
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.clocks import uart_timing

LOST = -1
"""Instead of a word that a UART does not keep."""


class OtherEnd(msgspec.Struct, frozen=True):
    """What sends to a UART of the board.

    Attributes
    ----------
    bits : of a value, which goes in ``words_each`` words, every ``interval_s``.
    endianness : which byte of two comes first
    """

    name: str
    baud_hz: Fraction
    data_bits: Literal[7, 8, 9]
    parity: Parity
    stop_bits: Literal[1, 2]
    bits: int
    words_each: int
    interval_s: Fraction
    endianness: Order

    @property
    def word_s(self) -> Fraction:
        """Time of a word on the wire: start, data, parity and stop bits."""
        return (1 + self.data_bits + (self.parity != "none") + self.stop_bits) / self.baud_hz

    @property
    def words_hz(self) -> Fraction:
        """Words a second."""
        return self.words_each / self.interval_s

    @property
    def frame_text(self) -> str:
        """As it is written in the trade: 8N1."""
        return frame_text(self.data_bits, self.parity, self.stop_bits)


def serial_source(workspace: Workspace, uart: str) -> SerialSource | None:
    """What the bench sends to a UART's receive pin."""
    kind = workspace.part.uart(uart)
    pin = kind.receive_pins.get(uart) if kind is not None else None
    wiring = workspace.project.wired(pin) if pin is not None else None
    return wiring.source if wiring is not None and isinstance(wiring.source, SerialSource) else None


def other_end(workspace: Workspace, uart: str) -> OtherEnd | None:
    """What sends to a UART's receive pin; None where nothing does."""
    source = serial_source(workspace, uart)
    if source is None:
        return None
    return OtherEnd(
        "what is wired to it",
        Fraction(source.baud),
        source.data_bits,
        source.parity,
        source.stop_bits,
        source.bits,
        source.words_each,
        source.interval_s,
        source.endianness,
    )


def line_formats(workspace: Workspace, name: str) -> tuple[LineFormat, LineFormat] | None:
    """How the sending end of a UART's wire is set up, and the UART itself, in ticks of the board;
    None where nothing sends."""
    uart, other = workspace.project.uart(name), other_end(workspace, name)
    if uart is None or other is None:
        return None
    tick_hz = workspace.bus_clock_hz.numerator
    return (
        LineFormat(
            bit_ticks=float(tick_hz / other.baud_hz),
            data_bits=other.data_bits,
            parity=other.parity,
            stop_bits=other.stop_bits,
        ),
        LineFormat(
            bit_ticks=float(tick_hz / uart_timing(workspace, uart).baud_hz),
            data_bits=uart.data_bits,
            parity=uart.parity,
            stop_bits=uart.stop_bits,
        ),
    )


def heard_s(workspace: Workspace, name: str) -> Fraction:
    """From the edge of a start bit until the UART has the word: it waits for the first stop bit."""
    uart = workspace.project.uart(name)
    assert uart is not None
    timing = uart_timing(workspace, uart)
    return (timing.bits - uart.stop_bits + 1) / timing.baud_hz


def misread_words(workspace: Workspace, name: str) -> tuple[int, ...]:
    """What each word is read as by a UART that is set up otherwise than what sends, :data:`LOST` where
    it is not kept; empty where all are read as they were sent.

    Each is taken by itself, on a line that is idle before it and after it.
    """
    formats, part = line_formats(workspace, name), workspace.part.uart(name)
    if formats is None or part is None:
        return ()
    sends, hears = formats
    count = 1 << sends.data_bits
    apart = 4 * max(one.frame_bits * one.bit_ticks for one in formats)
    receiver = LineReceiver(sends, hears, keeps_faulty=part.faulty_words == "kept")
    begins = np.arange(count, dtype=np.float64) * apart
    receiver.feed(begins, np.arange(count))
    came = receiver.take(float("inf"))
    read = np.full(count, LOST)
    # Of several words that are read of one frame the first is meant.
    places = (came.ticks / apart).astype(np.int64)[::-1]
    read[places] = came.words[::-1]
    return () if np.array_equal(read, np.arange(count)) else tuple(read.tolist())
