"""Data rates on both sides of a route, and what is overwritten, repeated or torn between them."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

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
from wattigram.core.predict.pins import pwm_timing, serial_source
from wattigram.core.predict.timing.cycle import scan_timing

MOST_PHASES = 4096
WARM_UP = 96
BURSTS = 4096
"""Values whose bytes are followed one by one to count what a UART loses of them."""


@dataclass(frozen=True)
class RouteTiming:
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


def route_timing(workspace: Workspace, route: Route) -> RouteTiming:
    """Rates of a route as designed and wired."""
    source_hz, value_bits = _source(workspace, route)
    sink_hz, is_bytes, preload = _sink(workspace, route)
    dma = workspace.part.dma_channel(route.channel)
    assert dma is not None
    transfer_s = float(dma.transfer_cycles / workspace.bus_clock_hz)
    carried = _carried_bits(route, value_bits)
    from_wire = isinstance(route.source, ReceivedSource)
    items = route.transfers
    match route.request:
        case "timer":
            assert route.timer is not None
            triggers_hz = 1 / set_timer(workspace, route.timer.timer, route.timer.period_s).period_s
            writes_hz = triggers_hz * items
        case "destination":
            triggers_hz = writes_hz = sink_hz
        case _:
            triggers_hz = source_hz
            writes_hz = source_hz * (1 if from_wire else items)
    repeated_hz = torn_hz = overwritten_hz = 0.0
    values_hz = float(writes_hz) / items
    makes_hz = float(source_hz) / (items if from_wire else 1)
    is_table = isinstance(route.source, TableSource)
    if route.request != "source" and not is_table and makes_hz < values_hz:
        repeated_hz = (values_hz - makes_hz) * (items if is_bytes else 1)
    if route.request == "destination" and items > 1 and values_hz:
        # Each gap between two pieces of a value is one time of the sink; a new result within it
        # tears the value.
        torn_hz = values_hz * min(1.0, makes_hz * (items - 1) / float(sink_hz))
    if is_bytes:
        sent_hz = float(writes_hz)
        if route.request != "destination" and writes_hz:
            waiting = 1
            if isinstance(route.destination, UartDestination):
                uart = workspace.part.uart(route.destination.uart)
                waiting = uart.waiting_bytes if uart is not None else 1
            sent_hz = _sent_hz(
                triggers_hz, 1 if from_wire else items, 1 / sink_hz, waiting, transfer_s
            )
        effective_hz, overwritten_hz = sent_hz, max(0.0, float(writes_hz) - sent_hz)
    elif not preload:
        effective_hz = values_hz
        torn_hz = max(torn_hz, values_hz if items > 1 else 0.0)
    else:
        effective_hz = min(values_hz, float(sink_hz))
        overwritten_hz = values_hz - effective_hz
        if items > 1 and route.request != "destination" and values_hz:
            gap_s = (items - 1) * (transfer_s if not from_wire else _byte_gap_s(workspace, route))
            bus_hz = workspace.bus_clock_hz
            share = _torn_share(
                _first_write_s(workspace, route, dma.transfer_cycles / bus_hz) * bus_hz,
                Fraction(1) / (Fraction(values_hz).limit_denominator(10**9)) * bus_hz,
                bus_hz / sink_hz,
                Fraction(gap_s).limit_denominator(10**12) * bus_hz,
            )
            torn_hz = effective_hz * share
    latency_s = transfer_s * items + (
        float(1 / sink_hz) if preload or route.request == "destination" else 0.0
    )
    return RouteTiming(
        source_hz,
        writes_hz,
        sink_hz,
        effective_hz,
        overwritten_hz,
        repeated_hz,
        torn_hz,
        value_bits,
        carried,
        latency_s,
    )


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
            serial = serial_source(workspace, uart)
            return (Fraction(10, serial.baud) if serial is not None else Fraction(0)) + transfer_s
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
            serial = serial_source(workspace, name)
            return (
                serial.bytes_each / serial.interval_s if serial is not None else Fraction(0)
            ), 8 * route.transfers
        case _:
            rate_hz = Fraction(0)
            if route.timer is not None:
                rate_hz = 1 / set_timer(workspace, route.timer.timer, route.timer.period_s).period_s
            return rate_hz, max((dac.bits for dac in workspace.part.dacs), default=16)


def _sink(workspace: Workspace, route: Route) -> tuple[Fraction, bool, bool]:
    """Writes per second that it takes, whether they are bytes, and whether a register waits for a
    period."""
    match route.destination:
        case UartDestination(uart=name):
            uart = workspace.project.uart(name)
            assert uart is not None
            return uart_timing(workspace, uart).bytes_hz, True, False
        case DutyDestination(pwm=name) | PeriodDestination(pwm=name):
            pwm = workspace.project.pwm_output(name)
            assert pwm is not None
            return 1 / pwm_timing(workspace, pwm).period_s, False, pwm.preload
        case DacDestination(dac=name):
            dac = workspace.part.dac(name)
            assert dac is not None
            return dac.update_rate_high_hz, False, False


def _carried_bits(route: Route, value_bits: int) -> int:
    """Bits of a value that get through: each transfer is as wide as its narrower side."""
    width = min(
        route.source_bits,
        route.destination_bits,
        8 if isinstance(route.destination, UartDestination) else 32,
    )
    pieces = route.transfers if route.increment or route.transfers == 1 else 1
    if isinstance(route.source, ReceivedSource):
        return min(value_bits, 8 * pieces)
    if route.transfers > 1 and route.source_bits > width:
        return min(value_bits, width * pieces)
    return min(value_bits, width * pieces)


def _byte_gap_s(workspace: Workspace, route: Route) -> float:
    """Between the bytes of a value on a wire."""
    assert isinstance(route.source, ReceivedSource)
    serial = serial_source(workspace, route.source.uart)
    return 10 / serial.baud if serial is not None else 0.0


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
            at = burst * period_s + (item + 1) * transfer_s
            while held and free <= at:
                starts.append(free)
                free, held = free + time_s, held - 1
            if not held and free <= at:
                idle = idle or burst > WARM_UP
                starts.append(at)
                free = at + time_s
            elif held < waiting:
                held += 1
    if not idle:
        return 1 / time_s
    counted = [at for at in starts if WARM_UP * period_s <= at < BURSTS * period_s]
    return min(1 / time_s, len(counted) / ((BURSTS - WARM_UP) * period_s))
