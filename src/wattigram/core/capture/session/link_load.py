"""What a design's stream asks of the link."""

from __future__ import annotations

from wattigram.core.base.quantity import format_si
from wattigram.core.capture.transport import DEFAULT_BAUD
from wattigram.core.contract.link import OVERHEAD_BYTES
from wattigram.core.model.design import Workspace, tapped_signals
from wattigram.core.predict.timing import buffer_timing, item_bits, scan_timing, signal_rate_hz

BITS_A_BYTE = 10
PSEUDO = "serial:/dev/pts/"
"""Ports of programs, which have no baud rate."""
STAMP_BYTES = REDUCED_BYTES = 4


def stream_bytes_hz(workspace: Workspace) -> float:
    """Bytes per second that a board sends of a running design: items, stamps, reduced values and
    their frames."""
    total = 0.0
    for chain in workspace.project.chains:
        cycle = scan_timing(workspace, chain)
        if cycle.items_limit is not None:
            continue
        items_hz = float(cycle.handed_rate_hz) * len(chain.slots)
        frames_hz = 1 / float(buffer_timing(workspace, chain).half_s)
        total += items_hz * item_bits(chain) / 8 + frames_hz * OVERHEAD_BYTES
        if cycle.stamped:
            total += items_hz * STAMP_BYTES + frames_hz * OVERHEAD_BYTES
        for signal in tapped_signals(workspace.project):
            stage = signal.later_filter
            if stage is not None and chain.places_of(signal.name):
                reduced_hz = float(signal_rate_hz(workspace, chain, signal.name, filtered=True))
                total += reduced_hz * REDUCED_BYTES + min(frames_hz, reduced_hz) * OVERHEAD_BYTES
    return total


def serial_baud(address: str) -> int | None:
    """The baud rate of a serial port's address; None for what has none."""
    if not address.startswith("serial:") or address.startswith(PSEUDO):
        return None
    baud_text = address.rpartition("@")[2] if "@" in address else str(DEFAULT_BAUD)
    return int(baud_text) if baud_text.isdigit() and int(baud_text) else None


def overload_text(workspace: Workspace, address: str) -> str:
    """A sentence where a serial port is too slow for a design's stream; "" where it is not, or is
    none."""
    baud = serial_baud(address)
    if not baud:
        return ""
    carries, wanted = baud / BITS_A_BYTE, stream_bytes_hz(workspace)
    if wanted <= carries:
        return ""
    return (
        f"The stream is {format_si(wanted, 'B/s')}, and {baud} baud carry "
        f"{format_si(carries, 'B/s')}: a real port would lose "
        f"{(1 - carries / wanted) * 100:.0f} % of it. Choose a higher rate, or send less."
    )
