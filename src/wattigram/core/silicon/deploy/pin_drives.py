"""What the pins see, as the virtual board is told it."""

from __future__ import annotations

from wattigram.core.contract.board_config import EffectiveBench, PinDrive
from wattigram.core.model.bench import (
    DcSource,
    FloatingInput,
    Jumper,
    ShapeSource,
    SineSource,
    SquareSource,
    SweptSource,
    TriangleSource,
    Wiring,
    resolve_source,
    swapped_partner,
)
from wattigram.core.model.bench.source_voltage import FLOATING_CENTRE_V, WANDER_HZ, WANDER_V
from wattigram.core.model.design import Workspace
from wattigram.core.predict.pins import input_poles_s, input_source, pin_impedance


def effective_bench(workspace: Workspace) -> EffectiveBench:
    """What the pins see, and what stands between."""
    project = workspace.project
    inputs = [
        pin
        for signal in project.signals
        for pin in (signal.pin, signal.negative)
        if pin is not None
    ]
    pins = {pin: PinDrive() for pin in inputs}
    for pin in {*inputs, *(wiring.pin for wiring in project.bench)}:
        wiring = workspace.wiring(pin)
        if wiring is not None:
            partner = swapped_partner(project.bench, pin)
            other = workspace.wiring(partner) if partner is not None else None
            there = other or wiring
            ohm, farads = pin_impedance(workspace, there.pin)
            pins[pin] = _drive(workspace, there).unchecked(ohm=ohm, capacitor_f=farads)
    return EffectiveBench(pins=pins)


def floating_reference(workspace: Workspace) -> PinDrive | None:
    """What a reference pin has that nothing is wired to, or nothing that holds it; None where the
    reference stands."""
    pin = workspace.reference_pin
    if pin is None:
        return None
    wiring = workspace.project.wired(pin)
    if wiring is None:
        return _floating(FloatingInput())
    source = resolve_source(wiring, workspace.project.bench)
    return _floating(source) if isinstance(source, FloatingInput) else None


def _floating(source: FloatingInput) -> PinDrive:
    """A pin that nobody drives: it wanders, and mains is on it."""
    wander = tuple((WANDER_V, rate, 0.0) for rate in WANDER_HZ)
    mains = (source.hum_v, float(source.mains_hz), 0.0)
    return PinDrive(
        shape="sines", level_v=FLOATING_CENTRE_V, sines=(*wander, mains), noise_v=source.noise_v
    )


def _drive(workspace: Workspace, wiring: Wiring) -> PinDrive:
    """What drives a pin, with the wires exchanged where somebody did that."""
    source = resolve_source(wiring, workspace.project.bench)
    driven = input_source(workspace, wiring.pin)
    if isinstance(source, Jumper) and isinstance(driven, ShapeSource):
        poles = input_poles_s(workspace, wiring)
        return PinDrive(
            shape="output",
            output=source.pin,
            poles_s=poles,
            sines=driven.sines,
            noise_v=driven.noise_v,
        )
    match driven:
        case DcSource():
            return PinDrive(level_v=driven.voltage_v, noise_v=driven.noise_v)
        case SineSource():
            sine = (driven.amplitude_v, float(driven.frequency_hz), driven.phase)
            return PinDrive(
                shape="sines", level_v=driven.offset_v, sines=(sine,), noise_v=driven.noise_v
            )
        case TriangleSource():
            return PinDrive(
                shape="triangle",
                level_v=driven.from_v,
                high_v=driven.to_v,
                frequency_hz=float(1 / driven.period_s),
                noise_v=driven.noise_v,
            )
        case SquareSource():
            return PinDrive(
                shape="square",
                level_v=driven.low_v,
                high_v=driven.high_v,
                frequency_hz=float(1 / driven.period_s),
                high_share=driven.duty,
                noise_v=driven.noise_v,
            )
        case FloatingInput():
            return _floating(driven)
        case SweptSource():
            return PinDrive(
                shape="sweep",
                level_v=driven.offset_v,
                high_v=driven.amplitude_v,
                frequency_hz=float(driven.from_hz),
                to_hz=float(driven.to_hz),
                lasting_s=float(driven.lasting_s),
                noise_v=driven.noise_v,
            )
        case ShapeSource():
            course = driven.course
            rows = zip(
                course.starts_s.tolist(),
                course.level_v.tolist(),
                course.slope_v_s.tolist(),
                strict=True,
            )
            return PinDrive(
                shape="course",
                pieces=tuple(rows),
                period_s=course.period_s,
                begin_s=course.begin_s,
                poles_s=course.poles_s,
                sines=driven.sines,
                noise_v=driven.noise_v,
            )
