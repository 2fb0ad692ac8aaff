"""What a signal's pins see: the bench's sources with all that stands on the way, and internal
channels."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from numpy.typing import NDArray

from wattigram.core.model.bench import (
    BoardSource,
    DcSource,
    Driven,
    Jumper,
    PairedSource,
    Source,
    Surroundings,
    TiedInput,
    Wiring,
    resolve_source,
)
from wattigram.core.model.design.project import Signal
from wattigram.core.model.design.reaction import pointed_pins
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.pins.output_pins import (
    generator_on,
    moved_pins,
    output_accuracy_v,
    output_ohm,
    output_waveform,
)

FloatArray = NDArray[np.float64]


def input_source(workspace: Workspace, pin: str, meant: bool = False) -> Driven:
    """What drives a pin in the end; 0 V where nothing is wired to it.

    What is ``meant`` differs only behind a jumper, see :func:`output_played`.
    """

    def make() -> Driven:
        wiring = workspace.wiring(pin)
        return _driven(workspace, wiring, meant) if wiring is not None else DcSource(voltage_v=0.0)

    return workspace.known.answer((input_source, pin, meant), make)


def _driven(workspace: Workspace, wiring: Wiring, meant: bool) -> Driven:
    source = resolve_source(wiring, workspace.project.bench)
    driven = source.opened(surroundings_of(workspace, meant))
    poles = input_poles_s(workspace, wiring)
    if poles:
        driven = driven.filtered(poles)
    own_v = driven.noise_v * passed_noise(workspace, wiring)
    driven = driven.with_noise(math.hypot(own_v, density_noise_v(workspace, wiring)))
    return driven.with_mains(wiring.hum_v, wiring.mains_hz) if wiring.hum_v else driven


def input_poles_s(workspace: Workspace, wiring: Wiring) -> tuple[float, ...]:
    """Low-passes on the way to a pin; an output's own resistance counts with the wire's."""
    output = driving_output(workspace, wiring.source)
    if output is not None and wiring.capacitor_f:
        ohm = wiring.source_resistance_ohm + output_ohm(*output)
        return wiring.replaced(source_resistance_ohm=ohm).poles_s
    return wiring.poles_s


def driving_output(workspace: Workspace, source: Source) -> tuple[Workspace, str] | None:
    """The output pin that a wire comes from: of this board, or of another project's; None for other
    sources."""
    if isinstance(source, Jumper):
        return workspace, source.pin
    if isinstance(source, BoardSource):
        other = workspace.others.get(source.project)
        return (other, source.output) if other is not None else None
    return None


def sampler_tau_s(workspace: Workspace, wiring: Wiring) -> float:
    """Time constant with which a pin without a capacitor charges the sampling capacitor: it limits
    noise too."""
    converter = workspace.part.converters[0]
    return (wiring.source_ohm + converter.switch_resistance_ohm) * converter.sampling_capacitor_f


def density_noise_v(workspace: Workspace, wiring: Wiring) -> float:
    """Noise of a stated density through all low-passes: density · sqrt(1 / (4 · Σ τ)).

    Exact for one and for two poles that do not load each other, of which one is the sampler's own.
    """
    if not wiring.noise_density:
        return 0.0
    total_s = sum(input_poles_s(workspace, wiring)) + sampler_tau_s(workspace, wiring)
    return wiring.noise_density * math.sqrt(1 / (4 * total_s))


def passed_noise(workspace: Workspace, wiring: Wiring) -> float:
    """Share of a source's noise that its low-passes leave, 0 to 1.

    A source's noise is stated as the sampler alone would see it, so that only what lies before the
    sampler narrows
    its bandwidth: sqrt(τ₀ / (τ₀ + Σ τ)).
    """
    poles = sum(input_poles_s(workspace, wiring))
    own_s = sampler_tau_s(workspace, wiring)
    return math.sqrt(own_s / (own_s + poles)) if poles > 0 else 1.0


def surroundings_of(workspace: Workspace, meant: bool = False) -> Surroundings:
    """What sources of the bench may have to know; outputs as designed or, with ``meant``, as meant."""
    return Surroundings(
        workspace.reference_v,
        workspace.supply_v,
        lambda pin: output_waveform(workspace, pin, meant),
        board=partial(_played_elsewhere, workspace, meant),
    )


def _played_elsewhere(workspace: Workspace, meant: bool, project: str, pin: str) -> Driven | None:
    """What another project's board has on a pin, as far as it is known beforehand."""
    other = workspace.others.get(project)
    return output_waveform(other, pin, meant) if other is not None else None


def input_accuracy_v(workspace: Workspace, signal: Signal) -> float:
    """By how much what is wired to a signal's pins may be off: a DAC's own accuracy, where a jumper
    brings it."""
    accuracy_v = 0.0
    for pin in (signal.pin, signal.negative):
        wiring = workspace.wiring(pin) if pin is not None else None
        if wiring is None:
            continue
        source = resolve_source(wiring, workspace.project.bench)
        output = driving_output(workspace, source)
        if output is not None:
            accuracy_v += output_accuracy_v(*output)
    return accuracy_v


def tolerance_error_v(workspace: Workspace, signal: Signal) -> float:
    """By how much readings of a signal's pins may be off by stated tolerances, of the largest voltage there is: what
    is wired, the reference, and what feeds the pin. What is fed from the very same reference reads the same whatever
    that has."""
    pins = (pin for pin in (signal.pin, signal.negative) if pin is not None)
    return sum((_off_v(workspace, pin) for pin in pins), 0.0)


