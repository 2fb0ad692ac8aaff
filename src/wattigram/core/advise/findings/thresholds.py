"""Rules on threshold windows."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.advise.findings.fixes import first_effective_fix, round_up, rule_satisfied
from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.model.design import Chain, Signal, Threshold, Workspace, limits_v
from wattigram.core.model.design.edits import Edit, SetBufferLength, SetThreshold
from wattigram.core.predict.accuracy import (
    compared_pairs,
    expected_edges,
    kept_values,
    signal_noise,
    waiting_values,
)
from wattigram.core.predict.pins import input_extent_v, input_source
from wattigram.core.predict.timing import buffer_timing, signal_rate_hz

CHATTER_EDGES = 1.5


def _windows(workspace: Workspace) -> Iterator[tuple[Signal, int, Threshold, str]]:
    for signal in workspace.project.signals:
        for index, window in enumerate(signal.thresholds):
            name = (
                f" “{window.name}”"
                if window.name
                else f" {index + 1}"
                if len(signal.thresholds) > 1
                else ""
            )
            yield signal, index, window, f"threshold{name} of {signal.name}"


@rule("window-out-of-range", "window-swapped", cell="thresholds")
def thresholds_out_of_reach(workspace: Workspace) -> Iterator[Finding]:
    """The alarm is always on, or can never come."""
    for signal, index, window, where in _windows(workspace):
        low_v, high_v = limits_v(workspace, signal, window)
        if low_v > high_v and all(window.compares):
            yield Finding(
                "window-swapped",
                "error",
                where,
                f"The limits of {signal.name} are exchanged",
                f"The lower limit, {format_volts(low_v)}, is above the upper one, "
                f"{format_volts(high_v)}.",
                SetThreshold(signal.name, index, window.replaced(low=window.high, high=window.low)),
                signal=signal.name,
            )
            continue
        if window.on_deviation:
            continue
        highest_v = signal.at_source(workspace.reference_v)
        lowest_v = -highest_v if signal.negative is not None else 0.0
        # Of a one-sided condition the other limit is nothing, but silicon has it in a register all the same.
        is_written = window.done_in == "hardware"
        of_low, of_high = (counts or is_written for counts in window.compares)
        if (of_low and low_v < lowest_v) or (of_high and high_v > highest_v):
            low = max(lowest_v, low_v) if of_low else low_v
            high = min(highest_v, high_v) if of_high else high_v
            limits = " to ".join(
                format_volts(limit)
                for limit, is_meant in ((low_v, of_low), (high_v, of_high))
                if is_meant
            )
            yield Finding(
                "window-out-of-range",
                "error",
                where,
                f"A limit of {signal.name} can never be reached",
                f"{limits} goes beyond what can be read, {format_volts(lowest_v)} to "
                f"{format_volts(highest_v)}.",
                SetThreshold(signal.name, index, window.replaced(low=low, high=high))
                if low < high or not (of_low and of_high)
                else None,
                signal=signal.name,
            )


@rule("window-on-raw", cell="thresholds")
def raw_value_judged(workspace: Workspace) -> Iterator[Finding]:
    """Many events where one was meant: each noisy sample is compared, the average is not."""
    for signal, index, window, where in _windows(workspace):
        if window.input == "raw" and signal.later_filter is not None:
            chain = workspace.project.chain_of(signal.name)
            noise = signal_noise(workspace, chain, signal) if chain else None
            ratio = (
                f" {noise.raw_lsb:.2f} LSB rms instead of {noise.reduced_lsb:.2f}." if noise else ""
            )
            yield Finding(
                "window-on-raw",
                "warning",
                where,
                f"The threshold of {signal.name} looks at raw samples",
                f"{signal.name} is filtered, and its threshold compares what came before that.{ratio}",
                SetThreshold(signal.name, index, window.replaced(input="filtered")),
                signal=signal.name,
            )


@rule("chain-stays-stopped", "window-not-enabled", "window-not-rearmed", cell="thresholds")
def never_noticed(workspace: Workspace) -> Iterator[Finding]:
    """No event ever comes, or only the first."""
    for signal, index, window, where in _windows(workspace):
        if not window.interrupt_enabled:
            yield Finding(
                "window-not-enabled",
                "error",
                where,
                f"The threshold of {signal.name} has no interrupt enabled",
                "Its interrupt is not enabled: the condition is judged, and no event comes.",
                SetThreshold(signal.name, index, window.replaced(interrupt_enabled=True)),
                signal=signal.name,
            )
        elif not window.rearm:
            yield Finding(
                "window-not-rearmed",
                "warning",
                where,
                f"The threshold of {signal.name} works once",
                "Nobody arms it again after its first event: later crossings go unnoticed.",
                SetThreshold(signal.name, index, window.replaced(rearm=True)),
                signal=signal.name,
            )
        elif window.stops_for_good:
            yield Finding(
                "chain-stays-stopped",
                "warning",
                where,
                f"The threshold of {signal.name} stops its chain for good",
                "Its first event stops the chain, and nothing starts it again.",
                SetThreshold(signal.name, index, window.replaced(rearm_after_s="1 s")),
                signal=signal.name,
            )


@rule("window-chatters", cell="thresholds")
def threshold_chatters(workspace: Workspace) -> Iterator[Finding]:
    """One slow crossing gives dozens of events."""
    for signal, index, window, where in _windows(workspace):
        chain = workspace.project.chain_of(signal.name)
        if chain is None:
            continue
        edges, sigma_v, slope_v_s = chatter(workspace, chain, signal, window)
        if edges <= CHATTER_EDGES:
            continue
        wanted_v = round_up(8 * sigma_v)
        yield Finding(
            "window-chatters",
            "warning",
            where,
            f"The threshold of {signal.name} chatters",
            f"Noise of {format_volts(sigma_v)} rms on a slope of {slope_v_s:.3g} V/s makes about "
            f"{edges:.0f} events of one "
            f"crossing, with {format_volts(window.hysteresis_v)} of hysteresis.",
            SetThreshold(signal.name, index, window.replaced(hysteresis_v=wanted_v)),
            signal=signal.name,
        )


def chatter(
    workspace: Workspace, chain: Chain, signal: Signal, window: Threshold
) -> tuple[float, float, float]:
    """(events a crossing, noise V rms, slope V/s) in the signal's own volts."""
    noise = signal_noise(workspace, chain, signal)
    reduced = window.input == "filtered" and signal.filter is not None
    gain = float(signal.scaling)
    sigma_v = (noise.reduced_lsb if reduced else noise.raw_lsb) * noise.lsb_v / gain
    slope_v_s = input_source(workspace, signal.pin).slope_v_s / gain
    if slope_v_s <= 0 or window.minus_signal is not None or not _crosses(workspace, signal, window):
        return 0.0, sigma_v, slope_v_s
    every_s = 1 / float(signal_rate_hz(workspace, chain, signal.name, filtered=reduced))
    # An event needs the condition and then the hysteresis back: the middle of both is where noise
    # decides.
    return expected_edges(slope_v_s, sigma_v, window.hysteresis_v, every_s), sigma_v, slope_v_s


