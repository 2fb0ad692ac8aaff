"""Data rates on both sides of a route, and what is overwritten, repeated or torn between them."""

from __future__ import annotations

from fractions import Fraction

import msgspec

from wattigram.core.model.design.route import (
    DacDestination,
    DutyDestination,
    PeriodDestination,
    ReceivedSource,
    ResultSource,
    Route,
    TableSource,
    UartDestination,
)
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.clocks import set_timer, uart_timing
from wattigram.core.predict.pins import pwm_timing
from wattigram.core.predict.timing.cycle import scan_timing
from wattigram.core.predict.timing.serial_wires import heard_s, other_end

MOST_PHASES = 4096
WARM_UP = 96
BURSTS = 4096
"""Values whose bytes are followed one by one to count what a UART loses of them."""


class RouteTiming(msgspec.Struct, frozen=True):
    """Rates of a route, all per second.

    Attributes
    ----------
    source_hz : Fraction
        Values that the source makes, bytes where it is a UART.
    transfers_hz : Fraction
        Writes that DMA makes.
    sink_hz : Fraction
        Writes that the sink can take: bytes of a UART, periods of a timer, updates of a DAC.
    effective_hz : float
        Writes, or values of a register, that take effect.
    overwritten_hz : float
        Writes to a UART, or values of a register, that are replaced before they do.
    repeated_hz : float
        Those that take effect again because the source had nothing new.
    torn_hz : float
        Values that take effect half written, or are put together of two.
    value_bits, carried_bits : int
        Of a value at the source, and of those that arrive.
    latency_s : float
        From the source's being ready until it takes effect, at most, as long as nothing queues.
    """

    source_hz: Fraction
    transfers_hz: Fraction
    sink_hz: Fraction
    effective_hz: float
    overwritten_hz: float
    repeated_hz: float
    torn_hz: float
    value_bits: int
    carried_bits: int
    latency_s: float


class _Flow(msgspec.Struct, frozen=True):
    """What comes and what is asked for, before anything is lost.

    Attributes
    ----------
    source_hz, value_bits : values, or bytes of a wire, that the source makes; bits of a value
    triggers_hz, writes_hz : requests, and writes to the destination that they lead to
    destination : what takes the writes
    items : transfers of a value
    transfer_s : time of one
    """

    source_hz: Fraction
    value_bits: int
    triggers_hz: Fraction
    writes_hz: Fraction
    destination: _Destination
    items: int
    from_wire: bool
    transfer_s: Fraction

    @property
    def values_hz(self) -> float:
        """Values per second that DMA writes."""
        return float(self.writes_hz) / self.items

    @property
    def makes_hz(self) -> float:
        """Values per second that the source makes."""
        return float(self.source_hz) / (self.items if self.from_wire else 1)


class _Destination(msgspec.Struct, frozen=True):
    """Writes per second that it takes, whether they are bytes, and whether a register waits for a
    period."""

    takes_hz: Fraction
    is_bytes: bool
    preload: bool
    whole: bool = False


class _Arrival(msgspec.Struct, frozen=True):
    """What becomes of the writes, per second."""

    effective_hz: float
    overwritten_hz: float
    torn_hz: float


def route_timing(workspace: Workspace, route: Route) -> RouteTiming:
    """Rates of a route as designed and wired."""
    flow = _flow(workspace, route)
    destination = flow.destination
    if destination.is_bytes:
        arrival = _at_uart(workspace, route, flow)
    elif destination.preload:
        arrival = _at_preloaded_register(workspace, route, flow)
    else:
        arrival = _at_register(route, flow)
    waits = destination.preload or route.request == "destination"
    return RouteTiming(
        source_hz=flow.source_hz,
        transfers_hz=flow.writes_hz,
        sink_hz=destination.takes_hz,
        effective_hz=arrival.effective_hz,
        overwritten_hz=arrival.overwritten_hz,
        repeated_hz=_repeated_hz(route, flow),
        torn_hz=arrival.torn_hz,
        value_bits=flow.value_bits,
        carried_bits=_carried_bits(workspace, route, flow.value_bits),
        latency_s=float(flow.transfer_s) * flow.items
        + (float(1 / destination.takes_hz) if waits else 0.0),
    )


