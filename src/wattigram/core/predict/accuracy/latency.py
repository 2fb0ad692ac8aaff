"""How late a window's event comes, and how much waits for it."""

from __future__ import annotations

import msgspec

from wattigram.core.model.design.project import Chain, Project, Signal
from wattigram.core.model.design.stage import Threshold
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.accuracy.averaging import filter_metrics
from wattigram.core.predict.timing import (
    buffer_timing,
    retrieval_timing,
    scan_timing,
    signal_rate_hz,
)

VALUE_BYTES = 16
"""A value that waits for another signal's, with its instant, in a program's memory."""
MOST_KEPT = 1 << 12
FEWEST_KEPT = 1 << 4
SHARE_KEPT = 4
"""A program gives one part in so many of its data memory to values that wait."""


class ComparedPair(msgspec.Struct, frozen=True):
    """Two signals of which the program holds values against each other; reduced ones, where there
    are any."""

    signal: Signal
    other: Signal
    reduced: bool


def compared_pairs(project: Project) -> tuple[ComparedPair, ...]:
    """All of a project's: windows around another signal's value, and twins."""
    pairs = []
    for signal in project.signals:
        for window in signal.thresholds:
            if window.minus_signal is not None and window.done_in == "software":
                pairs.append(
                    ComparedPair(
                        signal, project.signal(window.minus_signal), window.input == "filtered"
                    )
                )
        if signal.redundant_pair is not None:
            other = project.signal(signal.redundant_pair.paired_with)
            pairs.append(
                ComparedPair(
                    signal,
                    other,
                    signal.later_filter is not None and other.later_filter is not None,
                )
            )
    return tuple(pairs)


def waiting_values(workspace: Workspace, pair: ComparedPair) -> int:
    """Values of either that wait for the other's: what comes in one half of either's loop, with as
    much again."""
    chains = [workspace.project.chain_of(one.name) for one in (pair.signal, pair.other)]
    known = [chain for chain in chains if chain is not None]
    if len(known) < len(chains):
        return 0
    half_s = max(buffer_timing(workspace, chain).half_s for chain in known)
    most = 0
    for chain, one in zip(known, (pair.signal, pair.other), strict=True):
        rate_hz = signal_rate_hz(workspace, chain, one.name, filtered=pair.reduced)
        most = max(most, int(rate_hz * half_s))
    return 2 * most + 4


def kept_values(workspace: Workspace) -> int:
    """Values that a program keeps of each signal of a comparison: what a share of the part's memory
    holds, a power of two."""
    memory = workspace.part.memory
    if memory is None:
        return MOST_KEPT
    number = max(1, len(compared_pairs(workspace.project)))
    fit = memory.data_bytes // SHARE_KEPT // (2 * VALUE_BYTES * number)
    return min(MOST_KEPT, max(FEWEST_KEPT, 1 << (max(1, fit).bit_length() - 1)))


def threshold_latency_s(workspace: Workspace, signal: Signal, window: Threshold) -> float | None:
    """Longest time from a lasting crossing at the pin to the event: sampling, stage, repetitions,
    hand-over."""
    chain = workspace.project.chain_of(signal.name)
    if chain is None:
        return None
    slot = scan_timing(workspace, chain).slots[chain.places_of(signal.name)[0]]
    if not slot.rate_hz:
        return None
    stage = signal.later_filter if window.input == "filtered" else None
    every_s = (
        filter_metrics(stage, float(slot.rate_hz), chain.bits).latency_s
        if stage
        else 1 / float(slot.rate_hz)
    )
    latency_s = every_s * window.consecutive + float(slot.conversion_s)
    if window.done_in == "software":
        partner = (
            workspace.project.chain_of(window.minus_signal)
            if window.minus_signal is not None
            else None
        )
        latency_s += max(
            _hand_over_s(workspace, one) for one in (chain, partner) if one is not None
        )
        latency_s += float(retrieval_timing(workspace, chain).service_s)
    return latency_s


def _hand_over_s(workspace: Workspace, chain: Chain) -> float:
    """Longest time that a value lies in memory before the program takes it."""
    if chain.read_period_s is not None:
        return float(scan_timing(workspace, chain).cycle_s)
    return float(buffer_timing(workspace, chain).half_s) if chain.readout.kind == "dma" else 0.0
