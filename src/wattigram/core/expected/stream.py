"""Expected values of a signal: what its pin has, what settling leaves, what noise and accuracy allow."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from wattigram.core.accuracy import chain_scale, signal_noise, slot_settling
from wattigram.core.bench import resolve_source, source_voltage
from wattigram.core.design.model import Chain
from wattigram.core.design.workspace import Workspace
from wattigram.core.timing import cycle_timing

FloatArray = NDArray[np.float64]
History = tuple[tuple[int, Workspace], ...]
"""(ticks, workspace) at the start and after each turn of a knob, in order."""

BAND_SIGMAS = 5.0
"""Noise is drawn this wide: one sample in two million falls outside."""
_NEGLIGIBLE_CARRY = 1e-7


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
    accuracy_lsb = 0.5 + converter.accuracy_lsb / 2 ** (max(converter.bits) - chain.bits)
    gain = float(signal.front_end)
    noise_lsb = noise.reduced_lsb if reduced else noise.raw_lsb
    return noise_lsb * noise.lsb_v / gain, accuracy_lsb * noise.lsb_v / gain


def expected_settled_at(workspace: Workspace, signal: str, times_s: FloatArray) -> FloatArray:
    """The signal's own volts at given instants, fully settled and within the converter's range.

    Parameters
    ----------
    times_s : (n,) float64

    Returns
    -------
    (n,) float64, volts
    """
    pin = workspace.project.signal(signal)
    volts = np.clip(_pin_voltage(workspace, pin.pin, times_s), 0.0, workspace.reference_v)
    return np.asarray(volts / float(pin.front_end))


def _pin_voltage(workspace: Workspace, pin: str, times_s: FloatArray) -> FloatArray:
    wiring = workspace.project.wiring(pin)
    if wiring is None:
        return np.zeros(times_s.shape)
    return source_voltage(resolve_source(wiring, workspace.project.bench), times_s)


def expected_raw(history: History, converter: str, signal: str, begin_cycle: int, end_cycle: int) -> ExpectedStream:
    """Expected samples of a signal in cycles ``begin_cycle`` to ``end_cycle``, all of its slots in order."""
    workspace = history[0][1]
    chain = _chain(workspace, converter)
    cycle = cycle_timing(workspace, chain)
    tick_hz = workspace.bus_clock_hz.numerator
    cycle_ticks = Fraction(tick_hz) / cycle.cycle_rate_hz
    starts = [math.ceil(ticks / cycle_ticks) for ticks, _workspace in history] + [end_cycle]
    settled: list[FloatArray] = []
    errors: list[FloatArray] = []
    for (_ticks, current), since, until in zip(history, starts[:-1], starts[1:], strict=True):
        begin, end = max(begin_cycle, since), min(end_cycle, max(since, until))
        if begin < end:
            pin, left = _readings(current, _chain(current, converter), signal, begin, end)
            settled.append(pin)
            errors.append(left)
    places = chain.places_of(signal)
    cycles = np.arange(begin_cycle, max(begin_cycle, end_cycle))
    held = np.array([float(cycle.slots[place].held_s) for place in places])
    times_s = (cycles[:, None] / float(cycle.cycle_rate_hz) + held[None, :]).ravel()
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


def expected_reduced(history: History, converter: str, signal: str, begin: int, end: int) -> ExpectedStream:
    """Expected reduced values ``begin`` to ``end`` of a signal with a reduce stage."""
    workspace = history[0][1]
    chain = _chain(workspace, converter)
    reduce = workspace.project.signal(signal).reduce
    assert reduce is not None
    count, places = reduce.count, len(chain.places_of(signal))
    begin_cycle, end_cycle = begin * count // places, -(-end * count // places)
    raw = expected_raw(history, converter, signal, begin_cycle, end_cycle)
    offset = begin * count - begin_cycle * places
    part = slice(offset, offset + (end - begin) * count)
    noise_v, accuracy_v = _spread(workspace, chain, signal, reduced=True)
    return ExpectedStream(
        raw.settled_v[part].reshape(-1, count).mean(axis=1),
        raw.error_v[part].reshape(-1, count).mean(axis=1),
        noise_v,
        accuracy_v,
        raw.times_s[part][count - 1 :: count],
    )


def _chain(workspace: Workspace, converter: str) -> Chain:
    chain = workspace.project.chain(converter)
    assert chain is not None
    return chain


def _readings(workspace: Workspace, chain: Chain, signal: str, begin: int, end: int) -> tuple[FloatArray, FloatArray]:
    """(settled, settling error) at the pin for each of the signal's slots, cycle by cycle."""
    cycle = cycle_timing(workspace, chain)
    slots = len(chain.slots)
    places = chain.places_of(signal)
    settlings = [slot_settling(workspace, chain, place) for place in range(slots)]
    carry = np.array([settling.carry for settling in settlings])
    halo = 0 if carry[list(places)].max() < _NEGLIGIBLE_CARRY else _halo_cycles(carry)
    first = max(0, begin - halo)
    starts_s = np.arange(first, end) / float(cycle.cycle_rate_hz)
    full_scale_v = chain_scale(workspace, chain).reference_v
    if halo == 0:
        own = np.empty((end - begin, len(places)))
        for column, place in enumerate(places):
            own[:, column] = _slot_voltage(workspace, chain, place, starts_s + float(cycle.slots[place].held_s))
        return np.clip(own, 0.0, full_scale_v).ravel(), np.zeros(own.size)
    volts = np.empty((end - first, slots))
    for place in range(slots):
        volts[:, place] = _slot_voltage(workspace, chain, place, starts_s + float(cycle.slots[place].held_s))
    held = _settle(volts.ravel(), np.tile(carry, end - first)).reshape(-1, slots)
    mine = [*places]
    settled = np.clip(volts[begin - first :, mine], 0.0, full_scale_v).ravel()
    reading = np.clip(held[begin - first :, mine], 0.0, full_scale_v).ravel()
    return settled, reading - settled


def _slot_voltage(workspace: Workspace, chain: Chain, place: int, times_s: FloatArray) -> FloatArray:
    return _pin_voltage(workspace, workspace.project.signal(chain.slots[place].signal).pin, times_s)


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
