"""Wires that carry bytes: what the bench sends to a UART, and how its two ends are set up."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from wattigram.core.contract.serial_line import LineFormat, LineReceiver, Parity, frame_text
from wattigram.core.model.bench import BoardSource, SerialSource
from wattigram.core.model.design.reaction import (
    BytesAction,
    PeriodElapsed,
    Reaction,
    ResultsFetched,
    TextAction,
)
from wattigram.core.model.design.route import Order, ResultSource, Route, UartDestination
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.clocks import set_timer, uart_timing
from wattigram.core.predict.timing.circular_buffer import buffer_timing
from wattigram.core.predict.timing.cycle import scan_timing

BoolArray = NDArray[np.bool_]
MOST_WORDS = 512
"""Different words that a line can carry."""


class OtherEnd(msgspec.Struct, frozen=True):
    """What sends to a UART of the board.

    Attributes
    ----------
    baud, baud_hz : bits per second as they are set, and as they are
    tolerance : share by which they may be others, for the clock that they are made of
    bits : of a value, which goes in ``words_each`` words
    interval_s : from one value to the next; None where that depends on what is measured
    endianness : which byte of two comes first
    route, reaction : what of another project's board sends
    """

    name: str
    baud: int
    baud_hz: Fraction
    tolerance: Fraction
    data_bits: Literal[7, 8, 9]
    parity: Parity
    stop_bits: Literal[1, 2]
    bits: int
    words_each: int
    interval_s: Fraction | None
    endianness: Order
    route: Route | None = None
    reaction: Reaction | None = None

    @property
    def word_s(self) -> Fraction:
        """Time of a word on the wire: start, data, parity and stop bits."""
        return (1 + self.data_bits + (self.parity != "none") + self.stop_bits) / self.baud_hz

    @property
    def words_hz(self) -> Fraction:
        """Words a second; 0 where nobody knows."""
        return Fraction(0) if self.interval_s is None else self.words_each / self.interval_s

    @property
    def frame_text(self) -> str:
        """As it is written in the trade: 8N1."""
        return frame_text(self.data_bits, self.parity, self.stop_bits)


def sending_source(workspace: Workspace, uart: str) -> SerialSource | BoardSource | None:
    """What the bench sends to a UART's receive pin."""
    kind = workspace.part.uart(uart)
    pin = kind.receive_pins.get(uart) if kind is not None else None
    wiring = workspace.project.wired(pin) if pin is not None else None
    source = wiring.source if wiring is not None else None
    return source if isinstance(source, (SerialSource, BoardSource)) else None


def other_end(workspace: Workspace, uart: str) -> OtherEnd | None:
    """What sends to a UART's receive pin; None where nothing does."""
    source = sending_source(workspace, uart)
    if isinstance(source, BoardSource):
        other = workspace.others.get(source.project)
        return _end_of_board(other, source) if other is not None else None
    if source is None:
        return None
    return OtherEnd(
        "what is wired to it",
        source.baud,
        Fraction(source.baud),
        Fraction(source.clock_tolerance),
        source.data_bits,
        source.parity,
        source.stop_bits,
        source.bits,
        source.words_each,
        source.interval_s,
        source.endianness,
    )


def _end_of_board(other: Workspace, source: BoardSource) -> OtherEnd | None:
    """A serial port of another project, with what it sends."""
    uart = other.project.uart(source.output)
    if uart is None:
        return None
    end = OtherEnd(
        f"{source.output} of {other.project.name}",
        uart.baud,
        uart_timing(other, uart).baud_hz,
        Fraction(other.clock_tolerance),
        uart.data_bits,
        uart.parity,
        uart.stop_bits,
        uart.data_bits,
        1,
        None,
        "little-endian",
    )
    routes = [
        route
        for route in other.project.routes
        if isinstance(route.destination, UartDestination) and route.destination.uart == uart.name
    ]
    reactions = [
        reaction
        for reaction in other.project.reactions
        if isinstance(reaction.do, (BytesAction, TextAction)) and reaction.do.uart == uart.name
    ]
    if len(routes) + len(reactions) != 1:
        return end  # nothing, or what several send comes mixed
    if routes:
        route = routes[0]
        return replace(
            end,
            bits=min(route.source_bits, uart.data_bits) * route.transfers,
            words_each=route.transfers,
            interval_s=_every_s(other, route),
            endianness=route.endianness,
            route=route,
        )
    reaction = reactions[0]
    end = replace(end, interval_s=_reaction_every_s(other, reaction), reaction=reaction)
    if isinstance(reaction.do, BytesAction):
        words = len(reaction.do.signals) * reaction.do.bits // 8
        end = replace(
            end, bits=reaction.do.bits, words_each=words, endianness=reaction.do.endianness
        )
    return end


def _every_s(other: Workspace, route: Route) -> Fraction | None:
    """From value to value of a route to a serial port, as far as results or a timer make them."""
    if route.timer is not None:
        return set_timer(other, route.timer.timer, route.timer.period_s).period_s
    if route.request == "source" and isinstance(route.source, ResultSource):
        chain = other.project.chain(route.source.converter)
        assert chain is not None
        count = len(chain.slots) if route.source.signal is None else 1
        return 1 / (Fraction(scan_timing(other, chain).cycle_rate_hz) * count)
    return None


def _reaction_every_s(other: Workspace, reaction: Reaction) -> Fraction | None:
    match reaction.when:
        case PeriodElapsed(period_s=period_s):
            return period_s
        case ResultsFetched(converter=converter, mark=mark):
            chain = other.project.chain(converter)
            assert chain is not None
            return buffer_timing(other, chain).half_s * (1 if mark == "each" else 2)
        case _:
            return None


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


def misread_words(workspace: Workspace, name: str) -> BoolArray | None:
    """What each word is read as by a UART that is set up otherwise than what sends, as (words sent,
    words read) of bool: several where it takes one for more, none where it keeps none. None where all
    are read as they were sent.

    Each is taken by itself, on a line that is idle before it and after it.
    """
    formats, part = line_formats(workspace, name), workspace.part.uart(name)
    if formats is None or part is None:
        return None
    sends, hears = formats
    count = 1 << sends.data_bits
    apart = 4 * max(one.frame_bits * one.bit_ticks for one in formats)
    receiver = LineReceiver(sends, hears, keeps_faulty=part.faulty_words == "kept")
    begins = np.arange(count, dtype=np.float64) * apart
    receiver.feed(begins, np.arange(count))
    came = receiver.take(float("inf"))
    read = np.zeros((count, MOST_WORDS), dtype=np.bool_)
    read[(came.ticks / apart).astype(np.int64), came.words] = True
    return None if np.array_equal(read, np.eye(count, MOST_WORDS, dtype=np.bool_)) else read