def _flow(workspace: Workspace, route: Route) -> _Flow:
    source_hz, value_bits = _source(workspace, route)
    destination = _destination(workspace, route)
    dma = workspace.part.dma_channel(route.channel)
    assert dma is not None
    from_wire = isinstance(route.source, ReceivedSource)
    match route.request:
        case "timer":
            assert route.timer is not None
            triggers_hz = 1 / set_timer(workspace, route.timer.timer, route.timer.period_s).period_s
            writes_hz = triggers_hz * route.transfers
        case "destination":
            triggers_hz = writes_hz = destination.takes_hz
        case _:
            triggers_hz = source_hz
            # Each byte of a wire asks for itself, a result for all transfers of its value.
            writes_hz = source_hz * (1 if from_wire else route.transfers)
    return _Flow(
        source_hz,
        value_bits,
        triggers_hz,
        writes_hz,
        destination,
        route.transfers,
        from_wire,
        dma.transfer_cycles / workspace.bus_clock_hz,
    )


def _repeated_hz(route: Route, flow: _Flow) -> float:
    """Writes of what was written before, for the source had nothing new; a table always has."""
    if route.request == "source" or isinstance(route.source, TableSource):
        return 0.0
    more_hz = max(0.0, flow.values_hz - flow.makes_hz)
    return more_hz * (flow.items if flow.destination.is_bytes else 1)


def _put_together_hz(route: Route, flow: _Flow) -> float:
    """Values that are put together of two, where the destination asks for each piece.

    Each gap between two pieces of a value is one time of the destination; a new result within it
    tears the value.
    """
    if route.request != "destination" or flow.items == 1 or not flow.values_hz:
        return 0.0
    new_in_gaps = flow.makes_hz * (flow.items - 1) / float(flow.destination.takes_hz)
    return flow.values_hz * min(1.0, new_in_gaps)


def _at_uart(workspace: Workspace, route: Route, flow: _Flow) -> _Arrival:
    """A UART sends a byte and keeps a few; the newest replaces the last of those."""
    writes_hz = float(flow.writes_hz)
    sent_hz = writes_hz
    if route.request != "destination" and flow.writes_hz:
        waiting = 1
        if isinstance(route.destination, UartDestination):
            uart = workspace.part.uart(route.destination.uart)
            waiting = uart.waiting_bytes if uart is not None else 1
        sent_hz = _sent_hz(
            flow.triggers_hz,
            1 if flow.from_wire else flow.items,
            1 / flow.destination.takes_hz,
            waiting,
            float(flow.transfer_s),
        )
    return _Arrival(sent_hz, max(0.0, writes_hz - sent_hz), _put_together_hz(route, flow))


def _at_register(route: Route, flow: _Flow) -> _Arrival:
    """A register without a second one takes each piece at once: a value of several is half written
    for a while."""
    half_written_hz = flow.values_hz if flow.items > 1 else 0.0
    return _Arrival(flow.values_hz, 0.0, max(_put_together_hz(route, flow), half_written_hz))


def _at_preloaded_register(workspace: Workspace, route: Route, flow: _Flow) -> _Arrival:
    """What the second register holds takes effect when a period begins."""
    values_hz, takes_hz = flow.values_hz, flow.destination.takes_hz
    effective_hz = min(values_hz, float(takes_hz))
    torn_hz = _put_together_hz(route, flow)
    if flow.destination.whole:
        return _Arrival(effective_hz, values_hz - effective_hz, torn_hz)
    if flow.items > 1 and route.request != "destination" and values_hz:
        each_s = _byte_gap_s(workspace, route) if flow.from_wire else float(flow.transfer_s)
        bus_hz = workspace.bus_clock_hz
        share = _torn_share(
            _first_write_s(workspace, route, flow.transfer_s) * bus_hz,
            Fraction(1) / (Fraction(values_hz).limit_denominator(10**9)) * bus_hz,
            bus_hz / takes_hz,
            Fraction((flow.items - 1) * each_s).limit_denominator(10**12) * bus_hz,
        )
        torn_hz = effective_hz * share
    return _Arrival(effective_hz, values_hz - effective_hz, torn_hz)


def _torn_share(first: Fraction, every: Fraction, period: Fraction, gap: Fraction) -> float:
    """Share of the values between whose first and last piece a period begins, all in ticks.

    Exact where writes and periods come round to the same phase soon enough, else the mean over all
    phases.
    """
    turns = (every / period).denominator
    if gap >= period or turns > MOST_PHASES:
        return min(1.0, float(gap / period))
    phases = [(first + number * every) % period for number in range(turns)]
    return sum(phase == 0 or phase + gap > period for phase in phases) / turns


