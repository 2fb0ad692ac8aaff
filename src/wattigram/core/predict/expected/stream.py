"""Expected values of a signal: what its pin has, what settling leaves, what noise and accuracy
allow."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.model.design import (
    LowPassFilter,
    MovingAverage,
    Signal,
    rate_divisor,
    signal_scale,
)
from wattigram.core.model.design.project import Chain
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.accuracy import signal_noise, slot_circuit
from wattigram.core.predict.accuracy.sampling_circuit import SideCircuit
from wattigram.core.predict.accuracy.settling import SlotCircuit
from wattigram.core.predict.expected.sample_times import SampleTimes, SteadyTimes
from wattigram.core.predict.expected.settled_values import (
    memory_scans,
    recurrence,
    settled_readings,
)
from wattigram.core.predict.pins import (
    input_accuracy_v,
    input_source,
    input_voltage_v,
    is_looped_back,
    tolerance_error_v,
)
from wattigram.core.predict.timing import scan_timing

FloatArray = NDArray[np.float64]
History = tuple[tuple[int, Workspace], ...]
"""(ticks, workspace) at the start and after each turn of a knob, in order."""

BAND_SIGMAS = 5.0
"""Noise is drawn this wide: one sample in two million falls outside."""
_NEGLIGIBLE_CARRY = 1e-7
_REPEATS_EVALUATED = 16
_LOW_PASS_MEMORY = 24
"""Time constants after which a low-pass no longer knows what came before."""


class ExpectedStream(msgspec.Struct, frozen=True):
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
        """The reading to be expected from this design, its settling error included.

        (n,) float64, volts.
        """
        return self.settled_v + self.error_v


def workspace_at(history: History, ticks: int) -> Workspace:
    """The project as it stood ``ticks`` after the start."""
    return next(workspace for since, workspace in reversed(history) if since <= ticks)


def band_half_width_v(workspace: Workspace, chain: Chain, signal: str, reduced: bool) -> float:
    """Half the height of a signal's expected band, in its own volts."""
    noise_v, accuracy_v = workspace.known.answer(
        (band_half_width_v, chain.converter, signal, reduced),
        lambda: _spread(workspace, chain, signal, reduced),
    )
    return BAND_SIGMAS * noise_v + accuracy_v


def _spread(workspace: Workspace, chain: Chain, name: str, reduced: bool) -> tuple[float, float]:
    signal = workspace.project.signal(name)
    noise = signal_noise(workspace, chain, signal)
    converter = workspace.converter(chain)
    dropped_lsb = signal_scale(workspace, chain, name).dropped_lsb
    is_reduced = reduced or signal.slot_filter is not None
    spread_lsb = noise.bias_spread_lsb if is_reduced else 0.0
    accuracy_lsb = (
        0.5
        + spread_lsb
        + dropped_lsb
        + converter.accuracy_lsb / 2 ** (max(converter.bits) - chain.bits)
    )
    gain = float(signal.scaling)
    noise_lsb = noise.reduced_lsb if reduced else noise.raw_lsb
    accuracy_v = accuracy_lsb * noise.lsb_v + input_accuracy_v(workspace, signal)
    accuracy_v += tolerance_error_v(workspace, signal)
    return noise_lsb * noise.lsb_v / gain, accuracy_v / gain


def _bias_v(workspace: Workspace, chain: Chain, name: str) -> float:
    """By which truncation in the signal's stage makes it read low, in its own volts, with its
    sign."""
    signal = workspace.project.signal(name)
    noise = signal_noise(workspace, chain, signal)
    return noise.bias_lsb * noise.lsb_v / float(signal.scaling)


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
    volts = np.clip(
        input_voltage_v(workspace, own, times_s, meant=True), low_v, workspace.reference_v
    )
    return np.asarray(volts / float(own.scaling))


def expected_settled(
    history: History,
    converter: str,
    signal: str,
    begin_cycle: int,
    end_cycle: int,
    instants: SampleTimes,
) -> FloatArray:
    """``settled_v`` of :func:`expected_raw` alone, which costs a tenth of it: (n,) float64, the
    signal's own volts."""
    workspace = history[0][1]
    settled = [
        _settled(current, _chain(current, converter), signal, begin, end, instants)
        for current, begin, end in _stretches(
            history, begin_cycle, end_cycle, instants, _chain(workspace, converter), signal
        )
    ]
    return _own_volts(workspace, _chain(workspace, converter), signal, settled)


