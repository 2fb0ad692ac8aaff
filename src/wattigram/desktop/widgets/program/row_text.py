"""The words in the rows of the Program page."""

from __future__ import annotations

import msgspec

from wattigram.core.base.quantity import format_percent, format_rounded, format_si
from wattigram.core.contract.serial_line import frame_text
from wattigram.core.model.design import (
    DutyDestination,
    PeriodDestination,
    PwmOutput,
    Route,
    UartDestination,
    UartSetup,
    Workspace,
    output_of,
    program_outputs,
)
from wattigram.core.predict.clocks import uart_timing
from wattigram.core.predict.pins import pwm_pin, pwm_timing
from wattigram.core.predict.program import (
    after_texts,
    do_texts,
    half_share,
    isr_share,
    reaction_timing,
    when_text,
)
from wattigram.core.predict.timing import route_timing
from wattigram.desktop.inspector.routes import ON, sink_text, source_text


class ProgramRow(msgspec.Struct, frozen=True):
    """One row: what is said in its columns, two lines each, and the stream that it shows."""

    section: str
    """"reactions", "routes", "uarts" or "pwm"; "" for a heading."""
    name: str
    cells: tuple[tuple[str, str], ...] = ()
    stream: str = ""
    as_text: bool = False
    lamps: int = 0
    """Port pins that it sets, each a lamp."""
    note: str = ""
    """To the right of a heading."""


def program_rows(workspace: Workspace) -> list[ProgramRow]:
    """All that the program and DMA do by themselves, under headings."""
    project = workspace.project
    rows: list[ProgramRow] = []
    if project.reactions:
        count = len(project.reactions)
        unstated = sum(1 for reaction in project.reactions if reaction.cycles is None)
        note = (
            f"{count} reaction{'s' if count > 1 else ''} · main loop · "
            f"ISRs {format_percent(isr_share(workspace), 2)} CPU"
        )
        if halves := half_share(workspace):
            note += f" · buffer halves {format_percent(halves, 2)}"
        if unstated < count:
            busy = sum(
                reaction_timing(workspace, reaction).busy or 0 for reaction in project.reactions
            )
            note += f" · reactions {format_percent(busy, 2)}"
        if unstated:
            note += (
                f" · clocks of {unstated} not stated" if unstated < count else " · no clocks stated"
            )
        rows.append(ProgramRow("", "By the processor", note=note))
        rows += [_reaction(workspace, name) for name in range(count)]
    if project.routes:
        used = ", ".join(route.channel for route in project.routes)
        rows.append(ProgramRow("", "By DMA", note=f"no processor · {used}"))
        rows += [_route(workspace, route) for route in project.routes]
    if project.uarts or project.pwm:
        rows.append(ProgramRow("", "Ports and outputs"))
        rows += [_uart(workspace, uart) for uart in project.uarts]
        rows += [_pwm(workspace, pwm) for pwm in project.pwm]
    return rows


def _reaction(workspace: Workspace, number: int) -> ProgramRow:
    reaction = workspace.project.reactions[number]
    output = output_of(reaction)
    uart = (
        workspace.project.uart(output.names[0])
        if output is not None and output.kind == "uart"
        else None
    )
    return ProgramRow(
        "reactions",
        reaction.name,
        (
            (reaction.name, when_text(workspace, reaction)),
            do_texts(reaction),
            ("main loop", ""),
            after_texts(workspace, reaction),
        ),
        output.title if output is not None else "",
        uart is not None and reaction.do.kind == "text",
        len(output.names) if output is not None and output.kind == "pins" else 0,
    )


def _route(workspace: Workspace, route: Route) -> ProgramRow:
    timing = route_timing(workspace, route)
    width = f"{route.transfers} × {route.source_bits} → {route.destination_bits} bits"
    lost = (
        f"{format_si(timing.overwritten_hz, 'Hz', 3)} overwritten" if timing.overwritten_hz else ""
    )
    uart = (
        workspace.project.uart(route.destination.uart)
        if isinstance(route.destination, UartDestination)
        else None
    )
    return ProgramRow(
        "routes",
        route.name,
        (
            (route.name, f"{source_text(route.source)}, {format_si(timing.source_hz, 'Hz', 5)}"),
            (sink_text(route.destination), f"{width}, {ON[route.request]}"),
            (route.channel, ""),
            (format_rounded(timing.latency_s, "s", 3), lost),
        ),
        route.name,
        uart is not None and uart.shows == "text",
    )


def _uart(workspace: Workspace, uart: UartSetup) -> ProgramRow:
    timing = uart_timing(workspace, uart)
    part = workspace.part.uart(uart.name)
    pins = (
        f"out {part.send_pins.get(uart.name, '–')}, in {part.receive_pins.get(uart.name, '–')}"
        if part is not None
        else ""
    )
    return ProgramRow(
        "uarts",
        uart.name,
        (
            (uart.name, "serial port"),
            (f"{uart.baud} baud {frame_text(uart.data_bits, uart.parity, uart.stop_bits)}", pins),
            ("–", f"{float(timing.error) * 100:+.2f} %"),
            (format_rounded(timing.byte_s, "s", 3), "a byte"),
        ),
        _bytes_of(workspace, uart),
        uart.shows == "text",
    )


def _bytes_of(workspace: Workspace, uart: UartSetup) -> str:
    """The stream that tells what a serial port sends; "" where the design has nothing for it."""
    for route in workspace.project.routes:
        if isinstance(route.destination, UartDestination) and route.destination.uart == uart.name:
            return route.name
    outputs = program_outputs(workspace.project.reactions)
    return uart.name if any(output.title == uart.name for output in outputs) else ""


def _pwm(workspace: Workspace, pwm: PwmOutput) -> ProgramRow:
    timing = pwm_timing(workspace, pwm)
    setter = _setter(workspace, pwm)
    duty = (
        f"{float(timing.duty) * 100:.4g} % at first"
        if setter
        else (f"{float(timing.duty) * 100:.4g} %")
    )
    return ProgramRow(
        "pwm",
        pwm.name,
        (
            (pwm.name, "PWM output"),
            (
                f"every {format_si(timing.period_s, 's', 5)}, {duty}",
                f"pin {pwm_pin(workspace, pwm)}",
            ),
            (pwm.timer, f"set by {setter}" if setter else f"{timing.bits:.1f} bits"),
            (
                "period end" if pwm.preload else "at once",
                "a new duty loads",
            ),
        ),
    )


def _setter(workspace: Workspace, pwm: PwmOutput) -> str:
    """What sets a PWM output while it runs."""
    project = workspace.project
    wanted = (DutyDestination(pwm=pwm.name), PeriodDestination(pwm=pwm.name))
    for route in project.routes:
        if route.destination in wanted:
            return route.name
    for reaction in project.reactions:
        if getattr(reaction.do, "pwm", "") == pwm.name:
            return reaction.name
    return ""
