"""What a board says of itself: ``key=value`` lines, easily written in C."""

from __future__ import annotations

import msgspec

from wattigram.core.base.errors import LinkError
from wattigram.core.base.foreign import visible_text

PROTOCOL = 2
LARGEST_IDENTITY = 4096


class Identity(msgspec.Struct, frozen=True):
    """A board's name, the design it was built from, and the rate of its ticks."""

    board: str
    build_id: str
    tick_hz: int

    def text(self) -> str:
        """Payload of an identity frame."""
        lines = {
            "protocol": PROTOCOL,
            "board": self.board,
            "build": self.build_id,
            "tick_hz": self.tick_hz,
        }
        return "".join(f"{key}={value}\n" for key, value in lines.items())


def parse_identity(text: str) -> Identity:
    """Read an identity frame's payload; unknown keys are passed over.

    Raises
    ------
    LinkError
        When a line that is needed is missing or wrong.
    """
    text = text[:LARGEST_IDENTITY]
    values = dict(line.partition("=")[::2] for line in text.splitlines() if "=" in line)
    if values.get("protocol") != str(PROTOCOL):
        raise LinkError(
            f"The board speaks protocol {values.get('protocol', 'unknown')}, this program speaks "
            f"{PROTOCOL}.",
            cure="Build its firmware again from this program.",
        )
    tick_text = values.get("tick_hz", "")
    if not (tick_text.isascii() and tick_text.isdigit() and 0 < int(tick_text[:12]) <= 10**10):
        raise LinkError(
            f"The board says its ticks have {tick_text[:20]!r} Hz.",
            cure="Mend “tick_hz” in its identity.",
        )
    return Identity(
        visible_text(values.get("board", "unnamed"))[:80],
        visible_text(values.get("build", ""))[:40],
        int(tick_text[:12]),
    )
