"""Settling of the sampling capacitor: why a reading leans towards its neighbour."""

from __future__ import annotations

import math
from fractions import Fraction
from functools import lru_cache

import msgspec

from wattigram.core.model.design.project import Chain, Signal
from wattigram.core.model.design.scale import signal_scale
from wattigram.core.model.design.workspace import Workspace, cached
from wattigram.core.predict.accuracy.sampling_circuit import (
    PinCircuit,
    SideCircuit,
    side_circuit,
    steady_share,
)
from wattigram.core.predict.pins import input_extent_v, pin_impedance
from wattigram.core.predict.timing import scan_timing, slot_order

LONGEST_SEARCHED = 40
"""Halvings in the search for a sampling time: to a part in 10^12."""


def settling_residue(step_v: float, sampling_s: float, tau_s: float) -> float:
    """Voltage still missing when the capacitor is cut off: step · exp(−t/τ), same sign as the
    step."""
    return step_v * math.exp(-sampling_s / tau_s) if tau_s > 0 else 0.0


def adequate_sampling_s(tau_s: float, bits: int) -> float:
    """Shortest sampling that settles a full-scale step within ½ LSB without a capacitor at the pin:
    τ · (N + 1) · ln 2."""
    return tau_s * (bits + 1) * math.log(2)


def carry_over(
    sampling_s: float,
    source_ohm: float,
    switch_ohm: float,
    sample_f: float,
    external_f: float,
    rate_hz: float,
) -> float:
    """Share of a lasting difference to the slot before that is left in a reading, 0 to 1.

    One slot sampled ``rate_hz`` times a second, in the steady state of the circuit of pin and
    sampling capacitor.
    """
    pins = (PinCircuit(source_ohm, external_f),)
    side = side_circuit(sampling_s, pins, switch_ohm, sample_f)
    return steady_share(side, pins, max(0.0, 1 / rate_hz - sampling_s))


class SlotCircuit(msgspec.Struct, frozen=True):
    """A slot's sampling capacitors: one, or one on each side of a pair.

    Attributes
    ----------
    sides : for each capacitor its circuit, and the pins that feed it
    signs : +1 for what counts to the reading, −1 for the negative side
    sampling_s, span_s : for how long it is at the input before the first conversion, and from the end
    of the first sampling to the last one's
    """

    sides: tuple[tuple[SideCircuit, tuple[str, ...], tuple[PinCircuit, ...]], ...]
    signs: tuple[int, ...]
    sampling_s: float
    span_s: float


@cached
def slot_circuit(
    workspace: Workspace, chain: Chain, place: int, sampling_cycles: float | None = None
) -> SlotCircuit:
    """The circuit of one slot, as designed or with another sampling time.

    A pin with nothing wired to it is taken as an ideal source.
    """
    cycle = scan_timing(workspace, chain)
    slot = chain.slots[place]
    cycles = slot.sampling if sampling_cycles is None else Fraction(sampling_cycles)
    sampling_s = float(cycles / cycle.clock_hz)
    timing = cycle.slots[place]
    each_s = float(timing.each_s + (cycles - slot.sampling) / cycle.clock_hz)
    signal = workspace.project.signal(slot.signal)
    before_s = float(_followed_before_s(workspace, chain, place, cycles))
    return _circuit(workspace, chain, signal, sampling_s, timing.repeats, each_s, before_s)


def _followed_before_s(
    workspace: Workspace, chain: Chain, place: int, cycles: Fraction
) -> Fraction:
    """How long before its sampling begins the capacitor is at a slot's input; nothing where it does
    not track."""
    if not workspace.converter(chain).tracks:
        return Fraction(0)
    cycle = scan_timing(workspace, chain)
    order = slot_order(workspace, chain)
    position = order.index(place)
    before, timing = cycle.slots[order[position - 1]], cycle.slots[place]
    idle_s = timing.start_s - before.end_s + (0 if position else cycle.cycle_s)
    if cycle.trigger.pace == "pattern":  # what it is sampled longer, it waits less for its trigger
        idle_s -= (cycles - chain.slots[place].sampling) * timing.repeats / cycle.clock_hz
    return max(Fraction(0), idle_s)


def _circuit(
    workspace: Workspace,
    chain: Chain,
    signal: Signal,
    sampling_s: float,
    repeats: int,
    each_s: float,
    before_s: float,
) -> SlotCircuit:
    converter = workspace.converter(chain)
    sides = []
    for names in _sides_of(workspace, chain, signal):
        pins = tuple(PinCircuit(*pin_impedance(workspace, name)) for name in names)
        side = side_circuit(
            sampling_s,
            pins,
            converter.switch_resistance_ohm,
            converter.sampling_capacitor_f,
            repeats,
            each_s,
            before_s,
        )
        sides.append((side, names, pins))
    return SlotCircuit(
        tuple(sides), (1, -1)[: len(sides)], sampling_s + before_s, (repeats - 1) * each_s
    )


def _sides_of(workspace: Workspace, chain: Chain, signal: Signal) -> list[tuple[str, ...]]:
    """The pins that feed each sampling capacitor."""
    names = (signal.pin,) if signal.negative is None else (signal.pin, signal.negative)
    if workspace.converter(chain).differential_sampling == "each-side":
        return [(name,) for name in names]
    return [names]


