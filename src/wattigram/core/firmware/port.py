"""What the ready-made port uses: system registers of the part, or what its core has by itself."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from wattigram.core.base.quantity import format_rounded
from wattigram.core.firmware.c_names import c_comment
from wattigram.core.firmware.port_link import USB, link_uart
from wattigram.core.firmware.register_c import read_c, set_flag_c
from wattigram.core.model.design import Workspace
from wattigram.core.model.part import MemoryMap
from wattigram.core.silicon.registers import RegisterMap, register_map

NEEDED = ("send-from", "send-count", "received", "waiting", "ticks-low", "ticks-high")
"""Settings by which a part carries bytes and tells the time."""
CYCLE_COUNTER = frozenset({"cortex-m3", "cortex-m4", "cortex-m7", "cortex-m33"})
"""Cores with a counter of their clocks (Armv7-M, C1.8; Armv8-M Mainline, B14)."""
WAKES_HZ = 1000
"""Of a core without: so often it is woken."""
LOOKS_HZ = 100
"""So often, at least, commands in the mailbox are looked for."""
PATIENCE_HZ = 10
MOST_CLOCKS = 1 << 24
"""Of SysTick, which has 24 bits."""
MOST_UP_BYTES, LEAST_UP_BYTES = 4096, 256


def has_system_registers(registers: RegisterMap) -> bool:
    """The part has registers of its own for time and bytes; without, its core's are used."""
    return all(registers.has(registers.system, name) for name in NEEDED)


def port_context(workspace: Workspace, tick_hz: int, link: str = "") -> dict[str, Any]:
    """What the template of port.c knows; ``tick_hz`` is the rate of the firmware's ticks in hertz, and
    ``link`` what carries bytes: "" for what the part has, "usb", or a UART with its rate, "UART 1@115200".

    Raises :class:`FirmwareError` for a link that the part does not have, or that the design uses itself.
    """
    registers = register_map(workspace.part)
    carries: dict[str, Any] = {"link": "own"}
    if link == USB:
        carries = {"link": "usb", "patience_ticks": max(1, round(tick_hz / PATIENCE_HZ))}
    elif link:
        carries = {"link": "uart", "uart": link_uart(workspace, registers, link)}
    carries |= {"clock_hz": format_rounded(workspace.bus_clock_hz, "Hz", 9), "pin_note": ""}
    if "uart" in carries and carries["uart"]["pins"]:
        carries["pin_note"] = f"; and the pins of {carries['uart']['name']}"
    if has_system_registers(registers):
        return {"system": True, **carries, **_system(registers)}
    part, clock_hz = workspace.part, float(workspace.bus_clock_hz)
    return {
        "system": False,
        **carries,
        "core": part.processor.core,
        "has_cycle_counter": part.processor.core in CYCLE_COUNTER,
        "look_clocks": _clocks(clock_hz, LOOKS_HZ),
        "wake_clocks": _clocks(clock_hz, WAKES_HZ),
        "wake_us": round(1e6 * _clocks(clock_hz, WAKES_HZ) / clock_hz),
        "patience_clocks": max(1, round(clock_hz / PATIENCE_HZ)),
        "up_bytes": _up_bytes(part.memory),
        "roles": [c_comment(line) for line in _roles(workspace, registers)],
    }


def _clocks(clock_hz: float, rate_hz: int) -> int:
    return min(MOST_CLOCKS, max(16, round(clock_hz / rate_hz)))


def _up_bytes(memory: MemoryMap | None) -> int:
    """A power of two, an eighth of small memories at most."""
    eighth = memory.data_bytes // 8 if memory is not None else LEAST_UP_BYTES
    return min(MOST_UP_BYTES, max(LEAST_UP_BYTES, 1 << max(0, eighth.bit_length() - 1)))


def _roles(workspace: Workspace, registers: RegisterMap) -> Iterator[str]:
    """Pins that leave or enter the part by a peripheral, where no register is described that puts
    them there."""
    part, project = workspace.part, workspace.project
    for uart in project.uarts:
        group = part.uart(uart.name)
        if group is not None:
            pins = [
                pin
                for pin in (group.send_pins.get(uart.name), group.receive_pins.get(uart.name))
                if pin
            ]
            if pins:
                yield f"{', '.join(pins)}: {uart.name}"
    for pwm in project.pwm:
        timer = part.timer(pwm.timer)
        if timer is not None and not registers.has(pwm.timer, "pulse"):
            yield f"{timer.pwm_pins[pwm.timer]}: output of {pwm.timer}"
    analog = dict.fromkeys(
        pin
        for chain in project.chains
        for slot in chain.slots
        for signal in (project.signal(slot.signal),)
        for pin in (signal.pin, signal.negative)
        if pin is not None and pin in part.pins
    )
    if analog:
        yield f"{', '.join(analog)}: analog, where pins must be made so"


def _system(registers: RegisterMap) -> dict[str, Any]:
    system, alarm = registers.system, None
    line = registers.line(system)
    if line is not None and registers.has(system, "alarm"):
        alarm = {
            "enable": f"WG_LINES_ENABLE({line // 32}u) = 1u << {line % 32};",
            "register": read_c(registers, system, "alarm"),
            "take": set_flag_c(registers, system, "alarm-seen"),
        }
    return {
        "alarm": alarm,
        "send": {
            "from": read_c(registers, system, "send-from"),
            "count": read_c(registers, system, "send-count"),
        },
        "receive": {
            "waiting": read_c(registers, system, "waiting"),
            "byte": read_c(registers, system, "received"),
        },
        "now": {
            "low": read_c(registers, system, "ticks-low"),
            "high": read_c(registers, system, "ticks-high"),
        },
    }
