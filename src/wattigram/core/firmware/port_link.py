"""A UART that a port sends its bytes over: how it is set up, read and written."""

from __future__ import annotations

from typing import Any

from wattigram.core.base.errors import FirmwareError, RegisterError
from wattigram.core.firmware.c_names import c_comment, c_identifier, c_string
from wattigram.core.firmware.register_c import c_register, read_c, set_flag_c, write_c
from wattigram.core.firmware.setup_c import statement_lines
from wattigram.core.model.design import UartSetup, Workspace
from wattigram.core.model.part import Part
from wattigram.core.predict.clocks import uart_timing
from wattigram.core.silicon.registers import RegisterMap, uart_writes

USB = "usb"
DEFAULT_BAUD = 115_200
USUAL_RATES = (
    9600,
    19_200,
    38_400,
    57_600,
    115_200,
    230_400,
    460_800,
    500_000,
    921_600,
    1_000_000,
    2_000_000,
    3_000_000,
)
LARGEST_ERROR = 0.02
"""Share by which a rate may be off: two ends that are off the other way lose no bit of eight."""


def possible_links(workspace: Workspace) -> tuple[str, ...]:
    """What a port of this part can begin with besides what it has: UARTs that the design does not use, and
    USB."""
    used = {uart.name for uart in workspace.project.uarts}
    names = [name for group in workspace.part.uarts for name in group.names if name not in used]
    return (*(f"{name}@{DEFAULT_BAUD}" for name in names), USB)


def uart_isr(name: str) -> str:
    """The C name of the ISR that a port may have for a UART that the design does not use."""
    return f"wg_port_{c_identifier(name)}"


def free_uart_lines(part: Part, registers: RegisterMap, taken: set[int]) -> dict[int, str]:
    """Interrupt lines of UARTs that nobody else has, with the ISRs that a port may have for them."""
    found = {}
    for group in part.uarts:
        for name in group.names:
            line = registers.line(name)
            if line is not None and line not in taken:
                found[line] = uart_isr(name)
    return found


def _near_rates(workspace: Workspace, uart: UartSetup) -> str:
    """The fastest rates that the UART makes well enough, as text."""
    good = [
        baud
        for baud in USUAL_RATES
        if abs(uart_timing(workspace, uart.replaced(baud=baud)).error) <= LARGEST_ERROR
    ]
    return " or ".join(map(str, good[-3:])) if good else "another UART"


def link_uart(workspace: Workspace, registers: RegisterMap, link: str) -> dict[str, Any]:
    """What the template of a port knows of a UART.

    Raises :class:`FirmwareError` where the part has none of that name, its registers are not described, or
    the design uses it itself.
    """
    name, _at, said = link.partition("@")
    name, group = name.strip(), workspace.part.uart(name.strip())
    where = f"a port over {name}"
    if group is None:
        known = ", ".join(one for each in workspace.part.uarts for one in each.names)
        raise FirmwareError(
            f"{workspace.part.name} has no {name}.",
            where=where,
            cure=f"Choose {known} or {USB}." if known else f"Choose {USB}.",
        )
    if workspace.project.uart(name) is not None:
        raise FirmwareError(
            f"{name} is used by the design itself.", where=where, cure="Choose another UART."
        )
    if said and not said.isdigit():
        raise FirmwareError(f"“{said}” is no rate.", where=where, cure="Write UART 1@115200.")
    uart = UartSetup(name=name, baud=int(said or DEFAULT_BAUD))
    project = workspace.project
    there = workspace.with_project(project.replaced(uarts=(*project.uarts, uart)))
    line = registers.line(name)
    try:
        writes = uart_writes(there, name)
        setup = [
            text
            for write in writes
            for one in (write_c(registers, write, lambda symbol: symbol.name),)
            for text in statement_lines(one.target, one.value)
        ]
        sent = registers.at(registers.find(name, "sent").address)
        context = {
            "room": read_c(registers, name, "room"),
            "arrived": read_c(registers, name, "arrived"),
            "received": read_c(registers, name, "received"),
        }
    except (FirmwareError, RegisterError) as fault:
        raise FirmwareError(
            f"{workspace.part.name}: the registers of {name} do not suffice for a port: {fault.message}",
            where=where,
            cure="Describe them in the part, or begin with another port.",
        ) from fault
    assert sent is not None
    if line is None:
        raise FirmwareError(
            f"{workspace.part.name}: {name} has no interrupt line, so that what comes would be lost.",
            where=where,
            cure="Describe it in the part, or begin with another port.",
        )
    timing = uart_timing(there, uart)
    if abs(timing.error) > LARGEST_ERROR:
        raise FirmwareError(
            f"{name} makes {float(timing.baud_hz):.6g} baud of {uart.baud}, "
            f"{float(timing.error) * 100:+.1f} %: no host hears that.",
            where=where,
            cure=f"Choose {_near_rates(there, uart)}.",
        )
    pins = [
        pin for pin in (group.send_pins.get(name), group.receive_pins.get(name)) if pin is not None
    ]
    is_written = any(
        field.sets == "arrived" and field.access == "clear"
        for at in registers.registers
        if at.owner == name
        for field in at.register.fields
    )
    return {
        **context,
        "name": c_comment(name),
        "name_c": c_string(name),
        "baud": f"{float(timing.baud_hz):.6g}",
        "byte_us": f"{float(timing.byte_s) * 1e6:.3g}",
        "pins": f", pins {' and '.join(pins)}" if pins else "",
        "isr": uart_isr(name),
        "setup": setup,
        "sent": c_register(sent),
        "take": set_flag_c(registers, name, "arrived") if is_written else "",
    }
