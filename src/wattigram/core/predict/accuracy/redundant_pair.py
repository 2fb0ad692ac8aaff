"""What makes a signal and its twin differ before anything is wrong."""

from __future__ import annotations

import math
from fractions import Fraction

import msgspec

from wattigram.core.model.design.project import Chain, Signal
from wattigram.core.model.design.stage import rate_divisor
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.accuracy.noise import signal_noise
from wattigram.core.predict.accuracy.settling import slot_settling
from wattigram.core.predict.pins import input_extent_v, input_source
from wattigram.core.predict.timing import scan_timing

SIGMAS = 5.0


class PairMetrics(msgspec.Struct, frozen=True):
    """Contributions to the difference of two readings, in volts of the signal.

    Attributes
    ----------
    offset_v, gain_v : float
        From the two converters' offsets, and from their gains at the highest reading.
    noise_v : float, rms
    skew_s : float
        Time between the two held instants, at most; ``skew_v`` is what the source moves meanwhile,
        finite steps as a
        whole.
    settling_v : float
        What incomplete settling of either leaves as wired.
    worst_v : float
        All of it, noise with five sigmas.
    """

    signal: str
    of: str
    within_v: float | None
    offset_v: float
    gain_v: float
    noise_v: float
    skew_s: float
    skew_v: float
    settling_v: float

    @property
    def worst_v(self) -> float:
        """The largest difference to be expected."""
        return self.offset_v + self.gain_v + self.skew_v + self.settling_v + SIGMAS * self.noise_v


def pair_metrics(workspace: Workspace, signal: Signal) -> PairMetrics | None:
    """The difference to be expected of a signal and its twin; None where either is not
    converted."""
    project = workspace.project
    if signal.redundant_pair is None:
        return None
    other = project.signal(signal.redundant_pair.paired_with)
    chains = project.chain_of(signal.name), project.chain_of(other.name)
    if chains[0] is None or chains[1] is None:
        return None
    pair = ((chains[0], signal), (chains[1], other))
    sides = [_side(workspace, chain, one) for chain, one in pair]
    low_v, high_v = input_extent_v(workspace, other)
    gain = float(signal.scaling)
    held = [
        scan_timing(workspace, chain).slots[chain.places_of(one.name)[0]].held_s
        for chain, one in pair
    ]
    skew_s = abs(float(held[0] - held[1]))
    rates = pair_rates_hz(workspace, signal)
    if rates is not None and rates[0] != rates[1]:
        skew_s = float(1 / rates[1] / 2)  # the nearest is somewhere between two of the other's
    slope = input_source(workspace, other.pin).slope_v_s
    span_v = high_v - low_v
    skew_v = min(span_v, slope * skew_s) if skew_s else 0.0
    return PairMetrics(
        signal=signal.name,
        of=other.name,
        within_v=signal.redundant_pair.tolerance_v,
        offset_v=abs(sides[0][0] - sides[1][0]) / gain,
        gain_v=abs(sides[0][1] - sides[1][1]) * max(abs(low_v), abs(high_v)) / gain,
        noise_v=math.hypot(sides[0][2], sides[1][2]) / gain,
        skew_s=skew_s,
        skew_v=skew_v / gain,
        settling_v=(sides[0][3] + sides[1][3]) / gain,
    )


def pair_rates_hz(workspace: Workspace, signal: Signal) -> tuple[Fraction, Fraction] | None:
    """Values per second of a signal and of its twin that are held against each other.

    Reduced values where both have a stage, as a twin is judged; None where there is no pair on two
    converters, or
    where one of the two ends by itself.
    """
    project = workspace.project
    if signal.redundant_pair is None:
        return None
    chains = project.chain_of(signal.name), project.chain_of(signal.redundant_pair.paired_with)
    if chains[0] is None or chains[1] is None or chains[0] is chains[1]:
        return None
    if any(
        scan_timing(workspace, chain).items_limit is not None
        for chain in chains
        if chain is not None
    ):
        return None
    periods_s = _periods_s(workspace, signal)
    return 1 / periods_s[0], 1 / periods_s[1]


def pair_reach_s(workspace: Workspace, signal: Signal) -> Fraction:
    """The longer one of the times from value to value of a signal and its twin: nothing further
    apart belongs together."""
    return max(_periods_s(workspace, signal))


def _periods_s(workspace: Workspace, signal: Signal) -> tuple[Fraction, Fraction]:
    project = workspace.project
    assert signal.redundant_pair is not None
    other = project.signal(signal.redundant_pair.paired_with)
    reduced = signal.later_filter is not None and other.later_filter is not None
    periods_s = []
    for member in (signal, other):
        chain = project.chain_of(member.name)
        assert chain is not None
        divisor = rate_divisor(member.later_filter) if reduced else 1
        periods_s.append(
            scan_timing(workspace, chain).cycle_s * divisor / len(chain.places_of(member.name))
        )
    return periods_s[0], periods_s[1]


def _side(workspace: Workspace, chain: Chain, signal: Signal) -> tuple[float, float, float, float]:
    """(offset V, gain share, noise V, settling V) of one of the two, at the pin."""
    converter = workspace.converter(chain)
    noise = signal_noise(workspace, chain, signal)
    offset_lsb = converter.offset_calibrated_lsb
    if converter.needs_calibration and not chain.calibrate:
        offset_lsb = converter.offset_uncalibrated_lsb
    offset_v = offset_lsb * noise.lsb_v / 2 ** (max(converter.bits) - chain.bits)
    settling = slot_settling(workspace, chain, chain.places_of(signal.name)[0])
    return (
        offset_v,
        converter.gain_error,
        noise.reduced_lsb * noise.lsb_v,
        settling.wired_error_lsb * settling.lsb_v,
    )