def _stretches(
    history: History,
    begin_cycle: int,
    end_cycle: int,
    instants: SampleTimes,
    chain: Chain,
    signal: str,
) -> Iterator[tuple[Workspace, int, int]]:
    """Cycles in which each state of the project was in force for a signal."""
    place = chain.places_of(signal)[0]
    later = (instants.cycle_at(ticks, place) for ticks, _workspace in history[1:])
    starts = [0, *later, end_cycle]
    for (_ticks, current), since, until in zip(history, starts[:-1], starts[1:], strict=True):
        begin, end = max(begin_cycle, since), min(end_cycle, max(since, until))
        if begin < end:
            yield current, begin, end


def _own_volts(
    workspace: Workspace, chain: Chain, signal: str, settled: list[FloatArray]
) -> FloatArray:
    own = workspace.project.signal(signal)
    bias_v = _bias_v(workspace, chain, signal) if own.slot_filter is not None else 0.0
    return np.concatenate(settled or [np.empty(0)]) / float(own.scaling) + bias_v


def expected_raw(
    history: History,
    converter: str,
    signal: str,
    begin_cycle: int,
    end_cycle: int,
    instants: SampleTimes | None = None,
) -> ExpectedStream:
    """Expected samples of a signal in cycles ``begin_cycle`` to ``end_cycle``, all of its slots in
    order."""
    workspace = history[0][1]
    chain = _chain(workspace, converter)
    if instants is None:
        instants = SteadyTimes(workspace, chain)
    settled: list[FloatArray] = []
    errors: list[FloatArray] = []
    for current, begin, end in _stretches(history, begin_cycle, end_cycle, instants, chain, signal):
        pin, left = _readings(current, _chain(current, converter), signal, begin, end, instants)
        settled.append(pin)
        errors.append(left)
    places = list(chain.places_of(signal))
    times_s = instants.held_s(begin_cycle, end_cycle)[:, places].ravel()
    gain = float(workspace.project.signal(signal).scaling)
    noise_v, accuracy_v = _spread(workspace, chain, signal, reduced=False)
    empty = np.empty(0)
    return ExpectedStream(
        _own_volts(workspace, chain, signal, settled),
        np.concatenate(errors or [empty]) / gain,
        noise_v,
        accuracy_v,
        times_s,
    )


def expected_filtered(
    history: History,
    converter: str,
    signal: str,
    begin: int,
    end: int,
    instants: SampleTimes | None = None,
) -> ExpectedStream:
    """Expected values ``begin`` to ``end`` of a signal's stage after memory."""
    workspace = history[0][1]
    chain = _chain(workspace, converter)
    stage = workspace.project.signal(signal).later_filter
    assert stage is not None
    divisor, places = rate_divisor(stage), len(chain.places_of(signal))
    lead = 0
    if isinstance(stage, MovingAverage):
        lead = min(begin, stage.count - 1)
    elif isinstance(stage, LowPassFilter):
        lead = min(begin, _LOW_PASS_MEMORY << stage.shift)
    first, last = (begin - lead) * divisor, end * divisor
    begin_cycle, end_cycle = first // places, -(-last // places)
    raw = expected_raw(history, converter, signal, begin_cycle, end_cycle, instants)
    offset = first - begin_cycle * places
    part = slice(offset, offset + last - first)
    noise_v, accuracy_v = _spread(workspace, chain, signal, reduced=True)
    settled, error, times_s = raw.settled_v[part], raw.error_v[part], raw.times_s[part]
    if isinstance(stage, LowPassFilter):
        share = 2.0**-stage.shift
        settled, error = (_low_pass(values, share)[lead:] for values in (settled, error))
    elif isinstance(stage, MovingAverage):
        settled, error = (_running(values, stage.count)[lead:] for values in (settled, error))
    else:
        settled, error = (values.reshape(-1, divisor).mean(axis=1) for values in (settled, error))
        times_s = times_s[divisor - 1 :: divisor]
    settled = settled + _bias_v(workspace, chain, signal)
    return ExpectedStream(
        settled, error, noise_v, accuracy_v, times_s[lead:] if divisor == 1 else times_s
    )


def _running(values: FloatArray, count: int) -> FloatArray:
    """Mean of the newest ``count`` values, zeros before the first."""
    totals = np.cumsum(values)
    before = np.concatenate(
        (np.zeros(min(count, len(values))), totals[: max(0, len(values) - count)])
    )
    return np.asarray((totals - before) / count)


def _low_pass(values: FloatArray, share: float) -> FloatArray:
    """y += (x − y) · share, set by the first value."""
    carry = np.full(len(values), 1 - share)
    if len(carry):
        carry[0] = 0.0
    return recurrence(values * (1 - carry), carry)


def _chain(workspace: Workspace, converter: str) -> Chain:
    chain = workspace.project.chain(converter)
    assert chain is not None
    return chain


