"""Noise of a signal's samples, raw and reduced."""

from __future__ import annotations

import math
from dataclasses import dataclass

from wattigram.core.accuracy.averaging import stage_noise_share
from wattigram.core.design.model import Chain, Signal
from wattigram.core.design.scale import signal_scale
from wattigram.core.design.workspace import Workspace
from wattigram.core.pins import input_noise_v
from wattigram.core.timing import cycle_timing

QUANTISATION_RMS_LSB = 1 / math.sqrt(12)
DITHER_LSB = 0.5
"""Input noise from which on quantisation noise averages like white noise."""


@dataclass(frozen=True)
class SignalNoise:
    """Noise in LSB rms of the chain's resolution."""

    input_lsb: float
    """Source and converter together, before quantisation."""
    raw_lsb: float
    """Of each code."""
    reduced_lsb: float
    """Of each value after the reduce stage, as a code; the raw noise where there is none."""
    lsb_v: float


def converter_noise_lsb(workspace: Workspace, chain: Chain) -> float:
    """Noise of the converter in LSB rms of the chain's resolution, that of a clock above its limit included.

    A clock of ``r`` times the limit adds (r − 1) · ``overclock_noise_lsb``.
    """
    converter = workspace.converter(chain)
    excess = float(cycle_timing(workspace, chain).clock_hz / converter.clock_high_hz) - 1
    noise_lsb = math.hypot(converter.noise_lsb, max(0.0, excess) * converter.overclock_noise_lsb)
    return float(noise_lsb / 2 ** (max(converter.bits) - chain.bits))


def signal_noise(workspace: Workspace, chain: Chain, signal: Signal) -> SignalNoise:
    """Noise of a signal as wired.

    The quantisation noise, LSB/√12, averages like white noise only with ``DITHER_LSB`` or more at
    the input; below that a mean is taken to keep all of it. Where an item drops lower bits, the
    smallest step that it shows stands for the LSB.
    """
    scale = signal_scale(workspace, chain, signal.name)
    input_lsb = math.hypot(input_noise_v(workspace, signal) / scale.lsb_v, converter_noise_lsb(workspace, chain))
    step_lsb = 1.0 + scale.dropped_lsb
    raw_lsb = math.hypot(input_lsb, step_lsb * QUANTISATION_RMS_LSB)
    reduced_lsb = raw_lsb
    if signal.reduce is not None:
        share = stage_noise_share(signal.reduce)
        quantisation = step_lsb * QUANTISATION_RMS_LSB * (share if input_lsb >= step_lsb * DITHER_LSB else 1.0)
        reduced_lsb = math.hypot(input_lsb * share, quantisation)
        if signal.slot_stage is not None:
            raw_lsb = reduced_lsb
    return SignalNoise(input_lsb, raw_lsb, reduced_lsb, scale.lsb_v)
