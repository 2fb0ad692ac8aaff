"""How late a window's event comes, and how much waits for it."""

from __future__ import annotations

from wattigram.core.accuracy.averaging import stage_figures
from wattigram.core.design.model import Chain, Signal
from wattigram.core.design.stage import Window, rate_divisor
from wattigram.core.design.workspace import Workspace
from wattigram.core.timing import cycle_timing, loop_timing, retrieval_timing

MOST_WAITING = 1 << 12
"""Values that a program keeps for a comparison with another signal's, of each of the two."""


def waiting_values(workspace: Workspace, signal: Signal, other: Signal, reduced: bool) -> int:
    """Values of a signal that wait for another's: what comes in one half of either's loop, with as much again.

    Parameters
    ----------
    reduced : bool
        What the stages give is compared, where there are any.
    """
    chain, partner = workspace.project.chain_of(signal.name), workspace.project.chain_of(other.name)
    if chain is None or partner is None:
        return 0
    half_s = max(loop_timing(workspace, one).half_s for one in (chain, partner))
    rate_hz = cycle_timing(workspace, chain).cycle_rate_hz * len(chain.places_of(signal.name))
    return 2 * int(rate_hz * half_s / (rate_divisor(signal.later_stage) if reduced else 1)) + 4


def window_latency_s(workspace: Workspace, signal: Signal, window: Window) -> float | None:
    """Longest time from a lasting crossing at the pin to the event: sampling, stage, repetitions, hand-over."""
    chain = workspace.project.chain_of(signal.name)
    if chain is None:
        return None
    slot = cycle_timing(workspace, chain).slots[chain.places_of(signal.name)[0]]
    if not slot.rate_hz:
        return None
    stage = signal.later_stage if window.on == "reduced" else None
    every_s = stage_figures(stage, float(slot.rate_hz), chain.bits).latency_s if stage else 1 / float(slot.rate_hz)
    latency_s = every_s * window.times + float(slot.conversion_s)
    if window.by == "software":
        partner = workspace.project.chain_of(window.target_signal) if window.target_signal is not None else None
        latency_s += max(_hand_over_s(workspace, one) for one in (chain, partner) if one is not None)
        latency_s += float(retrieval_timing(workspace, chain).service_s)
    return latency_s


def _hand_over_s(workspace: Workspace, chain: Chain) -> float:
    """Longest time that a value lies in memory before the program takes it."""
    return float(loop_timing(workspace, chain).half_s) if chain.retrieval.kind == "dma" else 0.0