class SlotSettling(msgspec.Struct, frozen=True):
    """How well one slot settles on the bench as wired."""

    signal: str
    place: int
    neighbour: str
    source_ohm: float
    external_f: float
    tau_s: float
    """With which the sampling capacitor is charged where no capacitor is at the pin."""
    sampling_s: float
    """For which the capacitor is at the input before it is held; more than the slot's sampling time
    where the converter tracks."""
    needed_s: float | None
    """Shortest adequate sampling; None where none is, because the capacitor at the pin is not
    refilled in time."""
    carry: float
    """Share of a lasting difference to the slot before that is left."""
    full_scale_error_lsb: float
    """What a full-scale step from the slot before leaves."""
    wired_error_lsb: float
    """The worst that the sources as wired can leave."""
    lsb_v: float

    @property
    def adequate(self) -> bool:
        """A full-scale step settles within ½ LSB."""
        return self.full_scale_error_lsb <= 0.5


@cached
def slot_settling(
    workspace: Workspace, chain: Chain, place: int, sampling_cycles: float | None = None
) -> SlotSettling:
    """Settling of one slot, as designed or with another sampling time.

    A pin with nothing wired to it is taken as an ideal source.
    """
    project = workspace.project
    converter = workspace.converter(chain)
    signal = project.signal(chain.slots[place].signal)
    neighbour = project.signal(chain.slots[place - 1].signal)
    circuit = slot_circuit(workspace, chain, place, sampling_cycles)
    carry = _carry(workspace, chain, place, circuit)
    scale = signal_scale(workspace, chain, signal.name)
    source_ohm = max(sum(pin.source_ohm for pin in pins) for _side, _names, pins in circuit.sides)
    external_f = max(pin.external_f for _side, _names, pins in circuit.sides for pin in pins)
    low_v, high_v = input_extent_v(workspace, signal)
    low_before_v, high_before_v = input_extent_v(workspace, neighbour)
    worst_v = (
        max(abs(high_v - low_before_v), abs(high_before_v - low_v))
        if neighbour != signal
        else high_v - low_v
    )
    return SlotSettling(
        signal=signal.name,
        place=place,
        neighbour=neighbour.name,
        source_ohm=source_ohm,
        external_f=external_f,
        tau_s=(source_ohm + converter.switch_resistance_ohm) * converter.sampling_capacitor_f,
        sampling_s=circuit.sampling_s,
        needed_s=_needed_s(workspace, chain, place, 0.5 / scale.steps),
        carry=carry,
        full_scale_error_lsb=carry * scale.steps,
        wired_error_lsb=carry * worst_v / scale.lsb_v,
        lsb_v=scale.lsb_v,
    )


def _carry(workspace: Workspace, chain: Chain, place: int, circuit: SlotCircuit) -> float:
    """The worse side's steady share."""
    period_s = _period_s(float(scan_timing(workspace, chain).slots[place].converted_hz))
    rest_s = max(0.0, period_s - circuit.sampling_s - circuit.span_s)
    return max(_share_left(side, pins, rest_s) for side, _names, pins in circuit.sides)


def _period_s(rate_hz: float) -> float:
    return 1 / rate_hz if rate_hz > 0 else 1.0


def _share_left(side: SideCircuit, pins: tuple[PinCircuit, ...], rest_s: float) -> float:
    return min(1.0, max(0.0, steady_share(side, pins, rest_s)))


def _needed_s(workspace: Workspace, chain: Chain, place: int, share: float) -> float | None:
    signal = workspace.project.signal(chain.slots[place].signal)
    converter = workspace.converter(chain)
    timing = scan_timing(workspace, chain).slots[place]
    return shortest_sampling_s(
        tuple(
            tuple(PinCircuit(*pin_impedance(workspace, name)) for name in names)
            for names in _sides_of(workspace, chain, signal)
        ),
        converter.switch_resistance_ohm,
        converter.sampling_capacitor_f,
        timing.repeats,
        float(timing.conversion_s),
        float(timing.converted_hz),
        share,
    )


@lru_cache(maxsize=1024)  # an edit leaves most slots as they were
def shortest_sampling_s(
    sides: tuple[tuple[PinCircuit, ...], ...],
    switch_ohm: float,
    sample_f: float,
    repeats: int,
    conversion_s: float,
    rate_hz: float,
    share: float,
) -> float | None:
    """Shortest sampling that leaves no more than a share of a full-scale step; None where none
    within a scan does.

    Parameters
    ----------
    sides : the pins that feed each sampling capacitor
    repeats, conversion_s : conversions of the slot, and what each takes after its sampling
    rate_hz : of the slot
    """
    if repeats == 1 and not any(pin.has_capacitor for pins in sides for pin in pins):
        ohm = max(sum(pin.source_ohm for pin in pins) for pins in sides)
        return (ohm + switch_ohm) * sample_f * math.log(1 / share)
    period_s = _period_s(rate_hz)

    def left(sampling_s: float) -> float:
        each_s = sampling_s + conversion_s
        rest_s = max(0.0, period_s - sampling_s - (repeats - 1) * each_s)
        return max(
            _share_left(
                side_circuit(sampling_s, pins, switch_ohm, sample_f, repeats, each_s), pins, rest_s
            )
            for pins in sides
        )

    if left(period_s) > share:
        return None
    low, high = 0.0, period_s
    for _ in range(LONGEST_SEARCHED):
        middle = (low + high) / 2
        low, high = (low, middle) if left(middle) <= share else (middle, high)
    return high
