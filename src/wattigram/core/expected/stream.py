"""Expected values of a signal: what its pin has, what settling leaves, what noise and accuracy allow."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wattigram.core.accuracy import signal_noise, slot_settling
from wattigram.core.design import LowPass, RunningMean, Signal, rate_divisor, signal_scale
from wattigram.core.design.model import Chain
from wattigram.core.design.workspace import Workspace
from wattigram.core.expected.instants import Instants, SteadyInstants
from wattigram.core.pins import input_accuracy_v, input_voltage_v, is_looped_back
from wattigram.core.timing import cycle_timing

FloatArray = NDArray[np.float64]
History = tuple[tuple[int, Workspace], ...]
"""(ticks, workspace) at the start and after each turn of a knob, in order."""

BAND_SIGMAS = 5.0
"""Noise is drawn this wide: one sample in two million falls outside."""
_NEGLIGIBLE_CARRY = 1e-7
_REPEATS_EVALUATED = 16
_LOW_PASS_MEMORY = 24
"""Time constants after which a low-pass no longer knows what came before."""


@dataclass(frozen=True)
class ExpectedStream:
    """Expected samples of one signal, in the signal's own volts.

    Attributes
    ----------
    settled_v : (n,) float64, what a fully settled, noiseless reading would be
    error_v : (n,) float64, what incomplete settling adds to it
    noise_v : float, rms of a sample
    accuracy_v : float, half a count and the part's limit on offset and gain together
    times_s : (n,) float64, held instants; of the last sample for reduced values
    """

    settled_v: FloatArray
    error_v: FloatArray
    noise_v: float
    accuracy_v: float
    times_s: FloatArray

    @property
    def half_width_v(self) -> float:
        """Half the height of the band about ``settled_v``."""
        return BAND_SIGMAS * self.noise_v + self.accuracy_v

    @property
    def predicted_v(self) -> FloatArray:
        """The reading to be expected from this design, its settling error included."""
        return self.settled_v + self.error_v


def workspace_at(history: History, ticks: int) -> Workspace:
    """The project as it stood ``ticks`` after the start."""
    return next(workspace for since, workspace in reversed(history) if since <= ticks)


def band_half_width_v(workspace: Workspace, chain: Chain, signal: str, reduced: bool) -> float:
    """Half the height of a signal's expected band, in its own volts."""
    noise_v, accuracy_v = _spread(workspace, chain, signal, reduced)
    return BAND_SIGMAS * noise_v + accuracy_v


def _spread(workspace: Workspace, chain: Chain, name: str, reduced: bool) -> tuple[float, float]:
    signal = workspace.project.signal(name)
    noise = signal_noise(workspace, chain, signal)
    converter = workspace.converter(chain)
    dropped_lsb = signal_scale(workspace, chain, name).dropped_lsb
    accuracy_lsb = 0.5 + dropped_lsb + converter.accuracy_lsb / 2 ** (max(converter.bits) - chain.bits)
    gain = float(signal.front_end)
    noise_lsb = noise.reduced_lsb if reduced else noise.raw_lsb
    accuracy_v = accuracy_lsb * noise.lsb_v + input_accuracy_v(workspace, signal)
    return noise_lsb * noise.lsb_v / gain, accuracy_v / gain


def expected_settled_at(workspace: Workspace, signal: str, times_s: FloatArray) -> FloatArray:
    """The signal's own volts at given instants, fully settled and within the converter's range.

    Parameters
    ----------
    times_s : (n,) float64

    Returns
    -------
    (n,) float64, volts
    """
    own = workspace.project.signal(signal)
    low_v = -workspace.reference_v if own.negative is not None else 0.0
    volts = np.clip(input_voltage_v(workspace, own, times_s, meant=True), low_v, workspace.reference_v)
    return np.asarray(volts / float(own.front_end))


def expected_raw(
    history: History,
    converter: str,
    signal: str,
    begin_cycle: int,
    end_cycle: int,
    instants: Instants | None = None,
) -> ExpectedStream:
    """Expected samples of a signal in cycles ``begin_cycle`` to ``end_cycle``, all of its slots in order."""
    workspace = history[0][1]
    chain = _chain(workspace, converter)
    if instants is None:
        instants = SteadyInstants(workspace, chain)
    starts = [0, *(instants.cycle_at(ticks) for ticks, _workspace in history[1:]), end_cycle]
    settled: list[FloatArray] = []
    errors: list[FloatArray] = []
    for (_ticks, current), since, until in zip(history, starts[:-1], starts[1:], strict=True):
        begin, end = max(begin_cycle, since), min(end_cycle, max(since, until))
        if begin < end:
            pin, left = _readings(current, _chain(current, converter), signal, begin, end, instants)
            settled.append(pin)
            errors.append(left)
    places = list(chain.places_of(signal))
    times_s = instants.held_s(begin_cycle, end_cycle)[:, places].ravel()
    gain = float(workspace.project.signal(signal).front_end)
    noise_v, accuracy_v = _spread(workspace, chain, signal, reduced=False)
    empty = np.empty(0)
    return ExpectedStream(
        np.concatenate(settled or [empty]) / gain,
        np.concatenate(errors or [empty]) / gain,
        noise_v,
        accuracy_v,
        times_s,
    )


