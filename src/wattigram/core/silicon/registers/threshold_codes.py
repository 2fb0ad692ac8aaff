"""Limits of windows as the integers that are compared."""

from __future__ import annotations

import msgspec

from wattigram.core.model.design import (
    Chain,
    Signal,
    Threshold,
    Workspace,
    later_gain,
    limits_v,
    signal_scale,
)


class ThresholdCodes(msgspec.Struct, frozen=True):
    """Integers of a window, in codes of the stream that is compared."""

    low: int
    high: int
    target: int
    hysteresis: int


def counts_per_volt(
    workspace: Workspace, signal: Signal, reduced: bool, by_hardware: bool = False
) -> float:
    """Codes of a stream for each volt of the signal; hardware compares before alignment."""
    scale = signal_scale(workspace, _chain(workspace, signal), signal.name)
    codes = scale.gain * float(signal.scaling) / scale.lsb_v
    if not by_hardware:
        codes *= 2.0**scale.shift
    return codes * (later_gain(signal) if reduced else 1.0)


def judges_filtered(signal: Signal, window: Threshold) -> bool:
    """The window looks at what the signal's stage after memory gives."""
    return window.input == "filtered" and signal.later_filter is not None


def threshold_codes(workspace: Workspace, signal: Signal, window: Threshold) -> ThresholdCodes:
    """Limits, target and hysteresis of a window; ``target`` is 0 where another signal is the
    target."""
    per_volt = counts_per_volt(
        workspace, signal, judges_filtered(signal, window), window.done_in == "hardware"
    )
    low_v, high_v = limits_v(workspace, signal, window)
    return ThresholdCodes(
        round(low_v * per_volt),
        round(high_v * per_volt),
        round((window.minus_v or 0.0) * per_volt),
        max(0, round(window.hysteresis_v * per_volt)),
    )


def _chain(workspace: Workspace, signal: Signal) -> Chain:
    chain = workspace.project.chain_of(signal.name)
    assert chain is not None
    return chain
