"""Wires that carry bytes."""

from __future__ import annotations

from wattigram.core.model.bench import SerialSource
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.clocks import uart_timing


def serial_source(workspace: Workspace, uart: str) -> SerialSource | None:
    """What the bench sends to a UART's receive pin."""
    kind = workspace.part.uart(uart)
    pin = kind.receive_pins.get(uart) if kind is not None else None
    wiring = workspace.project.wired(pin) if pin is not None else None
    return wiring.source if wiring is not None and isinstance(wiring.source, SerialSource) else None


def misread_bytes(workspace: Workspace, name: str) -> tuple[int, ...]:
    """What each byte is read as when its bits are looked at by another clock; empty where that
    makes no difference.

    A frame is a start bit, eight data bits with the lowest first, a stop bit, and then an idle
    line.
    """
    uart, source = workspace.project.uart(name), serial_source(workspace, name)
    if uart is None or source is None:
        return ()
    ratio = source.baud / float(uart_timing(workspace, uart).baud_hz)
    looked = [int((1.5 + bit) * ratio) for bit in range(8)]
    if looked == list(range(1, 9)):
        return ()
    frames = [[0, *((byte >> bit) & 1 for bit in range(8))] for byte in range(256)]
    return tuple(
        sum((frame[at] if at < len(frame) else 1) << bit for bit, at in enumerate(looked))
        for frame in frames
    )