def expected_reduced(
    history: History, converter: str, signal: str, begin: int, end: int, instants: Instants | None = None
) -> ExpectedStream:
    """Expected values ``begin`` to ``end`` of a signal's stage after memory."""
    workspace = history[0][1]
    chain = _chain(workspace, converter)
    stage = workspace.project.signal(signal).later_stage
    assert stage is not None
    divisor, places = rate_divisor(stage), len(chain.places_of(signal))
    lead = 0
    if isinstance(stage, RunningMean):
        lead = min(begin, stage.count - 1)
    elif isinstance(stage, LowPass):
        lead = min(begin, _LOW_PASS_MEMORY << stage.shift)
    first, last = (begin - lead) * divisor, end * divisor
    begin_cycle, end_cycle = first // places, -(-last // places)
    raw = expected_raw(history, converter, signal, begin_cycle, end_cycle, instants)
    offset = first - begin_cycle * places
    part = slice(offset, offset + last - first)
    noise_v, accuracy_v = _spread(workspace, chain, signal, reduced=True)
    settled, error, times_s = raw.settled_v[part], raw.error_v[part], raw.times_s[part]
    if isinstance(stage, LowPass):
        share = 2.0**-stage.shift
        settled, error = (_low_pass(values, share)[lead:] for values in (settled, error))
    elif isinstance(stage, RunningMean):
        settled, error = (_running(values, stage.count)[lead:] for values in (settled, error))
    else:
        settled, error = (values.reshape(-1, divisor).mean(axis=1) for values in (settled, error))
        times_s = times_s[divisor - 1 :: divisor]
    return ExpectedStream(settled, error, noise_v, accuracy_v, times_s[lead:] if divisor == 1 else times_s)


def _running(values: FloatArray, count: int) -> FloatArray:
    """Mean of the newest ``count`` values, zeros before the first."""
    totals = np.cumsum(values)
    before = np.concatenate((np.zeros(min(count, len(values))), totals[: max(0, len(values) - count)]))
    return np.asarray((totals - before) / count)


def _low_pass(values: FloatArray, share: float) -> FloatArray:
    """y += (x − y) · share, set by the first value."""
    carry = np.full(len(values), 1 - share)
    if len(carry):
        carry[0] = 0.0
    return _settle(values, carry)


def _chain(workspace: Workspace, converter: str) -> Chain:
    chain = workspace.project.chain(converter)
    assert chain is not None
    return chain


def _readings(
    workspace: Workspace, chain: Chain, signal: str, begin: int, end: int, instants: Instants
) -> tuple[FloatArray, FloatArray]:
    """(settled, settling error) at the pin for each of the signal's slots, cycle by cycle."""
    slots = len(chain.slots)
    places = [*chain.places_of(signal)]
    carry = np.array([slot_settling(workspace, chain, place).carry for place in range(slots)])
    halo = 0 if carry[places].max() < _NEGLIGIBLE_CARRY else _halo_cycles(carry)
    first = max(0, begin - halo)
    held_s = instants.held_s(first, end)
    scale = signal_scale(workspace, chain, signal)
    low_v, high_v = scale.low_v, scale.reference_v
    if halo == 0:
        own, real = np.empty((end - begin, len(places))), np.empty((end - begin, len(places)))
        looped = is_looped_back(workspace, workspace.project.signal(signal))
        for column, place in enumerate(places):
            own[:, column] = _slot_voltage(workspace, chain, place, held_s[:, place], meant=True)
            real[:, column] = _slot_voltage(workspace, chain, place, held_s[:, place]) if looped else own[:, column]
        settled = np.clip(own, low_v, high_v).ravel()
        return settled, np.clip(real, low_v, high_v).ravel() - settled
    volts = np.empty((end - first, slots))
    for place in range(slots):
        volts[:, place] = _slot_voltage(workspace, chain, place, held_s[:, place])
    held = _settle(volts.ravel(), np.tile(carry, end - first)).reshape(-1, slots)
    for place in places:
        if is_looped_back(workspace, workspace.project.signal(signal)):
            volts[:, place] = _slot_voltage(workspace, chain, place, held_s[:, place], meant=True)
    settled = np.clip(volts[begin - first :, places], low_v, high_v).ravel()
    reading = np.clip(held[begin - first :, places], low_v, high_v).ravel()
    return settled, reading - settled


def _slot_voltage(
    workspace: Workspace, chain: Chain, place: int, times_s: FloatArray, meant: bool = False
) -> FloatArray:
    """Voltage at a slot's pins, the mean over its repeated conversions where it has several."""
    signal: Signal = workspace.project.signal(chain.slots[place].signal)
    slot = cycle_timing(workspace, chain).slots[place]
    if slot.repeats == 1:
        return input_voltage_v(workspace, signal, times_s, meant)
    points = min(slot.repeats, _REPEATS_EVALUATED)
    span_s = (slot.repeats - 1) * float(slot.each_s)
    back_s = np.linspace(0.0, span_s, points) if points == slot.repeats else span_s * (np.arange(points) + 0.5) / points
    total = np.zeros(times_s.shape)
    for before_s in back_s:
        total += input_voltage_v(workspace, signal, times_s - before_s, meant)
    return total / points


def _halo_cycles(carry: FloatArray) -> int:
    """Cycles after which what came before no longer matters."""
    per_cycle = float(np.prod(np.maximum(carry, 1e-12)))
    if per_cycle >= 0.9999:
        return 1 << 16
    return max(1, math.ceil(math.log(_NEGLIGIBLE_CARRY) / math.log(per_cycle)))


def _settle(volts: FloatArray, carry: FloatArray) -> FloatArray:
    """c[i] = v[i] + (c[i−1] − v[i]) · carry[i], from an empty capacitor, by doubling the distance.

    Parameters
    ----------
    volts, carry : (n,) float64
    """
    held = volts * (1 - carry)
    product = carry.copy()
    distance = 1
    while distance < len(held) and product[distance:].max(initial=0.0) > 1e-12:
        held[distance:] += product[distance:] * held[:-distance].copy()
        product[distance:] *= product[:-distance].copy()
        distance *= 2
    return held