def _settled(
    workspace: Workspace, chain: Chain, signal: str, begin: int, end: int, instants: SampleTimes
) -> FloatArray:
    """Fully settled volts at the pin, within the converter's range, for each of the signal's slots,
    cycle by cycle."""
    held_s = instants.held_s(begin, end)
    places = chain.places_of(signal)
    settled = np.empty((end - begin, len(places)))
    for column, place in enumerate(places):
        settled[:, column] = _slot_voltage(workspace, chain, place, held_s[:, place], meant=True)
    scale = signal_scale(workspace, chain, signal)
    return np.clip(settled, scale.low_v, scale.reference_v).ravel()


def _readings(
    workspace: Workspace, chain: Chain, signal: str, begin: int, end: int, instants: SampleTimes
) -> tuple[FloatArray, FloatArray]:
    """(settled, settling error) at the pin for each of the signal's slots, cycle by cycle."""
    within = _settled(workspace, chain, signal, begin, end, instants)
    places = [*chain.places_of(signal)]
    circuits = [slot_circuit(workspace, chain, place) for place in range(len(chain.slots))]
    period_s = float(scan_timing(workspace, chain).cycle_s)
    is_carried = _is_carried([circuits[place] for place in places])
    halo = memory_scans(circuits, period_s, _NEGLIGIBLE_CARRY) if is_carried else 0
    if halo:
        real = _carried(workspace, chain, begin, end, halo, instants)[:, places]
    elif is_looped_back(workspace, workspace.project.signal(signal)):
        held_s = instants.held_s(begin, end)
        real = np.empty((end - begin, len(places)))
        for column, place in enumerate(places):
            real[:, column] = _slot_voltage(workspace, chain, place, held_s[:, place])
    else:
        return within, np.zeros_like(within)
    scale = signal_scale(workspace, chain, signal)
    return within, np.clip(real, scale.low_v, scale.reference_v).ravel() - within


def _carried(
    workspace: Workspace,
    chain: Chain,
    begin: int,
    end: int,
    halo: int,
    instants: SampleTimes,
) -> FloatArray:
    """(cycles, slots) readings with what is carried over from slot to slot, followed from ``halo``
    scans before; signals of a chain ask for the same ones."""

    def follow() -> FloatArray:
        circuits = [slot_circuit(workspace, chain, place) for place in range(len(chain.slots))]
        first = max(0, begin - halo)
        held_s = instants.held_s(first, end)

        def pin_voltage(place: int, pin: str) -> FloatArray:
            return _pin_voltage(workspace, chain, place, pin, held_s[:, place])

        return settled_readings(circuits, held_s, pin_voltage)[begin - first :]

    return workspace.recent.answer((_carried, chain.converter, begin, end, instants), follow)


def _is_carried(circuits: list[SlotCircuit]) -> bool:
    """Anything of what came before shows in a reading of these slots."""
    return any(
        float(np.abs(side.read).max()) >= _NEGLIGIBLE_CARRY and _reaches(side)
        for circuit in circuits
        for side, _names, _pins in circuit.sides
    )


def _reaches(side: SideCircuit) -> bool:
    """The slot before shows at once, or by way of what it left at the pin."""
    if abs(float(side.read[-1])) >= _NEGLIGIBLE_CARRY:
        return True
    return any(
        abs(float(side.read[state] * side.leave[state, -1])) >= _NEGLIGIBLE_CARRY
        for state in range(len(side.loaded))
    )


def _slot_voltage(
    workspace: Workspace, chain: Chain, place: int, times_s: FloatArray, meant: bool = False
) -> FloatArray:
    """Voltage at a slot's pins, the mean over its repeated conversions where it has several."""
    signal: Signal = workspace.project.signal(chain.slots[place].signal)
    volts = _pin_voltage(workspace, chain, place, signal.pin, times_s, meant)
    if signal.negative is not None:
        volts = volts - _pin_voltage(workspace, chain, place, signal.negative, times_s, meant)
    return volts


def _pin_voltage(
    workspace: Workspace,
    chain: Chain,
    place: int,
    pin: str,
    times_s: FloatArray,
    meant: bool = False,
) -> FloatArray:
    """Voltage of one pin as a slot sees it, the mean over its repeated conversions where it has
    several."""
    slot = scan_timing(workspace, chain).slots[place]
    source = input_source(workspace, pin, meant)
    if slot.repeats == 1:
        return source.at(times_s)
    points = min(slot.repeats, _REPEATS_EVALUATED)
    span_s = (slot.repeats - 1) * float(slot.each_s)
    back_s = (
        np.linspace(0.0, span_s, points)
        if points == slot.repeats
        else span_s * (np.arange(points) + 0.5) / points
    )
    total = np.zeros(times_s.shape)
    for before_s in back_s:
        total += source.at(times_s - before_s)
    return total / points
