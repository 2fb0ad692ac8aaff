"""How late a window's event comes."""

from __future__ import annotations

from wattigram.core.accuracy.averaging import stage_figures
from wattigram.core.design.model import Signal
from wattigram.core.design.stage import Window
from wattigram.core.design.workspace import Workspace
from wattigram.core.timing import cycle_timing, loop_timing, retrieval_timing


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
        step_s = {"dma": float(loop_timing(workspace, chain).half_s)}.get(chain.retrieval.kind, 0.0)
        latency_s += step_s + float(retrieval_timing(workspace, chain).service_s)
    return latency_s
