"""Readings of a chain's slots as the circuit of pins and sampling capacitors leaves them, for any
instants.

Two things are followed: what the sampling capacitor holds, from slot to slot, and what each
external capacitor is
off by, from one sampling of its pin to the next. Each drives the other, so that they are worked out
in turns until
neither changes; every turn makes what is left smaller by the share that a slot's own charge comes
back to it.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.predict.accuracy.settling import SlotCircuit

FloatArray = NDArray[np.float64]
CLOSE_V = 1e-9
MOST_TURNS = 100
SMALLEST = 1e-12
PinVoltage = Callable[[int, str], FloatArray]
"""Of a slot's place and one of its pins: (scans,) volts at the sampling instants."""


class _Side(msgspec.Struct):
    """One sampling capacitor of one slot over all scans."""

    place: int
    circuit: SlotCircuit
    number: int
    volts: FloatArray
    """(scans,) what it would hold fully settled"""

    @property
    def leave(self) -> FloatArray:
        return self.circuit.sides[self.number][0].leave

    @property
    def read(self) -> FloatArray:
        return self.circuit.sides[self.number][0].read

    @property
    def loaded(self) -> list[str]:
        """Pins with a capacitor, in the order of the states."""
        side, names, _pins = self.circuit.sides[self.number]
        return [names[number] for number in side.loaded]

    def tau_s(self, pin: str) -> float:
        _side, names, pins = self.circuit.sides[self.number]
        return pins[names.index(pin)].tau_s


def settled_readings(
    circuits: list[SlotCircuit], held_s: FloatArray, pin_voltage: PinVoltage
) -> FloatArray:
    """Readings of slots, settling errors included.

    Parameters
    ----------
    circuits : (slots,) in the order of conversion
    held_s : (scans, slots) sampling instants, of the last conversion where a slot repeats them

    Returns
    -------
    (scans, slots) float64, volts
    """
    scans, slots = held_s.shape
    result = np.zeros((scans, slots))
    # The positive side is sampled by every slot; a capacitor of its own on the negative side only
    # by pairs.
    for number in (0, 1):
        chain = [
            _Side(
                place,
                circuits[place],
                number,
                _volts(circuits[place], place, number, pin_voltage, scans),
            )
            for place in range(slots)
            if number < len(circuits[place].sides)
        ]
        if not chain:
            continue
        readings = _follow(chain, held_s)
        for column, side in enumerate(chain):
            result[:, side.place] += circuits[side.place].signs[number] * readings[:, column]
    return result


def _volts(
    circuit: SlotCircuit, place: int, number: int, pin_voltage: PinVoltage, scans: int
) -> FloatArray:
    _side, names, _pins = circuit.sides[number]
    volts = np.array(pin_voltage(place, names[0]), dtype=np.float64)
    if len(names) > 1:
        volts = volts - pin_voltage(place, names[1])
    return np.broadcast_to(volts, (scans,)).astype(np.float64)


def _follow(chain: list[_Side], held_s: FloatArray) -> FloatArray:
    """(scans, sides) readings of one capacitor as it goes from slot to slot."""
    scans = len(held_s)
    volts = np.column_stack([side.volts for side in chain])
    kept = np.tile(np.array([side.leave[-1, -1] for side in chain]), scans)
    seen = np.array([side.read[-1] for side in chain])
    pins = list(dict.fromkeys(pin for side in chain for pin in side.loaded))
    off = {
        pin: {at: np.zeros(scans) for at, side in enumerate(chain) if pin in side.loaded}
        for pin in pins
    }
    held = volts
    for _ in range(MOST_TURNS):
        pushed = np.zeros_like(volts)
        for at, side in enumerate(chain):
            for state, pin in enumerate(side.loaded):
                pushed[:, at] += side.leave[-1, state] * off[pin][at]
        before = held
        held = recurrence((volts * (1 - kept.reshape(volts.shape)) + pushed).ravel(), kept).reshape(
            volts.shape
        )
        missing = _missing(held, volts)
        for pin in pins:
            _follow_pin(pin, chain, off, missing, held_s)
        if not pins or np.abs(held - before).max(initial=0.0) < CLOSE_V:
            break
    readings = volts + seen * _missing(held, volts)
    for at, side in enumerate(chain):
        for state, pin in enumerate(side.loaded):
            readings[:, at] += side.read[state] * off[pin][at]
    return readings


