"""Noise of a signal's samples, raw and reduced."""

from __future__ import annotations

import math
from dataclasses import dataclass

from wattigram.core.accuracy.scale import chain_scale
from wattigram.core.bench import resolve_source
from wattigram.core.design.model import Chain, Signal
from wattigram.core.design.workspace import Workspace

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
    """Of each value after the reduce stage; the raw noise where there is none."""
    lsb_v: float


def signal_noise(workspace: Workspace, chain: Chain, signal: Signal) -> SignalNoise:
    """Noise of a signal as wired.

    The quantisation noise, LSB/√12, averages like white noise only with ``DITHER_LSB`` or more at
    the input; below that a mean is taken to keep all of it.
    """
    scale = chain_scale(workspace, chain)
    converter = workspace.converter(chain)
    wiring = workspace.project.wiring(signal.pin)
    source_v = resolve_source(wiring, workspace.project.bench).noise_v if wiring else 0.0
    converter_lsb = converter.noise_lsb / 2 ** (max(converter.bits) - chain.bits)
    input_lsb = math.hypot(source_v / scale.lsb_v, converter_lsb)
    raw_lsb = math.hypot(input_lsb, QUANTISATION_RMS_LSB)
    reduced_lsb = raw_lsb
    if signal.reduce is not None:
        count = signal.reduce.count
        quantisation = QUANTISATION_RMS_LSB / (math.sqrt(count) if input_lsb >= DITHER_LSB else 1.0)
        reduced_lsb = math.hypot(input_lsb / math.sqrt(count), quantisation)
    return SignalNoise(input_lsb, raw_lsb, reduced_lsb, scale.lsb_v)
