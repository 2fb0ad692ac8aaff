"""The circuit of pin, switch and sampling capacitor, solved in closed form.

While a slot samples, each pin with an external capacitor and the sampling capacitor are nodes of an
RC network whose
sources are the open pins:

    C_ext · dv/dt = (V_s − v) / R − (v − u) / R_sw        C_s · du/dt = (v − u) / R_sw

While it does not, u is held and v returns to V_s with R · C_ext. All is linear, so it is enough to
follow what is
missing: w = v − V_s at each pin with a capacitor, and e = u − V_s at the sampling capacitor. V_s is
what the pin would
have without the sampler, its own low-pass included (superposition).
"""

from __future__ import annotations

import math
from functools import lru_cache

import msgspec
import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]


class PinCircuit(msgspec.Struct, frozen=True):
    """What a pin is fed through, ohms and farads; ``external_f`` is 0 where no capacitor is at the
    pin."""

    source_ohm: float
    external_f: float = 0.0

    @property
    def has_capacitor(self) -> bool:
        """The pin's voltage moves by itself: a source without resistance holds it whatever hangs
        there."""
        return self.external_f > 0 and self.source_ohm > 0

    @property
    def tau_s(self) -> float:
        """With which the pin returns to its source."""
        return self.source_ohm * self.external_f if self.has_capacitor else 0.0


def sampling_matrix(
    sampling_s: float, pins: tuple[PinCircuit, ...], switch_ohm: float, sample_f: float
) -> FloatArray:
    """How what is missing goes on over one sampling.

    Parameters
    ----------
    pins : one, or the positive and the negative one of a pair with one capacitor across it

    Returns
    -------
    (n + 1, n + 1) float64: from w of the n pins with a capacitor and e, before, to the same after

    Notes
    -----
    C · x' = −K · x with K symmetric, so that C^(−1/2) · K · C^(−1/2) has real eigenvalues and
    orthogonal vectors: no
    difference of large numbers is ever taken. With one pin these are the two time constants of the
    textbook circuit.
    """
    loaded = [number for number, pin in enumerate(pins) if pin.has_capacitor]
    bare_ohm = switch_ohm + sum(pin.source_ohm for pin in pins if not pin.has_capacitor)
    size = len(loaded) + 1
    if bare_ohm <= 0:
        bare_ohm = 1e-3  # a switch without resistance charges at once
    through = 1 / bare_ohm
    sides = np.array([1.0 if number == 0 else -1.0 for number in loaded] + [-1.0])
    conductance = through * np.outer(sides, sides)
    for place, number in enumerate(loaded):
        conductance[place, place] += 1 / pins[number].source_ohm
    root = np.sqrt(np.array([*(pins[number].external_f for number in loaded), sample_f]))
    if size == 1:
        return np.array([[math.exp(-sampling_s * through / sample_f)]])
    values, vectors = np.linalg.eigh(conductance / np.outer(root, root))
    decays = np.exp(-sampling_s * np.maximum(values, 0.0))
    return np.asarray((vectors * decays) @ vectors.T * (root[np.newaxis, :] / root[:, np.newaxis]))


class SideCircuit(msgspec.Struct, frozen=True):
    """One sampling capacitor over all conversions of a slot, as it follows from what was there
    before.

    Attributes
    ----------
    loaded : numbers of the slot's pins that have a capacitor, in the order of the states w
    leave : (n + 1, n + 1) from w and e at the start of the first conversion's sampling to those
    after the last's
    read : (n + 1,) from the same to the mean error of the readings
    """

    loaded: tuple[int, ...]
    leave: FloatArray
    read: FloatArray


@lru_cache(maxsize=4096)  # an edit leaves most slots as they were
def side_circuit(
    sampling_s: float,
    pins: tuple[PinCircuit, ...],
    switch_ohm: float,
    sample_f: float,
    repeats: int = 1,
    each_s: float = 0.0,
    before_s: float = 0.0,
) -> SideCircuit:
    """A slot's sampling capacitor with its pins; ``repeats`` conversions follow each other every
    ``each_s``, and for ``before_s`` before the first sampling the capacitor is there already."""
    once = sampling_matrix(sampling_s, pins, switch_ohm, sample_f)
    first = sampling_matrix(sampling_s + before_s, pins, switch_ohm, sample_f) if before_s else once
    loaded = tuple(number for number, pin in enumerate(pins) if pin.has_capacitor)
    if repeats == 1:
        return SideCircuit(loaded, _fixed(first), _fixed(first[-1].copy()))
    rests = [math.exp(-max(0.0, each_s - sampling_s) / pins[number].tau_s) for number in loaded]
    between = np.diag([*rests, 1.0])
    leave, read = first, first[-1].copy()
    for number in range(1, repeats):
        leave = once @ between @ leave
        read += leave[-1]
        if number > 64 and np.abs(leave[-1]).max() < 1e-12:
            break
    return SideCircuit(loaded, _fixed(leave), _fixed(read / repeats))


def _fixed(values: FloatArray) -> FloatArray:
    """The same array, which nobody can change by mistake: it is shared."""
    values.setflags(write=False)
    return values


def steady_share(side: SideCircuit, pins: tuple[PinCircuit, ...], rest_s: float) -> float:
    """Share of a lasting difference to the slot before that is left in a reading, once the pins
    have come to rest.

    ``rest_s`` lies between the end of a sampling and the beginning of the next one at the same
    pins.
    """
    count = len(side.loaded)
    if not count:
        return float(side.read[-1])
    rests = np.array([math.exp(-rest_s / pins[number].tau_s) for number in side.loaded])
    # w before = rests · (leave_ww · w before + leave_we · 1): the fixed point of one scan after
    # another.
    kept = rests[:, np.newaxis] * side.leave[:count, :count]
    before = np.linalg.solve(np.eye(count) - kept, rests * side.leave[:count, count])
    return float(side.read[:count] @ before + side.read[count])
