"""Addresses of boards."""

from __future__ import annotations

IMAGE = "image:"
"""Before the path of an image that a virtual board is to run."""


def is_virtual(address: str) -> bool:
    """Whether an address asks for a virtual board, which can go faster than time does."""
    return address == "virtual" or address.startswith(IMAGE)
