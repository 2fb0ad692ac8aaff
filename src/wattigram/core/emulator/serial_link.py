"""A UART that carries the link: firmware whose port sends its frames there, and takes commands from it."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from typing import Protocol

from wattigram.core.contract.link.frame_pieces import frame_pieces

SYMBOL = "wg_link_uart"
"""A text in the image: the name of the UART."""
LONGEST_NAME = 64


class HeldMemory(Protocol):
    """Memory of a processor."""

    def read(self, address: int, count: int) -> bytes:
        """Bytes of it."""


def link_uart(memory: HeldMemory, address: int, uarts: set[str]) -> str:
    """The UART that an image names as its link; "" where it names none that the part has."""
    raw = memory.read(address, LONGEST_NAME).split(b"\0")[0]
    name = raw.decode("utf-8", "replace")
    return name if name in uarts else ""


class SerialLink:
    """The host's side. What is sent is there as soon as it was given to the UART; what comes is given byte by
    byte, each as soon as the one before was taken."""

    def __init__(self, uart: str, offer: Callable[[int], bool]) -> None:
        """``offer`` gives the UART a byte, and says whether there was room for it."""
        self.uart = uart
        self.said = bytearray()
        """The beginning of a frame whose rest has not come."""
        self._offer = offer

    def put(self, byte: int) -> None:
        """Firmware sends a byte."""
        self.said.append(byte & 0xFF)

    def exchange(self, inbox: deque[int]) -> Iterator[bytes]:
        """Frames that are whole, and what is none; of ``inbox`` the next byte is given."""
        yield from frame_pieces(self.said)
        if inbox and self._offer(inbox[0]):
            inbox.popleft()
