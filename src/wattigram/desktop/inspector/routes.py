"""Panels of routes and UARTs."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from functools import partial

from wattigram.core.advise import explanations
from wattigram.core.advise.explanations import Explanation
from wattigram.core.advise.findings.serial_lines import BAUDS, WORST_BAUD_ERROR
from wattigram.core.base.fields import read_interval
from wattigram.core.base.quantity import format_rounded, format_si
from wattigram.core.model.design import (
    DacDestination,
    DutyDestination,
    PeriodDestination,
    ReceivedSource,
    ResultSource,
    Route,
    RouteTimer,
    TableSource,
    UartDestination,
    UartSetup,
    Workspace,
)
from wattigram.core.model.design.edits import Edit, SetRoute, SetUart
from wattigram.core.predict.clocks import uart_timing
from wattigram.core.predict.timing import route_timing
from wattigram.desktop.inspector.number_entry import whole_number
from wattigram.desktop.inspector.outputs import NO, YES, checked, free_timer, key_for
from wattigram.desktop.inspector.panel_model import Choice, Fact, Field, Panel, WhatIf
from wattigram.desktop.inspector.serial_lines import line_facts, line_fields

ON = {"source": "source ready", "destination": "destination ready", "timer": "timer"}
ORDER = {"little-endian": "little-endian", "big-endian": "big-endian"}


def source_text(source: ResultSource | ReceivedSource | TableSource) -> str:
    """A route's source, in a few words."""
    match source:
        case ResultSource(converter=converter, signal=signal):
            return f"result of {converter}" + (f", {signal}" if signal else "")
        case ReceivedSource(uart=uart):
            return f"bytes from {uart}"
        case TableSource(table=table):
            return f"table {table}"


def sink_text(sink: UartDestination | DutyDestination | PeriodDestination | DacDestination) -> str:
    """A route's sink, in a few words."""
    match sink:
        case UartDestination(uart=uart):
            return uart
        case DutyDestination(pwm=pwm):
            return f"duty of {pwm}"
        case PeriodDestination(pwm=pwm):
            return f"period of {pwm}"
        case DacDestination(dac=dac):
            return dac


def sources(workspace: Workspace) -> dict[str, ResultSource | ReceivedSource | TableSource]:
    """All that a route can take from, by its words."""
    project = workspace.project
    offered: list[ResultSource | ReceivedSource | TableSource] = []
    for chain in project.chains:
        offered += [
            ResultSource(converter=chain.converter, signal=slot.signal) for slot in chain.slots
        ]
        offered.append(ResultSource(converter=chain.converter))
    offered += [ReceivedSource(uart=uart.name) for uart in project.uarts]
    offered += [TableSource(table=table.name) for table in project.tables]
    return {source_text(source): source for source in offered}


def sinks(
    workspace: Workspace,
) -> dict[str, UartDestination | DutyDestination | PeriodDestination | DacDestination]:
    """All that a route can write to, by its words."""
    project = workspace.project
    offered: list[UartDestination | DutyDestination | PeriodDestination | DacDestination] = [
        UartDestination(uart=uart.name) for uart in project.uarts
    ]
    for pwm in project.pwm:
        offered += [DutyDestination(pwm=pwm.name), PeriodDestination(pwm=pwm.name)]
    taken = {generator.dac for generator in project.generators}
    offered += [
        DacDestination(dac=dac.name) for dac in workspace.part.dacs if dac.name not in taken
    ]
    return {sink_text(destination): destination for destination in offered}


def route_panel(workspace: Workspace, route: Route) -> Panel:
    """A route: widths, order, trigger, and what is lost on the way."""
    timing = route_timing(workspace, route)
    is_kept = timing.overwritten_hz == 0 or not isinstance(route.destination, UartDestination)
    shown: dict[str, tuple[str, bool | None]] = {
        "source rate": (format_si(timing.source_hz, "Hz", 5), None),
        "write rate": (format_si(timing.transfers_hz, "Hz", 5), None),
        "destination rate": (format_si(timing.sink_hz, "Hz", 5), None),
        "overwritten": (format_si(timing.overwritten_hz, "Hz", 4), is_kept),
        "repeated": (format_si(timing.repeated_hz, "Hz", 4), None),
        "torn": (format_si(timing.torn_hz, "Hz", 4), timing.torn_hz == 0),
        "bits transferred": (
            f"{timing.carried_bits} of {timing.value_bits}",
            timing.carried_bits >= timing.value_bits,
        ),
        "latency": (format_rounded(timing.latency_s, "s", 3), None),
    }
    facts = tuple(
        Fact(label, text, good, partial(_why, workspace, route, label))
        for label, (text, good) in shown.items()
    )

    def changed(**updates: object) -> Edit:
        return checked(lambda: SetRoute(route.name, route.replaced(**updates)))

    def on(text: str) -> Edit | None:
        kind = key_for(text, ON)
        if kind == route.request:
            return None
        timer = (
            route.timer or RouteTimer(timer=free_timer(workspace), period_s="1 ms")
            if kind == "timer"
            else None
        )
        return changed(request=kind, timer=timer)

    def width(name: str) -> Callable[[str], Edit]:
        return lambda text: changed(**{name: int(text)})

    from_, to = sources(workspace), sinks(workspace)
    theirs = {"": "the same", **ORDER}
    fields = [
        Field("name", route.name, lambda text: changed(name=text.strip()), hint="any name"),
        Field(
            "source",
            source_text(route.source),
            lambda text: changed(source=from_.get(text, route.source)),
            tuple(from_),
        ),
        Field(
            "destination",
            sink_text(route.destination),
            lambda text: changed(destination=to.get(text, route.destination)),
            tuple(to),
        ),
        Field("DMA request", ON[route.request], on, tuple(ON.values())),
    ]
    if route.timer is not None:
        timer = route.timer
        fields.append(
            Field(
                "period",
                format_si(timer.period_s, "s", 9),
                lambda text: changed(timer=timer.replaced(period_s=read_interval(text))),
            )
        )
    channels = tuple(name for group in workspace.part.dma for name in group.names)
    fields += [
        Field("source width", str(route.source_bits), width("source_bits"), ("8", "16", "32")),
        Field(
            "destination width",
            str(route.destination_bits),
            width("destination_bits"),
            ("8", "16", "32"),
        ),
        Field("transfers per value", str(route.transfers), width("transfers"), ("1", "2", "4")),
        Field(
            "address increments",
            YES if route.increment else NO,
            lambda text: changed(increment=text == YES),
            (YES, NO),
        ),
        Field(
            "endianness",
            ORDER[route.endianness],
            lambda text: changed(endianness=key_for(text, ORDER)),
            tuple(ORDER.values()),
        ),
        Field(
            "destination endianness",
            theirs[route.destination_endianness or ""],
            lambda text: changed(destination_endianness=key_for(text, theirs) or None),
            tuple(theirs.values()),
        ),
        Field("DMA", route.channel, lambda text: changed(channel=text), channels),
    ]
    return Panel(f"Route · {route.name}", facts, tuple(fields))


