"""Addresses of boards."""

from __future__ import annotations

IMAGE = "image:"
"""Before the path of an image that a virtual board is to run."""

DEBUGGER = "gdb:"
"""Before host and port of a debug server, through which a board's memory is polled."""


ROWS = "rows:"
"""Before a source of rows of numbers that another firmware sends."""

SERIAL = "serial:"
"""Before a device, which may be unplugged and come back."""


def is_serial(address: str) -> bool:
    """Whether an address names a serial port."""
    return address.startswith(SERIAL)


def is_virtual(address: str) -> bool:
    """Whether an address asks for a virtual board, which can go faster than time does."""
    return address == "virtual" or address.startswith(IMAGE)