def _missing(held: FloatArray, volts: FloatArray) -> FloatArray:
    """What the capacitor holds from the slot before, less what it is to hold; it is empty at the
    start."""
    flat = held.ravel()
    before = np.empty_like(flat)
    before[0], before[1:] = 0.0, flat[:-1]
    return np.asarray(before.reshape(volts.shape) - volts)


def _follow_pin(
    pin: str,
    chain: list[_Side],
    off: dict[str, dict[int, FloatArray]],
    missing: FloatArray,
    held_s: FloatArray,
) -> None:
    """What a pin's capacitor is off by at the beginning of each of its samplings, from one to the
    next."""
    places = list(off[pin])
    instants = np.column_stack([held_s[:, chain[at].place] for at in places])
    after = np.empty_like(instants)
    gain = np.empty_like(instants)
    ends = np.empty_like(instants)
    begins = np.empty_like(instants)
    for column, at in enumerate(places):
        side = chain[at]
        state = side.loaded.index(pin)
        gain[:, column] = side.leave[state, state]
        after[:, column] = side.leave[state, -1] * missing[:, at]
        for other, name in enumerate(side.loaded):
            if name != pin:
                after[:, column] += side.leave[state, other] * off[name][at]
        begins[:, column] = instants[:, column] - side.circuit.span_s - side.circuit.sampling_s
        ends[:, column] = instants[:, column]
    rest_s = np.maximum(0.0, begins.ravel()[1:] - ends.ravel()[:-1])
    fall = np.exp(-rest_s / chain[places[0]].tau_s(pin))
    carry = np.zeros(instants.size)
    source = np.zeros(instants.size)
    carry[1:] = fall * gain.ravel()[:-1]
    source[1:] = fall * after.ravel()[:-1]
    followed = recurrence(source, carry).reshape(instants.shape)
    for column, at in enumerate(places):
        off[pin][at] = followed[:, column]


def recurrence(source: FloatArray, carry: FloatArray) -> FloatArray:
    """y[i] = source[i] + carry[i] · y[i − 1] from nothing, by doubling the distance.

    Parameters
    ----------
    source, carry : (n,) float64

    Returns
    -------
    (n,) float64
    """
    held = source.copy()
    product = carry.copy()
    distance = 1
    while distance < len(held) and np.abs(product[distance:]).max(initial=0.0) > SMALLEST:
        held[distance:] += product[distance:] * held[:-distance].copy()
        product[distance:] *= product[:-distance].copy()
        distance *= 2
    return held


def memory_scans(circuits: list[SlotCircuit], period_s: float, negligible: float) -> int:
    """Scans after which what came before no longer matters; 0 where nothing is ever carried
    over."""
    longest = 0
    for number in (0, 1):
        sides = [circuit.sides[number] for circuit in circuits if number < len(circuit.sides)]
        if not sides:
            continue
        shares = [abs(float(side.leave[-1, -1])) for side, _names, _pins in sides]
        if max(shares) >= negligible:
            product = math.prod(max(share, SMALLEST) for share in shares)
            longest = max(longest, _scans_to(product, negligible))
        for side, _names, pins in sides:
            for state, pin in enumerate(side.loaded):
                coupling = abs(float(side.leave[-1, state] * side.leave[state, -1]))
                if coupling >= negligible:
                    fall = math.exp(-period_s / pins[pin].tau_s) if pins[pin].tau_s else 0.0
                    longest = max(
                        longest, 1 + _scans_to(max(fall, SMALLEST), negligible / coupling)
                    )
    return min(longest, 1 << 16)


def _scans_to(share: float, negligible: float) -> int:
    """Powers of a share until it is negligible."""
    if share >= 1 - 1e-9:
        return 1 << 16
    return max(1, math.ceil(math.log(min(negligible, 0.5)) / math.log(share)))