def _first_write_s(workspace: Workspace, route: Route, transfer_s: Fraction) -> Fraction:
    """When the first piece of the first value is written."""
    match route.source:
        case ResultSource(converter=converter, signal=signal):
            chain = workspace.project.chain(converter)
            assert chain is not None
            place = (
                chain.places_of(signal)[0] if signal is not None and chain.places_of(signal) else 0
            )
            slot = scan_timing(workspace, chain).slots[place]
            return slot.start_s + slot.repeats * slot.each_s + transfer_s
        case ReceivedSource(uart=uart):
            return heard_s(workspace, uart) + transfer_s
        case _:
            return transfer_s


def _source(workspace: Workspace, route: Route) -> tuple[Fraction, int]:
    """Values per second, and their bits."""
    match route.source:
        case ResultSource(converter=converter, signal=signal):
            chain = workspace.project.chain(converter)
            assert chain is not None
            cycle_hz = Fraction(scan_timing(workspace, chain).cycle_rate_hz)
            bits = 16 if chain.alignment == "left" else chain.bits
            return cycle_hz * (len(chain.slots) if signal is None else 1), bits
        case ReceivedSource(uart=name):
            other, uart = other_end(workspace, name), workspace.project.uart(name)
            assert uart is not None
            # Several bytes make a value; a word of nine bits is one by itself.
            bits = 8 * route.transfers if route.transfers > 1 else uart.data_bits
            return (other.words_hz if other is not None else Fraction(0)), bits
        case _:
            rate_hz = Fraction(0)
            if route.timer is not None:
                rate_hz = 1 / set_timer(workspace, route.timer.timer, route.timer.period_s).period_s
            return rate_hz, max((dac.bits for dac in workspace.part.dacs), default=16)


def _destination(workspace: Workspace, route: Route) -> _Destination:
    match route.destination:
        case UartDestination(uart=name):
            uart = workspace.project.uart(name)
            assert uart is not None
            return _Destination(uart_timing(workspace, uart).bytes_hz, True, False)
        case DutyDestination(pwm=name) | PeriodDestination(pwm=name):
            pwm = workspace.project.pwm_output(name)
            assert pwm is not None
            period_hz = 1 / pwm_timing(workspace, pwm).period_s
            return _Destination(period_hz, False, pwm.preload, pwm.whole)
        case DacDestination(dac=name):
            dac = workspace.part.dac(name)
            assert dac is not None
            return _Destination(dac.update_rate_high_hz, False, False)


def _carried_bits(workspace: Workspace, route: Route, value_bits: int) -> int:
    """Bits of a value that get through: each transfer is as wide as its narrower side."""
    width = min(
        route.source_bits,
        route.destination_bits,
        _word_bits(workspace, route.destination),
    )
    pieces = route.transfers if route.increment or route.transfers == 1 else 1
    if isinstance(route.source, ReceivedSource):
        width = min(width, _word_bits(workspace, route.source))
    return min(value_bits, width * pieces)


def _word_bits(workspace: Workspace, end: object) -> int:
    """Bits of a UART's word, where that is one of a route's ends."""
    uart = (
        workspace.project.uart(end.uart)
        if isinstance(end, (ReceivedSource, UartDestination))
        else None
    )
    return uart.data_bits if uart is not None else 32


def _byte_gap_s(workspace: Workspace, route: Route) -> float:
    """Between the bytes of a value on a wire."""
    assert isinstance(route.source, ReceivedSource)
    other = other_end(workspace, route.source.uart)
    return float(other.word_s) if other is not None else 0.0


def _sent_hz(
    bursts_hz: Fraction, items: int, byte_s: Fraction, waiting: int, transfer_s: float
) -> float:
    """Bytes a second that a UART sends of bursts of ``items``, counted over many of them once it is
    under way.

    A byte is shifted out for ``byte_s``; up to ``waiting`` more wait, and the newest replaces the
    last of those.
    """
    period_s, time_s = float(1 / bursts_hz), float(byte_s)
    if items <= 1 + waiting and items * time_s <= period_s:
        return items / period_s
    free, held = 0.0, 0
    starts: list[float] = []
    idle = False
    for burst in range(BURSTS):
        for item in range(items):
            due_s = burst * period_s + (item + 1) * transfer_s
            while held and free <= due_s:
                starts.append(free)
                free, held = free + time_s, held - 1
            if not held and free <= due_s:
                idle = idle or burst > WARM_UP
                starts.append(due_s)
                free = due_s + time_s
            elif held < waiting:
                held += 1
    for _ in range(held):  # what waits at the end is sent as well
        starts.append(free)
        free += time_s
    if not idle:
        return 1 / time_s
    counted = [due_s for due_s in starts if WARM_UP * period_s <= due_s < BURSTS * period_s]
    return min(1 / time_s, len(counted) / ((BURSTS - WARM_UP) * period_s))
