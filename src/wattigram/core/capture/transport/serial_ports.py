"""Serial ports of this machine."""

from __future__ import annotations

import msgspec


class SerialPort(msgspec.Struct, frozen=True):
    """A device with what it says of itself."""

    device: str
    text: str


def serial_ports() -> tuple[SerialPort, ...]:
    """Ports that are there now, those with a description first."""
    from serial.tools.list_ports import comports

    usable = []
    for port in comports():
        parts = [part for part in (port.description, port.manufacturer) if part and part != "n/a"]
        if port.serial_number:
            parts.append(f"no. {port.serial_number}")
        usable.append(SerialPort(port.device, ", ".join(dict.fromkeys(parts))))
    return tuple(sorted(usable, key=lambda one: (not one.text, one.device)))