def _short_baud(baud: int) -> str:
    """A rate as there is room for it below a bar."""
    if baud >= 1_000_000:
        return f"{baud / 1e6:.3g}M"
    return f"{baud / 1e3:.0f}k" if baud >= 10_000 else f"{baud / 1e3:.2g}k"


def _error_text(workspace: Workspace, error: Fraction) -> str:
    text = f"{float(error) * 100:+.3f} %"
    tolerance = workspace.clock_tolerance
    return f"{text} ± {format_si(tolerance, '%')}" if tolerance else text


def _is_read(workspace: Workspace, error: Fraction) -> bool:
    return abs(error) + Fraction(workspace.clock_tolerance) < WORST_BAUD_ERROR


def _why(workspace: Workspace, route: Route, label: str) -> Explanation | None:
    return explanations.route_numbers(workspace, route).get(label)


def uart_panel(workspace: Workspace, uart: UartSetup) -> Panel:
    """A UART: its real baud, and what a byte takes."""
    timing = uart_timing(workspace, uart)
    part = workspace.part.uart(uart.name)
    assert part is not None
    facts = (
        Fact("sends on", part.send_pins.get(uart.name, "–")),
        Fact("receives on", part.receive_pins.get(uart.name, "–")),
        Fact(
            "actual",
            f"{float(timing.baud_hz):.1f} baud",
            why=explanations.baud(workspace, uart),
        ),
        Fact(
            "error",
            _error_text(workspace, timing.error),
            _is_read(workspace, timing.error),
            explanations.baud_error(workspace, uart),
        ),
        Fact(
            "throughput",
            f"{float(timing.bytes_hz):.6g} B/s",
            why=explanations.throughput(workspace, uart),
        ),
        Fact(
            "character time",
            format_rounded(timing.byte_s, "s", 4),
            why=explanations.character_time(workspace, uart),
        ),
        *line_facts(workspace, uart.name),
    )

    def changed(**updates: object) -> Edit:
        return checked(lambda: SetUart(uart.replaced(**updates)))

    fields = [
        Field(
            "baud",
            str(uart.baud),
            lambda text: changed(baud=whole_number(text, "baud")),
            hint="115200",
        ),
        *(
            [
                Field(
                    "data bits",
                    str(uart.data_bits),
                    lambda text: changed(data_bits=int(text)),
                    tuple(str(bits) for bits in sorted(part.data_bits)),
                )
            ]
            if len(part.data_bits) > 1
            else []
        ),
        Field("parity", uart.parity, lambda text: changed(parity=text), ("none", "even", "odd")),
        Field(
            "stop bits", str(uart.stop_bits), lambda text: changed(stop_bits=int(text)), ("1", "2")
        ),
        Field("shown as", uart.shows, lambda text: changed(shows=text), ("text", "binary")),
        *line_fields(workspace, uart.name),
    ]
    choices = tuple(
        Choice(
            _short_baud(baud),
            float(uart_timing(workspace, uart.replaced(baud=baud)).bytes_hz),
            abs(uart_timing(workspace, uart.replaced(baud=baud)).error) < 0.02,
            baud == uart.baud,
            f"{baud} baud, "
            f"{float(uart_timing(workspace, uart.replaced(baud=baud)).error) * 100:+.2f} %",
            SetUart(uart.replaced(baud=baud)),
        )
        for baud in sorted({*BAUDS, uart.baud})
    )
    return Panel(
        f"Serial port · {uart.name}",
        facts,
        tuple(fields),
        WhatIf("If baud were · bytes a second", choices),
    )
