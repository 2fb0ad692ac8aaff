"""Noise of a signal's samples, raw and reduced."""

from __future__ import annotations

import math

import msgspec

from wattigram.core.model.design.project import Chain, Signal
from wattigram.core.model.design.scale import signal_scale
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.accuracy.averaging import filter_noise_share, filter_truncation
from wattigram.core.predict.pins import input_noise_v
from wattigram.core.predict.timing import scan_timing

QUANTISATION_RMS_LSB = 1 / math.sqrt(12)
EQUALLY_LIKELY = 0.4
"""Noise of a sum, as a share of what its shift cuts off, from which on each of the low bits' values
comes as often."""
DITHER_LSB = 0.5
"""Input noise from which on quantisation noise averages like white noise."""


class SignalNoise(msgspec.Struct, frozen=True):
    """Noise in LSB rms of the chain's resolution."""

    input_lsb: float
    """Source and converter together, before quantisation."""
    raw_lsb: float
    """Of each code."""
    reduced_lsb: float
    """Of each value after the reduce stage, as a code; the raw noise where there is none. Its own
    last place is in it."""
    lsb_v: float
    bias_lsb: float = 0.0
    """By which truncation in the reduce stage makes its values read low on average, with its
    sign."""
    bias_spread_lsb: float = 0.0
    """By how much the bias may be another, where the input is too still for the sum's low bits to
    be equally likely."""


def converter_noise_lsb(workspace: Workspace, chain: Chain) -> float:
    """Noise of the converter in LSB rms of the chain's resolution, that of a clock above its limit
    included.

    A clock of ``r`` times the limit adds (r − 1) · ``overclock_noise_lsb``.
    """
    converter = workspace.converter(chain)
    excess = (
        float(scan_timing(workspace, chain).clock_hz / converter.clock_limit_hz(chain.bits)) - 1
    )
    noise_lsb = math.hypot(converter.noise_lsb, max(0.0, excess) * converter.overclock_noise_lsb)
    return float(noise_lsb / 2 ** (max(converter.bits) - chain.bits))


def signal_noise(workspace: Workspace, chain: Chain, signal: Signal) -> SignalNoise:
    """Noise of a signal as wired.

    The quantisation noise, LSB/√12, averages like white noise only with ``DITHER_LSB`` or more at
    the input; below that a mean is taken to keep all of it. Where an item drops lower bits, the
    smallest step that it shows stands for the LSB. A stage that shifts quantises once more, to its
    last place.
    """
    scale = signal_scale(workspace, chain, signal.name)
    input_lsb = math.hypot(
        input_noise_v(workspace, signal) / scale.lsb_v, converter_noise_lsb(workspace, chain)
    )
    step_lsb = 1.0 + scale.dropped_lsb
    raw_lsb = math.hypot(input_lsb, step_lsb * QUANTISATION_RMS_LSB)
    reduced_lsb = raw_lsb
    bias_lsb = spread_lsb = 0.0
    if signal.filter is not None:
        share = filter_noise_share(signal.filter)
        is_dithered = input_lsb >= step_lsb * DITHER_LSB
        quantisation = step_lsb * QUANTISATION_RMS_LSB * (share if is_dithered else 1.0)
        cut = filter_truncation(signal.filter)
        # Quantised already to the same last place, a still input is not quantised a second time.
        own = cut.step_lsb * QUANTISATION_RMS_LSB if is_dithered else 0.0
        reduced_lsb = math.sqrt((input_lsb * share) ** 2 + quantisation**2 + own**2)
        bias_lsb = cut.bias_lsb
        if bias_lsb and input_lsb * math.sqrt(signal.filter.count) < EQUALLY_LIKELY * (
            1 << signal.filter.shift
        ):
            spread_lsb = abs(bias_lsb)
        if signal.slot_filter is not None:
            raw_lsb = reduced_lsb
    return SignalNoise(input_lsb, raw_lsb, reduced_lsb, scale.lsb_v, bias_lsb, spread_lsb)
