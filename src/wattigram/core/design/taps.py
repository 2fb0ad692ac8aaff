"""Which signals the board's program reduces or watches, in the order in which it numbers them."""

from __future__ import annotations

from wattigram.core.design.model import Project, Signal


def tapped_signals(project: Project) -> tuple[Signal, ...]:
    """Signals with a reduce stage or a window that are converted, in the order of their taps."""
    return tuple(
        signal
        for signal in project.signals
        if (signal.reduce is not None or signal.window is not None) and project.chain_of(signal.name) is not None
    )


def tap_index(project: Project, signal: str) -> int | None:
    """Number of a signal's tap on the board."""
    names = [tapped.name for tapped in tapped_signals(project)]
    return names.index(signal) if signal in names else None