def _crosses(workspace: Workspace, signal: Signal, window: Threshold) -> bool:
    low_v, high_v = (signal.at_source(volts) for volts in input_extent_v(workspace, signal))
    target_v = window.minus_v or 0.0
    return any(
        counts and low_v - target_v < limit < high_v - target_v
        for limit, counts in zip(limits_v(workspace, signal, window), window.compares, strict=True)
    )


@rule("window-waits", cell="thresholds")
def too_many_wait(workspace: Workspace) -> Iterator[Finding]:
    """A comparison with another signal is not made for values that waited too long for it."""
    kept = kept_values(workspace)
    for pair in compared_pairs(workspace.project):
        waiting = waiting_values(workspace, pair)
        if waiting <= kept:
            continue
        slowest = _slowest(workspace, pair.signal, pair.other)
        name, half_s = pair.signal.name, buffer_timing(workspace, slowest).half_s
        yield Finding(
            "window-waits",
            "warning",
            name,
            f"Values of {name} and {pair.other.name} wait too long for each other",
            f"{slowest.buffer.name} is handed over in halves of {format_si(half_s, 's', 3)}, in "
            f"which {waiting // 2} values come, "
            f"and as many again while they are worked on. The part's memory holds {kept}; what is "
            "older is never judged.",
            first_effective_fix(
                workspace, _shorter(workspace, slowest), rule_satisfied(too_many_wait, name)
            ),
            signal=name,
        )


def _slowest(workspace: Workspace, *signals: Signal) -> Chain:
    chains = [workspace.project.chain_of(signal.name) for signal in signals]
    return max(
        (chain for chain in chains if chain is not None),
        key=lambda one: buffer_timing(workspace, one).half_s,
    )


def _shorter(workspace: Workspace, chain: Chain) -> Iterator[Edit]:
    """Shorter loops that stay in step, the longest first."""
    unit = 2 * len(chain.slots)
    items = chain.buffer.samples // 2 // unit * unit
    while items >= unit:
        yield SetBufferLength(chain.converter, items)
        items = items // 2 // unit * unit
