"""What a signal's pins see: the bench's sources, internal channels, differences of two pins."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from wattigram.core.bench import DrivingSource, Level, resolve_source, source_extent_v, source_voltage
from wattigram.core.design.model import Signal
from wattigram.core.design.workspace import Workspace

FloatArray = NDArray[np.float64]


def input_source(workspace: Workspace, pin: str) -> DrivingSource:
    """The source behind a pin; 0 V where nothing is wired to it."""
    wiring = workspace.wiring(pin)
    return resolve_source(wiring, workspace.project.bench) if wiring else Level(voltage_v=0.0)


def input_extent_v(workspace: Workspace, signal: Signal) -> tuple[float, float]:
    """Lowest and highest voltage to be converted, without noise."""
    low, high = source_extent_v(input_source(workspace, signal.pin))
    if signal.negative is None:
        return low, high
    below, above = source_extent_v(input_source(workspace, signal.negative))
    return low - above, high - below


def input_voltage_v(workspace: Workspace, signal: Signal, times_s: FloatArray) -> FloatArray:
    """Voltage to be converted at given instants, without noise, as the open source gives it.

    Parameters
    ----------
    times_s : (n,) float64

    Returns
    -------
    (n,) float64, volts
    """
    volts = source_voltage(input_source(workspace, signal.pin), times_s)
    if signal.negative is not None:
        volts = volts - source_voltage(input_source(workspace, signal.negative), times_s)
    return volts


def input_noise_v(workspace: Workspace, signal: Signal) -> float:
    """Noise of what is converted, volts rms."""
    noise_v = input_source(workspace, signal.pin).noise_v
    if signal.negative is not None:
        noise_v = math.hypot(noise_v, input_source(workspace, signal.negative).noise_v)
    return noise_v


def input_resistance_ohm(workspace: Workspace, signal: Signal) -> float:
    """Resistance that charges the sampling capacitor, that of both pins of a pair."""
    wirings = [workspace.wiring(pin) for pin in (signal.pin, signal.negative) if pin is not None]
    return sum(wiring.source_ohm for wiring in wirings if wiring is not None)


def input_capacitor_f(workspace: Workspace, signal: Signal) -> float:
    """External capacitor at the pin."""
    wiring = workspace.wiring(signal.pin)
    return wiring.capacitor_f if wiring is not None else 0.0