def pin_tolerances(workspace: Workspace, pin: str) -> dict[str, float]:
    """Tolerances that have a part in what is read of a pin, by what has them; those that are not stated left out."""
    own = workspace.project.reference
    fed, there = _fed_from(workspace, pin)
    shares = {f"what is wired to {pin}": _wired_tolerance(workspace, pin)}
    if fed != own or there is not workspace:
        shares[f"reference {own}"] = workspace.tolerance_of(own)
        if fed:
            name = (
                f"reference {fed}"
                if there is workspace
                else f"reference {fed} of {there.project.name}"
            )
            shares[name] = there.tolerance_of(fed)
    return {name: share for name, share in shares.items() if share}


def _off_v(workspace: Workspace, pin: str) -> float:
    shares = pin_tolerances(workspace, pin)
    if not shares:
        return 0.0
    return sum(shares.values()) * max(abs(volts) for volts in input_source(workspace, pin).extent_v)


def _wired_tolerance(workspace: Workspace, pin: str) -> float:
    """Of what is wired to a pin; of the other's too, where it is the same as another pin has."""
    wiring = workspace.project.wired(pin)
    if wiring is None:
        return 0.0
    other = (
        workspace.project.wired(wiring.source.pin)
        if isinstance(wiring.source, PairedSource)
        else None
    )
    return wiring.tolerance + (other.tolerance if other is not None else 0.0)


def _fed_from(workspace: Workspace, pin: str) -> tuple[str, Workspace]:
    """The reference that what is wired to a pin is a share of, and whose board's; "" where it is a voltage of its
    own, or none."""
    internal = next(
        (
            found
            for converter in workspace.part.converters
            if (found := converter.internal_input(pin)) is not None
        ),
        None,
    )
    if internal is not None:
        return ("supply" if internal.supply_share else ""), workspace
    wiring = workspace.wiring(pin)
    if wiring is None:
        return workspace.project.reference, workspace  # 0 V, whatever it is measured against
    source = resolve_source(wiring, workspace.project.bench)
    if isinstance(source, TiedInput):
        same = {"ground": workspace.project.reference, "reference": workspace.project.reference}
        return same.get(source.to, "supply"), workspace
    output = driving_output(workspace, source)
    if output is None:
        return "", workspace
    there, its_pin = output
    generator = generator_on(there, its_pin)
    dac = there.part.dac(generator.dac) if generator is not None else None
    return (there.dac_reference(dac) if dac is not None else "supply"), there


def input_extent_v(workspace: Workspace, signal: Signal) -> tuple[float, float]:
    """Lowest and highest voltage to be converted, without noise."""
    low, high = input_source(workspace, signal.pin).extent_v
    if signal.negative is None:
        return low, high
    below, above = input_source(workspace, signal.negative).extent_v
    return low - above, high - below


def is_looped_back(workspace: Workspace, signal: Signal) -> bool:
    """One of the board's own outputs is wired to it."""
    wirings = (workspace.wiring(pin) for pin in (signal.pin, signal.negative) if pin is not None)
    bench = workspace.project.bench
    return any(
        isinstance(resolve_source(wiring, bench), Jumper)
        for wiring in wirings
        if wiring is not None
    )


def set_while_running(workspace: Workspace, signal: Signal) -> str:
    """The output pin, of this board or another, that a route or the program sets while it runs and that
    is wired to the signal, so that nothing is expected of it beforehand; "" where none is."""
    bench = workspace.project.bench
    later = pointed_pins(workspace.project.reactions, signal.name)
    for pin in (signal.pin, signal.negative, *later):
        wiring = workspace.wiring(pin) if pin is not None else None
        source = resolve_source(wiring, bench) if wiring is not None else None
        output = driving_output(workspace, source) if source is not None else None
        if output is not None and output[1] in moved_pins(output[0]):
            return output[1]
    return ""


def input_voltage_v(
    workspace: Workspace, signal: Signal, times_s: FloatArray, meant: bool = False
) -> FloatArray:
    """Voltage to be converted at given instants, without noise, as the open source gives it.

    Parameters
    ----------
    times_s : (n,) float64

    Returns
    -------
    (n,) float64, volts
    """
    volts = input_source(workspace, signal.pin, meant).at(times_s)
    if signal.negative is not None:
        volts = volts - input_source(workspace, signal.negative, meant).at(times_s)
    return volts


def input_noise_v(workspace: Workspace, signal: Signal) -> float:
    """Noise of what is converted, volts rms."""
    noise_v = input_source(workspace, signal.pin).noise_v
    if signal.negative is not None:
        noise_v = math.hypot(noise_v, input_source(workspace, signal.negative).noise_v)
    return noise_v


def input_resistance_ohm(workspace: Workspace, signal: Signal) -> float:
    """Resistance that charges the sampling capacitor, that of both pins of a pair."""
    return sum(
        pin_impedance(workspace, pin)[0] for pin in (signal.pin, signal.negative) if pin is not None
    )


def input_capacitor_f(workspace: Workspace, signal: Signal) -> float:
    """External capacitor at the signal's pins; the larger of the two for a pair."""
    return max(
        pin_impedance(workspace, pin)[1] for pin in (signal.pin, signal.negative) if pin is not None
    )


def pin_impedance(workspace: Workspace, pin: str) -> tuple[float, float]:
    """What a pin is fed through: ohms, those of an output behind a jumper included, and farads at
    the pin."""
    wiring = workspace.wiring(pin)
    if wiring is None:
        return 0.0, 0.0
    output = driving_output(workspace, wiring.source)
    ohm = output_ohm(*output) if output is not None else 0.0
    return wiring.source_ohm + ohm, wiring.capacitor_f
